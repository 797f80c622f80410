//! A pull: its trail, archiving it and bringing it back. Its place is put right with its set.

use super::why;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::imports::Answer;
use crate::pages::page;
use crate::pages::print_said::print_of;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::views::{ColumnTable, channels, column_rows, units};
use crate::views::{Field, FieldForm, RightPage, Shell, applied, places, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, Redirect};
use jamjar_core::analysis::Finished;
use jamjar_core::printed::{Place, Print};
use jamjar_core::words::applied_words;
use jamjar_store::{Change, Subject};
use jamjar_workflow::import::{columns_of, correct, files_of};
use serde::Deserialize;

/// What a print says of itself, as it stands in a form.
#[derive(Deserialize)]
pub(crate) struct Said {
    place: String,
    applied: String,
    smoothing: String,
    #[serde(default)]
    why: String,
    #[serde(default)]
    seen: String,
}

impl Said {
    fn of(p: &Print) -> Self {
        Self {
            place: p.place.map_or("", Place::id).to_owned(),
            applied: p.applied.id().to_owned(),
            smoothing: p.smoothing.clone(),
            why: String::new(),
            seen: String::new(),
        }
    }
}

fn seen_of(s: &Said) -> String {
    mark(&(&s.place, &s.applied, &s.smoothing))
}

fn print_form(id: i64, said: &Said) -> FieldForm {
    FieldForm {
        action: format!("/pulls/{id}/print"),
        fields: vec![
            Field::one_of("place", "Measured", &said.place, places()),
            Field::one_of("applied", "Correction in it", &said.applied, applied()),
            Field::text("smoothing", "Smoothing in it", &said.smoothing),
            Field::text("why", "Why", &said.why).wide(30),
        ],
        seen: seen_of(said),
        button: "Put it right",
        says: "Holds for every print of this set that says the same of itself. Its figures are made anew at the next look.".into(),
    }
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let set = state.store.set(state.store.set_of_pull(id).await?).await?;
    let place = state.store.position_of_pull(id).await?;
    let title = format!("p{place} of set {}: {} on {}", set.position, set.config.map, set.config.fuel);
    let shell = Shell::new("Put a pull right", &prefs.theme, "");
    let mut p = RightPage::new(shell, "pull", id, title, FieldForm::default());
    p.crumbs = vec![
        (format!("/vehicles/{}", set.vehicle_id), set.vehicle.clone()),
        (format!("/days/{}#set-{}", set.day_id, set.id), prefs.written.date(set.date)),
        (format!("/sets/{}/edit", set.id), format!("set {}, where it is moved", set.position)),
    ];
    p.archived = state.store.is_archived(Subject::Pull(id)).await?;
    p.archive_says = "The pull leaves lists, figures, limits and search. It can be brought back. To leave it out of figures alone, say so on its page.".into();
    p.trail = trail(&state.store.trail(Subject::Pull(id)).await?, &prefs.written);
    p.person = who.name;
    p.lasting = state.store.lasting_id(Subject::Pull(id)).await?.unwrap_or_default();
    if let Some(print) = state.store.finished_of_pull(id).await?.as_ref().and_then(Finished::print) {
        p.form = print_form(id, &Said::of(print));
        return page(&p);
    }
    if let Ok(files) = files_of(&state.store, set.day_id, id).await {
        p.channels = channels();
        p.units = units();
        for (key, title, file) in [
            ("dyno", "Columns of the dyno's recording", Some(&files.dyno)),
            ("ecu", "Columns of the engine computer's recording", files.ecu.as_ref()),
        ] {
            let Some(file) = file else { continue };
            let read = columns_of(&state.store, file).await?;
            p.columns.push(ColumnTable {
                action: format!("/pulls/{id}/columns"),
                inbox: false,
                key: key.to_owned(),
                title: title.to_owned(),
                rows: column_rows(&read.columns),
            });
        }
    }
    page(&p)
}

/// Corrects what a column is, in all recordings of the day that come from the same source.
pub(crate) async fn columns(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(a): Form<Answer>,
) -> Result<Redirect, WebError> {
    let set = state.store.set(state.store.set_of_pull(id).await?).await?;
    let files = files_of(&state.store, set.day_id, id).await?;
    let like = if a.source == "ecu" { files.ecu } else { Some(files.dyno) };
    let like = like.ok_or_else(|| WebError::NotFound("there is no such recording of this pull".into()))?;
    correct(&state.store, set.day_id, &like, &a.said()?, &who.by("")).await?;
    Ok(Redirect::to(&format!("/pulls/{id}/edit#trail")))
}

/// Puts right what a print says of itself, with the others of its set that say the same.
pub(crate) async fn print(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Said>,
) -> Result<Redirect, WebError> {
    let finished = state.store.finished_of_pull(id).await?;
    let none = || WebError::NotFound("this pull was recorded: it is no print".into());
    let was = finished.as_ref().and_then(Finished::print).ok_or_else(none)?;
    let old = Said::of(was);
    let place = |p: &Print| p.place.map_or("where the dyno measures", Place::words);
    let words = || format!("{}, {}", place(was), applied_words(was.applied));
    unchanged(&f.seen, &seen_of(&old), "what the print says of itself", words)?;
    let now = print_of(&f.place, &f.applied, &f.smoothing).map_err(WebError::Bad)?;
    let changes = [
        Change::new("measured", place(was), place(&now)),
        Change::new("correction in it", applied_words(was.applied), applied_words(now.applied)),
        Change::new("smoothing in it", &was.smoothing, &now.smoothing),
    ];
    let set = state.store.set_of_pull(id).await?;
    if was != &now {
        state.store.edit_prints(set, was, &now, &changes, &who.by(why(&f.why)?)).await?;
    }
    Ok(Redirect::to(&format!("/pulls/{id}")))
}
