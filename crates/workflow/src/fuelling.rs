//! Fuel and spark of a set, read from the samples of its pulls: mixture against its target, corrections cell by cell,
//! cylinders, injectors, and what spark did.

use crate::error::{WorkflowError, blocking};
use crate::map_text::map_text;
use crate::samples::each_pull;
use crate::sets::day_sets;
use jamjar_core::analysis::{Beside, Measured};
use jamjar_core::channel::Channel;
use jamjar_core::fuelling::cells::{Corrections, Rules, Sample, corrections};
use jamjar_core::fuelling::cylinders::{Cylinders, cylinders};
use jamjar_core::fuelling::delay::{Fitted, Path, fit};
use jamjar_core::fuelling::injector::{Sag, sag};
use jamjar_core::fuelling::seen::{Around, Seen, seen};
use jamjar_core::log::{Recording, Series};
use jamjar_core::maps::{Axis, Table};
use jamjar_core::spark::adapts::{Adapts, adapts};
use jamjar_core::spark::delivered::{Recorded, spark};
use jamjar_store::{Day, Set, Store, StoreError, Summary, VehicleRecord};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Mixture outside this is no burning engine's, λ (our choice).
const BURNS: std::ops::Range<f64> = 0.55..1.6;
/// Nothing is learned from a cut of fuel until this long after it, s (our choice).
const AFTER_CUT_S: f64 = 0.6;
/// A plate this far shut above idle overruns, %: what burns there, if anything does, is nobody's target (our choice).
const SHUT: f64 = 4.0;
const OVERRUN_RPM: f64 = 1500.0;
/// Engine speed below which nothing is learned, rpm.
const LOWEST_RPM: f64 = 400.0;

/// What is asked for; what is blank is the usual.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Asked {
    /// One probe; all of them together where blank.
    pub probe: String,
    /// Channel down the rows.
    pub y: String,
    /// Places along a row, rpm.
    pub x_at: Vec<f64>,
    /// Places down the rows.
    pub y_at: Vec<f64>,
    /// Rules of the correction.
    pub rules: Rules,
    /// λ wanted, where no target was logged.
    pub target: Option<f64>,
    /// Transport delay, s, where a person knows better.
    pub delay_s: Option<f64>,
}

/// Where a delay comes from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum DelayFrom {
    /// From steps of the target.
    Fitted(Fitted),
    /// A person said so.
    Typed,
    /// From the flow, the pressure and the temperature of the exhaust in the middle of the pulls.
    Path,
    /// Nothing to tell it by: the fixed part of a usual path.
    Assumed,
}

/// Where a λ target comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TargetFrom {
    /// The engine computer logged it.
    Logged,
    /// The set's map file in custody has a table of it.
    Map,
    /// A person typed it: one λ for full load.
    Typed,
}

/// What a pull showed of its mixture.
#[derive(Debug, Clone)]
pub struct PullSeen {
    /// The pull.
    pub pull_id: i64,
    /// Its place, from 1.
    pub position: usize,
    /// Probe and what it showed.
    pub seen: Vec<(Channel, Seen)>,
}

/// Fuel and spark of a set.
#[derive(Debug, Clone)]
pub struct FuelRead {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// The day.
    pub day: Day,
    /// The set.
    pub set: Set,
    /// Pulls with samples.
    pub pulls: usize,
    /// λ probes there are.
    pub probes: Vec<Channel>,
    /// Channels that can stand down the rows.
    pub downs: Vec<Channel>,
    /// The one that does.
    pub y: Option<Channel>,
    /// Where the λ target comes from.
    pub target_from: Option<TargetFrom>,
    /// Delay taken out, s.
    pub delay_s: f64,
    /// Where it comes from.
    pub delay_from: DelayFrom,
    /// Corrections, or why there are none.
    pub cells: Result<Corrections, String>,
    /// Samples not learned from because fuel was cut or the engine overran.
    pub cut: usize,
    /// What the pulls showed.
    pub seen: Vec<PullSeen>,
    /// Cylinders against each other, mean λ over the pull.
    pub cylinders: Option<Cylinders>,
    /// Highest injector duty, %, its engine speed and its pull.
    pub duty: Option<(f64, Option<f64>, i64)>,
    /// Largest sag of the pressure across the injectors.
    pub sag: Option<(Sag, i64)>,
    /// What a recorded spark is.
    pub recorded: Option<Recorded>,
    /// Mean delivered spark of each pull over the speeds they share.
    pub spark: Vec<f64>,
    /// Whether the map learns.
    pub adapts: Option<Adapts>,
}

