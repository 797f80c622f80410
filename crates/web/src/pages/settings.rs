//! Settings: the demo, and what this program is.

use super::attachments::media_of;
use super::page;
use super::right::put_away;
use super::spool::fields_and_file;
use crate::assets::data_address;
use crate::auth::Calibrator;
use crate::cookies::keeping;
use crate::error::WebError;
use crate::prefs::{Prefs, UNITS};
use crate::state::AppState;
use crate::views::{
    RunFragment, SettingsPage, Shell, choices, families, run_fragment, source_rows, unit_settings,
};
use crate::written::{DATES, DECIMALS, LONGEST_CURRENCY};
use axum::Form;
use axum::extract::{Multipart, Query, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_core::analysis::Usual;
use jamjar_core::correction::Correction;
use jamjar_store::{RunState, Ways};
use serde::Deserialize;
use std::collections::HashMap;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    kept: String,
}

/// The last loading of the demo, unless it is done.
pub(super) async fn demo_run(state: &AppState) -> Result<Option<RunFragment>, WebError> {
    let latest = state.store.latest_run(jamjar_workflow::demo::RUN).await?;
    Ok(latest.filter(|r| r.state != RunState::Done).map(|r| run_fragment(&r)))
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Html<String>, WebError> {
    let run = demo_run(&state).await?;
    let shop = state.store.ways().await?;
    page(&SettingsPage {
        spark: families(shop.usual.spark),
        diesel: families(shop.usual.diesel),
        shell: Shell::new("Settings", &prefs.theme, "settings"),
        units: unit_settings(&Prefs::of_shop(shop.clone()), None),
        dates: choices(&DATES, prefs.written.dates),
        decimals: choices(&DECIMALS, prefs.written.decimal_comma),
        currency: shop.currency,
        shop_name: shop.name,
        shop_line: shop.line,
        mark: state.store.shop_mark().await?,
        demo: state.store.has_demo().await?,
        run,
        kept: p.kept.chars().take(300).collect(),
        person: who.name,
        cells: state.store.cells().await?,
        fuels: state.store.fuels().await?,
        archived: put_away(&state.store.archived_vehicles().await?),
        sources: source_rows(&state.store.remembered_sources().await?),
        version: env!("CARGO_PKG_VERSION"),
        algorithm: jamjar_core::ALGORITHM_VERSION,
    })
}

#[derive(Deserialize)]
pub(crate) struct Forgotten {
    source: String,
}

/// Forgets what was said of the columns of a source.
pub(crate) async fn forget(
    _: Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Forgotten>,
) -> Result<Redirect, WebError> {
    state.store.forget_source(&f.source).await?;
    Ok(Redirect::to("/settings#sources"))
}

/// Takes the demo away; days of the user's own, and the vehicles they stand on, stay.
async fn take_away(state: &AppState) -> Result<String, WebError> {
    if let Some(run) =
        state.store.latest_run(jamjar_workflow::demo::RUN).await?.filter(|r| r.state == RunState::Running)
    {
        return Err(WebError::Conflict(format!(
            "the demo is being loaded just now ({} of {}): cancel that first, or wait",
            run.done, run.total
        )));
    }
    Ok(state.store.remove_demo().await?.join(", "))
}

pub(crate) async fn remove(_: Calibrator, State(state): State<AppState>) -> Result<Response, WebError> {
    let kept = take_away(&state).await?;
    let query: String = kept
        .bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect();
    Ok(Redirect::to(&format!("/settings?kept={query}")).into_response())
}

pub(crate) async fn reset(_: Calibrator, State(state): State<AppState>) -> Result<Response, WebError> {
    take_away(&state).await?;
    super::demo_reports::start_demo(&state).await?;
    Ok(Redirect::to("/settings").into_response())
}

#[derive(Deserialize)]
pub(crate) struct UsualForm {
    spark: String,
    diesel: String,
}

/// The families in which the shop's figures are shown, and this browser follows them again.
pub(crate) async fn usual(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Form(f): Form<UsualForm>,
) -> Result<Response, WebError> {
    let family = |id: &str| {
        Correction::from_id(id)
            .ok_or_else(|| WebError::Bad(format!("“{id}” is no correction family we know")))
    };
    let usual = Usual { spark: family(&f.spark)?, diesel: family(&f.diesel)? };
    let shop = Ways { usual, ..state.store.ways().await? };
    state.store.set_ways(&shop).await?;
    Ok(followed(&prefs.following_families(&shop), "/settings#correction"))
}

/// The answer where this browser follows the shop again.
fn followed(prefs: &Prefs, back: &str) -> Response {
    (keeping([prefs.cookie()]), Redirect::to(back)).into_response()
}

/// What the shop is called on what leaves it.
pub(crate) async fn shop(
    _: Calibrator,
    State(state): State<AppState>,
    Form(f): Form<HashMap<String, String>>,
) -> Result<Redirect, WebError> {
    let said = |name: &str, most: usize| {
        let text = f.get(name).map(|s| s.trim()).unwrap_or_default();
        if text.chars().count() > most || text.chars().any(char::is_control) {
            return Err(WebError::Bad(format!("the shop's {name} is one line of at most {most} characters")));
        }
        Ok(text.to_owned())
    };
    let ways = Ways { name: said("name", 120)?, line: said("line", 200)?, ..state.store.ways().await? };
    state.store.set_ways(&ways).await?;
    Ok(Redirect::to("/settings#shop"))
}

/// Largest mark, bytes: it stands in every report (our choice).
const MOST_MARK: u64 = 60 << 10;

/// The shop's mark: a picture by its first bytes, small enough to stand in every report.
pub(crate) async fn mark(
    _: Calibrator,
    State(state): State<AppState>,
    form: Multipart,
) -> Result<Redirect, WebError> {
    let (fields, file) = fields_and_file(&state, form).await?;
    let mark = match file {
        _ if fields.contains_key("away") => String::new(),
        None => return Err(WebError::Bad("choose a picture first".into())),
        Some(f) if f.file.bytes() > MOST_MARK => {
            return Err(WebError::TooLarge(format!(
                "{} is larger than {} KiB: make it smaller first",
                f.name,
                MOST_MARK >> 10
            )));
        }
        Some(f) => match (media_of(&f.read().await?), f.read().await?) {
            (Some(kind @ ("image/png" | "image/jpeg")), bytes) => data_address(kind, &bytes),
            _ => return Err(WebError::Bad(format!("{} is neither PNG nor JPEG by its first bytes", f.name))),
        },
    };
    state.store.set_shop_mark(&mark).await?;
    Ok(Redirect::to("/settings#shop"))
}

/// Units, dates, money and files for spreadsheets, as the shop has them.
pub(crate) async fn ways(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Form(f): Form<HashMap<String, String>>,
) -> Result<Response, WebError> {
    let said = |name: &str| f.get(name).map(|s| s.trim()).unwrap_or_default();
    let currency = said("currency");
    if currency.chars().count() > LONGEST_CURRENCY || currency.chars().any(char::is_control) {
        return Err(WebError::Bad(format!(
            "currency: “{currency}” is longer than {LONGEST_CURRENCY} characters; write it as it stands behind an amount"
        )));
    }
    let known = |ids: &[&str], name: &str| {
        let id = said(name);
        if ids.contains(&id) {
            Ok(id.to_owned())
        } else {
            Err(WebError::Bad(format!("{name}: “{id}” is none")))
        }
    };
    let units = UNITS.iter().map(|u| format!("{u}:{}", said(u))).collect::<Vec<_>>().join("|");
    let shop = Ways {
        // Written down again, so that only what was understood is kept.
        units: Prefs::of_shop(Ways { units, ..Ways::default() }).units_text(),
        currency: currency.to_owned(),
        dates: known(&DATES.map(|d| d.1), "dates")?,
        decimal: known(&DECIMALS.map(|d| d.1), "decimal")?,
        ..state.store.ways().await?
    };
    state.store.set_ways(&shop).await?;
    Ok(followed(&prefs.following_units(&shop), "/settings#units"))
}
