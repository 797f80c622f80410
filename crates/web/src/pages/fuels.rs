//! Fuels of the shop with what was measured of their deliveries.

use super::page;
use super::vehicles::Fields;
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{blank_or, ethanol};
use crate::views::{Typed, fuels_page};
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use jamjar_store::NewBatch;

/// How ethanol of a delivery may have been measured.
pub(crate) const MEASURED_BY: [&str; 3] = ["water test", "sensor", "supplier's paper"];

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
) -> Result<Response, WebError> {
    built(&state, &prefs, Typed::default(), String::new()).await
}

async fn built(state: &AppState, prefs: &Prefs, f: Typed, problem: String) -> Result<Response, WebError> {
    let (fuels, batches) = (state.store.fuel_records().await?, state.store.batches().await?);
    let status = if problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    Ok((status, page(&fuels_page(&fuels, &batches, f, problem, prefs))?).into_response())
}

fn batch_of(f: &Fields) -> Result<NewBatch, String> {
    let text = |name: &str, what: &str, most: usize| {
        let t = f.get(name).map_or("", |s| s.trim());
        if t.chars().count() > most {
            Err(format!("{what} is longer than {most} characters"))
        } else {
            Ok(t.to_owned())
        }
    };
    let name = text("name", "the name", 120)?;
    if name.is_empty() {
        return Err("a delivery needs a name, such as its date or can".into());
    }
    let held = blank_or(f.get("ethanol").map_or("", |s| s.as_str()), |s| ethanol("ethanol", s))?;
    let by = text("measured_by", "how", 20)?;
    if held.is_some() && !MEASURED_BY.contains(&by.as_str()) {
        return Err("say how its ethanol was measured".into());
    }
    let bought_on = match text("bought_on", "the date", 10)? {
        d if d.is_empty() => None,
        d => Some(
            NaiveDate::parse_from_str(&d, "%Y-%m-%d")
                .map_err(|_| format!("“{d}” is not a date such as 2026-03-14"))?,
        ),
    };
    Ok(NewBatch {
        name,
        source: text("source", "the source", 200)?,
        bought_on,
        ethanol: held,
        measured_by: if held.is_some() { by } else { String::new() },
        note: text("note", "the note", 500)?,
    })
}

/// A delivery written down.
pub(crate) async fn deliver(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(mut f): Form<Fields>,
) -> Result<Response, WebError> {
    match batch_of(&f) {
        Ok(new) => {
            state.store.add_batch(id, &new, &who.by("")).await?;
            Ok(Redirect::to(&format!("/fuels#fuel-{id}")).into_response())
        }
        Err(problem) => {
            f.insert("fuel".into(), id.to_string());
            built(&state, &prefs, Typed(f), problem).await
        }
    }
}

/// A delivery that is used up.
pub(crate) async fn used_up(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    state.store.archive_batch(id, &who.by("")).await?;
    Ok(Redirect::to("/fuels").into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(pairs: &[(&str, &str)]) -> Fields {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    #[test]
    fn a_measured_share_says_how_and_cannot_be_a_fraction_by_mistake() {
        let b = batch_of(&fields(&[("name", "can 3"), ("ethanol", "78"), ("measured_by", "water test")]))
            .unwrap();
        assert_eq!((b.ethanol, b.measured_by.as_str()), (Some(0.78), "water test"));
        assert!(batch_of(&fields(&[("name", "can 3"), ("ethanol", "78")])).unwrap_err().contains("how"));
        assert!(
            batch_of(&fields(&[("name", "can 3"), ("ethanol", "0.78"), ("measured_by", "sensor")]))
                .unwrap_err()
                .contains("78")
        );
        assert!(batch_of(&fields(&[("name", " ")])).is_err());
        assert!(
            batch_of(&fields(&[("name", "x"), ("bought_on", "14.3.26")])).unwrap_err().contains("2026-03-14")
        );
    }
}
