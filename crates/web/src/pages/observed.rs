//! What was seen, heard or smelt in a pull, at which engine speed and load.

use super::vehicles::Fields;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use crate::typed::optional;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Redirect;
use jamjar_core::bounds::Bound;
use jamjar_store::{NewNote, ObservedAt};

const ENGINE_SPEED: Bound = Bound::new("engine speed", "rpm", 0.0, 25_000.0);
const LOAD: Bound = Bound::new("load", "%", 0.0, 120.0);

/// Two ends of a span, in either order; one alone is a place.
fn span(f: &Fields, names: [&str; 2], bound: Bound) -> Result<Option<[f64; 2]>, WebError> {
    let end = |name: &str| {
        let typed = optional(bound.name, f.get(name).map_or("", String::as_str)).map_err(WebError::Bad)?;
        typed.map(|v| bound.check(v).map_err(|e| WebError::Bad(e.to_string()))).transpose()
    };
    Ok(match (end(names[0])?, end(names[1])?) {
        (Some(a), Some(b)) => Some([a.min(b), a.max(b)]),
        (Some(a), None) | (None, Some(a)) => Some([a, a]),
        (None, None) => None,
    })
}

/// Keeps an observation with the pull it was made in.
pub(crate) async fn of_pull(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let get = |name: &str| f.get(name).map(|s| s.trim().to_owned()).unwrap_or_default();
    let (tag, text) = (get("tag"), get("text"));
    if tag.is_empty() && text.is_empty() {
        return Err(WebError::Bad("say what it was: smoke, rattle, a warning lamp".into()));
    }
    if text.chars().count() > 10_000 || tag.chars().count() > 40 {
        return Err(WebError::Bad("an observation has at most 10,000 characters and its kind 40".into()));
    }
    let place = ObservedAt {
        pull_id: Some(id),
        rpm: span(&f, ["rpm_from", "rpm_to"], ENGINE_SPEED)?,
        load: span(&f, ["load_from", "load_to"], LOAD)?,
    };
    let day = state.store.day_of_pull(id).await?;
    let note = NewNote { at: None, tag, text, by: who.name, place };
    state.store.add_note(day, &note).await?;
    Ok(Redirect::to(&format!("/pulls/{id}#observed")))
}
