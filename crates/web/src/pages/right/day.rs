//! A day: its date, zone, place and vehicle; what was put away on it; the last import taken back.

use super::{again, why};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::typed::Wrong;
use crate::views::{Field, FieldForm, PutAway, RightPage, Shell, count, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use jamjar_store::{Day, DayWords, Subject};
use jamjar_workflow::import::undo as take_back;
use serde::Deserialize;

#[derive(Deserialize)]
pub(crate) struct Typed {
    date: String,
    #[serde(default)]
    zone: String,
    place: String,
    vehicle: String,
    #[serde(default)]
    why: String,
    #[serde(default)]
    seen: String,
}

fn typed_of(d: &Day) -> Typed {
    Typed {
        date: d.date.to_string(),
        zone: d.zone.clone(),
        place: d.place.clone(),
        vehicle: d.vehicle_id.to_string(),
        why: String::new(),
        seen: String::new(),
    }
}

fn mark_of(d: &Day) -> String {
    mark(&(d.date, &d.zone, &d.place, d.vehicle_id))
}

fn words_of(f: &Typed) -> Result<DayWords, Wrong> {
    let date: NaiveDate = f
        .date
        .trim()
        .parse()
        .map_err(|_| ("date", format!("“{}” is not a date such as 2026-03-24", f.date.trim())))?;
    let place = f.place.trim();
    if place.is_empty() || place.chars().count() > 120 {
        return Err(("place", "name the cell, in at most 120 characters".into()));
    }
    if f.zone.trim().chars().count() > 60 {
        return Err(("zone", "at most 60 characters fit".into()));
    }
    let vehicle_id = f.vehicle.parse().map_err(|_| ("vehicle", "choose a vehicle".to_owned()))?;
    Ok(DayWords { date, zone: f.zone.trim().to_owned(), place: place.to_owned(), vehicle_id })
}

async fn form_page(
    state: &AppState,
    prefs: &Prefs,
    person: &str,
    day: &Day,
    f: &Typed,
) -> Result<RightPage, WebError> {
    let mut vehicles: Vec<(String, String)> =
        state.store.vehicles().await?.into_iter().map(|v| (v.id.to_string(), v.vehicle.name)).collect();
    if vehicles.iter().all(|v| v.0 != day.vehicle_id.to_string()) {
        vehicles.push((day.vehicle_id.to_string(), day.vehicle.clone()));
    }
    let fields = vec![
        Field { kind: "date", ..Field::text("date", "Date", &f.date) },
        Field::text("zone", "Time zone of its clocks", &f.zone).hint("blank: the shop's"),
        Field::text("place", "Place", &f.place),
        Field::one_of("vehicle", "Vehicle", &f.vehicle, vehicles),
        Field::text("why", "Why", &f.why).wide(30),
    ];
    let form = FieldForm {
        action: format!("/days/{}/edit", day.id),
        fields,
        seen: if f.seen.is_empty() { mark_of(day) } else { f.seen.clone() },
        button: "Put it right",
        says: "Another vehicle has every pull of the day measured again by that one's dyno, ratio and limits; its maps and builds are found there by name. Air and note are put right on the day sheet.".into(),
    };
    let title = format!("{}, {}", day.vehicle, prefs.written.date(day.date));
    let mut p = RightPage::new(Shell::new("Put a day right", &prefs.theme, ""), "day", day.id, title, form);
    p.crumbs = vec![
        (format!("/vehicles/{}", day.vehicle_id), day.vehicle.clone()),
        (format!("/days/{}", day.id), prefs.written.date(day.date)),
    ];
    p.archived = day.archived;
    p.archive_says =
        "The day, its sets and pulls leave lists, figures and search. They can be brought back.".into();
    p.undo = state.store.last_import(day.id).await?.map(|l| {
        let stored = match (l.sets.len(), l.pulls.len()) {
            (0, n) => format!("{} in sets that hold others", count(n, "pull")),
            (n, 0) => count(n, "set"),
            (n, m) => format!("{} and {} in sets that hold others", count(n, "set"), count(m, "pull")),
        };
        (l.run_id, format!("{stored}, from {},", count(l.files.len(), "file")))
    });
    p.put_away = put_away(&state.store.archived_on_day(day.id).await?);
    p.trail = trail(&state.store.trail(Subject::Day(day.id)).await?, &prefs.written);
    p.person = person.to_owned();
    p.lasting = state.store.lasting_id(Subject::Day(day.id)).await?.unwrap_or_default();
    Ok(p)
}

/// What was archived, as rows with a way back.
pub(crate) fn put_away(of: &[jamjar_store::Archived]) -> Vec<PutAway> {
    of.iter()
        .map(|a| PutAway {
            kind: a.what.kind(),
            id: a.what.id(),
            words: match a.what {
                Subject::Set(_) => format!("{}, {}", a.name, count(a.holds, "pull")),
                Subject::Day(_) => format!("day {}", a.name),
                _ => a.name.clone(),
            },
        })
        .collect()
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let day = state.store.day(id).await?;
    page(&form_page(&state, &prefs, &who.name, &day, &typed_of(&day)).await?)
}

pub(crate) async fn edit(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Typed>,
) -> Result<Response, WebError> {
    let day = state.store.day(id).await?;
    unchanged(&f.seen, &mark_of(&day), "the day", || {
        format!("{} at {}, {}", day.date, day.place, day.vehicle)
    })?;
    if day.archived {
        return Err(WebError::Changed { what: "the day".into(), now: "archived".into() });
    }
    match words_of(&f) {
        Ok(now) => {
            state.store.edit_day(&day, &now, &who.by(why(&f.why)?)).await?;
            Ok(Redirect::to(&format!("/days/{id}")).into_response())
        }
        Err(wrong) => {
            let p = form_page(&state, &prefs, &who.name, &day, &f).await?;
            again(p, wrong.1.clone(), wrong)
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct Run {
    run: i64,
}

/// Takes the last import back.
pub(crate) async fn undo(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Run>,
) -> Result<Redirect, WebError> {
    take_back(&state.store, id, f.run, &who.by("import taken back")).await?;
    Ok(Redirect::to(&format!("/days/{id}")))
}
