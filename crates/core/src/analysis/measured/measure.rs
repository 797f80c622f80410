//! One pull, measured: found, aligned, turned into an uncorrected curve on the grid, and every limit judged.

use super::beside::Beside;
use super::drawn::Drawing;
use super::finished;
use super::log_only::log_only;
use super::ratio::{RATIO_DOUBT, another_gear, doubt_ratio, starting_ratio};
use super::raw_grid::RawGrid;
use super::result::{Lane, MeasureError, Measured, RatioSource};
use super::summaries::summaries;
use super::tells::tells;
use super::window::{ecu_part, own_bounds, own_parts};
use crate::analysis::given::{Finished, Ignition, PullInput, Settings, Vehicle};
use crate::computed::with_computed;
use crate::findings::{Finding, Refusal};
use crate::limits::{Extent, Limit, LimitOutcome, Sources, TOGETHER, Traced, trace};
use crate::log::{Recording, Series};
use crate::pull::align::{Alignment, Pair, Ratio, Status, align, manual, zone_difference};
use crate::pull::detect::{MIN_DURATION_S, detect, offered, pulls_in};
use crate::pull::dyno::DynoKind;
use crate::pull::engine_speed::{SpeedFrom, measured_speed, whose};
use crate::pull::load::{Load, full_throttle};
use crate::pull::shaft::{PowerError, shaft_speed, shaft_torque, slip_load, torque};
use crate::pull::span::{EndedBy, PullKind, PullSpan};
use crate::signal::look_over::look_over;
use rayon::prelude::*;

