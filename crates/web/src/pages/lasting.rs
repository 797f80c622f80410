//! Addresses that are kept outside: they survive renaming, merging and reading an archive back.

use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_store::{StoreError, Subject};
use serde::Deserialize;

pub(crate) async fn go(
    _: Reader,
    State(state): State<AppState>,
    Path(uid): Path<String>,
) -> Result<Response, WebError> {
    let of = state.store.by_lasting_id(&uid).await?;
    let to = match of {
        Some(Subject::Vehicle(id)) => format!("/vehicles/{id}"),
        Some(Subject::Day(id)) => format!("/days/{id}"),
        Some(Subject::Set(id)) => format!("/days/{}#set-{id}", state.store.set(id).await?.day_id),
        Some(Subject::Pull(id)) => format!("/pulls/{id}"),
        Some(Subject::Map(id)) => format!("/vehicles/{}#maps", state.store.vehicle_of_map(id).await?),
        Some(Subject::Fuel(_)) => "/settings#fuels".to_owned(),
        Some(Subject::Cell(id)) => format!("/cells/{id}"),
        None => return Err(WebError::NotFound("nothing here has this lasting address".into())),
    };
    Ok(Redirect::to(&to).into_response())
}

#[derive(Deserialize)]
pub(crate) struct Lend {
    map: i64,
}

/// A map made for another vehicle serves this one too.
pub(crate) async fn lend(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Lend>,
) -> Result<Response, WebError> {
    match state.store.lend_map(f.map, id, &who.by("")).await {
        Err(StoreError::Duplicate) => Err(WebError::Bad(
            "this vehicle has a map of that name already: rename one of the two first".into(),
        )),
        other => {
            other?;
            Ok(Redirect::to(&format!("/vehicles/{id}#maps")).into_response())
        }
    }
}
