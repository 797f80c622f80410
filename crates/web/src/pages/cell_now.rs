//! The cell's own view: it follows what lands.

use super::page;
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{CellNowPage, Shell, newest, next_words, plan_rows, runs_words};
use axum::extract::{Path, State};
use axum::response::Html;
use jamjar_core::analysis::Settings;
use jamjar_workflow::moment::moment;
use std::sync::PoisonError;

/// The cell with the newest pull of the day that runs in it.
pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let store = &state.store;
    let cell = store.cell(id).await?;
    let news =
        state.folders.lock().unwrap_or_else(PoisonError::into_inner).get(&id).cloned().unwrap_or_default();
    let mut out = CellNowPage {
        shell: Shell::new(format!("{}, now", cell.name), &prefs.theme, "cell"),
        cell_id: id,
        cell: cell.name,
        day_id: store.day_now(id).await?,
        vehicle: String::new(),
        newest: None,
        runs: String::new(),
        next: String::new(),
        folder: cell.folder,
        news,
    };
    if let Some(day_id) = out.day_id {
        let day = store.day(day_id).await?;
        let settings: Settings = prefs.settings(None);
        let made = moment(store, day_id, &settings).await?;
        let run: Vec<_> = store.sets_of_day(day_id).await?.iter().map(|s| s.set.config.factors()).collect();
        out.vehicle = day.vehicle;
        out.newest = made.map(|m| newest(&m, &prefs));
        out.runs = runs_words(store.running(day_id).await?.as_ref());
        out.next = next_words(&plan_rows(&store.planned(day.vehicle_id).await?, &run));
    }
    page(&out)
}