/// Measures one pull.
///
/// # Errors
/// [`MeasureError`] when the dyno recording lacks the channels its kind needs. A log without a pull is not an
/// error: it comes back with a flag and an empty curve.
pub fn measure(
    input: &PullInput,
    vehicle: &Vehicle,
    settings: &Settings,
    limits: &[Limit],
) -> Result<Measured, MeasureError> {
    match &input.finished {
        Some(Finished::Curve(c)) => return Ok(finished::curve(input, c, settings, limits)),
        Some(Finished::Peaks(t)) => return Ok(finished::peaks(input, t, limits)),
        Some(Finished::LogOnly) => return Ok(log_only(input, vehicle, limits)),
        None => {}
    }
    let dyno = &vehicle.dyno;
    let geometry = input.overall_ratio.or(dyno.overall_ratio);
    let fail = |problem| MeasureError { log: input.dyno.name.clone(), problem };
    let shaft = shaft_speed(&input.dyno, geometry).ok_or_else(|| fail(PowerError::MissingSpeed))?;
    if dyno.kind != DynoKind::RollerInertia {
        shaft_torque(&input.dyno, dyno.kind, geometry).map_err(fail)?;
    }
    let mut flags = input.dyno.flags.clone();
    if dyno.kind != DynoKind::RollerInertia && torque(&input.dyno, dyno.kind).is_err() {
        flags.push(Finding::PowerRecorded);
    }
    flags.extend(input.ecu.iter().flat_map(|l| l.flags.clone()));
    let (mut given, mut ratio_from) = starting_ratio(&input.dyno, geometry);
    let mut found: Vec<PullSpan> =
        offered(detect(&shaft, &Load::from_log(&input.dyno), given.unwrap_or(1.0)));
    // An inertia drum has nothing to hold a speed with.
    found.retain(|p| p.kind != PullKind::HeldSteps || dyno.kind != DynoKind::RollerInertia);
    let load = slip_load(&input.dyno, &shaft, dyno.kind);
    let (mut chosen, mut alignment) = choose(input, &shaft, &found, given, load.as_ref());
    let other = another_gear(input, vehicle, &alignment);
    if let Some(g) = &other {
        // The clocks are read by the gear that was measured; that it is another than the one stated is said.
        (given, ratio_from) = (Some(g.ratio), RatioSource::Gear);
        (chosen, alignment) = choose(input, &shaft, &found, given, load.as_ref());
        flags.push(g.finding());
    }
    let mut span = chosen.map(|i| found[i]);
    if found.len() > 1 && input.pull_index.is_none() {
        let (log, taken) = (input.dyno.name.clone(), chosen.map_or(0, |i| i + 1));
        flags.push(Finding::SeveralPulls { n: found.len(), log, taken });
    }
    if let Some(why) = alignment.refusal.clone().filter(|_| alignment.status == Status::Refused) {
        flags.push(Finding::NotAligned(why));
    }
    if let Some(zone) =
        alignment.usable_lag().map(zone_difference).filter(|z| z.abs() > 0.0 && clocks_of_day(input))
    {
        flags.push(Finding::ClockZone { apart_s: zone.abs() });
    }
    let mut ratio = given.unwrap_or(1.0);
    if given.is_none() {
        match alignment.measured_ratio.filter(|_| alignment.usable()) {
            Some(k) => (ratio, ratio_from) = (k, RatioSource::Alignment),
            None if dyno.kind == DynoKind::Engine => {}
            None => flags.push(Finding::AxisIsShaftSpeed),
        }
    }
    if other.is_none() {
        doubt_ratio(&input.dyno, &alignment, given, &mut flags);
    }
    let seen = input.ecu.as_deref().map_or_else(Vec::new, pulls_in);
    if let Some(p) = span.as_mut().filter(|p| p.kind != PullKind::HeldSteps) {
        use_ecu_throttle(p, input.ecu.as_deref(), &seen, &alignment);
    }
    let (mut own, mut foreign) = ([None, None], false);
    if let Some(p) = &span {
        let all: Vec<[f64; 2]> = found.iter().map(|f| [f.from_s, f.to_s]).collect();
        own[0] = chosen.and_then(|i| own_bounds(&all, i));
        if let Some(part) =
            input.ecu.as_deref().map(|e| ecu_part(p, own[0], e, &seen, alignment.usable_lag()))
        {
            (own[1], foreign) = (part.bounds, part.foreign);
        }
    }
    let formulas = vehicle.formulas();
    let (dyno_part, ecu_part) = own_parts(input, own);
    let (dyno_part, ecu_part, lacking) =
        with_computed(&formulas, dyno_part, ecu_part, alignment.usable_lag());
    let (shaft_log, ecu) = (dyno_part.as_ref(), ecu_part.as_deref());
    // What was computed may be the throttle itself.
    let known = (own[1].is_none() && formulas.is_empty()).then_some(seen.as_slice());
    let sources = limit_sources(input, (shaft_log, ecu), &alignment, span.as_ref(), vehicle, known)
        .with_foreign_log(foreign)
        .computed(&formulas, &lacking);
    for (log, extent) in [(Some(shaft_log), sources.extents().dyno), (ecu, sources.extents().ecu)] {
        flags.extend(log.into_iter().flat_map(|l| look_over(l, extent.map(Extent::ends))));
    }
    let traced: Vec<Result<Traced<'_, '_>, Box<LimitOutcome>>> =
        limits.par_iter().with_min_len(TOGETHER).map(|l| trace(l, &sources)).collect();
    let limit_outcomes = traced
        .par_iter()
        .with_min_len(TOGETHER)
        .map(|t| t.as_ref().map_or_else(|o| (**o).clone(), |t| t.outcome(&sources)))
        .collect();
    let mut out = Measured {
        id: input.id.clone(),
        excluded: input.excluded.clone(),
        span,
        pulls_in_file: found.len(),
        ratio,
        ratio_from,
        speed_from: SpeedFrom::Shaft,
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
        tells: None,
        own_window: own,
        alignment,
        printed: None,
        log_only: false,
    };
    match span {
        None => flags.push(Finding::NoPull { log: input.dyno.name.clone() }),
        Some(p) => {
            let engine = (ratio_from != RatioSource::Unknown)
                .then(|| measured_speed(shaft_log, ecu.zip(out.alignment.usable_lag())))
                .flatten();
            if let Some(e) = &engine {
                out.speed_from = if shaft_log.has("roller_speed") {
                    // A tachometer on the dyno's own clock has no lag.
                    let sigma = if shaft_log.has("engine_speed") { None } else { out.alignment.sigma_lag_s };
                    whose(e, &shaft, [p.from_s, p.to_s], ratio, dyno.kind, sigma.unwrap_or(0.0))
                } else {
                    SpeedFrom::Measured
                };
            }
            let drawing = Drawing {
                dyno: shaft_log,
                ecu,
                span: &p,
                alignment: &out.alignment,
                on: dyno,
                ratio,
                air: input.air,
                coast: input.coast_down.as_ref(),
                speed_from: out.speed_from,
                engine: engine.as_ref().filter(|_| !out.speed_from.is_shaft()),
            };
            let drawn = drawing.drawn(settings).map_err(fail)?;
            flags.extend(drawn.put(&mut out).1);
            let lane = |t: &Traced<'_, '_>| {
                let shift = if t.on_ecu_clock() { out.alignment.usable_lag()? } else { 0.0 };
                t.lane(&out.grid.rpm, settings.grid_rpm, p.from_s + shift, p.to_s + shift)
            };
            let lanes = limits
                .iter()
                .zip(&traced)
                .map(|(l, t)| Lane { limit: l.id.clone(), share: t.as_ref().ok().and_then(lane) });
            out.lanes = lanes.collect();
            out.channels = summaries(shaft_log, ecu, &out.alignment, &p);
            // After the lift the recordings go on beyond the pull's own part.
            let whole =
                Beside { dyno: &input.dyno, ecu: input.ecu.as_deref().zip(out.alignment.usable_lag()) };
            out.tells = tells(&whole, &out.grid, &p, dyno, input.air);
        }
    }
    out.flags = flags;
    Ok(out)
}