/// What is needed of one pull.
struct OfPull {
    speed: Option<Series>,
    downs: BTreeMap<Channel, Series>,
    probes: BTreeMap<Channel, Series>,
    target: Option<Series>,
    /// It was logged, and not read from the map's own table.
    target_logged: bool,
    fuel_cut: Option<Series>,
    span: Option<[f64; 2]>,
    fitted: Option<Fitted>,
    path: Option<f64>,
    duty: Option<(f64, Option<f64>)>,
    sag: Option<Sag>,
    /// Engine speed and delivered spark within the pull.
    spark: Vec<(f64, f64)>,
    recorded: Option<Recorded>,
}

/// Loads that may stand down the rows, the usual first.
const DOWNS: [&str; 5] = ["manifold_pressure", "throttle", "pedal", "air_flow", "boost_target"];

/// The air around a pull, kPa: as it was logged, or read in the cell, or at sea level.
pub(crate) fn ambient_kpa(beside: &Beside<'_>, m: &Measured) -> f64 {
    let logged =
        beside.series("ambient_pressure").and_then(|s| s.mean_between(f64::NEG_INFINITY, f64::INFINITY));
    logged.or_else(|| m.air.map(|a| a.pressure_hpa / 10.0)).unwrap_or(101.325)
}

/// The λ target of a map's own table, along a recording.
fn by_map(table: &Table, beside: &Beside<'_>) -> Option<Series> {
    // An axis in another unit, or a target on another scale, is not guessed at.
    let own = |a: &Axis| {
        let known = Channel::new(a.channel.as_str()).ok().map(|c| c.unit());
        a.unit.is_empty() || known == Some(a.unit.as_str())
    };
    if !own(&table.x) || !table.y.as_ref().is_none_or(own) || !matches!(table.unit.as_str(), "" | "λ") {
        return None;
    }
    let (x, down) = (beside.series(&table.x.channel)?, table.y.as_ref());
    let load = match down {
        Some(y) => Some(beside.series(&y.channel)?),
        None => None,
    };
    let mut at = load.as_ref().map(Series::reader);
    let along = x.t.iter().zip(&x.v).filter_map(|(t, x)| {
        let y = match &mut at {
            Some(r) => r.at(*t)?,
            None => 0.0,
        };
        Some((*t, table.at(*x, y)))
    });
    let (t, v) = along.unzip();
    Some(Series { t, v })
}

fn of_pull(dyno: &Recording, ecu: Option<&Recording>, m: &Measured, map: Option<&Table>) -> OfPull {
    let lag = m.lag();
    // Without a lag the engine computer's log stands on its own clock, if it holds all of it.
    let empty = Recording::default();
    let alone = lag.is_none() && ecu.is_some_and(|e| e.has("engine_speed") && e.has("lambda_1"));
    let beside = if alone {
        Beside { dyno: &empty, ecu: ecu.map(|e| (e, 0.0)) }
    } else {
        Beside { dyno, ecu: ecu.zip(lag) }
    };
    let span = m.span.filter(|_| !alone).map(|s| [s.from_s, s.to_s]);
    let all = |kind: &str| beside.of_kind(kind).into_iter().collect::<BTreeMap<Channel, Series>>();
    let (speed, logged) = (beside.series("engine_speed"), beside.series("lambda_target"));
    let probes = all("lambda");
    let target_logged = logged.is_some();
    // Only what the computer itself asked for steps when the fuel does: a table read afterwards does not.
    let fitted = logged.as_ref().and_then(|t| probes.values().find_map(|p| fit(t, p)));
    let target = logged.or_else(|| by_map(map?, &beside));
    let within = |name: &str| {
        let [a, b] = span?;
        Some(beside.series(name)?.between(a, b))
    };
    let middle = |name: &str| {
        let mut v = within(name)?.v;
        if v.is_empty() {
            return None;
        }
        v.sort_by(f64::total_cmp);
        Some(v[v.len() / 2])
    };
    let flow = middle("air_flow").map(|a| a + middle("fuel_flow").unwrap_or(0.08 * a));
    let path = flow.and_then(|g| {
        let pressure = middle("back_pressure").unwrap_or(110.0);
        Path::default().delay_s(pressure, g, middle("exhaust_temp_1").unwrap_or(800.0))
    });
    let duty = within("injector_duty").and_then(|d| {
        let i = (0..d.len()).max_by(|&a, &b| d.v[a].total_cmp(&d.v[b]))?;
        Some((d.v[i], speed.as_ref().and_then(|n| n.at(d.t[i]))))
    });
    // Fuel pressure is read above the air around it, manifold pressure from nothing.
    let ambient = ambient_kpa(&beside, m);
    let across = within("fuel_pressure").and_then(|f| {
        let boost = beside.series("manifold_pressure")?;
        let mut at = boost.reader();
        let (t, v): (Vec<f64>, Vec<f64>) =
            f.t.iter().zip(&f.v).filter_map(|(t, p)| Some((*t, p + ambient - at.at(*t)?))).unzip();
        sag(&t, &v)
    });
    let retards: Vec<Series> = all("knock_retard").into_values().collect();
    let timing = beside.series("spark_advance").map(|s| spark(&s, &retards));
    let inside = timing.as_ref().zip(span).map(|(s, [a, b])| s.delivered.between(a, b));
    let pairs = inside.zip(speed.as_ref()).map_or_else(Vec::new, |(s, n)| {
        let mut at = n.reader();
        s.t.iter().zip(&s.v).filter_map(|(t, v)| Some((at.at(*t)?, *v))).collect()
    });
    OfPull {
        downs: DOWNS.iter().filter_map(|n| Some((Channel::new(*n).ok()?, beside.series(n)?))).collect(),
        fuel_cut: beside.series("fuel_cut"),
        recorded: timing.map(|s| s.recorded),
        spark: pairs,
        sag: across,
        speed,
        probes,
        target,
        target_logged,
        span,
        fitted,
        path,
        duty,
    }
}

