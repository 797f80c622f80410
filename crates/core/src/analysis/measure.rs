//! One pull, measured: found, aligned, turned into an uncorrected curve on the grid, and every limit judged.

use super::carried::carried;
use super::input::{Ignition, PullInput, Settings, Vehicle};
use super::raw_grid::{RawGrid, Read, said_cuts};
use super::window::{ecu_part, own_bounds, part};
use crate::air::AirState;
use crate::channel::Channel;
use crate::limits::{Extent, Limit, LimitOutcome, Sources, Traced, trace};
use crate::log::{Flag, Recording, Series};
use crate::pull::align::{Alignment, Pair, Ratio, Status, align, manual, zone_difference};
use crate::pull::detect::{EndedBy, Load, PullKind, PullSpan, detect, full_throttle, offered};
use crate::pull::held::HeldStep;
use crate::pull::power::{DynoKind, PowerError, derive, shaft_speed, slip_load, torque};
use crate::signal::hygiene::look_over;
use crate::signal::savgol::FilterRecord;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use thiserror::Error;

/// Measured and geometric ratio may differ by this share before a person is asked.
const RATIO_DOUBT: f64 = 0.01;

/// Where the overall ratio came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum RatioSource {
    /// Given.
    Geometry,
    /// Both speeds stand in the dyno recording.
    DynoRecording,
    /// Fitted while aligning with the engine computer.
    Alignment,
    /// Not known: the axis is dyno-shaft speed.
    Unknown,
}

/// Share of margin used along the grid; `None` when it could not be drawn.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Lane {
    /// Id of the limit.
    pub limit: String,
    /// One value for each grid speed.
    pub share: Option<Vec<Option<f64>>>,
}

/// One channel over the pull.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct ChannelSummary {
    pub channel: Channel,
    pub mean: f64,
    pub min: f64,
    pub max: f64,
    pub start: f64,
}

/// Everything read from one pull before correction; the unit that is cached.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Measured {
    pub id: String,
    pub excluded: Option<String>,
    pub span: Option<PullSpan>,
    pub pulls_in_file: usize,
    /// The pull's own part of the dyno and the engine-computer recording, each on its own clock; `None` is the whole.
    pub own_window: [Option<[f64; 2]>; 2],
    pub alignment: Alignment,
    pub ratio: f64,
    pub ratio_from: RatioSource,
    pub filter: Option<FilterRecord>,
    pub grid: RawGrid,
    /// The steps the curve was read from, where speeds were held.
    #[serde(default)]
    pub steps: Vec<HeldStep>,
    pub rate_rpm_s: Option<f64>,
    pub estimated: bool,
    pub has_road_speed: bool,
    pub air: Option<AirState>,
    /// Coarsest recorded step behind power, as a share of it; see `carried`.
    #[serde(default)]
    pub step_share: Option<f64>,
    /// Fingerprint of the samples power was made from: two pulls that share it are one.
    #[serde(default)]
    pub print: Option<u64>,
    pub limits: Vec<LimitOutcome>,
    pub lanes: Vec<Lane>,
    pub channels: Vec<ChannelSummary>,
    pub flags: Vec<Flag>,
}

/// A pull that cannot be measured at all.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("{log}: {problem}")]
pub struct MeasureError {
    /// Name of the log.
    pub log: String,
    /// What is missing and what to do.
    pub problem: PowerError,
}

