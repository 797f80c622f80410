//! The boost ladder of a map on a fuel.

use super::{encoding, page, page_key};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::typed::{blank_or, number};
use crate::views::ladder_page;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Response};
use jamjar_store::Thing;
use jamjar_workflow::ladder::{LadderOf, ladder};
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct Which {
    /// Map, fuel, build and gear, as a list.
    of: String,
    /// Where the next rung would stand, kPa gauge.
    next: String,
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Which>,
    uri: Uri,
) -> Result<Response, WebError> {
    let of = match q.of.as_str() {
        "" => None,
        text => {
            let [map, fuel, build, gear]: [String; 4] = serde_json::from_str(text)
                .map_err(|e| WebError::Bad(format!("which ladder is meant cannot be read: {e}")))?;
            Some(LadderOf { map, fuel, build, gear })
        }
    };
    let next = blank_or(&q.next, |s| number("next rung", s)).map_err(WebError::Bad)?;
    if next.is_some_and(|n| !(0.0..1000.0).contains(&n)) {
        return Err(WebError::Bad("the next rung is a gauge pressure from 0 to 1000 kPa".into()));
    }
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let l = ladder(&state.store, &vehicle, of.as_ref(), next, &prefs.settings(None)).await?;
        let e = encoding(&state, id).await?;
        let mut rests_on: Vec<Thing> = l.days.iter().map(|d| Thing::Day(*d)).collect();
        rests_on.extend([Thing::Vehicle(id), Thing::Names]);
        Ok(PageMade { body: page(&ladder_page(&l, &e, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
