//! Two revisions of a map cell by cell.

use super::page;
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::map_difference_page;
use axum::extract::{Path, Query, State};
use axum::response::Html;
use jamjar_workflow::map_difference::two_maps;
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct Against {
    other: Option<i64>,
    show: String,
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Against>,
) -> Result<Html<String>, WebError> {
    let t = two_maps(&state.store, id, q.other, &prefs.settings(None)).await?;
    page(&map_difference_page(&t, id, &q.show, &prefs))
}
