//! Settings: the demo, and what this program is.

use super::page;
use super::right::put_away;
use crate::auth::Calibrator;
use crate::cookies::keeping;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{RunFragment, SettingsPage, Shell, families, run_fragment, source_rows};
use axum::Form;
use axum::extract::{Query, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_core::analysis::Usual;
use jamjar_core::correction::Correction;
use jamjar_store::RunState;
use serde::Deserialize;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    kept: String,
}

/// The last loading of the demo, unless it is done.
pub(super) async fn demo_run(state: &AppState) -> Result<Option<RunFragment>, WebError> {
    let latest = state.store.latest_run(jamjar_workflow::demo::RUN).await?;
    Ok(latest.filter(|r| r.state != RunState::Done).map(|r| run_fragment(&r)))
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Html<String>, WebError> {
    let run = demo_run(&state).await?;
    let usual = state.store.usual_corrections().await?;
    page(&SettingsPage {
        spark: families(usual.spark),
        diesel: families(usual.diesel),
        shell: Shell::new("Settings", &prefs.theme, "settings"),
        demo: state.store.has_demo().await?,
        run,
        kept: p.kept.chars().take(300).collect(),
        person: who.name,
        cells: state.store.cells().await?,
        fuels: state.store.fuels().await?,
        archived: put_away(&state.store.archived_vehicles().await?),
        sources: source_rows(&state.store.remembered_sources().await?),
        version: env!("CARGO_PKG_VERSION"),
        algorithm: jamjar_core::ALGORITHM_VERSION,
    })
}

#[derive(Deserialize)]
pub(crate) struct Forgotten {
    source: String,
}

/// Forgets what was said of the columns of a source.
pub(crate) async fn forget(
    _: Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Forgotten>,
) -> Result<Redirect, WebError> {
    state.store.forget_source(&f.source).await?;
    Ok(Redirect::to("/settings#sources"))
}

/// Takes the demo away; days of the user's own, and the vehicles they stand on, stay.
async fn take_away(state: &AppState) -> Result<String, WebError> {
    if let Some(run) =
        state.store.latest_run(jamjar_workflow::demo::RUN).await?.filter(|r| r.state == RunState::Running)
    {
        return Err(WebError::Conflict(format!(
            "the demo is being loaded just now ({} of {}): cancel that first, or wait",
            run.done, run.total
        )));
    }
    Ok(state.store.remove_demo().await?.join(", "))
}

pub(crate) async fn remove(_: Calibrator, State(state): State<AppState>) -> Result<Response, WebError> {
    let kept = take_away(&state).await?;
    let query: String = kept
        .bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect();
    Ok(Redirect::to(&format!("/settings?kept={query}")).into_response())
}

pub(crate) async fn reset(_: Calibrator, State(state): State<AppState>) -> Result<Response, WebError> {
    take_away(&state).await?;
    super::imports::start_demo(&state).await?;
    Ok(Redirect::to("/settings").into_response())
}

#[derive(Deserialize)]
pub(crate) struct UsualForm {
    spark: String,
    diesel: String,
}

/// The families in which the shop's figures are shown, and this browser follows them again.
pub(crate) async fn usual(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Form(f): Form<UsualForm>,
) -> Result<Response, WebError> {
    let family = |id: &str| {
        Correction::from_id(id)
            .ok_or_else(|| WebError::Bad(format!("“{id}” is no correction family we know")))
    };
    let usual = Usual { spark: family(&f.spark)?, diesel: family(&f.diesel)? };
    state.store.set_usual_corrections(usual).await?;
    Ok((keeping([prefs.following(usual).cookie()]), Redirect::to("/settings#correction")).into_response())
}
