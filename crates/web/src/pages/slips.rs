//! Timing slips: written down, taken off.

use super::vehicles::Fields;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::within;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Redirect;
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::calculators::slip::ROLLOUT_M;
use jamjar_store::SlipRecord;

/// A number of a form between two bounds, where one was typed.
fn field(f: &Fields, name: &str, what: &str, bounds: [f64; 2]) -> Result<Option<f64>, WebError> {
    within(what, f.get(name).map_or("", String::as_str), bounds).map_err(WebError::Bad)
}

fn slip(f: &Fields, prefs: &Prefs, by: &str) -> Result<SlipRecord, WebError> {
    let said =
        |name: &str, most: usize| f.get(name).map_or("", |s| s.trim()).chars().take(most).collect::<String>();
    let (on, at) = (said("on", 20), said("at", 20));
    let on_date = NaiveDate::parse_from_str(&on, "%Y-%m-%d")
        .map_err(|_| WebError::Bad(format!("date: “{on}” is none; write it as 2026-12-31")))?;
    let at_time = match at.as_str() {
        "" => None,
        s => Some(
            NaiveTime::parse_from_str(s, "%H:%M")
                .map_err(|_| WebError::Bad(format!("time: “{s}” is none; write it as 14:30")))?,
        ),
    };
    let kmh = prefs.speed.from_kmh(1.0);
    let speed = |name: &str, what: &str| {
        Ok::<_, WebError>(field(f, name, what, [10.0 * kmh, 600.0 * kmh])?.map(|v| v / kmh))
    };
    let s = SlipRecord {
        id: None,
        on_date,
        at_time,
        place: said("place", 120),
        map: said("map", 120),
        fuel: said("fuel", 120),
        t18_s: field(f, "t18", "time at 18 m", [0.5, 20.0])?,
        t201_s: field(f, "t201", "time at 201 m", [3.0, 60.0])?,
        v201_kmh: speed("v201", "speed at 201 m")?,
        t402_s: field(f, "t402", "time at 402 m", [4.0, 90.0])?,
        v402_kmh: speed("v402", "speed at 402 m")?,
        rollout_m: field(f, "rollout", "rollout", [0.0, 2.0])?.unwrap_or(ROLLOUT_M),
        launch_rpm: field(f, "launch", "launch", [0.0, 20_000.0])?,
        temperature_c: field(f, "temperature", "air, °C", [-40.0, 60.0])?,
        pressure_hpa: field(f, "pressure", "pressure at the station, hPa", [500.0, 1100.0])?,
        note: said("note", 500),
        written_by: by.to_owned(),
    };
    if s.map.is_empty() {
        return Err(WebError::Bad("say with which map it was driven".into()));
    }
    let ascend = [s.t18_s, s.t201_s, s.t402_s].into_iter().flatten().collect::<Vec<_>>();
    if ascend.windows(2).any(|w| w[1] <= w[0]) {
        return Err(WebError::Bad(
            "the times of a slip grow from 18 m over 201 m to 402 m; these do not".into(),
        ));
    }
    if ascend.is_empty() && s.v201_kmh.is_none() && s.v402_kmh.is_none() {
        return Err(WebError::Bad("a slip says at least one time or speed".into()));
    }
    Ok(s)
}

pub(crate) async fn add(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let new = slip(&f, &prefs, &who.name)?;
    state.store.add_slip(id, &new, &who.by("")).await?;
    Ok(Redirect::to(&format!("/vehicles/{id}/road#slips")))
}

pub(crate) async fn off(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((id, one)): Path<(i64, i64)>,
) -> Result<Redirect, WebError> {
    state.store.take_slip_off(id, one, &who.by("")).await?;
    Ok(Redirect::to(&format!("/vehicles/{id}/road#slips")))
}
