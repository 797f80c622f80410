//! Road and strip: force at the wheels, shift points, a standing start.

use super::{encoding, page, page_key, rests_on};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::typed::within;
use crate::views::road_page;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Response};
use jamjar_workflow::on_road::{Asked, on_road};
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct RoadOf {
    a: String,
    b: String,
    c: String,
    mass: String,
    grip: String,
    driven: String,
    launch: String,
    pause: String,
    limit: String,
    /// Time over 402 m, s.
    wanted: String,
}

fn asked(q: &RoadOf) -> Result<Asked, String> {
    let mut sets: Vec<i64> =
        [&q.a, &q.b, &q.c].into_iter().filter_map(|s| s.parse().ok()).filter(|i| *i > 0).collect();
    let mut seen = std::collections::BTreeSet::new();
    sets.retain(|s| seen.insert(*s));
    Ok(Asked {
        sets,
        mass_kg: within("mass", &q.mass, [50.0, 60_000.0])?,
        grip: within("grip", &q.grip, [0.1, 5.0])?,
        driven: within("share on driven wheels", &q.driven, [0.05, 1.0])?,
        launch_rpm: within("launch", &q.launch, [0.0, 20_000.0])?,
        pause_s: within("pause of a shift", &q.pause, [0.0, 5.0])?,
        limit_rpm: within("shift at most at", &q.limit, [3001.0, 25_000.0])?,
        wanted_s: within("time wanted over 402 m", &q.wanted, [3.0, 60.0])?,
    })
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<RoadOf>,
    uri: Uri,
) -> Result<Response, WebError> {
    let asked = asked(&q).map_err(WebError::Bad)?;
    let made = || async {
        let vehicle = state.store.vehicle(id).await?;
        let r = on_road(&state.store, &vehicle, &asked, &prefs.settings(None)).await?;
        let e = encoding(&state, id).await?;
        let rests_on = rests_on(id, r.days.iter().copied());
        Ok(PageMade { body: page(&road_page(&r, &asked, &e, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}
