//! Finding pulls.

use super::page;
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{SEARCH_ROWS, search_page, search_refused};
use axum::extract::{Query, State};
use axum::response::Html;
use jamjar_core::correction::Correction;
use jamjar_core::find::{Reading, parse};
use jamjar_workflow::finder::Ask;
use serde::Deserialize;

/// Longest query that is read, characters.
const LONGEST: usize = 400;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    q: String,
    #[serde(default)]
    skip: usize,
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Html<String>, WebError> {
    let text: String = p.q.chars().take(LONGEST).collect();
    state.finder.refresh(&state.store, &state.fresh).await?;
    let own = state.finder.computed().await;
    let reading = Reading { today: chrono::Local::now().date_naive(), usual: prefs.units(), own: &own };
    let query = match parse(&text, &reading) {
        Ok(q) => q,
        Err(e) => return page(&search_refused(&text, &e, &prefs)),
    };
    // The diesel form needs more than the air and is not kept for searching.
    let family = if prefs.correction == Correction::Iso1585Ci { Correction::None } else { prefs.correction };
    let ask = Ask { query: query.clone(), family, skip: p.skip, limit: SEARCH_ROWS };
    let answer = state.finder.find(&state.store, ask).await?;
    let sets: Vec<i64> = answer.found.hits.iter().map(|h| h.place.set).collect();
    let files = state.store.files_of_sets(&sets).await?;
    page(&search_page(&text, &query, &answer, &files, family, p.skip, &prefs))
}
