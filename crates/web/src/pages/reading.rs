//! The page of one pull, and what a person decides there.

use super::pulls::Note;
use super::{encoding, page, page_key};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{Asked, FigureAsked, decimal, evidence_view, pull_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::header::{COOKIE, SET_COOKIE};
use axum::http::{HeaderMap, Uri};
use axum::response::{AppendHeaders, Html, IntoResponse, Redirect, Response};
use jamjar_core::figures::Looks;
use jamjar_store::Thing;
use jamjar_workflow::evidence::evidence;
use jamjar_workflow::reading::read_pull;
use jamjar_workflow::remeasure::{DayChange, change_day};
use serde::Deserialize;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    axis: String,
    lanes: Option<String>,
    #[serde(default)]
    from: String,
    #[serde(default)]
    to: String,
    #[serde(default)]
    figure: String,
    #[serde(default)]
    read: String,
    #[serde(default)]
    back: String,
}

/// What the names of cookies with chosen lanes begin with.
const LANES: &str = "jj_lanes_";

fn lane_cookies(headers: &HeaderMap) -> impl Iterator<Item = &str> {
    let cookies = headers.get_all(COOKIE).iter().filter_map(|v| v.to_str().ok()).flat_map(|c| c.split(';'));
    cookies.map(str::trim).filter(|c| c.starts_with(LANES))
}

/// Lanes last chosen for a vehicle.
fn kept_lanes(headers: &HeaderMap, vehicle_id: i64) -> String {
    let name = format!("{LANES}{vehicle_id}=");
    lane_cookies(headers).find_map(|c| c.strip_prefix(name.as_str())).unwrap_or_default().replace('.', ",")
}

fn zoom(p: &Params) -> Result<Option<[f64; 2]>, WebError> {
    if p.from.trim().is_empty() && p.to.trim().is_empty() {
        return Ok(None);
    }
    match (decimal(&p.from), decimal(&p.to)) {
        (Some(a), Some(b)) if b > a && a.abs() < 1e6 && b.abs() < 1e6 => Ok(Some([a, b])),
        _ => Err(WebError::Bad(format!(
            "“{}” to “{}” is no stretch of the axis: give two numbers, the lower first",
            p.from, p.to
        ))),
    }
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(p): Query<Params>,
    headers: HeaderMap,
    uri: Uri,
) -> Result<Response, WebError> {
    let zoom = zoom(&p)?;
    let settings = prefs.settings(None);
    let lanes_kept: Vec<&str> = lane_cookies(&headers).collect();
    let page_key = format!("{} {lanes_kept:?}", page_key(&uri, &prefs));
    let (since, known) = state.known_page(&page_key).await?;
    // A choice of lanes is kept by the browser: that answer is made anew.
    if let Some(known) = known.filter(|_| p.lanes.is_none()) {
        return Ok((AppendHeaders([(SET_COOKIE, prefs.cookie())]), Html(known)).into_response());
    }
    let key = (id, format!("{settings:?}"));
    let kept = match state.readings.get(&key, &state.fresh) {
        Some(kept) => kept,
        None => {
            let r = read_pull(&state.store, id, &settings).await?;
            let e = encoding(&state, r.vehicle.id).await?;
            let (rests_on, weight) =
                (vec![Thing::Figures(r.day.id), Thing::Vehicle(r.vehicle.id), Thing::Names], r.weight());
            state.readings.put(key, (r, e), rests_on, since, weight)
        }
    };
    let (r, e) = &*kept;
    let lanes = p.lanes.clone().unwrap_or_else(|| kept_lanes(&headers, r.vehicle.id));
    let looks = Looks { driven: r.vehicle.sheet.driven, ..Looks::default() };
    let evidence = match FigureAsked::new(&p.figure, &p.read, &p.back, looks) {
        Some(asked) => Some(evidence_view(
            &asked,
            &evidence(&state.store, r, asked.figure, &asked.looks, &settings).await?,
            id,
            &prefs,
        )),
        None => None,
    };
    let note = state.store.note_of_pull(id).await?;
    let view = pull_page(r, e, &prefs, Asked { axis: p.axis, zoom, lanes, evidence, note });
    let body = page(&view)?.0;
    let rests_on = vec![Thing::Day(r.day.id), Thing::Vehicle(r.vehicle.id), Thing::Names];
    let mut cookies = vec![(SET_COOKIE, prefs.cookie())];
    if p.lanes.is_some() {
        let kept: Vec<String> =
            view.form.iter().filter(|f| f.0 == "lanes").map(|f| f.1.replace(',', ".")).collect();
        cookies.push((
            SET_COOKIE,
            format!(
                "{LANES}{}={}; Path=/pulls; Max-Age=31536000; SameSite=Strict; HttpOnly",
                r.vehicle.id,
                kept.concat()
            ),
        ));
    }
    Ok((AppendHeaders(cookies), Html(state.keep_page(page_key, body, rests_on, since))).into_response())
}

#[derive(Deserialize)]
pub(crate) struct Lag {
    #[serde(default)]
    lag: String,
}

/// Anchors the clocks by hand, or leaves them to be found when blank.
pub(crate) async fn lag(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Lag>,
) -> Result<Redirect, WebError> {
    let lag = if f.lag.trim().is_empty() {
        None
    } else {
        Some(decimal(&f.lag).filter(|v| v.abs() < 1e7).ok_or_else(|| {
            WebError::Bad(format!("“{}” is not a lag in seconds, such as -12.35", f.lag.trim()))
        })?)
    };
    let set = state.store.set(state.store.set_of_pull(id).await?).await?;
    change_day(&state.store, set.day_id, &DayChange::Lag { pull_id: id, lag_s: lag }, |_| true).await?;
    Ok(Redirect::to(&format!("/pulls/{id}#clocks")))
}

pub(crate) async fn note(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Note>,
) -> Result<Redirect, WebError> {
    state.store.note_pull(id, f.text()?, f.was()).await?;
    Ok(Redirect::to(&format!("/pulls/{id}#note")))
}
