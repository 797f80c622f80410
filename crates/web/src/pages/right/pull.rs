//! A pull: its trail, archiving it and bringing it back. Its place is put right with its set.

use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::imports::Answer;
use crate::pages::page;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{ColumnTable, channels, column_rows, units};
use crate::views::{FieldForm, RightPage, Shell, date_words, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, Redirect};
use jamjar_store::Subject;
use jamjar_workflow::import::{columns_of, correct, files_of};

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
        (format!("/days/{}#set-{}", set.day_id, set.id), date_words(set.date)),
        (format!("/sets/{}/edit", set.id), format!("set {}, where it is moved", set.position)),
    ];
    p.archived = state.store.is_archived(Subject::Pull(id)).await?;
    p.archive_says = "The pull leaves lists, figures, limits and search. It can be brought back. To leave it out of figures alone, say so on its page.".into();
    p.trail = trail(&state.store.trail(Subject::Pull(id)).await?);
    p.person = who.name;
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
