//! What a person writes on a day sheet: checks, air, fuel, notes, and sets marked invalid.

use super::page;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use crate::typed::{celsius, hectopascal, humidity, number};
use crate::views::checklist_fragment;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::{NaiveTime, Timelike};
use jamjar_core::air::AirState;
use jamjar_core::factors::USUAL;
use jamjar_store::NewIntervention;
use jamjar_workflow::checklist::ITEMS;
use jamjar_workflow::remeasure::{DayChange, change_day};
use serde::Deserialize;
use std::collections::HashMap;

fn back(day: i64, anchor: &str) -> Response {
    Redirect::to(&format!("/days/{day}#{anchor}")).into_response()
}

/// A time of day as the browser sends it; now, to the minute, when blank.
fn time(s: &str) -> Result<NaiveTime, WebError> {
    if s.trim().is_empty() {
        let now = chrono::Local::now().time();
        return Ok(NaiveTime::from_hms_opt(now.hour(), now.minute(), 0).unwrap_or_default());
    }
    NaiveTime::parse_from_str(s.trim(), "%H:%M")
        .map_err(|_| WebError::Bad(format!("“{}” is not a time of day such as 14:30", s.trim())))
}

/// One answer at a time, as each is tapped; the fragment comes back with the verdict.
pub(crate) async fn checklist(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<HashMap<String, String>>,
) -> Result<Html<String>, WebError> {
    let given: Vec<(&str, Option<&str>)> = ITEMS
        .iter()
        .filter_map(|i| match f.get(i.id).map(String::as_str) {
            Some(a @ ("yes" | "no" | "na")) => Some((i.id, Some(a))),
            Some("") => Some((i.id, None)),
            _ => None,
        })
        .collect();
    let answers = state.store.answer_checklist(id, &given).await?;
    let mut fragment = checklist_fragment(id, &answers);
    fragment.open = true;
    page(&fragment)
}

#[derive(Deserialize)]
pub(crate) struct Note {
    #[serde(default)]
    at: String,
    #[serde(default)]
    tag: String,
    text: String,
}

pub(crate) async fn note(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Note>,
) -> Result<Response, WebError> {
    let text = f.text.trim();
    if text.is_empty() {
        return Err(WebError::Bad("the note is empty".into()));
    }
    if text.chars().count() > 10_000 || f.tag.chars().count() > 40 {
        return Err(WebError::Bad("a note has at most 10,000 characters and its tag 40".into()));
    }
    state.store.day(id).await?;
    state.store.add_note(id, Some(time(&f.at)?), f.tag.trim(), text, &who.name).await?;
    Ok(back(id, "notes"))
}

#[derive(Deserialize)]
pub(crate) struct Changed {
    #[serde(default)]
    at: String,
    what: String,
    from: String,
    to: String,
}

/// Something was changed on the vehicle.
pub(crate) async fn changed(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Changed>,
) -> Result<Response, WebError> {
    let said = |what: &str, text: &str, most: usize| match text.trim() {
        "" => Err(WebError::Bad(format!("say {what}"))),
        t if t.chars().count() > most => {
            Err(WebError::Bad(format!("{what} is longer than {most} characters")))
        }
        t => Ok(t.to_owned()),
    };
    let new = NewIntervention {
        at: Some(time(&f.at)?),
        what: said("what was changed", &f.what, 60)?,
        from: said("what it was before", &f.from, 120)?,
        to: said("what it is now", &f.to, 120)?,
    };
    // What a set says itself, no change on the vehicle stands for.
    if USUAL.contains(&new.what.to_lowercase().as_str()) {
        let text = format!("the {} of a set is put right on the set, not on the vehicle", new.what);
        return Err(WebError::Bad(text));
    }
    state.store.day(id).await?;
    state.store.intervene(id, &new, &who.by("")).await?;
    Ok(back(id, "changed"))
}

/// It was not so.
pub(crate) async fn changed_back(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((id, one)): Path<(i64, i64)>,
) -> Result<Response, WebError> {
    state.store.take_back(id, one, &who.by("")).await?;
    Ok(back(id, "changed"))
}

#[derive(Deserialize)]
pub(crate) struct Air {
    #[serde(default)]
    at: String,
    temperature: String,
    humidity: String,
    pressure: String,
}

pub(crate) async fn air(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Air>,
) -> Result<Response, WebError> {
    let (t, h, p) = (
        celsius(&f.temperature).map_err(WebError::Bad)?,
        humidity(&f.humidity).map_err(WebError::Bad)?,
        hectopascal(&f.pressure).map_err(WebError::Bad)?,
    );
    let a = AirState::new(t, h / 100.0, p).map_err(|e| WebError::Bad(e.to_string()))?;
    change_day(&state.store, id, &DayChange::Air { at: time(&f.at)?, air: a }, |_| true, &who.by("")).await?;
    Ok(back(id, "air"))
}

#[derive(Deserialize)]
pub(crate) struct FuelForm {
    fuel: String,
    litres: String,
    #[serde(default)]
    note: String,
}

pub(crate) async fn fuel(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<FuelForm>,
) -> Result<Response, WebError> {
    let (name, litres) = (f.fuel.trim(), number("litres", &f.litres).map_err(WebError::Bad)?);
    if name.is_empty() || name.chars().count() > 120 || f.note.chars().count() > 200 {
        return Err(WebError::Bad(
            "name the fuel, in at most 120 characters, with a note of at most 200".into(),
        ));
    }
    if !(0.0..=100_000.0).contains(&litres) {
        return Err(WebError::Bad(format!("{litres} litres cannot be on hand")));
    }
    state.store.day(id).await?;
    state.store.put_fuel_on_hand(id, name, litres, f.note.trim()).await?;
    Ok(back(id, "fuel"))
}

#[derive(Deserialize)]
pub(crate) struct Mark {
    #[serde(default)]
    reason: String,
    #[serde(default)]
    valid: bool,
}

pub(crate) async fn mark(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Mark>,
) -> Result<Response, WebError> {
    let reason = f.reason.trim();
    if !f.valid && reason.is_empty() {
        return Err(WebError::Bad("a set is marked invalid only with a reason: say why".into()));
    }
    if reason.chars().count() > 500 {
        return Err(WebError::Bad("the reason is longer than 500 characters".into()));
    }
    let day = state.store.mark_set(id, (!f.valid).then_some(reason), &who.name).await?;
    Ok(back(day, &format!("set-{id}")))
}
