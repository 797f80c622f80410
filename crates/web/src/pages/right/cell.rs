//! A cell: what is said of it, and its days.

use super::{again, why};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::views::{Field, FieldForm, RightPage, Shell, dyno_kinds, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::NaiveDate;
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
    mark(&(&c.name, &c.dyno, &c.folder, c.calibrations(), &c.note))
}

fn shown(c: &CellRecord) -> CellForm {
    CellForm {
        name: c.name.clone(),
        dyno: c.dyno.clone(),
        folder: c.folder.clone(),
        calibrated: c.calibrations().iter().map(ToString::to_string).collect::<Vec<_>>().join(", "),
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
            Field::text("calibrated", "Calibrated on", &f.calibrated)
                .wide(24)
                .hint("every date, such as 2026-03-24, 2025-09-02: sets on both sides of one differ in it"),
            Field::text("folder", "Folder of its recorders", &f.folder)
                .wide(40)
                .hint("watched while something runs on a day here: what appears is taken in"),
            Field { kind: "area", ..Field::text("note", "Note", &f.note).wide(60) },
            Field::text("why", "Why", &f.why).wide(30),
        ],
        says: "Its days carry its name. A comparison across a calibration names it, like a change of cell."
            .into(),
    };
    let shell = Shell::new("A cell", &prefs.theme, "settings");
    let mut p = RightPage::new(shell, "cell", c.id, c.name.clone(), form);
    p.crumbs = vec![("/settings#cells".into(), "Settings".into())];
    let day = |(id, date, vehicle): (i64, NaiveDate, String)| {
        (format!("/days/{id}"), format!("{}, {vehicle}", prefs.written.date(date)))
    };
    p.lines = state.store.days_of_cell(c.id, DAYS).await?.into_iter().map(day).collect();
    p.trail = trail(&state.store.trail(Subject::Cell(c.id)).await?, &prefs.written);
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

/// Most calibrations kept of a cell.
const MOST_CALIBRATIONS: usize = 40;

/// Dates with commas, semicolons or spaces between, newest first and each once.
fn dates_of(text: &str) -> Result<Vec<NaiveDate>, String> {
    let parts = text.split([',', ';', ' ']).filter(|p| !p.is_empty());
    let mut out: Vec<NaiveDate> = parts
        .map(|d| d.parse().map_err(|_| format!("“{d}” is not a date such as 2026-03-24")))
        .collect::<Result<_, _>>()?;
    out.sort_unstable_by(|a, b| b.cmp(a));
    out.dedup();
    if out.len() > MOST_CALIBRATIONS {
        return Err(format!("{} dates are too many: {MOST_CALIBRATIONS} fit", out.len()));
    }
    Ok(out)
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
        let calibrations = dates_of(&f.calibrated).map_err(|e| ("calibrated", e))?;
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
            calibrations,
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn calibrations_are_typed_in_any_order_and_kept_newest_first() {
        let dates = |t: &str| dates_of(t).map(|d| d.iter().map(ToString::to_string).collect::<Vec<_>>());
        assert_eq!(
            dates("2025-09-02, 2026-03-24;2025-09-02"),
            Ok(vec!["2026-03-24".into(), "2025-09-02".into()])
        );
        assert_eq!(dates("  "), Ok(Vec::new()));
        assert!(dates("2026-03-24, soon").unwrap_err().contains("“soon” is not a date"));
        let many: String =
            (1..=28).flat_map(|d| (1..=2).map(move |m| format!("2026-0{m}-{d:02} "))).collect();
        assert!(dates(&many).unwrap_err().contains("56 dates are too many"));
    }
}
