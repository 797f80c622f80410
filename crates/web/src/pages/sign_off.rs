//! What was driven before a map goes home: answered, signed.

use super::vehicles::Fields;
use super::{page, page_key, rests_on};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{sign_off_list, sign_off_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, Uri};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_store::answer as give;
use jamjar_workflow::sign_off::{ITEMS, complaint_of, driven, evidence_of, standing, words_of};
use serde::Deserialize;

/// Longest words beside an answer.
const LONGEST: usize = 500;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct Of {
    /// Map and fuel, with a dash between.
    of: String,
}

fn chosen(of: &str) -> (Option<i64>, Option<i64>) {
    let (map, fuel) = of.split_once('-').unwrap_or((of, ""));
    (map.parse().ok(), fuel.parse().ok())
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Of>,
    uri: Uri,
) -> Result<Response, WebError> {
    let made = || async {
        let d = driven(&state.store, state.store.vehicle(id).await?, chosen(&q.of)).await?;
        let e = evidence_of(&state.store, &d, &prefs.settings(None)).await?;
        let rests_on = rests_on(id, d.days.iter().map(|d| d.0));
        Ok(PageMade { body: page(&sign_off_page(&d, &e, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}

/// What a form gives of one thing: its answer where it has one, and the words beside it.
fn of_one(f: &Fields, id: &str, given: &mut Vec<(String, Option<String>)>) {
    match f.get(id).map(String::as_str) {
        Some(v @ ("yes" | "no" | "na")) => given.push((id.to_owned(), Some(v.to_owned()))),
        Some(_) => given.push((id.to_owned(), None)),
        None => {}
    }
    let words = words_of(id);
    if let Some(w) = f.get(&words) {
        let w: String = w.trim().chars().take(LONGEST).collect();
        given.push((words, Some(w).filter(|w| !w.is_empty())));
    }
}

pub(crate) async fn answer(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let number = |name: &str| f.get(name).and_then(|s| s.parse::<i64>().ok());
    let (Some(map), Some(fuel)) = (number("map"), number("fuel")) else {
        return Err(WebError::Bad("say of which map on which fuel".into()));
    };
    let vehicle = state.store.vehicle(id).await?;
    let mut now = driven(&state.store, vehicle, (Some(map), Some(fuel))).await?;
    if now.chosen.as_ref().is_none_or(|c| (c.map_id, c.fuel_id) != (map, fuel)) {
        return Err(WebError::NotFound("No set of this map on this fuel was pulled.".into()));
    }
    let mut given = Vec::new();
    ITEMS.iter().for_each(|i| of_one(&f, i.id, &mut given));
    now.complaints.iter().for_each(|c| of_one(&f, &complaint_of(&c.tag), &mut given));
    let mut answers = now.newest.as_ref().map(|s| s.answers.clone()).unwrap_or_default();
    give(&mut answers, &given);
    // Nobody signs what is not right.
    let sign = f.contains_key("sign") && standing(&answers, &now.complaints).0.is_empty();
    let pairs: Vec<(&str, Option<&str>)> = given.iter().map(|(k, v)| (k.as_str(), v.as_deref())).collect();
    let today = chrono::Local::now().date_naive();
    state.store.answer_sign_off(id, (map, fuel), &pairs, sign, (today, &who.by(""))).await?;
    if !headers.contains_key("hx-request") {
        return Ok(Redirect::to(&format!("/vehicles/{id}/sign-off?of={map}-{fuel}")).into_response());
    }
    now.reread(&state.store).await?;
    let list = sign_off_list(&now, &prefs);
    Ok(page(&list.ok_or_else(|| WebError::Internal("its sets are gone".into()))?)?.into_response())
}
