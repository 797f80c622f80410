//! The cell's own view: it follows what lands.

use super::{page, page_key};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{CellNowPage, Shell, newest, next_words, plan_rows, runs_words};
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::Uri;
use axum::response::Html;
use jamjar_store::Thing;
use jamjar_workflow::moment::moment;
use std::sync::PoisonError;

/// The cell with the newest pull of the day that runs in it. It is asked for every second: what was made is kept
/// as long as the day, the cell and what its folder says stay as they are.
pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    uri: Uri,
) -> Result<Html<Bytes>, WebError> {
    let store = &state.store;
    let (cell, day_id) = (store.cell(id).await?, store.day_now(id).await?);
    let news =
        state.folders.lock().unwrap_or_else(PoisonError::into_inner).get(&id).cloned().unwrap_or_default();
    let key = format!("{} {cell:?} {day_id:?} {news:?}", page_key(&uri, &prefs));
    let made = || async {
        let mut out = CellNowPage {
            shell: Shell::new(format!("{}, now", cell.name), &prefs.theme, "cell"),
            cell_id: id,
            cell: cell.name.clone(),
            day_id,
            vehicle: String::new(),
            newest: None,
            runs: String::new(),
            next: String::new(),
            folder: cell.folder.clone(),
            news: news.clone(),
        };
        let mut rests_on = vec![Thing::Names];
        if let Some(day_id) = day_id {
            let day = store.day(day_id).await?;
            rests_on.extend([Thing::Day(day_id), Thing::Vehicle(day.vehicle_id)]);
            let made = moment(store, day_id, &prefs.settings(None)).await?;
            let run: Vec<_> =
                store.sets_of_day(day_id).await?.iter().map(|s| s.set.config.factors()).collect();
            out.vehicle = day.vehicle;
            out.newest = made.map(|m| newest(&m, &prefs));
            out.runs = runs_words(store.running(day_id).await?.as_ref());
            out.next = next_words(&plan_rows(&store.planned(day.vehicle_id).await?, &run));
        }
        Ok(PageMade { body: page(&out)?.0, rests_on, lasts: true })
    };
    Ok(Html(state.page(key, made).await?))
}
