//! Which map on which fuel goes home in a vehicle.

use super::margins::FIGURES;
use super::{encoding, page, page_key, rests_on};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::typed::{blank_or, litres, number};
use crate::views::{decision_page, figure_scale};
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Response};
use jamjar_core::analysis::Figure;
use jamjar_workflow::decision::{Asked, decision};
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct DecideOn {
    build: String,
    /// Figure that counts.
    by: String,
    /// Smallest gain that counts, in the unit read in.
    least: String,
    /// Consumption on the baseline's fuel for 100 km.
    per_100_km: String,
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<DecideOn>,
    uri: Uri,
) -> Result<Response, WebError> {
    let figure = FIGURES.into_iter().find(|f| f.id() == q.by);
    let least = blank_or(&q.least, |s| number("worth it from", s)).map_err(WebError::Bad)?;
    if let Some(l) = least.filter(|l| !(0.0..=1e5).contains(l)) {
        return Err(WebError::Bad(format!("worth it from: {l} cannot be")));
    }
    let per_100_km = blank_or(&q.per_100_km, |s| litres(s, prefs.volume)).map_err(WebError::Bad)?;
    if let Some(l) = per_100_km.filter(|l| !(0.1..=500.0).contains(l)) {
        return Err(WebError::Bad(format!("{l:.1} L for 100 km cannot be")));
    }
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let read = prefs.fitting(&vehicle.vehicle.engine);
        let scale = figure_scale(figure.unwrap_or(Figure::PeakPower), &read);
        let asked = Asked { build: q.build.clone(), figure, smallest: least.map(|l| l / scale), per_100_km };
        let d = decision(&state.store, &vehicle, &asked, &prefs.settings(None)).await?;
        let e = encoding(&state, id).await?;
        let rests_on = rests_on(id, d.days.iter().copied());
        Ok(PageMade { body: page(&decision_page(&d, &asked, &e, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
