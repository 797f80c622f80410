//! A report is made: its parts read, its sheet drawn and printed, its number given.

use super::encoding;
use super::lineup::{Params, asked_for, read};
use crate::error::WebError;
use crate::paper::{Size, with_letters};
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{Encoding, Letterhead, Sheet, print_sheet, sheet_part};
use askama::Template;
use chrono::{Datelike, Local, Utc};
use jamjar_core::analysis::Settings;
use jamjar_core::words::supersedes_sentence;
use jamjar_store::{By, NewReport, StoreError};
use jamjar_workflow::lineup::{self, MAX_SETS};
use jamjar_workflow::report::{Part, figures_json, part};
use sha2::{Digest, Sha256};
use std::sync::Arc;

/// Times a number is asked for again when somebody else issued meanwhile.
const ATTEMPTS: usize = 5;

/// What a person says beside the figures.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Said<'a> {
    pub(crate) customer: &'a str,
    pub(crate) remarks: &'a str,
    /// Number of the report whose place it takes; blank for none.
    pub(crate) supersedes: &'a str,
    pub(crate) why: &'a str,
    /// Whose sheet it is, where the shop has not said its name.
    pub(crate) shop: &'a str,
}

/// Fields of an address that are not the line-up's own.
pub(super) fn own_query(query: &str) -> String {
    let pairs =
        form_urlencoded::parse(query.as_bytes()).filter(|(k, _)| !matches!(&**k, "supersedes" | "keep"));
    form_urlencoded::Serializer::new(String::new()).extend_pairs(pairs).finish()
}

/// What a sheet is made of: each vehicle's sets against its own baseline.
pub(super) async fn parts(
    state: &AppState,
    prefs: &Prefs,
    p: &Params,
) -> Result<Vec<(Part, Encoding)>, WebError> {
    let ids = asked_for(p);
    if ids.is_empty() {
        return Err(WebError::Bad(
            "A report is made from a line-up: line up what it is about, and issue it from there.".into(),
        ));
    }
    if ids.len() > MAX_SETS {
        return Err(WebError::Bad(format!(
            "{} sets are too many for one report; {MAX_SETS} fit: choose those it is about in the line-up",
            ids.len()
        )));
    }
    let vehicles = lineup::by_vehicle(&state.store, &ids).await?;
    let mut out = Vec::new();
    if vehicles.len() < 2 {
        let kept = read(state, prefs, p).await?;
        let (l, e) = &*kept;
        out.push((part(&state.store, Arc::new(l.clone())).await?, e.clone()));
        return Ok(out);
    }
    let asked = p.asked()?;
    let settings = Settings { at_rpm: asked.at, ..prefs.settings(asked.band) };
    for l in lineup::several(&state.store, &vehicles, &settings).await? {
        let e = encoding(state, l.vehicle.id).await?;
        out.push((part(&state.store, Arc::new(l)).await?, e));
    }
    Ok(out)
}

pub(super) fn sheet_of(
    head: Letterhead,
    parts: &[(Part, Encoding)],
    p: &Params,
    prefs: &Prefs,
) -> Result<Sheet, WebError> {
    let asked = p.asked()?;
    let made = parts
        .iter()
        .map(|(part, e)| sheet_part(part, e, &asked, &prefs.fitting(&part.line_up.vehicle.vehicle.engine)));
    Ok(Sheet::new(head, made.collect()))
}

/// Issues a report of a line-up and says its id.
pub(super) async fn make(
    state: &AppState,
    prefs: &Prefs,
    (p, query): (&Params, &str),
    said: &Said<'_>,
    by: &By,
) -> Result<i64, WebError> {
    let parts = parts(state, prefs, p).await?;
    let (shop, mark) = (state.store.ways().await?, state.store.shop_mark().await?);
    let figures = figures_json(&parts.iter().map(|p| p.0.clone()).collect::<Vec<_>>()).to_string();
    let (now, today) = (Utc::now().naive_utc(), Local::now().date_naive());
    for _ in 0..ATTEMPTS {
        let number = state.store.next_report_number(today.year()).await?;
        let head = Letterhead {
            number: number.clone(),
            issued: prefs.written.date(today),
            by: by.who.clone(),
            shop: if shop.name.is_empty() { said.shop.to_owned() } else { shop.name.clone() },
            shop_line: shop.line.clone(),
            mark: mark.clone(),
            customer: said.customer.to_owned(),
            remarks: said
                .remarks
                .lines()
                .map(str::trim)
                .filter(|l| !l.is_empty())
                .map(str::to_owned)
                .collect(),
            supersedes: if said.supersedes.is_empty() {
                String::new()
            } else {
                supersedes_sentence(said.supersedes, said.why)
            },
            figures_sha: hex::encode(Sha256::digest(figures.as_bytes())),
        };
        let sheet = sheet_of(head, &parts, p, prefs)?;
        let (sheet, prints) = tokio::task::spawn_blocking(move || {
            let print = |s: Size| print_sheet(&sheet, s).map(|pdf| (s.id().to_owned(), pdf));
            let prints = Size::ALL.into_iter().map(print).collect::<Result<Vec<_>, _>>()?;
            Ok::<_, WebError>((sheet, prints))
        })
        .await
        .map_err(|e| WebError::Internal(e.to_string()))??;
        let new = NewReport {
            prints,
            number,
            vehicles: parts.iter().map(|(p, _)| p.line_up.vehicle.id).collect(),
            title: sheet.title(),
            asked: query.to_owned(),
            sheet: with_letters(&sheet.render()?),
            figures: figures.clone(),
            supersedes: Some(said.supersedes.to_owned()).filter(|s| !s.is_empty()),
            why: said.why.to_owned(),
            issued_at: now,
        };
        match state.store.issue_report(&new, by).await {
            Err(StoreError::Duplicate) => {}
            Err(e) => return Err(e.into()),
            Ok(id) => return Ok(id),
        }
    }
    Err(WebError::Conflict("others issue reports at this moment: try again".into()))
}
