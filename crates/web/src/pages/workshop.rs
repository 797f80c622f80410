//! Home, theme, health.

use super::settings::demo_run;
use super::{encoding, page};
use crate::auth::Reader;
use crate::cookies::{keeping, lasting};
use crate::error::WebError;
use crate::prefs::{Prefs, THEME};
use crate::state::AppState;
use crate::views::workshop_page;
use crate::way_back::way_back;
use axum::Form;
use axum::extract::State;
use axum::http::HeaderMap;
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_workflow::sets::{fresh_sets, read_sets};
use serde::Deserialize;
use std::collections::{HashMap, HashSet};

const DAYS: i64 = 30;
const SETS: i64 = 10;
const TO_LOOK_AT: i64 = 6;

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
) -> Result<Html<String>, WebError> {
    let days = state.store.latest_days(DAYS).await?;
    let counts = state.store.set_counts(&days.iter().map(|d| d.id).collect::<Vec<_>>()).await?;
    let days = days
        .into_iter()
        .map(|d| {
            let sets = counts.get(&d.id).copied().unwrap_or(0);
            (d, sets)
        })
        .collect();
    let mut ids: Vec<i64> = state.store.latest_sets(SETS).await?.iter().map(|s| s.id).collect();
    let shown = ids.len();
    for id in state.store.sets_to_look_at(TO_LOOK_AT).await? {
        if !ids.contains(&id) {
            ids.push(id);
        }
    }
    let sets = state.store.sets_by_id(&ids).await?;
    let (mut vehicles, mut fresh) = (HashMap::new(), HashMap::new());
    for id in sets.iter().map(|s| s.set.vehicle_id).collect::<HashSet<_>>() {
        let vehicle = state.store.vehicle(id).await?;
        let own: Vec<_> = sets.iter().filter(|s| s.set.vehicle_id == id).cloned().collect();
        let own = fresh_sets(&state.store, own, &vehicle).await?;
        let read = read_sets(own, &vehicle, &prefs.settings(None));
        fresh.extend(read.into_iter().map(|s| (s.stored.set.id, s)));
        vehicles.insert(id, (vehicle, encoding(&state, id).await?));
    }
    let sets: Vec<_> = sets.iter().filter_map(|s| fresh.remove(&s.set.id)).collect();
    let run = demo_run(&state).await?;
    page(&workshop_page(&prefs, days, &sets, shown, &vehicles, run))
}

#[derive(Deserialize)]
pub(crate) struct Theme {
    theme: String,
}

pub(crate) async fn theme(_: Reader, headers: HeaderMap, Form(t): Form<Theme>) -> Response {
    let theme = if ["light", "dark", "auto"].contains(&t.theme.as_str()) { t.theme } else { "auto".into() };
    (keeping([lasting(THEME, theme, "/")]), Redirect::to(way_back(&headers).as_deref().unwrap_or("/")))
        .into_response()
}

pub(crate) async fn health(State(state): State<AppState>) -> Result<&'static str, WebError> {
    state.store.ping().await?;
    Ok("ok")
}
