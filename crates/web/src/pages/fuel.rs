//! Fuel and spark of a set: what to paste back into the table, and how sure that is.

use super::{encoding, page};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{blank_or, ethanol, number, numbers};
use crate::views::{FuelFields, fuel_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_core::calculators::kind::FuelFacts;
use jamjar_core::fuelling::cells::Rules;
use jamjar_core::fuelling::injector::on_fuel;
use jamjar_core::fuelling::paste;
use jamjar_core::limits::Threshold;
use jamjar_core::maps::Table;
use jamjar_core::units::typed;
use jamjar_core::words::on_blend_sentence;
use jamjar_store::{FuelRecord, Pour};
use jamjar_workflow::cruise::read_cruise;
use jamjar_workflow::draft::draft;
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
    refused(state, prefs, id, f, String::new()).await
}

/// The page with what is wrong on top; blank for nothing.
async fn refused(
    state: &AppState,
    prefs: &Prefs,
    id: i64,
    f: &FuelFields,
    problem: String,
) -> Result<Response, WebError> {
    let (asked, mut problem) = match asked(f) {
        Ok(a) => (a, problem),
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
    let fuels = state.store.fuel_records().await?;
    let blended = on_blend_words(state, f, &r, &fuels).await?.unwrap_or_else(|e| {
        problem = e;
        String::new()
    });
    let status = if problem.is_empty() { StatusCode::OK } else { StatusCode::UNPROCESSABLE_ENTITY };
    let mut made = fuel_page(&r, f, prefs, after, (&sweep, &cruise, &e), problem);
    made.on_blend = blended;
    made.own_fuels = fuels.into_iter().map(|x| x.said.name).collect();
    Ok((status, page(&made)?).into_response())
}

/// Highest duty that is kept where the vehicle has no limit of its own, %, of port injection (domain, section 7).
const USUAL_DUTY: f64 = 85.0;

/// What another fuel would take of the injectors these pulls showed: a fuel of the shop by its name, or a blend by its
/// ethanol.
async fn on_blend_words(
    state: &AppState,
    f: &FuelFields,
    r: &FuelRead,
    fuels: &[FuelRecord],
) -> Result<Result<String, String>, WebError> {
    let Some((duty, Some(rpm), _)) = r.duty.filter(|_| !f.blend.trim().is_empty()) else {
        return Ok(Ok(String::new()));
    };
    let poured = state.store.poured(r.vehicle.id).await?;
    let before = |p: &&Pour| p.date <= r.day.date && p.fuel == r.set.config.fuel;
    let measured = poured.iter().rev().find(before).and_then(Pour::ethanol);
    let engine = &r.vehicle.vehicle.engine;
    Ok((|| {
        let own = FuelFacts { ethanol: measured.or(r.set.fuel.ethanol), ..r.set.fuel };
        let now = engine.burns(&own).ok_or_else(|| {
            format!("nobody said how much ethanol {} holds: put it right among the fuels", r.set.config.fuel)
        })?;
        let asked = f.blend.trim();
        let (then, to) = match fuels.iter().find(|x| x.said.name.eq_ignore_ascii_case(asked)) {
            Some(x) => (x.said.facts(), x.said.name.clone()),
            None => {
                let e = ethanol("ethanol of the other blend", asked)?;
                (FuelFacts::of_ethanol(e), of_ethanol(e))
            }
        };
        let then = engine.burns(&then).ok_or_else(|| format!("nobody said how much ethanol {to} holds"))?;
        let dead = blank_or(&f.dead, |s| number("dead time", s))?;
        let per_rev = engine.injections_per_rev().ok_or(
            "this engine injects directly: its pulses are held against their own window, and a duty says nothing of it",
        )?;
        let pulse = duty * 600.0 / (rpm * per_rev);
        let b = on_fuel(pulse, dead.unwrap_or(0.0), rpm, per_rev, [now, then]);
        let limit = r.vehicle.limits.iter().find(|l| l.channel.as_str() == "injector_duty");
        let keeps = match limit.map(|l| &l.threshold) {
            Some(Threshold::Constant(most)) => *most,
            _ => USUAL_DUTY,
        };
        let from = own.ethanol.map_or_else(|| r.set.config.fuel.clone(), of_ethanol);
        Ok(on_blend_sentence((duty, rpm), &b, [&from, &to], keeps, dead.is_some()))
    })())
}

fn of_ethanol(share: f64) -> String {
    format!("{:.0} % ethanol", 100.0 * share)
}

/// A draft of the map with these corrections, taken into custody.
pub(crate) async fn make_draft(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<FuelFields>,
) -> Result<Response, WebError> {
    let name = f.draft.trim();
    let made = if name.is_empty() || name.chars().count() > 120 {
        Err("give the draft a name of at most 120 characters".to_owned())
    } else {
        match asked(&f) {
            Ok(asked) => draft(&state.store, id, &asked, name).await?,
            Err(e) => Err(e),
        }
    };
    match made {
        Ok(map) => Ok(Redirect::to(&format!("/maps/{map}/against")).into_response()),
        Err(problem) => refused(&state, &prefs, id, &f, problem).await,
    }
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
