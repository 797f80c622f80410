//! Kept line-ups, and what is planned.

use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Redirect;
use jamjar_core::factors::Factors;
use serde::Deserialize;

/// Pulls a planned set has (our choice: three is the least that shows a scatter worth its name).
const PULLS: i32 = 3;

#[derive(Deserialize)]
pub(crate) struct Keep {
    vehicle_id: i64,
    name: String,
    query: String,
}

/// Keeps a line-up under a name.
pub(crate) async fn keep(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Keep>,
) -> Result<Redirect, WebError> {
    let name = f.name.trim();
    if name.is_empty() || name.chars().count() > 120 {
        return Err(WebError::Bad("give the line-up a name of at most 120 characters".into()));
    }
    if f.query.len() > 1000 || !f.query.starts_with("sets=") {
        return Err(WebError::Bad("this line-up cannot be kept: its address is not one of a line-up".into()));
    }
    state.store.keep_line_up(f.vehicle_id, name, &f.query, &who.name).await?;
    Ok(Redirect::to(&format!("/vehicles/{}#line-ups", f.vehicle_id)))
}

/// Forgets a kept line-up; the sets stay.
pub(crate) async fn forget(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Redirect, WebError> {
    let vehicle = state.store.forget_line_up(id).await?;
    Ok(Redirect::to(&format!("/vehicles/{vehicle}#line-ups")))
}

#[derive(Deserialize)]
pub(crate) struct Plan {
    vehicle_id: i64,
    factors: String,
    #[serde(default)]
    why: String,
    /// Day sheet to go back to.
    day: Option<i64>,
}

/// Plans a set.
pub(crate) async fn plan(
    _: Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Plan>,
) -> Result<Redirect, WebError> {
    let factors: Factors = serde_json::from_str(&f.factors)
        .map_err(|e| WebError::Bad(format!("what to pull cannot be read: {e}")))?;
    if factors.is_empty() {
        return Err(WebError::Bad("say what to pull: at least a map and a fuel".into()));
    }
    let why: String = f.why.trim().chars().take(500).collect();
    state.store.plan(f.vehicle_id, &factors, PULLS, &why).await?;
    let back =
        f.day.map_or_else(|| format!("/vehicles/{}#plan", f.vehicle_id), |d| format!("/days/{d}#plan"));
    Ok(Redirect::to(&back))
}

/// Takes a planned set off the plan.
pub(crate) async fn unplan(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Redirect, WebError> {
    let vehicle = state.store.unplan(id).await?;
    Ok(Redirect::to(&format!("/vehicles/{vehicle}#plan")))
}
