//! A cell: what is said of it, and its days.

use super::{again, why};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::views::{Field, FieldForm, RightPage, Shell, date_words, dyno_kinds, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_store::{CellRecord, CellWords, StoreError, Subject};
use serde::Deserialize;

/// Newest days shown.
const DAYS: i64 = 60;

#[derive(Deserialize)]
pub(crate) struct CellForm {
    name: String,
    #[serde(default)]
    dyno: String,
    #[serde(default)]
    folder: String,
    #[serde(default)]
    calibrated: String,
    #[serde(default)]
    note: String,
    #[serde(default)]
    why: String,
    #[serde(default)]
    seen: String,
}

fn seen_of(c: &CellRecord) -> String {
    mark(&(&c.name, &c.dyno, &c.folder, c.calibrated_on, &c.note))
}

fn shown(c: &CellRecord) -> CellForm {
    CellForm {
        name: c.name.clone(),
        dyno: c.dyno.clone(),
        folder: c.folder.clone(),
        calibrated: c.calibrated_on.map_or_else(String::new, |d| d.to_string()),
        note: c.note.clone(),
        why: String::new(),
        seen: seen_of(c),
    }
}

async fn built(
    state: &AppState,
    prefs: &Prefs,
    c: &CellRecord,
    f: &CellForm,
    person: &str,
) -> Result<RightPage, WebError> {
    let mut kinds = vec![(String::new(), "nobody said".to_owned())];
    kinds.extend(dyno_kinds());
    let form = FieldForm {
        action: format!("/cells/{}", c.id),
        seen: f.seen.clone(),
        button: "Keep it",
        fields: vec![
            Field::text("name", "Name", &f.name).wide(20),
            Field::one_of("dyno", "Dyno", &f.dyno, kinds),
            Field { kind: "date", ..Field::text("calibrated", "Calibrated on", &f.calibrated) },
            Field::text("folder", "Folder of its recorders", &f.folder)
                .wide(40)
                .hint("watched while something runs on a day here: what appears is taken in"),
            Field { kind: "area", ..Field::text("note", "Note", &f.note).wide(60) },
            Field::text("why", "Why", &f.why).wide(30),
        ],
        says: "Its days carry its name. A new calibration is for who reads figures across it.".into(),
    };
    let shell = Shell::new("A cell", &prefs.theme, "settings");
    let mut p = RightPage::new(shell, "cell", c.id, c.name.clone(), form);
    p.crumbs = vec![("/settings#cells".into(), "Settings".into())];
    let day = |(id, date, vehicle): (i64, chrono::NaiveDate, String)| {
        (format!("/days/{id}"), format!("{}, {vehicle}", date_words(date)))
    };
    p.lines = state.store.days_of_cell(c.id, DAYS).await?.into_iter().map(day).collect();
    p.trail = trail(&state.store.trail(Subject::Cell(c.id)).await?);
    p.lasting = state.store.lasting_id(Subject::Cell(c.id)).await?.unwrap_or_default();
    p.person = person.to_owned();
    Ok(p)
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let c = state.store.cell(id).await?;
    page(&built(&state, &prefs, &c, &shown(&c), &who.name).await?)
}

pub(crate) async fn edit(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<CellForm>,
) -> Result<Response, WebError> {
    let c = state.store.cell(id).await?;
    unchanged(&f.seen, &seen_of(&c), "the cell", || c.name.clone())?;
    let by = who.by(why(&f.why)?);
    let words = (|| {
        let name = f.name.trim();
        if name.is_empty() || name.chars().count() > 120 {
            return Err(("name", "a cell needs a name of at most 120 characters".to_owned()));
        }
        let calibrated_on = match f.calibrated.trim() {
            "" => None,
            d => Some(
                d.parse().map_err(|_| ("calibrated", format!("“{d}” is not a date such as 2026-03-24")))?,
            ),
        };
        if !f.dyno.is_empty() && dyno_kinds().iter().all(|k| k.0 != f.dyno) {
            return Err(("dyno", "choose the kind of dyno".to_owned()));
        }
        if f.folder.chars().count() > 500 || f.note.chars().count() > 10_000 {
            return Err(("note", "that is longer than 10,000 characters, or the folder than 500".to_owned()));
        }
        Ok(CellWords {
            name: name.to_owned(),
            dyno: f.dyno.clone(),
            folder: f.folder.trim().to_owned(),
            calibrated_on,
            note: f.note.trim().to_owned(),
        })
    })();
    let refused =
        async |says: String, wrong| again(built(&state, &prefs, &c, &f, &who.name).await?, says, wrong);
    match words {
        Err((field, problem)) => refused(problem.clone(), (field, problem)).await,
        Ok(words) => match state.store.edit_cell(&c, &words, &by).await {
            Err(StoreError::Duplicate) => {
                let problem = format!("another cell is called {} already", words.name);
                refused(problem.clone(), ("name", problem)).await
            }
            other => {
                other?;
                Ok(Redirect::to(&format!("/cells/{id}")).into_response())
            }
        },
    }
}
