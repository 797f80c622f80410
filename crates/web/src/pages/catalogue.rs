//! A back-catalogue: a folder or an archive of many days, taken in at one go, looked at once, stored.

use super::imports::{begin, fragment, wanted};
use super::page;
use super::spool::{Sent, cut};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{CatalogueDay, CataloguePage, Shell};
use axum::Form;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::HeaderMap;
use axum::http::header::CONTENT_LENGTH;
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use jamjar_workflow::import::catalogue::{called, date_in, date_within, day_on, readable};
use jamjar_workflow::import::{self, ChosenSet};
use serde::Deserialize;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// Days shown on one page (our choice: one look).
const MOST_DAYS: usize = 60;

#[derive(Deserialize)]
pub(crate) struct Shown {
    /// Ids of days.
    #[serde(default)]
    days: String,
}

fn ids(text: &str) -> Vec<i64> {
    text.split(',').filter_map(|d| d.trim().parse().ok()).take(MOST_DAYS).collect()
}

async fn built(state: &AppState, prefs: &Prefs, days: &[i64]) -> Result<CataloguePage, WebError> {
    let mut p = CataloguePage {
        shell: Shell::new("Many days at once", &prefs.theme, "new"),
        vehicles: state.store.vehicles().await?.into_iter().map(|v| (v.id, v.vehicle.name)).collect(),
        cells: state.store.cells().await?.into_iter().map(|c| c.name).collect(),
        ..CataloguePage::default()
    };
    for id in days {
        let day = state.store.day(*id).await?;
        let inbox = fragment(state, *id).await?;
        let stored = state.store.sets_of_day(*id).await?.len();
        let run = super::imports::running(state, *id).await?;
        p.add(CatalogueDay {
            id: *id,
            date: prefs.written.date(day.date),
            vehicle: day.vehicle,
            stored,
            questions: inbox.questions.len(),
            first: 0,
            inbox,
            run,
        });
    }
    Ok(p)
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(q): Query<Shown>,
) -> Result<Html<String>, WebError> {
    page(&built(&state, &prefs, &ids(&q.days)).await?)
}

/// What a form says beside its files.
#[derive(Default)]
struct Asked {
    vehicle: Option<i64>,
    place: String,
    /// Date of the files that say none.
    date: Option<NaiveDate>,
}

/// What came of the files.
#[derive(Default)]
struct Taken {
    days: BTreeMap<NaiveDate, i64>,
    files: usize,
    left: Vec<String>,
}

impl Taken {
    /// One file: its date found, its day made, itself waiting there.
    async fn take(
        &mut self,
        state: &AppState,
        asked: &Asked,
        (path, changed): (&str, Option<NaiveDate>),
        bytes: Vec<u8>,
    ) -> Result<(), WebError> {
        let vehicle_id = asked.vehicle.ok_or_else(|| WebError::Bad("choose the vehicle first".into()))?;
        let (name, bytes) = (called(path), Arc::new(bytes));
        let (own, called_) = (bytes.clone(), name.clone());
        let read = tokio::task::spawn_blocking(move || readable(&own, &called_)).await;
        if let Err(e) = read.map_err(|e| WebError::Internal(e.to_string()))? {
            self.left.push(e.to_string());
            return Ok(());
        }
        // A date that a person wrote down comes before the one an archive happens to carry.
        let date = date_in(path).or_else(|| date_within(&bytes)).or(asked.date).or(changed);
        let Some(date) = date else {
            self.left.push(format!("{name} says no date: give one above, and drop it again"));
            return Ok(());
        };
        if !self.days.contains_key(&date) && self.days.len() >= MOST_DAYS {
            self.left.push(format!("{name} is of a {}th day: drop it with the next part", MOST_DAYS + 1));
            return Ok(());
        }
        let day = day_on(&state.store, vehicle_id, date, &asked.place).await?;
        self.days.insert(date, day);
        let ratio = state.store.vehicle(vehicle_id).await?.vehicle.dyno.overall_ratio;
        match import::take_in(&state.store, day, ratio, None, &name, bytes).await {
            Ok(r) if r.known => self.left.push(format!("{name} is here already, byte for byte")),
            Ok(_) => self.files += 1,
            Err(jamjar_workflow::WorkflowError::Format(e)) => self.left.push(e.to_string()),
            Err(e) => return Err(e.into()),
        }
        Ok(())
    }
}

