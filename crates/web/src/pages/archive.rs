//! Taking a shop out in one file, and reading one back.

use super::spool::Sent as Upload;
use super::stream::Sent;
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::state::AppState;
use axum::body::Body;
use axum::extract::{Multipart, Query, State};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_workflow::archive::{contents, read_back, write};
use serde::Deserialize;

#[derive(Deserialize)]
pub(crate) struct Params {
    vehicle: Option<i64>,
}

/// One vehicle, or everything, as a zip that is made while it is sent.
pub(crate) async fn take_out(
    _: Reader,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let one = p.vehicle.map(|v| [v]);
    let what = contents(&state.store, one.as_ref().map(<[i64; 1]>::as_slice)).await?;
    let name = match &what.about().vehicles[..] {
        [one] => one.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect(),
        _ => "shop".to_owned(),
    };
    let (store, runtime) = (state.store.clone(), tokio::runtime::Handle::current());
    let body = Sent::written(move |out| write(&store, &runtime, &what, out).map_err(|e| e.to_string()));
    let headers = [
        (CONTENT_TYPE, "application/zip".to_owned()),
        (CONTENT_DISPOSITION, format!("attachment; filename=\"jamjar-{name}.zip\"")),
    ];
    Ok((headers, Body::new(body)).into_response())
}

/// Reads an archive back.
pub(crate) async fn put_back(
    _: Calibrator,
    State(state): State<AppState>,
    mut form: Multipart,
) -> Result<Redirect, WebError> {
    let file = Upload::first(&state, &mut form, "an archive").await?;
    let _turn = file.turn(&state).await;
    let ids = read_back(&state.store, file.file.path()).await?;
    let to = ids.first().map_or_else(|| "/vehicles".to_owned(), |id| format!("/vehicles/{id}"));
    Ok(Redirect::to(&to))
}
