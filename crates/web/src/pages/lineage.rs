//! The maps of a vehicle: which came from which, what each step gained, what is in the unit.

use super::margins::FIGURES;
use super::vehicles::Fields;
use super::{encoding, page, page_key, rests_on};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::lineage_page;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::analysis::Figure;
use jamjar_store::NewFlash;
use jamjar_workflow::lineage::read_lineage;
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct By {
    by: String,
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<By>,
    uri: Uri,
) -> Result<Response, WebError> {
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let figure = FIGURES.into_iter().find(|f| f.id() == q.by).unwrap_or(Figure::PeakPower);
        let l = read_lineage(&state.store, &vehicle, figure, &prefs.settings(None)).await?;
        let e = encoding(&state, id).await?;
        let rests_on = rests_on(id, l.days.iter().copied());
        Ok(PageMade { body: page(&lineage_page(&l, figure, &e, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}

fn flash_of(f: &Fields) -> Result<NewFlash, String> {
    let get = |name: &str| f.get(name).map_or("", |s| s.trim());
    let on = NaiveDate::parse_from_str(get("on"), "%Y-%m-%d")
        .map_err(|_| format!("“{}” is not a date such as 2026-03-14", get("on")))?;
    let at = match get("at") {
        "" => None,
        t => Some(
            NaiveTime::parse_from_str(t, "%H:%M")
                .map_err(|_| format!("“{t}” is not a time of day such as 14:30"))?,
        ),
    };
    let note = get("note");
    if note.chars().count() > 500 {
        return Err("the note is longer than 500 characters".into());
    }
    Ok(NewFlash {
        map_id: get("map").parse().map_err(|_| "choose the map that went in")?,
        on,
        at,
        note: note.into(),
    })
}

/// A map went into the unit.
pub(crate) async fn flash(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let new = flash_of(&f).map_err(WebError::Bad)?;
    state.store.add_flash(id, &new, &who.by("")).await?;
    Ok(Redirect::to(&format!("/vehicles/{id}/maps#unit")))
}

/// It did not.
pub(crate) async fn flash_back(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((id, one)): Path<(i64, i64)>,
) -> Result<Redirect, WebError> {
    state.store.take_flash_back(id, one, &who.by("")).await?;
    Ok(Redirect::to(&format!("/vehicles/{id}/maps#unit")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_flash_needs_its_map_and_its_date() {
        let fields = |pairs: &[(&str, &str)]| -> Fields {
            pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
        };
        let f = flash_of(&fields(&[("map", "4"), ("on", "2026-03-14"), ("at", "")])).unwrap();
        assert_eq!((f.map_id, f.at), (4, None));
        assert!(flash_of(&fields(&[("map", ""), ("on", "2026-03-14")])).unwrap_err().contains("map"));
        assert!(flash_of(&fields(&[("map", "4"), ("on", "14.3.")])).unwrap_err().contains("2026-03-14"));
        assert!(flash_of(&fields(&[("map", "4"), ("on", "2026-03-14"), ("at", "noon")])).is_err());
    }
}
