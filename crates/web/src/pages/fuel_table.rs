//! A fuel table on other places, or for other injectors, and what another blend asks of them. Nothing is kept.

use super::page;
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::typed::{blank_or, number, numbers};
use crate::views::{FuelTableFields, FuelTablePage};
use axum::Form;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use jamjar_core::fuelling::injector::{OnBlend, Swap, on_blend};
use jamjar_core::fuelling::paste;
use jamjar_core::fuelling::rescale::{Rescaled, rescale};
use jamjar_core::maps::Table;

fn pair(f: [&str; 2], what: &str) -> Result<Option<[f64; 2]>, String> {
    let [a, b] = f.map(|s| blank_or(s, |s| number(what, s)));
    match (a?, b?) {
        (Some(a), Some(b)) => Ok(Some([a, b])),
        (None, None) => Ok(None),
        _ => Err(format!("{what}: give it for the old and for the new injector")),
    }
}

/// The change of injectors, where one was typed.
fn swap(f: &FuelTableFields) -> Result<Option<Swap>, String> {
    let Some(flow) = pair([&f.flow_old, &f.flow_new], "flow")? else { return Ok(None) };
    let s = Swap {
        flow,
        flow_at_kpa: pair([&f.at_old, &f.at_new], "pressure of that flow")?.unwrap_or([300.0; 2]),
        pressure_kpa: pair([&f.p_old, &f.p_new], "pressure across it")?.unwrap_or([300.0; 2]),
        dead_ms: pair([&f.dead_old, &f.dead_new], "dead time")?
            .ok_or("dead time: give it for both injectors")?,
    };
    if s.flow_ratio().is_none() {
        return Err("flow and pressure must be above zero for both injectors".into());
    }
    Ok(Some(s))
}

/// The table as it becomes.
fn made(f: &FuelTableFields) -> Result<Option<(Rescaled, Option<f64>, Table)>, String> {
    if f.table.trim().is_empty() {
        return Ok(None);
    }
    let (x, y) = (numbers("places along a row", &f.x)?, numbers("places down the rows", &f.y)?);
    let old = paste::read(&f.table, "the table", &x, &y).map_err(|e| e.problem)?;
    let (nx, ny) =
        (numbers("new places along a row", &f.new_x)?, numbers("new places down the rows", &f.new_y)?);
    let mut out =
        rescale(&old, if nx.is_empty() { &old.x.at } else { &nx }, (!ny.is_empty()).then_some(ny.as_slice()));
    out.table.validate().map_err(|e| e.problem)?;
    let swap = swap(f)?;
    if let Some(s) = &swap {
        let through = |v: &f64| s.pulse(*v).unwrap_or(*v);
        out.table.rows.iter_mut().flatten().for_each(|v| *v = through(v));
    }
    let ratio = swap.and_then(|s| s.flow_ratio());
    Ok(Some((out, ratio, old)))
}

fn blend(f: &FuelTableFields) -> Result<Option<OnBlend>, String> {
    let Some(pulse) = blank_or(&f.pulse, |s| number("pulse width", s))? else { return Ok(None) };
    let dead = blank_or(&f.dead, |s| number("dead time", s))?.unwrap_or(0.0);
    let rpm = number("engine speed", &f.rpm)?;
    let [now, then] = [&f.now, &f.then].map(|s| number("ethanol", s).map(|v| v / 100.0));
    on_blend(pulse, dead, rpm, if f.two_stroke == "yes" { 1.0 } else { 0.5 }, [now?, then?])
        .map(Some)
        .map_err(|e| e.to_string())
}

fn built(prefs: &Prefs, f: FuelTableFields) -> Result<Response, WebError> {
    let (mut problems, mut p) = (Vec::new(), FuelTablePage::new(prefs));
    match made(&f) {
        Ok(m) => p.table(m),
        Err(e) => problems.push(e),
    }
    match blend(&f) {
        Ok(b) => p.blend(b),
        Err(e) => problems.push(e),
    }
    let status = if problems.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    p.problem = problems.join("; ");
    p.f = f;
    Ok((status, page(&p)?).into_response())
}

pub(crate) async fn show(_: Reader, prefs: Prefs) -> Result<Response, WebError> {
    built(&prefs, FuelTableFields::default())
}

pub(crate) async fn make(
    _: Reader,
    prefs: Prefs,
    Form(f): Form<FuelTableFields>,
) -> Result<Response, WebError> {
    built(&prefs, f)
}