/// Measures one pull.
///
/// # Errors
/// [`MeasureError`] when the dyno recording lacks the channels its kind needs. A log without a pull is not an error: it comes back
/// with a flag and an empty curve.
pub fn measure(input: &PullInput, vehicle: &Vehicle, settings: &Settings, limits: &[Limit]) -> Result<Measured, MeasureError> {
    let dyno = &vehicle.dyno;
    let fail = |problem| MeasureError { log: input.dyno.name.clone(), problem };
    let shaft = shaft_speed(&input.dyno, dyno.overall_ratio).ok_or_else(|| fail(PowerError::MissingSpeed))?;
    if dyno.kind != DynoKind::RollerInertia {
        torque(&input.dyno, dyno.kind).map_err(fail)?;
    }
    let mut flags = input.dyno.flags.clone();
    flags.extend(input.ecu.iter().flat_map(|l| l.flags.clone()));
    let (given, mut ratio_from) = starting_ratio(&input.dyno, dyno.overall_ratio);
    let mut found: Vec<PullSpan> = offered(detect(&shaft, &Load::from_log(&input.dyno), given.unwrap_or(1.0)));
    // An inertia drum has nothing to hold a speed with.
    found.retain(|p| p.kind != PullKind::HeldSteps || dyno.kind != DynoKind::RollerInertia);
    let load = slip_load(&input.dyno, &shaft, dyno.kind);
    let (chosen, alignment) = choose(input, &shaft, &found, given, load.as_ref());
    let mut span = chosen.map(|i| found[i]);
    if found.len() > 1 && input.pull_index.is_none() {
        flags.push(Flag::new(
            "several_pulls",
            format!(
                "{} pulls in {}: number {} was taken; the others need entries of their own",
                found.len(),
                input.dyno.name,
                chosen.map_or(0, |i| i + 1)
            ),
        ));
    }
    if alignment.status == Status::Refused {
        flags.push(Flag::new("not_aligned", alignment.reason.clone().unwrap_or_default()));
    }
    if let Some(zone) = alignment.usable_lag().map(zone_difference).filter(|z| z.abs() > 0.0 && clocks_of_day(input)) {
        let text =
            format!("the two recorders' clocks are {:.1} h apart: another time zone, summer time, or midnight in between", zone.abs() / 3600.0);
        flags.push(Flag::new("clock_zone", text));
    }
    let mut ratio = given.unwrap_or(1.0);
    if given.is_none() {
        match alignment.measured_ratio.filter(|_| alignment.usable()) {
            Some(k) => (ratio, ratio_from) = (k, RatioSource::Alignment),
            None if dyno.kind == DynoKind::Engine => {}
            None => flags.push(Flag::new(
                "axis_is_shaft_speed",
                "the overall ratio is not known and no engine speed is aligned: the axis is dyno-shaft speed",
            )),
        }
    }
    doubt_ratio(&input.dyno, &alignment, given, &mut flags);
    let seen = input.ecu.as_deref().map_or_else(Vec::new, pulls_seen);
    if let Some(p) = span.as_mut().filter(|p| p.kind != PullKind::HeldSteps) {
        use_ecu_throttle(p, input.ecu.as_deref(), &seen, &alignment);
    }
    let (mut own, mut foreign) = ([None, None], false);
    if let Some(p) = &span {
        let all: Vec<[f64; 2]> = found.iter().map(|f| [f.from_s, f.to_s]).collect();
        own[0] = chosen.and_then(|i| own_bounds(&all, i));
        if let Some(part) = input.ecu.as_deref().map(|e| ecu_part(p, own[0], e, &seen, alignment.usable_lag())) {
            (own[1], foreign) = (part.bounds, part.foreign);
        }
    }
    let (dyno_part, ecu_part) = own_parts(input, own);
    let (shaft_log, ecu) = (dyno_part.as_ref(), ecu_part.as_deref());
    let sources = limit_sources(input, (shaft_log, ecu), &alignment, span.as_ref(), vehicle).with_foreign_log(foreign);
    for (log, extent) in [(Some(shaft_log), sources.extents().dyno), (ecu, sources.extents().ecu)] {
        flags.extend(log.into_iter().flat_map(|l| look_over(l, extent.map(Extent::ends))));
    }
    let traced: Vec<Result<Traced<'_>, Box<LimitOutcome>>> = limits.iter().map(|l| trace(l, &sources)).collect();
    let limit_outcomes = traced.iter().map(|t| t.as_ref().map_or_else(|o| (**o).clone(), |t| t.outcome(&sources))).collect();
    let mut out = Measured {
        id: input.id.clone(),
        excluded: input.excluded.clone(),
        span,
        pulls_in_file: found.len(),
        ratio,
        ratio_from,
        filter: None,
        grid: RawGrid::default(),
        steps: Vec::new(),
        rate_rpm_s: span.filter(|s| s.kind != PullKind::HeldSteps).map(|s| s.rate * ratio),
        estimated: input.coast_down.is_some(),
        has_road_speed: input.dyno.has("road_speed") || ecu.is_some_and(|l| l.has("road_speed")),
        air: input.air,
        step_share: None,
        print: None,
        limits: limit_outcomes,
        lanes: Vec::new(),
        channels: Vec::new(),
        flags: Vec::new(),
        own_window: own,
        alignment,
    };
    match span {
        None => flags.push(Flag::new(
            "no_pull",
            format!("no pull found in {}: under full load speed never rises by 1000 rpm for 1.5 s, nor is it held at three speeds", input.dyno.name),
        )),
        Some(p) => {
            let said = said_cuts(shaft_log, ecu, &out.alignment);
            let trace = derive(shaft_log, &p, dyno, ratio, input.coast_down.as_ref(), settings.smoothing_s, &said).map_err(fail)?;
            flags.extend(trace.flags.iter().cloned());
            out.filter = Some(trace.filter);
            (out.step_share, out.print) = carried(shaft_log, &p, dyno.kind, settings.smoothing_s);
            match p.kind {
                PullKind::HeldSteps => flags.push(Flag::new("held_steps", "speeds held one after the other")),
                PullKind::LugDown => flags.push(Flag::new("lug_down", "speed pulled down under load")),
                PullKind::SweepUp => {}
            }
            let read = Read { trace: &trace, span: &p, dyno: shaft_log, ecu, alignment: &out.alignment, air: input.air };
            (out.grid, out.steps) = read.grid(settings.grid_rpm, &mut flags);
            let lane = |t: &Traced<'_>| {
                let shift = if t.on_ecu_clock() { out.alignment.usable_lag()? } else { 0.0 };
                t.lane(&out.grid.rpm, settings.grid_rpm, p.from_s + shift, p.to_s + shift)
            };
            let lanes = limits.iter().zip(&traced).map(|(l, t)| Lane { limit: l.id.clone(), share: t.as_ref().ok().and_then(lane) });
            out.lanes = lanes.collect();
            out.channels = summaries(shaft_log, ecu, &out.alignment, &p);
        }
    }
    out.flags = flags;
    Ok(out)
}