/// Reads fuel and spark of a set.
///
/// # Errors
/// [`WorkflowError`] when there is no such set or its samples cannot be read.
pub async fn read_fuel(store: &Store, set_id: i64, asked: &Asked) -> Result<FuelRead, WorkflowError> {
    let set = store.set(set_id).await?;
    let (vehicle, day) = (store.vehicle(set.vehicle_id).await?, store.day(set.day_id).await?);
    let own = day_sets(store, day.id, &vehicle).await?.into_iter().find(|s| s.set.id == set_id);
    let own = own.ok_or(StoreError::NotFound { what: "set", id: set_id })?;
    // What a person types goes before the map's own table, and what was logged before both.
    let logged = |s: &Summary| s.measured.channels.iter().any(|c| c.channel.as_str() == "lambda_target");
    let map = if asked.target.is_some() || own.pulls.iter().all(|(_, s)| logged(s)) {
        None
    } else {
        target_table(store, &set).await?
    };
    let mut wanted = Vec::new();
    for (i, (p, s)) in own.pulls.iter().enumerate() {
        if s.measured.printed.is_none() && p.shares.is_none() {
            let m = s.measured.clone();
            let map = map.clone();
            let read = move |dyno: Recording, ecu: Option<Recording>| {
                of_pull(&dyno, ecu.as_ref(), &m, map.as_deref())
            };
            wanted.push(((i, p.id), p.id, read));
        }
    }
    let per_rev = vehicle.vehicle.engine.injections_per_rev();
    let mut pulls = each_pull(store, per_rev, wanted).await?;
    pulls.sort_by_key(|p| p.0.0);
    let asked = asked.clone();
    blocking(move || put_together(vehicle, day, set, &pulls, &asked)).await
}

