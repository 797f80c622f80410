//! The boost ladder of a map on a fuel.

use super::vehicles::Fields;
use super::{encoding, page, page_key, rests_on};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::typed::{blank_or, number};
use crate::views::{ladder_id, ladder_page, query_of, read_ladder_id};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_store::{LadderWord, Thing};
use jamjar_workflow::ladder::{LadderOf, beside, ladder};
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct Which {
    /// Which ladder: what its rungs are of, and what they share.
    of: String,
    /// Another to stand beside it.
    beside: String,
    /// Where the next rung would stand, in the unit of its rungs.
    next: String,
    /// A peak that is wanted, in the unit read in.
    wanted: String,
}

/// A ladder out of an address.
fn ladder_of(text: &str) -> Result<Option<LadderOf>, WebError> {
    if text.is_empty() {
        return Ok(None);
    }
    let read = read_ladder_id(text);
    read.map(Some).map_err(|_| {
        WebError::Bad("the address names no ladder: choose one from the page of its vehicle".into())
    })
}

/// A person stops a ladder on purpose, or goes on against its forecast: with a reason.
pub(crate) async fn say(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let get = |name: &str| f.get(name).map_or("", |s| s.trim());
    let of = ladder_of(get("of"))?.ok_or_else(|| WebError::Bad("say which ladder is meant".into()))?;
    let (kind, at, reason) = (get("kind"), get("at"), get("reason"));
    if !["stop", "override"].contains(&kind) || at.is_empty() || at.chars().count() > 120 {
        return Err(WebError::Bad("say whether the ladder stops or goes on, and at which rung".into()));
    }
    if reason.is_empty() || reason.chars().count() > 500 {
        let text = if kind == "stop" { "a ladder is stopped" } else { "a forecast is overridden" };
        return Err(WebError::Bad(format!("{text} with a reason, of at most 500 characters: say why")));
    }
    state.store.vehicle(id).await?;
    let word = LadderWord {
        kind: kind.into(),
        map: of.said("map").into(),
        fuel: of.said("fuel").into(),
        build: of.said("build").into(),
        gear: of.said("gear").into(),
        rungs: of.rungs.clone(),
        at_rung: at.into(),
        reason: reason.into(),
        forecast: get("forecast").chars().take(1000).collect(),
        written_by: who.name,
        ..LadderWord::now()
    };
    state.store.say_of_ladder(id, &word).await?;
    let query = query_of(&[("of", ladder_id(&of)), ("next", get("next").to_owned())]);
    Ok(Redirect::to(&format!("/vehicles/{id}/ladder?{query}")))
}

/// It holds no more.
pub(crate) async fn unsay(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((id, one)): Path<(i64, i64)>,
) -> Result<Redirect, WebError> {
    state.store.unsay_of_ladder(id, one, &who.by("")).await?;
    Ok(Redirect::to(&format!("/vehicles/{id}/ladder")))
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Which>,
    uri: Uri,
) -> Result<Response, WebError> {
    let (of, other) = (ladder_of(&q.of)?, ladder_of(&q.beside)?);
    let next = blank_or(&q.next, |s| number("next rung", s)).map_err(WebError::Bad)?;
    if next.is_some_and(|n| !(0.0..1e6).contains(&n)) {
        return Err(WebError::Bad("the next rung is a number from 0 up, in the unit of the rungs".into()));
    }
    let wanted = blank_or(&q.wanted, |s| number("power wanted", s)).map_err(WebError::Bad)?;
    if wanted.is_some_and(|w| !(0.1..1e5).contains(&w)) {
        return Err(WebError::Bad("the power wanted cannot be".into()));
    }
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let settings = prefs.settings(None);
        let l = ladder(&state.store, &vehicle, of.as_ref(), next, &settings).await?;
        let other = match &other {
            Some(o) => beside(&state.store, &l, o, &settings).await?,
            None => None,
        };
        let e = encoding(&state, id).await?;
        let days = l.days.iter().chain(other.iter().flat_map(|o| &o.days));
        let mut rests_on = rests_on(id, days.copied());
        let habit = l.line_up.iter().flat_map(|all| all.habit_days.iter());
        rests_on.extend(habit.map(|d| Thing::Figures(*d)));
        Ok(PageMade {
            body: page(&ladder_page(&l, other.as_ref(), wanted, &e, &prefs))?.0,
            rests_on,
            // The habit behind a comparison of two ladders may be of days that are not named here.
            lasts: other.is_none(),
        })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