/// Whether both recordings carry times of day.
fn clocks_of_day(input: &PullInput) -> bool {
    input.ecu.as_deref().is_some_and(|l| l.clock_of_day_s.is_some()) && input.dyno.clock_of_day_s.is_some()
}

fn starting_ratio(log: &Recording, geometry: Option<f64>) -> (Option<f64>, RatioSource) {
    if let Some(k) = geometry {
        return (Some(k), RatioSource::Geometry);
    }
    match two_speed_ratio(log) {
        Some(k) => (Some(k), RatioSource::DynoRecording),
        None if !log.has("roller_speed") => (Some(1.0), RatioSource::DynoRecording),
        None => (None, RatioSource::Unknown),
    }
}

/// Median engine ÷ shaft speed when the dyno recording holds both.
fn two_speed_ratio(log: &Recording) -> Option<f64> {
    let (e, s) = (log.column("engine_speed")?, log.column("roller_speed")?);
    let top = s.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
    let mut k: Vec<f64> = e.iter().zip(s).filter(|(e, s)| e.is_finite() && **s > 0.5 * top && **s > 0.0).map(|(e, s)| e / s).collect();
    (k.len() >= 10).then(|| crate::signal::hygiene::median_in_place(&mut k))
}

fn doubt_ratio(log: &Recording, alignment: &Alignment, given: Option<f64>, flags: &mut Vec<Flag>) {
    let Some(k) = given else { return };
    let from_alignment = alignment.measured_ratio.filter(|_| alignment.residual_rpm.is_some());
    if let Some(m) = two_speed_ratio(log).or(from_alignment).filter(|m| (m / k - 1.0).abs() > RATIO_DOUBT) {
        let off = 100.0 * (m / k - 1.0);
        let text = match alignment.slip_share.filter(|_| alignment.usable()) {
            Some(s) => {
                format!("the dyno turns up to {:.1} % slower under load than the ratio of {k:.3} says: slip of tyre, clutch or converter", 100.0 * s)
            }
            None => format!("the measured ratio is {m:.3}, the geometry says {k:.3} ({off:+.1} %): wrong gear, or slip?"),
        };
        flags.push(Flag::new("ratio_differs", text));
    }
}

/// What limits are judged on: the pull's own parts, when it ran, and what stands elsewhere in its recordings.
pub(super) fn limit_sources<'a>(
    input: &'a PullInput,
    (dyno, ecu): (&'a Recording, Option<&'a Recording>),
    alignment: &'a Alignment,
    span: Option<&PullSpan>,
    vehicle: &Vehicle,
) -> Sources<'a> {
    let diesel = vehicle.engine.ignition == Ignition::Compression;
    Sources::new(dyno, ecu, alignment, span).out_of(&input.dyno, input.ecu.as_deref()).on_diesel(diesel)
}

/// Pulls in the engine computer's own recording.
pub(super) fn pulls_seen(log: &Recording) -> Vec<PullSpan> {
    log.series("engine_speed").map_or_else(Vec::new, |n| offered(detect(&n, &Load::from_log(log), 1.0)))
}

/// The recordings of a pull cut to its own windows.
pub(super) fn own_parts(input: &PullInput, own: [Option<[f64; 2]>; 2]) -> (Cow<'_, Recording>, Option<Cow<'_, Recording>>) {
    (part(&input.dyno, own[0]), input.ecu.as_deref().map(|e| part(e, own[1])))
}