fn put_together(
    vehicle: VehicleRecord,
    day: Day,
    set: Set,
    pulls: &[((usize, i64), OfPull)],
    asked: &Asked,
) -> FuelRead {
    let each = || pulls.iter().map(|p| &p.1);
    let probes: BTreeSet<Channel> = each().flat_map(|p| p.probes.keys().cloned()).collect();
    let known: BTreeSet<Channel> = each().flat_map(|p| p.downs.keys().cloned()).collect();
    let downs: Vec<Channel> =
        DOWNS.iter().filter_map(|n| known.iter().find(|c| c.as_str() == *n).cloned()).collect();
    let y = downs.iter().find(|c| c.as_str() == asked.y).or(downs.first()).cloned();
    let mut fits: Vec<Fitted> = each().filter_map(|p| p.fitted).collect();
    fits.sort_by(|a, b| a.delay_s.total_cmp(&b.delay_s));
    let mut paths: Vec<f64> = each().filter_map(|p| p.path).collect();
    paths.sort_by(f64::total_cmp);
    let (delay_s, delay_from) = match (asked.delay_s, fits.get(fits.len() / 2), paths.get(paths.len() / 2)) {
        (Some(s), ..) => (s, DelayFrom::Typed),
        (None, Some(f), _) => (f.delay_s, DelayFrom::Fitted(*f)),
        (None, None, Some(s)) => (*s, DelayFrom::Path),
        (None, None, None) => (Path::default().fixed_s, DelayFrom::Assumed),
    };
    let (samples, cut) = samples_of(pulls, asked, y.as_ref(), delay_s);
    let has_target = each().any(|p| p.target.is_some());
    let target_from = if each().any(|p| p.target_logged) {
        Some(TargetFrom::Logged)
    } else if has_target {
        Some(TargetFrom::Map)
    } else {
        asked.target.map(|_| TargetFrom::Typed)
    };
    let cells =
        cells_of(&samples, pulls, asked, y.as_ref()).map_err(|why| match (probes.is_empty(), has_target) {
            (true, _) => "no λ was logged in these pulls: nothing can be corrected".to_owned(),
            (false, false) if asked.target.is_none() => {
                "no λ target was logged, and the set's map file in custody has no table of it: type the λ that was wanted".to_owned()
            }
            _ => why,
        });
    let seen = pulls.iter().map(|((i, id), p)| PullSeen {
        pull_id: *id,
        position: i + 1,
        seen: seen_of(p, asked, delay_s),
    });
    let seen: Vec<PullSeen> = seen.filter(|s| !s.seen.is_empty()).collect();
    let names: Vec<&Channel> = probes.iter().collect();
    let means: Vec<Vec<Option<f64>>> = each()
        .map(|p| {
            let mean = |c: &&Channel| {
                let [a, b] = p.span?;
                p.probes.get(*c)?.mean_between(a + delay_s, b + delay_s)
            };
            names.iter().map(mean).collect()
        })
        .collect();
    let duty = pulls
        .iter()
        .filter_map(|((_, id), p)| p.duty.map(|d| (d.0, d.1, *id)))
        .max_by(|a, b| a.0.total_cmp(&b.0));
    let sag = pulls
        .iter()
        .filter_map(|((_, id), p)| p.sag.map(|s| (s, *id)))
        .max_by(|a, b| a.0.share.total_cmp(&b.0.share));
    let spark = shared_spark(pulls);
    FuelRead {
        pulls: pulls.len(),
        probes: probes.into_iter().collect(),
        downs,
        y,
        target_from,
        delay_s,
        delay_from,
        cells,
        cut,
        seen,
        cylinders: cylinders(&means),
        duty,
        sag,
        recorded: each()
            .filter_map(|p| p.recorded)
            .find(|r| *r != Recorded::Same)
            .or(each().find_map(|p| p.recorded)),
        adapts: adapts(&spark),
        spark,
        vehicle,
        day,
        set,
    }
}

/// The table of λ targets of a set's map, where its file is in custody in a form that can be read.
async fn target_table(store: &Store, set: &Set) -> Result<Option<Arc<Table>>, WorkflowError> {
    let maps = store.maps(set.vehicle_id).await?;
    let Some(own) = maps.iter().find(|m| m.name == set.config.map) else { return Ok(None) };
    let read = map_text(store, own).await?.ok();
    Ok(read.and_then(|m| m.table("lambda_target").cloned()).map(Arc::new))
}

/// λ wanted at a time.
fn wanted_at(p: &OfPull, asked: &Asked) -> impl FnMut(f64) -> Option<f64> {
    let mut reader = p.target.as_ref().map(Series::reader);
    let typed = asked.target;
    move |t| match &mut reader {
        Some(r) => r.at(t),
        None => typed,
    }
}

