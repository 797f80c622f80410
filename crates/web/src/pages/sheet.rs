//! What a person writes on a day sheet: checks, air, fuel, notes, and sets marked invalid.

use super::days::day;
use super::vehicles::Fields;
use super::{page, this_minute};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{celsius, hectopascal, humidity, litres};
use crate::views::DayTyped;
use crate::way_back::way_back;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveTime;
use jamjar_core::air::AirState;
use jamjar_core::factors::USUAL;
use jamjar_store::{NewIntervention, NewNote};
use jamjar_workflow::remeasure::{DayChange, change_day};
use serde::Deserialize;

fn back(day: i64, anchor: &str) -> Response {
    Redirect::to(&format!("/days/{day}#{anchor}")).into_response()
}

/// A time of day as the browser sends it; now, to the minute, when blank.
fn time(s: &str) -> Result<NaiveTime, WebError> {
    if s.trim().is_empty() {
        return Ok(this_minute());
    }
    NaiveTime::parse_from_str(s.trim(), "%H:%M")
        .map_err(|_| WebError::Bad(format!("“{}” is not a time of day such as 14:30", s.trim())))
}

/// A form of the day sheet that cannot be, shown again on the sheet as it was typed.
async fn answer(
    state: &AppState,
    prefs: &Prefs,
    (id, form): (i64, &'static str),
    f: Fields,
    done: Result<(), WebError>,
) -> Result<Response, WebError> {
    match done {
        Ok(()) => Ok(back(id, form)),
        Err(WebError::Bad(problem)) => {
            let mut p = day(state, prefs, id).await?;
            p.typed = DayTyped { form, fields: f, problem };
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response())
        }
        Err(e) => Err(e),
    }
}

fn get<'f>(f: &'f Fields, name: &str) -> &'f str {
    f.get(name).map_or("", |s| s.trim())
}

pub(crate) async fn note(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let done = async {
        let (text, tag) = (get(&f, "text"), get(&f, "tag"));
        if text.is_empty() {
            return Err(WebError::Bad("the note is empty".into()));
        }
        if text.chars().count() > 10_000 || tag.chars().count() > 40 {
            return Err(WebError::Bad("a note has at most 10,000 characters and its tag 40".into()));
        }
        let at = time(get(&f, "at"))?;
        state.store.day(id).await?;
        let note = NewNote {
            at: Some(at),
            tag: tag.into(),
            text: text.into(),
            by: who.name.clone(),
            ..NewNote::default()
        };
        Ok(state.store.add_note(id, &note).await?)
    }
    .await;
    answer(&state, &prefs, (id, "notes"), f, done).await
}

/// What a form says was changed on the vehicle.
fn change_of(f: &Fields) -> Result<NewIntervention, WebError> {
    let said = |what: &str, name: &str, most: usize| match get(f, name) {
        "" => Err(WebError::Bad(format!("say {what}"))),
        t if t.chars().count() > most => {
            Err(WebError::Bad(format!("{what} is longer than {most} characters")))
        }
        t => Ok(t.to_owned()),
    };
    let new = NewIntervention {
        at: Some(time(get(f, "at"))?),
        what: said("what was changed", "what", 60)?,
        from: said("what it was before", "from", 120)?,
        to: said("what it is now", "to", 120)?,
    };
    // What a set says itself, no change on the vehicle stands for.
    if USUAL.contains(&new.what.to_lowercase().as_str()) {
        let text = format!("the {} of a set is put right on the set, not on the vehicle", new.what);
        return Err(WebError::Bad(text));
    }
    Ok(new)
}

/// Something was changed on the vehicle.
pub(crate) async fn changed(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let done = async {
        let new = change_of(&f)?;
        state.store.day(id).await?;
        Ok(state.store.intervene(id, &new, &who.by("")).await.map(drop)?)
    }
    .await;
    answer(&state, &prefs, (id, "changed"), f, done).await
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

pub(crate) async fn air(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let done = async {
        let (t, h, p) = (
            celsius(get(&f, "temperature")).map_err(WebError::Bad)?,
            humidity(get(&f, "humidity")).map_err(WebError::Bad)?,
            hectopascal(get(&f, "pressure")).map_err(WebError::Bad)?,
        );
        let air = AirState::new(t, h / 100.0, p).map_err(|e| WebError::Bad(e.to_string()))?;
        let change = DayChange::Air { at: time(get(&f, "at"))?, air };
        Ok(change_day(&state.store, id, &change, |_| true, &who.by("")).await?)
    }
    .await;
    // The page of the cell's day has the same form.
    match way_back(&headers).filter(|b| b.starts_with("/cells/") && done.is_ok()) {
        Some(cell) => Ok(Redirect::to(&cell).into_response()),
        None => answer(&state, &prefs, (id, "air"), f, done).await,
    }
}

pub(crate) async fn fuel(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let done = async {
        let litres = litres(get(&f, "litres"), prefs.volume).map_err(WebError::Bad)?;
        let (name, note) = (get(&f, "fuel"), get(&f, "note"));
        if name.is_empty() || name.chars().count() > 120 || note.chars().count() > 200 {
            return Err(WebError::Bad(
                "name the fuel, in at most 120 characters, with a note of at most 200".into(),
            ));
        }
        if !(0.0..=100_000.0).contains(&litres) {
            return Err(WebError::Bad(format!("{litres:.0} L cannot be on hand")));
        }
        state.store.day(id).await?;
        Ok(state.store.put_fuel_on_hand(id, name, litres, note).await?)
    }
    .await;
    answer(&state, &prefs, (id, "fuel"), f, done).await
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
