//! Search over sets.

use super::page;
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{SearchPage, Shell, hit_rows};
use axum::extract::{Query, State};
use axum::response::Html;
use serde::Deserialize;

const MOST: i64 = 100;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    q: String,
}

pub(crate) async fn show(_: Reader, prefs: Prefs, State(state): State<AppState>, Query(p): Query<Params>) -> Result<Html<String>, WebError> {
    let rows = hit_rows(state.store.search(&p.q, MOST).await?, prefs.power);
    let headline = match (rows.len(), p.q.trim()) {
        (0, q) => format!("Nothing found for “{q}”."),
        (n, "") => format!("The newest {n} sets."),
        (1, q) => format!("One set matches “{q}”."),
        (n, q) => format!("{n} sets match “{q}”."),
    };
    let mut shell = Shell::new("Search", &prefs.theme, "search");
    shell.query = p.q;
    page(&SearchPage { shell, headline, rows })
}
