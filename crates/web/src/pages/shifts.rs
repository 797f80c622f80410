//! Gear changes in the recordings of a vehicle.

use super::{page, page_key, rests_on};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::shifts_page;
use axum::extract::{Path, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Response};
use jamjar_workflow::shifts::shifts_of;

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    uri: Uri,
) -> Result<Response, WebError> {
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let s = shifts_of(&state.store, &vehicle).await?;
        let rests_on = rests_on(id, s.days.iter().copied());
        Ok(PageMade { body: page(&shifts_page(&vehicle, &s, &prefs))?.0, rests_on, lasts: true })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
