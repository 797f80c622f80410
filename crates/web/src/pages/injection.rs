//! A diesel's injectors: what they do in the pulls, their flow sheet, their quantity map and its inverse.

use super::spool::fields_and_file;
use super::{encoding, page};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::typed::{blank_or, number};
use crate::views::{InjectionPage, LookUp, injection_page};
use axum::Form;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_core::diesel::flow_sheet::FlowSheet;
use jamjar_core::fuelling::paste;
use jamjar_core::maps::Table;
use jamjar_core::vehicle_sheet::VehicleSheet;
use jamjar_formats::read_flow_sheet;
use jamjar_store::VehicleRecord;
use jamjar_workflow::injection::{quantity_map, read_injection};
use serde::Deserialize;

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct Which {
    day: Option<i64>,
    pressure: String,
    duration: String,
    mass: String,
}

/// Mass of a duration, or duration of a mass, as the form asks.
fn look_up(v: &VehicleRecord, q: &Which) -> Result<String, String> {
    let Some(t) = &v.sheet.quantity_map else { return Ok(String::new()) };
    let Some(p) = blank_or(&q.pressure, |s| number("pressure", s))? else { return Ok(String::new()) };
    let map = quantity_map(t)?;
    let (duration, mass) =
        (blank_or(&q.duration, |s| number("duration", s))?, blank_or(&q.mass, |s| number("mass", s))?);
    match (duration, mass) {
        (Some(_), Some(_)) => Err("give a duration or a mass, not both".into()),
        (Some(d), None) => {
            let m = map.mass(p, d).map_err(|e| e.to_string())?;
            Ok(format!("{d:.0} µs at {p} MPa give {m:.2} mg a shot"))
        }
        (None, Some(m)) => {
            let d = map.duration(p, m).map_err(|e| e.to_string())?;
            Ok(format!("{m} mg at {p} MPa take {d:.0} µs"))
        }
        (None, None) => Ok(String::new()),
    }
}

async fn built(state: &AppState, prefs: &Prefs, id: i64, q: Which) -> Result<InjectionPage, WebError> {
    let r = read_injection(&state.store, id, q.day).await?;
    let e = encoding(state, id).await?;
    let mut p = injection_page(&r, prefs, &e);
    let (answer, problem) = match look_up(&r.vehicle, &q) {
        Ok(a) => (a, String::new()),
        Err(e) => (String::new(), e),
    };
    p.look = LookUp { pressure: q.pressure, duration: q.duration, mass: q.mass, answer, problem };
    Ok(p)
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<Which>,
) -> Result<Response, WebError> {
    Ok(page(&built(&state, &prefs, id, q).await?)?.into_response())
}

fn back(id: i64, anchor: &str) -> Response {
    Redirect::to(&format!("/vehicles/{id}/injection#{anchor}")).into_response()
}

/// The flow sheet as a file or as pasted text; nothing at all takes it away.
pub(crate) async fn keep_sheet(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    form: Multipart,
) -> Result<Response, WebError> {
    let (fields, file) = fields_and_file(&state, form).await?;
    let v = state.store.vehicle(id).await?;
    let get = |name: &str| fields.get(name).map(|s| s.trim().to_owned()).unwrap_or_default();
    unchanged(&get("seen"), &mark(&v.sheet.flow_sheet), "the flow sheet", || {
        v.sheet.flow_sheet.as_ref().map_or_else(|| "none".into(), |s| format!("{} points", s.points.len()))
    })?;
    let text = get("sheet");
    let read = match &file {
        Some(f) => {
            let _turn = f.turn(&state).await;
            Some(read_flow_sheet(f.read().await?.as_slice(), &f.name))
        }
        None if text.is_empty() => None,
        None => Some(read_flow_sheet(text.as_bytes(), "the sheet")),
    };
    let source: String = get("source").chars().take(200).collect();
    match read.transpose() {
        Ok(read) => {
            let flow_sheet = read.map(|s| FlowSheet { source, ..s });
            let sheet = VehicleSheet { flow_sheet, ..v.sheet.clone() };
            state.store.set_sheet(id, &sheet, Some(v.version), &who.by("")).await?;
            Ok(back(id, "sheet"))
        }
        Err(e) => {
            let mut p = built(&state, &prefs, id, Which::default()).await?;
            p.problem = format!("Nothing was kept: {e}.");
            (p.sheet_typed, p.sheet_source) = (text, source);
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response())
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct MapTyped {
    table: String,
    #[serde(default)]
    seen: String,
}

fn read_map(text: &str) -> Result<Option<Table>, String> {
    if text.trim().is_empty() {
        return Ok(None);
    }
    let mut t = paste::read(text, "the quantity map", &[], &[]).map_err(|e| e.to_string())?;
    "mg".clone_into(&mut t.unit);
    (t.x.channel, t.x.unit) = ("injection_duration".into(), "µs".into());
    if let Some(y) = &mut t.y {
        (y.channel, y.unit) = ("rail_pressure".into(), "MPa".into());
    }
    quantity_map(&t)?;
    Ok(Some(t))
}

/// The quantity map as pasted: durations in the first row, pressures in the first column.
pub(crate) async fn keep_map(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<MapTyped>,
) -> Result<Response, WebError> {
    let v = state.store.vehicle(id).await?;
    unchanged(&f.seen, &mark(&v.sheet.quantity_map), "the quantity map", || {
        v.sheet.quantity_map.as_ref().map_or_else(|| "none".into(), |t| paste::write(t, 1, true, '\t'))
    })?;
    match read_map(&f.table) {
        Ok(quantity_map) => {
            let sheet = VehicleSheet { quantity_map, ..v.sheet.clone() };
            state.store.set_sheet(id, &sheet, Some(v.version), &who.by("")).await?;
            Ok(back(id, "map"))
        }
        Err(e) => {
            let mut p = built(&state, &prefs, id, Which::default()).await?;
            p.problem = format!("Nothing was kept: {e}.");
            p.map_text = f.table;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response())
        }
    }
}
