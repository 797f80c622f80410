//! Every limit against every map of a vehicle, and which map that speaks for.

use super::{encoding, page, page_key, rests_on};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::typed::{blank_or, number};
use crate::views::margins_page;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Response};
use jamjar_core::analysis::Figure;
use jamjar_workflow::margins::{Asked, margins};
use serde::Deserialize;

#[derive(Deserialize, Default)]
pub(crate) struct MarginsOf {
    /// One day alone.
    #[serde(default)]
    day: String,
    #[serde(default)]
    fuel: String,
    #[serde(default)]
    build: String,
    /// Figure that counts.
    #[serde(default)]
    by: String,
    /// Smallest gain that counts, as read.
    #[serde(default)]
    least: String,
}

/// Figures a recommendation can go by.
pub(crate) const FIGURES: [Figure; 4] =
    [Figure::PeakPower, Figure::BandMeanPower, Figure::PeakTorque, Figure::BandMeanTorque];

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<MarginsOf>,
    uri: Uri,
) -> Result<Response, WebError> {
    let figure = FIGURES.into_iter().find(|f| f.id() == q.by);
    let least = blank_or(&q.least, |s| number("smallest gain that counts", s)).map_err(WebError::Bad)?;
    let scale = crate::views::figure_scale(figure.unwrap_or(Figure::PeakPower), &prefs);
    let asked = Asked {
        day: q.day.parse().ok(),
        fuel: q.fuel.clone(),
        build: q.build.clone(),
        figure,
        smallest: least.map(|v| v.abs() / scale),
    };
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let m = margins(&state.store, &vehicle, &asked, &prefs.settings(None)).await?;
        let e = encoding(&state, id).await?;
        let rests_on = rests_on(id, m.sets.iter().map(|s| s.stored.set.day_id));
        Ok(PageMade { body: page(&margins_page(&m, &asked, &e, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
