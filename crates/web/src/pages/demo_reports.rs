//! The demo's two reports: one that went out too soon, and the one in its place.

use super::lineup::Params;
use super::report_made::{Said, make};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use axum::extract::Query;
use axum::http::Uri;
use jamjar_store::By;
use jamjar_workflow::{WorkflowError, demo};

/// The vehicle they are about.
const VEHICLE: &str = "Tolvern T3";
/// The shop the demo is set in.
const SHOP: &str = "Saltgrass Calibration";
/// Sets of its first day that stand on the first of them.
const SETS: usize = 4;

/// Starts loading the demo in the background when it is not there, its reports too; says whether it does.
///
/// # Errors
/// [`WorkflowError`] when the store cannot answer.
pub async fn start_demo(state: &AppState) -> Result<bool, WorkflowError> {
    let Some(run) = demo::begin(&state.store).await? else { return Ok(false) };
    let state = state.clone();
    tokio::spawn(async move {
        if let Err(e) = demo::load(&state.store, run).await {
            tracing::error!(%e, "the demo could not be loaded");
        } else if let Err(e) = issue_demo_reports(&state).await {
            tracing::error!(e, "the demo's reports could not be issued");
        }
    });
    Ok(true)
}

/// Issues the demo's reports where the demo is there and they are not.
///
/// # Errors
/// A sentence when the store cannot answer or they cannot be made.
pub async fn issue_demo_reports(state: &AppState) -> Result<(), String> {
    issue(state).await.map_err(|e| format!("{e:?}"))
}

async fn issue(state: &AppState) -> Result<(), WebError> {
    let all = state.store.vehicles().await?;
    let Some(v) = all.iter().find(|v| v.demo && v.vehicle.name == VEHICLE) else { return Ok(()) };
    if !state.store.reports(Some(v.id)).await?.is_empty() {
        return Ok(());
    }
    let Some(day) = state.store.days_of_vehicle(v.id, 100).await?.pop() else { return Ok(()) };
    let sets = state.store.sets_of_day(day.id).await?;
    let ids: Vec<String> = sets.iter().take(SETS).map(|s| s.set.id.to_string()).collect();
    let prefs = Prefs::of_shop(state.store.ways().await?);
    let by = By::new("the calibrator", "");
    let of = async |ids: &[String], said: Said<'_>| {
        let query = format!("sets={}", ids.join(","));
        let uri: Uri = format!("/reports?{query}").parse().map_err(|e| WebError::Internal(format!("{e}")))?;
        let p = Query::<Params>::try_from_uri(&uri).map_err(|e| WebError::Internal(e.to_string()))?.0;
        make(state, &prefs, (&p, &query), &said, &by).await
    };
    let customer = "the owner of the hill-climb saloon";
    let first = of(&ids, Said { customer, shop: SHOP, ..Said::default() }).await?;
    let number = state.store.report(first).await?.0.number;
    let why = "one of its sets had not been asked for, and the pull on pump fuel alone is what is driven";
    let said = Said {
        customer,
        supersedes: &number,
        why,
        remarks: "Straps and guards checked between sets.",
        shop: SHOP,
    };
    of(&ids[..ids.len().min(3)], said).await?;
    Ok(())
}