/// Picks the pull: by index, else the first that aligns, else the first; sweeps before held speeds, which may be a cruise before them.
fn choose(input: &PullInput, shaft: &Series, found: &[PullSpan], k: Option<f64>, load: Option<&Series>) -> (Option<usize>, Alignment) {
    let candidates: Vec<usize> = match input.pull_index {
        Some(i) => (i < found.len()).then_some(i).into_iter().collect(),
        None => {
            let swept = |i: &usize| found[*i].kind != PullKind::HeldSteps;
            (0..found.len()).filter(swept).chain((0..found.len()).filter(|i| !swept(i))).collect()
        }
    };
    let ecu = input.ecu.as_deref().and_then(|l| l.series("engine_speed"));
    let (Some(first), Some(speed)) = (candidates.first().copied(), ecu) else {
        let mut none = Alignment::single_log();
        if input.ecu.is_some() {
            none = none.refuse(if candidates.is_empty() {
                "there is no pull in the dyno recording to align"
            } else {
                "the engine-computer log has no engine speed"
            });
        }
        return (candidates.first().copied(), none);
    };
    let ratio = k.map_or(Ratio::Free, Ratio::Known);
    let clocks_of_day = clocks_of_day(input);
    let mut best: Option<(usize, Alignment)> = None;
    for i in candidates {
        let pair = Pair { dyno: shaft, ecu: &speed, pull: &found[i], ratio, rigid: load.is_none(), load, clocks_of_day };
        let a = match input.lag_s {
            Some(lag) => manual(&pair, lag),
            None => align(&pair),
        };
        let usable = a.usable();
        if best.is_none() || usable {
            best = Some((i, a));
        }
        if usable {
            break;
        }
    }
    let (chosen, mut found_lag) = best.unwrap_or((first, Alignment::single_log()));
    if found_lag.status == Status::Refused && k.is_some() {
        let pair = Pair { dyno: shaft, ecu: &speed, pull: &found[chosen], ratio: Ratio::Free, rigid: false, load: None, clocks_of_day };
        found_lag = by_another_ratio(found_lag, &align(&pair), k);
    }
    (Some(chosen), found_lag)
}

/// A refused pair that agrees well under another ratio: the geometry does not hold, and the reason says so.
fn by_another_ratio(refused: Alignment, free: &Alignment, k: Option<f64>) -> Alignment {
    match (k, free.measured_ratio) {
        (Some(k), Some(m)) if free.status == Status::Aligned && (m / k - 1.0).abs() > RATIO_DOUBT => {
            let reason = format!("the two speeds agree with a ratio of {m:.3}, and the geometry says {k:.3}: wrong gear, or slip?");
            Alignment { measured_ratio: Some(m), residual_rpm: free.residual_rpm, lag_s: free.lag_s, ..refused.refuse(reason) }
        }
        _ => refused,
    }
}

/// Takes the end of the pull from the log that knows the throttle.
fn use_ecu_throttle(p: &mut PullSpan, ecu: Option<&Recording>, seen: &[PullSpan], alignment: &Alignment) {
    let (Some(log), Some(lag)) = (ecu, alignment.usable_lag()) else { return };
    let load = Load::from_log(log);
    let Some(throttle) = &load.throttle else { return };
    let (inside, full) = (throttle.between(p.from_s + lag, p.to_s + lag), full_throttle(throttle));
    if let (Some(first), Some(last)) = (inside.v.iter().position(|v| *v >= full), inside.v.iter().rposition(|v| *v >= full))
        && inside.t[last] - inside.t[first] >= crate::pull::detect::MIN_DURATION_S
    {
        // Where the throttle is blank it says nothing: an end moves only to where it was seen to be less than full.
        if first > 0 {
            p.from_s = p.from_s.max(inside.t[first] - lag);
        }
        if last + 1 < inside.len() {
            p.to_s = p.to_s.min(inside.t[last] - lag);
        }
    }
    let middle = 0.5 * (p.from_s + p.to_s) + lag;
    if let Some(seen) = seen.iter().find(|s| s.from_s <= middle && middle <= s.to_s)
        && p.ended_by != EndedBy::EndOfLog
        && seen.ended_by != EndedBy::EndOfLog
    {
        p.ended_by = seen.ended_by;
    }
}

fn summaries(dyno: &Recording, ecu: Option<&Recording>, alignment: &Alignment, p: &PullSpan) -> Vec<ChannelSummary> {
    let mut out: Vec<ChannelSummary> = Vec::new();
    let lag = alignment.usable_lag();
    for (log, shift) in [ecu.zip(lag), Some((dyno, 0.0))].into_iter().flatten() {
        for channel in log.channels.keys() {
            let Some(s) = log.series(channel.as_str()).map(|s| s.between(p.from_s + shift, p.to_s + shift)).filter(|s| !s.is_empty()) else {
                continue;
            };
            if out.iter().all(|o| o.channel != *channel) {
                let (min, max) = s.v.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
                out.push(ChannelSummary { channel: channel.clone(), mean: s.v.iter().sum::<f64>() / s.len() as f64, min, max, start: s.v[0] });
            }
        }
    }
    out
}
