//! What a person does to a pull or a set: exclude with a reason, note.

use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Redirect;
use serde::Deserialize;

/// Longest note of a pull or a set, characters.
const LONGEST_NOTE: usize = 10_000;

#[derive(Deserialize)]
pub(crate) struct Exclusion {
    #[serde(default)]
    reason: String,
    #[serde(default)]
    include: bool,
    /// `pull` when the form stood on the pull's own page.
    #[serde(default)]
    back: String,
}

pub(crate) async fn exclude(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Exclusion>,
) -> Result<Redirect, WebError> {
    let reason = f.reason.trim();
    if !f.include && reason.is_empty() {
        return Err(WebError::Bad("a pull is left out of figures only with a reason: say why".into()));
    }
    if reason.chars().count() > 500 {
        return Err(WebError::Bad("the reason is longer than 500 characters".into()));
    }
    let set = state.store.exclude_pull(id, (!f.include).then_some(reason), &who.name).await?;
    if f.back == "pull" {
        return Ok(Redirect::to(&format!("/pulls/{id}")));
    }
    let day = state.store.set(set).await?.day_id;
    Ok(Redirect::to(&format!("/days/{day}#set-{set}")))
}

#[derive(Deserialize)]
pub(crate) struct Note {
    note: String,
    /// The note as the form showed it.
    was: Option<String>,
}

impl Note {
    /// What the note was when the form was shown, line ends as the browser sends them back.
    pub(crate) fn was(&self) -> Option<String> {
        self.was.as_ref().map(|w| w.replace("\r\n", "\n").trim().to_owned())
    }

    /// The text, when it is not too long.
    pub(crate) fn text(&self) -> Result<&str, WebError> {
        if self.note.chars().count() > LONGEST_NOTE {
            return Err(WebError::Bad("the note is longer than 10,000 characters".into()));
        }
        Ok(self.note.trim())
    }
}

pub(crate) async fn note(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Note>,
) -> Result<Redirect, WebError> {
    let text = f.text()?;
    let day = state.store.set(id).await?.day_id;
    state.store.note_set(id, text, f.was(), &who.by("")).await?;
    Ok(Redirect::to(&format!("/days/{day}#set-{id}")))
}
