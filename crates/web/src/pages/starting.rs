//! Starting points for limits, shown on the stock baseline before they are kept.

use super::limit_form::threshold;
use super::page;
use super::vehicles::{back, figures_follow};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::seen::mark;
use crate::state::AppState;
use crate::views::{StartingPage, starting_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use jamjar_core::limits::{Limit, Threshold};
use jamjar_core::words::limit_short;
use jamjar_store::VehicleRecord;
use jamjar_workflow::limits::templates;
use jamjar_workflow::sets::stock_under;
use serde::Deserialize;
use std::collections::HashMap;

#[derive(Deserialize)]
pub(crate) struct From {
    /// Id of a template; blank for the vehicle's own starting points.
    #[serde(default)]
    from: String,
}

/// The limits to be looked at and what they are called: what a template has and the vehicle has not, or what the
/// vehicle has and nobody has looked at.
fn offered(v: &VehicleRecord, from: &str) -> Result<(String, Vec<Limit>), WebError> {
    if from.is_empty() {
        let own = v.limits.iter().filter(|l| l.starting_point).cloned().collect();
        return Ok((format!("The limits {} started with", v.vehicle.name), own));
    }
    let all = templates();
    let t = all
        .into_iter()
        .find(|t| t.id == from)
        .ok_or_else(|| WebError::Bad("there is no template of that name".into()))?;
    let missing = |l: &Limit| v.limits.iter().all(|h| h.id != l.id && h.channel != l.channel);
    Ok((format!("Starting points: {}", t.label), t.limits.into_iter().filter(missing).collect()))
}

async fn built(
    state: &AppState,
    prefs: &Prefs,
    v: &VehicleRecord,
    from: &str,
    title: &str,
    limits: &[Limit],
) -> Result<StartingPage, WebError> {
    let stock = stock_under(&state.store, v, limits).await?;
    Ok(starting_page(v, prefs, (from, title), limits, stock.as_ref()))
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<From>,
) -> Result<Html<String>, WebError> {
    let vehicle = state.store.vehicle(id).await?;
    let (title, limits) = offered(&vehicle, &q.from)?;
    page(&built(&state, &prefs, &vehicle, &q.from, &title, &limits).await?)
}

/// Keeps the ticked ones with their thresholds as typed; nothing else the vehicle has is changed.
pub(crate) async fn keep(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(pairs): Form<Vec<(String, String)>>,
) -> Result<Response, WebError> {
    let ticked: Vec<&str> = pairs.iter().filter(|p| p.0 == "keep").map(|p| p.1.as_str()).collect();
    let f: HashMap<&str, &str> = pairs.iter().map(|p| (p.0.as_str(), p.1.trim())).collect();
    let get = |name: &str| f.get(name).copied().unwrap_or_default();
    let (from, looked) = (get("from"), get("looked") == "yes");
    let vehicle = state.store.vehicle(id).await?;
    let (title, limits) = offered(&vehicle, from)?;
    let (mut put, mut wrong) = (Vec::new(), Vec::new());
    for l in limits.iter().filter(|l| ticked.contains(&l.id.as_str())) {
        let seen = get(&format!("seen.{}", l.id));
        if !seen.is_empty() && seen != mark(l) {
            return Err(WebError::Changed { what: format!("the limit “{}”", l.id), now: limit_short(l) });
        }
        let typed = get(&format!("at.{}", l.id));
        let over = match &l.threshold {
            Threshold::Curve { over, .. } => over.to_string(),
            Threshold::Constant(_) => String::new(),
        };
        let read = threshold(&l.channel, typed, &over, &l.channel.label()).and_then(|threshold| {
            let by = Some(who.name.clone());
            let edited = Limit { threshold, starting_point: !looked, by, ..l.clone() };
            edited.validate().map_err(|e| e.to_string()).map(|()| edited)
        });
        match read {
            Ok(l) => put.push(l),
            Err(e) => wrong.push((l.id.clone(), typed.to_owned(), e)),
        }
    }
    // A limit that is ticked off stays what it was: a starting point of the vehicle, or nothing of it.
    if let Some((_, _, first)) = wrong.first() {
        let mut p = built(&state, &prefs, &vehicle, from, &title, &limits).await?;
        p.problem = format!("Nothing was kept: {first}.");
        for r in &mut p.rows {
            r.threshold = get(&format!("at.{}", r.id)).to_owned();
            r.problem = wrong.iter().find(|w| w.0 == r.id).map(|w| w.2.clone()).unwrap_or_default();
        }
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response());
    }
    state.store.change_limits(id, Some(vehicle.version), &put, &[], &who.by("looked at on stock")).await?;
    figures_follow(&state, id);
    Ok(back(id, "limits"))
}
