//! Erasing a vehicle: an archive is offered first, and what came back is said.

use super::page;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{ErasePage, Shell, count, size_words};
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use serde::Deserialize;

async fn asked(state: &AppState, prefs: &Prefs, id: i64) -> Result<ErasePage, WebError> {
    let vehicle = state.store.vehicle(id).await?;
    let (sets, pulls) = state.store.vehicle_counts(id).await?;
    Ok(ErasePage {
        shell: Shell::new(format!("Erase {}", vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id,
        vehicle: vehicle.vehicle.name,
        holds: format!("{} with {}", count(sets as usize, "set"), count(pulls as usize, "pull")),
        done: String::new(),
        problem: String::new(),
    })
}

pub(crate) async fn ask(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    page(&asked(&state, &prefs, id).await?)
}

#[derive(Deserialize)]
pub(crate) struct EraseForm {
    #[serde(default)]
    name: String,
    #[serde(default)]
    archive: String,
}

pub(crate) async fn erase(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<EraseForm>,
) -> Result<Response, WebError> {
    let mut p = asked(&state, &prefs, id).await?;
    let problem = if f.name.trim() != p.vehicle {
        "type the vehicle's name as it stands here"
    } else if f.archive != "settled" {
        "say that its archive was taken out, or is not wanted"
    } else {
        ""
    };
    if !problem.is_empty() {
        p.problem = format!("Nothing was erased: {problem}.");
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response());
    }
    let gone = state.store.erase_vehicle(id).await?;
    tracing::info!(vehicle = %gone.vehicle, pulls = gone.pulls, bytes = gone.bytes, "erased");
    p.done = format!(
        "{} is erased: {} and {} are gone, {} came back. Files that other vehicles stand on are still there.",
        gone.vehicle,
        count(gone.pulls, "pull"),
        count(gone.files, "file"),
        size_words(gone.bytes)
    );
    Ok(page(&p)?.into_response())
}