fn samples_of(
    pulls: &[((usize, i64), OfPull)],
    asked: &Asked,
    y: Option<&Channel>,
    delay_s: f64,
) -> (Vec<Sample>, usize) {
    let (mut out, mut cut) = (Vec::new(), 0);
    let Some(y) = y else { return (out, cut) };
    for (k, (_, p)) in pulls.iter().enumerate() {
        let (Some(speed), Some(down)) = (&p.speed, p.downs.get(y)) else { continue };
        for probe in p.probes.iter().filter(|c| asked.probe.is_empty() || c.0.as_str() == asked.probe) {
            let (mut n, mut d, mut want) = (speed.reader(), down.reader(), wanted_at(p, asked));
            let mut plate = p.downs.iter().find(|d| d.0.as_str() == "throttle").map(|d| d.1.reader());
            // One λ for all places is that of full load.
            let only = p.span.filter(|_| p.target.is_none());
            for (t, v) in probe.1.t.iter().zip(&probe.1.v).filter(|s| BURNS.contains(s.1)) {
                let t = t - delay_s;
                if only.is_some_and(|[a, b]| t < a || t > b) {
                    continue;
                }
                let (Some(rpm), Some(load), Some(w)) = (n.at(t), d.at(t), want(t)) else { continue };
                if rpm < LOWEST_RPM {
                    continue;
                }
                if rpm > OVERRUN_RPM && plate.as_mut().and_then(|r| r.at(t)).is_some_and(|v| v < SHUT) {
                    cut += 1;
                    continue;
                }
                if p.fuel_cut
                    .as_ref()
                    .is_some_and(|c| c.between(t - AFTER_CUT_S, t + 0.1).v.iter().any(|v| *v > 0.5))
                {
                    cut += 1;
                    continue;
                }
                out.push(Sample { x: rpm, y: load, ratio: v / w, t, pull: k as u32 });
            }
        }
    }
    (out, cut)
}

fn cells_of(
    samples: &[Sample],
    pulls: &[((usize, i64), OfPull)],
    asked: &Asked,
    y: Option<&Channel>,
) -> Result<Corrections, String> {
    let y =
        y.ok_or("no load was logged that could stand down the rows: manifold pressure, throttle or pedal")?;
    let usual = |of: &dyn Fn(&OfPull) -> Option<&Series>, step: f64| {
        let all = pulls.iter().filter_map(|p| of(&p.1)).flat_map(|s| &s.v);
        let (low, high) = all.fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
        let first = (low / step).floor().max(0.0);
        let last = (high / step).ceil();
        if last > first && last.is_finite() {
            (first as i64..=last as i64).map(|k| k as f64 * step).collect()
        } else {
            Vec::new()
        }
    };
    let x_at = if asked.x_at.is_empty() { usual(&|p| p.speed.as_ref(), 500.0) } else { asked.x_at.clone() };
    let y_at = if asked.y_at.is_empty() { usual(&|p| p.downs.get(y), 10.0) } else { asked.y_at.clone() };
    corrections(&x_at, &y_at, samples, &asked.rules).map_err(|e| e.to_string())
}

fn seen_of(p: &OfPull, asked: &Asked, delay_s: f64) -> Vec<(Channel, Seen)> {
    let Some(span) = p.span else { return Vec::new() };
    let flat = asked.target.map(|v| Series { t: vec![span[0] - 1.0, span[1] + 1.0], v: vec![v; 2] });
    let Some(target) = p.target.as_ref().or(flat.as_ref()) else { return Vec::new() };
    let around = Around { target, speed: p.speed.as_ref(), fuel_cut: p.fuel_cut.as_ref(), span, delay_s };
    let probes = p.probes.iter().filter(|c| asked.probe.is_empty() || c.0.as_str() == asked.probe);
    probes.flat_map(|(c, s)| seen(s, &around).into_iter().map(|x| (c.clone(), x))).collect()
}

/// Mean delivered spark of each pull over the speeds that all of them passed.
fn shared_spark(pulls: &[((usize, i64), OfPull)]) -> Vec<f64> {
    let all: Vec<&Vec<(f64, f64)>> = pulls.iter().map(|p| &p.1.spark).filter(|s| s.len() > 5).collect();
    let ends =
        |s: &Vec<(f64, f64)>| s.iter().fold((f64::INFINITY, 0.0_f64), |(a, b), p| (a.min(p.0), b.max(p.0)));
    let (low, high) =
        all.iter().map(|s| ends(s)).fold((0.0_f64, f64::INFINITY), |(a, b), e| (a.max(e.0), b.min(e.1)));
    let mean = |s: &&Vec<(f64, f64)>| {
        let inside: Vec<f64> = s.iter().filter(|p| p.0 >= low && p.0 <= high).map(|p| p.1).collect();
        (!inside.is_empty()).then(|| inside.iter().sum::<f64>() / inside.len() as f64)
    };
    all.iter().filter_map(mean).collect()
}
