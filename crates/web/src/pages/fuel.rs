//! Fuel and spark of a set: what to paste back into the table, and how sure that is.

use super::{encoding, page};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{blank_or, number, numbers};
use crate::views::{FuelFields, fuel_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use jamjar_core::fuelling::cells::Rules;
use jamjar_core::fuelling::paste;
use jamjar_core::maps::Table;
use jamjar_core::units::typed;
use jamjar_workflow::cruise::read_cruise;
use jamjar_workflow::fuelling::{Asked, FuelRead, read_fuel};
use jamjar_workflow::spark_sweep::read_sweep;

/// Places of an axis as people paste them.
fn places(what: &str, text: &str) -> Result<Vec<f64>, String> {
    let all = numbers(what, text)?;
    if all.windows(2).any(|w| w[1] <= w[0]) {
        return Err(format!("{what}: the places must ascend"));
    }
    Ok(all)
}

fn asked(f: &FuelFields) -> Result<Asked, String> {
    let usual = Rules::default();
    let share = |what: &str, s: &str, usual: f64| {
        Ok::<f64, String>(blank_or(s, |s| number(what, s))?.map_or(usual, |v| (v / 100.0).clamp(0.001, 1.0)))
    };
    Ok(Asked {
        probe: f.probe.clone(),
        y: f.y.clone(),
        x_at: places("engine speeds", &f.x_at)?,
        y_at: places("places down the rows", &f.y_at)?,
        rules: Rules {
            min_hits: blank_or(&f.hits, |s| number("least hits", s))?.map_or(usual.min_hits, |v| v.max(1.0)),
            clamp: share("largest step", &f.clamp, usual.clamp)?,
            only_shown: f.only == "yes",
        },
        target: blank_or(&f.target, |s| number("λ wanted", s))?.filter(|v| (0.5..2.0).contains(v)),
        delay_s: blank_or(&f.delay, |s| number("delay", s))?.filter(|v| (0.0..3.0).contains(v)),
    })
}

/// The table as it was pasted, corrected; `None` where nothing was pasted.
fn applied(f: &FuelFields, r: &FuelRead) -> Result<Option<(Table, Table)>, String> {
    let Ok(cells) = &r.cells else { return Ok(None) };
    if f.table.trim().is_empty() {
        return Ok(None);
    }
    let t = paste::read(&f.table, "the table", &cells.x, &cells.y).map_err(|e| e.problem)?;
    let after = cells.applied(&t);
    Ok(Some((t, after)))
}

async fn built(state: &AppState, prefs: &Prefs, id: i64, f: &FuelFields) -> Result<Response, WebError> {
    let (asked, mut problem) = match asked(f) {
        Ok(a) => (a, String::new()),
        Err(e) => (Asked::default(), e),
    };
    let rpm = typed(&f.rpm).filter(|v| (300.0..25_000.0).contains(v));
    let r = read_fuel(&state.store, id, &asked).await?;
    let cruise = read_cruise(&state.store, id).await?;
    let sweep = read_sweep(&state.store, id, rpm, &prefs.settings(None)).await?;
    let e = encoding(state, r.vehicle.id).await?;
    let after = applied(f, &r).unwrap_or_else(|e| {
        problem = e;
        None
    });
    let status = if problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    Ok((status, page(&fuel_page(&r, f, prefs, after, (&sweep, &cruise, &e), problem))?).into_response())
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(f): Query<FuelFields>,
) -> Result<Response, WebError> {
    built(&state, &prefs, id, &f).await
}

/// The same with a table that was pasted, which no address has room for. Nothing is kept.
pub(crate) async fn apply(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<FuelFields>,
) -> Result<Response, WebError> {
    built(&state, &prefs, id, &f).await
}

/// The factors with their hits and confidence, one cell a line.
pub(crate) async fn csv(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(f): Query<FuelFields>,
) -> Result<Response, WebError> {
    let r = read_fuel(&state.store, id, &asked(&f).map_err(WebError::Bad)?).await?;
    let cells = r.cells.as_ref().map_err(|e| WebError::Bad(e.clone()))?;
    let mut out = csv::Writer::from_writer(Vec::new());
    let down = r.y.as_ref().map_or_else(|| "load".to_owned(), |c| format!("{} ({})", c.label(), c.unit()));
    let head =
        ["engine speed (rpm)", &down, "hits", "visits", "factor", "95 % half-width", "applied", "said"];
    let failed = |e: csv::Error| WebError::Internal(e.to_string());
    out.write_record(head).map_err(failed)?;
    for (k, c) in cells.cells.iter().enumerate() {
        let (i, j) = (k % cells.x.len(), k / cells.x.len());
        let or_blank = |v: Option<f64>| v.map_or_else(String::new, |v| format!("{v:.4}"));
        let said = serde_json::to_value(c.said).ok().and_then(|v| v.as_str().map(str::to_owned));
        out.write_record([
            cells.x[i].to_string(),
            cells.y[j].to_string(),
            format!("{:.1}", c.hits),
            c.visits.to_string(),
            or_blank(c.factor),
            or_blank(c.half_width),
            format!("{:.4}", c.apply),
            said.unwrap_or_default(),
        ])
        .map_err(failed)?;
    }
    let bytes = out.into_inner().map_err(|e| WebError::Internal(e.to_string()))?;
    let name = format!("attachment; filename=\"fuel-{id}.csv\"");
    Ok(([(CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()), (CONTENT_DISPOSITION, name)], bytes)
        .into_response())
}