pub(crate) async fn files(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    headers: HeaderMap,
    mut form: Multipart,
) -> Result<Response, WebError> {
    let declared =
        headers.get(CONTENT_LENGTH).and_then(|v| v.to_str().ok()).and_then(|v| v.parse().ok()).unwrap_or(0);
    state.spool.room_for(declared)?;
    let (mut asked, mut taken) = (Asked::default(), Taken::default());
    while let Some(field) = form.next_field().await.map_err(cut)? {
        match field.file_name().map(str::is_empty) {
            Some(true) => continue,
            None => {
                let name = field.name().unwrap_or_default().to_owned();
                let text = field.text().await.map_err(cut)?;
                match name.as_str() {
                    "vehicle" => asked.vehicle = text.trim().parse().ok(),
                    "place" => asked.place = text.trim().chars().take(120).collect(),
                    "date" if !text.trim().is_empty() => {
                        let bad =
                            || WebError::Bad(format!("“{}” is not a date such as 2026-03-24", text.trim()));
                        asked.date = Some(text.trim().parse().map_err(|_| bad())?);
                    }
                    _ => {}
                }
                continue;
            }
            Some(false) => {}
        }
        let sent = Sent::take(&state, field).await?;
        let _turn = sent.turn(&state).await;
        match sent.members().await {
            Err(e) => taken.left.push(e.to_string()),
            Ok(None) => {
                let bytes = sent.read().await?;
                taken.take(&state, &asked, (&sent.name, None), bytes).await?;
            }
            Ok(Some(mut all)) => {
                for k in 0..all.len() {
                    let read = all.about(k).and_then(|about| Ok((about, all.read(k)?)));
                    match read {
                        Ok(((path, changed), bytes)) => {
                            taken.take(&state, &asked, (&path, changed), bytes).await?;
                        }
                        Err(e) => taken.left.push(e.to_string()),
                    }
                }
            }
        }
    }
    let days: Vec<i64> = taken.days.values().copied().collect();
    let mut p = built(&state, &prefs, &days).await?;
    p.taken = Some((taken.files, taken.left));
    Ok(page(&p)?.into_response())
}

/// Sets by the day they stand on: each with the number its fields carry.
fn by_day(fields: &[(String, String)]) -> Result<BTreeMap<i64, Vec<ChosenSet>>, String> {
    let day_of: HashMap<&str, i64> =
        fields.iter().filter_map(|(k, v)| Some((k.strip_prefix("day.")?, v.parse().ok()?))).collect();
    let mut days: BTreeMap<i64, Vec<(String, String)>> = BTreeMap::new();
    for (k, v) in fields {
        if let Some(day) = k.split_once('.').and_then(|(_, n)| day_of.get(n)) {
            days.entry(*day).or_default().push((k.clone(), v.clone()));
        }
    }
    // A day of which nothing is ticked is left as it waits.
    days.retain(|_, f| f.iter().any(|(k, _)| k.starts_with("pull.")));
    if days.is_empty() {
        return Err("No pull is ticked.".into());
    }
    days.into_iter().map(|(day, f)| Ok((day, wanted(&f)?))).collect()
}

/// Stores everything that is ticked, day by day.
pub(crate) async fn store(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(q): Query<Shown>,
    Form(fields): Form<Vec<(String, String)>>,
) -> Result<Response, WebError> {
    let days = match by_day(&fields) {
        Ok(d) => d,
        Err(problem) => {
            let mut p = CataloguePage { problem, ..built(&state, &prefs, &ids(&q.days)).await? };
            p.keep_typed(&fields);
            return Ok((axum::http::StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response());
        }
    };
    for (day, sets) in days {
        begin(&state, day, sets).await?;
    }
    Ok(Redirect::to(&format!("/catalogue?days={}", q.days)).into_response())
}

/// The files of a day that wait leave it; a day that was made for them and holds nothing is archived.
pub(crate) async fn leave(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    state.store.clear_inbox(id, None).await?;
    if state.store.sets_of_day(id).await?.is_empty() {
        let by = who.by("nothing of the back-catalogue was stored on it");
        state.store.archive(&[jamjar_store::Subject::Day(id)], &by).await?;
    }
    Ok(Redirect::to("/catalogue").into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sets_go_to_the_day_their_number_belongs_to() {
        let f = |k: &str, v: &str| (k.to_owned(), v.to_owned());
        let fields = [
            f("day.0", "7"),
            f("map.0", "Stock"),
            f("fuel.0", "E10"),
            f("pull.0", "1::"),
            f("day.1", "9"),
            f("map.1", "C3"),
            f("fuel.1", "E30"),
            f("pull.1", "4:5:"),
            f("day.2", "9"),
            f("map.2", ""),
            f("fuel.2", ""),
            f("map.9", "of no day"),
        ];
        let days = by_day(&fields).unwrap();
        let named: Vec<_> = days
            .iter()
            .map(|(d, s)| {
                (
                    *d,
                    s.iter()
                        .filter(|s| !s.pulls.is_empty())
                        .map(|s| s.config.map.as_str())
                        .collect::<Vec<_>>(),
                )
            })
            .collect();
        assert_eq!(named, [(7, vec!["Stock"]), (9, vec!["C3"])]);
        assert!(by_day(&fields[..3]).unwrap_err().contains("No pull"));
        assert!(
            by_day(&[f("day.0", "7"), f("map.0", "C"), f("pull.0", "1::")])
                .unwrap_err()
                .contains("which fuel")
        );
    }
}
