//! Archiving, bringing back, and the name that stands beside a change.

use super::why;
use crate::auth::{Calibrator, WHO};
use crate::cookies::{keeping, lasting};
use crate::error::WebError;
use crate::state::AppState;
use crate::way_back::way_back;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_store::Subject;
use serde::Deserialize;

/// A kind and an id of an address.
fn subject(kind: &str, id: i64) -> Result<Subject, WebError> {
    Ok(match kind {
        "pull" => Subject::Pull(id),
        "set" => Subject::Set(id),
        "day" => Subject::Day(id),
        "vehicle" => Subject::Vehicle(id),
        "map" => Subject::Map(id),
        _ => return Err(WebError::NotFound(format!("“{kind}” is nothing that can be archived"))),
    })
}

/// Where what is left is looked at.
async fn beside(state: &AppState, of: Subject) -> Result<String, WebError> {
    Ok(match of {
        Subject::Pull(id) => {
            format!("/days/{}", state.store.set(state.store.set_of_pull(id).await?).await?.day_id)
        }
        Subject::Set(id) => format!("/days/{}", state.store.set(id).await?.day_id),
        Subject::Day(id) => format!("/vehicles/{}", state.store.day(id).await?.vehicle_id),
        Subject::Map(id) => format!("/vehicles/{}", state.store.vehicle_of_map(id).await?),
        _ => "/vehicles".to_owned(),
    })
}

#[derive(Deserialize)]
pub(crate) struct Why {
    #[serde(default)]
    why: String,
}

pub(crate) async fn archive(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((kind, id)): Path<(String, i64)>,
    Form(f): Form<Why>,
) -> Result<Redirect, WebError> {
    let of = subject(&kind, id)?;
    state.store.archive(&[of], &who.by(why(&f.why)?)).await?;
    Ok(Redirect::to(&beside(&state, of).await?))
}

pub(crate) async fn restore(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((kind, id)): Path<(String, i64)>,
) -> Result<Redirect, WebError> {
    let of = subject(&kind, id)?;
    state.store.restore(of, &who.by("")).await?;
    let to = match of {
        Subject::Vehicle(id) => format!("/vehicles/{id}"),
        Subject::Day(id) => format!("/days/{id}"),
        other => beside(&state, other).await?,
    };
    Ok(Redirect::to(&to))
}

#[derive(Deserialize)]
pub(crate) struct Name {
    name: String,
}

/// Keeps a name in this browser; the page it was said on comes back.
pub(crate) async fn who(
    _: Calibrator,
    headers: HeaderMap,
    Form(f): Form<Name>,
) -> Result<Response, WebError> {
    let name: String = f.name.split_whitespace().collect::<Vec<_>>().join(" ").chars().take(120).collect();
    let back = way_back(&headers);
    let encoded = form_urlencoded::byte_serialize(name.as_bytes()).collect::<String>();
    Ok((keeping([lasting(WHO, encoded, "/")]), Redirect::to(back.as_deref().unwrap_or("/settings")))
        .into_response())
}