/// Whether both recordings carry times of day.
fn clocks_of_day(input: &PullInput) -> bool {
    input.ecu.as_deref().is_some_and(|l| l.clock_of_day_s.is_some()) && input.dyno.clock_of_day_s.is_some()
}

/// What limits are judged on: the pull's own parts, when it ran, and what stands elsewhere in its recordings.
/// `seen` are the pulls of the engine computer's part where they are known.
pub(super) fn limit_sources<'a>(
    input: &'a PullInput,
    (dyno, ecu): (&'a Recording, Option<&'a Recording>),
    alignment: &Alignment,
    span: Option<&PullSpan>,
    vehicle: &Vehicle,
    seen: Option<&[PullSpan]>,
) -> Sources<'a> {
    let diesel = vehicle.engine.ignition == Ignition::Compression;
    Sources::with_pulls(dyno, ecu, alignment, span, seen)
        .out_of(&input.dyno, input.ecu.as_deref())
        .on_diesel(diesel)
}

/// Picks the pull: by index, else the first that aligns, else the first; sweeps before held speeds, which may
/// be a cruise before them.
fn choose(
    input: &PullInput,
    shaft: &Series,
    found: &[PullSpan],
    k: Option<f64>,
    load: Option<&Series>,
) -> (Option<usize>, Alignment) {
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
            none = none.refuse(if candidates.is_empty() { Refusal::NoPull } else { Refusal::NoSpeed });
        }
        return (candidates.first().copied(), none);
    };
    let ratio = k.map_or(Ratio::Free, Ratio::Known);
    let clocks_of_day = clocks_of_day(input);
    let mut best: Option<(usize, Alignment)> = None;
    for i in candidates {
        let pair = Pair {
            dyno: shaft,
            ecu: &speed,
            pull: &found[i],
            ratio,
            rigid: load.is_none(),
            load,
            clocks_of_day,
        };
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
        let pair = Pair {
            dyno: shaft,
            ecu: &speed,
            pull: &found[chosen],
            ratio: Ratio::Free,
            rigid: false,
            load: None,
            clocks_of_day,
        };
        found_lag = by_another_ratio(found_lag, &align(&pair), k);
    }
    (Some(chosen), found_lag)
}

/// A refused pair that agrees well under another ratio: the geometry does not hold, and the refusal says so.
fn by_another_ratio(refused: Alignment, free: &Alignment, k: Option<f64>) -> Alignment {
    match (k, free.measured_ratio) {
        (Some(k), Some(m)) if free.status == Status::Aligned && (m / k - 1.0).abs() > RATIO_DOUBT => {
            let why = Refusal::AnotherRatio { measured: m, geometry: k };
            Alignment {
                measured_ratio: Some(m),
                residual_rpm: free.residual_rpm,
                lag_s: free.lag_s,
                ..refused.refuse(why)
            }
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
    if let (Some(first), Some(last)) =
        (inside.v.iter().position(|v| *v >= full), inside.v.iter().rposition(|v| *v >= full))
        && inside.t[last] - inside.t[first] >= MIN_DURATION_S
    {
        // Where the throttle is blank it says nothing: an end moves only to where it was seen to be less than
        // full.
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
