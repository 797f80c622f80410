//! The Shelf of a vehicle.

use super::margins::FIGURES;
use super::{encoding, page, page_key, rests_on};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::shelf_page;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Response};
use jamjar_workflow::shelf::{Asked, shelf};
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct ShelfOf {
    rows: String,
    columns: String,
    jars: String,
    build: String,
    gear: String,
    /// Figure on the labels.
    by: String,
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<ShelfOf>,
    uri: Uri,
) -> Result<Response, WebError> {
    let asked = Asked {
        rows: q.rows,
        columns: q.columns,
        jars: q.jars,
        build: q.build,
        gear: q.gear,
        figure: FIGURES.into_iter().find(|f| f.id() == q.by),
    };
    let [rows, columns, jars] = asked.axes();
    if rows == columns || rows == jars || columns == jars {
        return Err(WebError::Bad("shelves, columns and jars are three different factors".into()));
    }
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let s = shelf(&state.store, &vehicle, &asked, &prefs.settings(None)).await?;
        let e = encoding(&state, id).await?;
        let rests_on = rests_on(id, s.days.iter().copied());
        Ok(PageMade { body: page(&shelf_page(&s, &asked, &e, &prefs))?.0, rests_on, lasts: true })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
