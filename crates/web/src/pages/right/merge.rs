//! Maps and fuels that are stored under two names, made one.

use super::why;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use axum::Form;
use axum::extract::State;
use axum::response::Redirect;
use serde::Deserialize;

#[derive(Deserialize)]
pub(crate) struct Two {
    from: i64,
    into: i64,
    #[serde(default)]
    why: String,
}

pub(crate) async fn maps(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Two>,
) -> Result<Redirect, WebError> {
    let vehicle = state.store.merge_maps(f.from, f.into, &who.by(why(&f.why)?)).await?;
    Ok(Redirect::to(&format!("/vehicles/{vehicle}#maps")))
}

pub(crate) async fn fuels(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Two>,
) -> Result<Redirect, WebError> {
    state.store.merge_fuels(f.from, f.into, &who.by(why(&f.why)?)).await?;
    Ok(Redirect::to("/settings#fuels"))
}
