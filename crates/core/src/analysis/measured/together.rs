//! What only the whole job shows: a log that fits another pull better, the usual end of a pull, heat soak
//! within a set.

use super::frozen::flag_frozen;
use super::measure::{limit_sources, measure};
use super::result::{Lane, MeasureError, Measured};
use super::targets::flag_other_targets;
use super::window::own_parts;
use crate::analysis::given::{PullInput, SetInput, Settings, Vehicle};
use crate::computed::with_computed;
use crate::findings::{Finding, Limiter, Refusal};
use crate::limits::{Limit, evaluate_all};
use crate::log::Series;
use crate::pull::align::{Pair, Ratio, Status, align};
use crate::pull::detect::{Endings, pulls_in, refine_ended_by};
use crate::pull::shaft::shaft_speed;
use crate::pull::span::{EndedBy, PullKind};
use rayon::prelude::*;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

/// A foreign pair must leave less than this share of the slow disagreement to be believed (our choice).
const CLEARLY_BETTER: f64 = 0.6;
/// Below this much slow disagreement, rpm, a pair is as good as can be and nothing is compared (our choice).
const MIN_STRUCTURE_RPM: f64 = 1.5;
/// Clock rates of the same recorders agree within this from pull to pull, ppm (our choice).
const ODD_RATE_PPM: f64 = 2500.0;
/// Intake air this much warmer than in the best earlier pull, °C, with less power, is called heat soak (our
/// choice).
const SOAK_C: f64 = 5.0;
/// A ratio this far from the geometry is another gear, not slip (our choice: neighbouring gears are further
/// apart).
const OTHER_GEAR: f64 = 0.08;
/// Power lower by this share counts as less.
const SOAK_SHARE: f64 = 0.007;

/// Measures every pull of every set, then takes the second look that only the whole job allows.
///
/// # Errors
/// [`MeasureError`] of the first pull that cannot be measured at all.
pub fn measure_sets(
    sets: &[SetInput],
    vehicle: &Vehicle,
    settings: &Settings,
    limits: &[Limit],
) -> Result<Vec<Vec<Measured>>, MeasureError> {
    Ok(measure_sets_unless(&AtomicBool::new(false), sets, vehicle, settings, limits)?.unwrap_or_default())
}

/// The same, unless somebody asks for it to be stopped: looked at before every pull. `None` when it was.
///
/// # Errors
/// As for [`measure_sets`].
pub fn measure_sets_unless(
    stop: &AtomicBool,
    sets: &[SetInput],
    vehicle: &Vehicle,
    settings: &Settings,
    limits: &[Limit],
) -> Result<Option<Vec<Vec<Measured>>>, MeasureError> {
    let each = |s: &SetInput| {
        let own = applying(limits, s);
        let one = |p: &PullInput| {
            if stop.load(Relaxed) { Ok(None) } else { measure(p, vehicle, settings, &own).map(Some) }
        };
        s.pulls.par_iter().map(one).collect::<Result<Option<Vec<Measured>>, _>>()
    };
    let Some(mut measured) = sets.par_iter().map(each).collect::<Result<Option<Vec<Vec<Measured>>>, _>>()?
    else {
        return Ok(None);
    };
    Ok(look_together(stop, sets, &mut measured, vehicle, limits).then_some(measured))
}

/// Limits that are for the configuration of a set.
fn applying(limits: &[Limit], set: &SetInput) -> Vec<Limit> {
    limits.iter().filter(|l| l.applies(&set.factors)).cloned().collect()
}

/// Second look over all sets of a job: refuses swapped logs, refines what ended each pull, flags heat soak.
/// False when it was stopped.
fn look_together(
    stop: &AtomicBool,
    sets: &[SetInput],
    measured: &mut [Vec<Measured>],
    vehicle: &Vehicle,
    limits: &[Limit],
) -> bool {
    for (set, pulls) in sets.iter().zip(measured.iter_mut()) {
        for i in 0..pulls.len() {
            if stop.load(Relaxed) {
                return false;
            }
            if let Some((other, mine_fits_theirs)) = fits_better(set, pulls, i, vehicle) {
                let pull = set.pulls[other].id.clone();
                let reason = if mine_fits_theirs {
                    Refusal::FitsAnother { pull }
                } else {
                    Refusal::AnotherFits { pull }
                };
                refuse(set, &mut pulls[i], i, reason, vehicle, limits);
            }
        }
        flag_heat_soak(pulls);
    }
    for Odd { set, pull, why } in odd_clocks(measured) {
        refuse(&sets[set], &mut measured[set][pull], pull, why, vehicle, limits);
    }
    name_endings(sets, measured, vehicle);
    flag_frozen(measured, limits, vehicle);
    flag_other_targets(sets, measured);
    true
}

/// How fast one pull's clock runs, ppm.
struct Clock {
    set: usize,
    pull: usize,
    rate: f64,
    se: f64,
}

/// A pull to be refused for its clock.
struct Odd {
    set: usize,
    pull: usize,
    why: Refusal,
}

/// Pulls whose clocks would have to run at another rate than in the job's other pulls: the recorders are the
/// same, so it is the ramp that differs.
fn odd_clocks(measured: &[Vec<Measured>]) -> Vec<Odd> {
    let mut all: Vec<Clock> = Vec::new();
    for (s, pulls) in measured.iter().enumerate() {
        for (i, m) in pulls.iter().enumerate().filter(|(_, m)| m.alignment.status == Status::Aligned) {
            if let (Some(rate), Some(se)) = (m.alignment.rate_ppm, m.alignment.rate_se_ppm) {
                all.push(Clock { set: s, pull: i, rate, se });
            }
        }
    }
    if all.len() < 3 {
        return Vec::new();
    }
    let mut rates: Vec<f64> = all.iter().map(|a| a.rate).collect();
    let usual = crate::signal::median::median_in_place(&mut rates);
    all.into_iter()
        .filter(|c| (c.rate - usual).abs() > ODD_RATE_PPM.max(10.0 * c.se))
        .map(|c| Odd { set: c.set, pull: c.pull, why: Refusal::OddRate { ppm: c.rate, usual_ppm: usual } })
        .collect()
}

/// Another pull of the set whose log fits this pull clearly better, or whose pull this log fits clearly
/// better. Only where the coupling is rigid: on tyres the pulls of a set differ less from each other than
/// slip differs from pull to pull.
fn fits_better(set: &SetInput, pulls: &[Measured], i: usize, vehicle: &Vehicle) -> Option<(usize, bool)> {
    if !vehicle.dyno.kind.is_rigid() {
        return None;
    }
    let own = pulls[i]
        .alignment
        .structure_rpm
        .filter(|s| *s > MIN_STRUCTURE_RPM && pulls[i].alignment.status == Status::Aligned)?;
    let clearly = |dyno: usize, ecu: usize| {
        cross_structure(set, pulls, dyno, ecu, vehicle).is_some_and(|s| s < CLEARLY_BETTER * own)
    };
    (0..pulls.len())
        .filter(|&j| j != i)
        .find_map(|j| if clearly(i, j) { Some((j, false)) } else { clearly(j, i).then_some((j, true)) })
}

/// Slow disagreement of one pull's shaft speed with another's engine-computer log, rpm; `None` when that pair
/// is refused.
fn cross_structure(
    set: &SetInput,
    pulls: &[Measured],
    dyno: usize,
    ecu: usize,
    vehicle: &Vehicle,
) -> Option<f64> {
    let span = pulls[dyno].span.as_ref()?;
    let shaft = shaft_speed(&set.pulls[dyno].dyno, vehicle.dyno.overall_ratio)?;
    let speed = set.pulls[ecu].ecu.as_deref()?.series("engine_speed")?;
    let ratio = Ratio::Known(pulls[dyno].ratio);
    let a = align(&Pair {
        dyno: &shaft,
        ecu: &speed,
        pull: span,
        ratio,
        rigid: true,
        load: None,
        clocks_of_day: false,
    });
    a.structure_rpm.filter(|_| a.status == Status::Aligned)
}

fn refuse(set: &SetInput, m: &mut Measured, i: usize, why: Refusal, vehicle: &Vehicle, limits: &[Limit]) {
    m.alignment = m.alignment.clone().refuse(why.clone());
    m.flags.push(Finding::NotAligned(why));
    let input = &set.pulls[i];
    let (limits, formulas) = (applying(limits, set), vehicle.formulas());
    let (dyno, ecu) = own_parts(input, m.own_window);
    let (dyno, ecu, lacking) = with_computed(&formulas, dyno, ecu, None);
    let foreign = input.ecu.as_deref().is_some_and(|e| pulls_in(e).len() > 1);
    let sources = limit_sources(input, (&dyno, ecu.as_deref()), &m.alignment, m.span.as_ref(), vehicle, None)
        .with_foreign_log(foreign)
        .computed(&formulas, &lacking);
    m.limits = evaluate_all(&limits, &sources);
    m.lanes = limits
        .iter()
        .zip(&m.lanes)
        .map(|(l, old)| Lane {
            limit: l.id.clone(),
            share: if ecu.as_deref().is_some_and(|e| e.has(l.channel.as_str()))
                || !dyno.has(l.channel.as_str())
            {
                None
            } else {
                old.share.clone()
            },
        })
        .collect();
}

/// Engine speed at the end of a pull, which a step test does not have: by the ratio that was measured where
/// it contradicts the geometry (another gear).
fn end_rpm(m: &Measured) -> Option<f64> {
    let ratio =
        m.alignment.measured_ratio.filter(|k| (k / m.ratio - 1.0).abs() > OTHER_GEAR).unwrap_or(m.ratio);
    m.span.filter(|s| s.kind != PullKind::HeldSteps).map(|s| s.to_rpm * ratio)
}

/// Road speed on the limiter that ended a pull, km/h.
fn road_at_end(m: &Measured, input: &PullInput) -> Option<f64> {
    let span = m.span.filter(|s| s.ended_by.is_limiter())?;
    let after = |s: Series, shift: f64| s.mean_between(span.to_s + shift, span.to_s + shift + 0.4);
    let own = input.dyno.series("road_speed").and_then(|s| after(s, 0.0));
    own.or_else(|| after(input.ecu.as_deref()?.series("road_speed")?, m.alignment.usable_lag()?))
}

/// Highest engine speed in a recording, held for several samples so that a spike is none, rpm.
fn highest_turned(input: &PullInput) -> Option<f64> {
    let s = input
        .ecu
        .as_deref()
        .and_then(|e| e.series("engine_speed"))
        .or_else(|| input.dyno.series("engine_speed"))?;
    s.v.windows(5).map(|w| w.iter().copied().fold(f64::INFINITY, f64::min)).reduce(f64::max)
}

fn name_endings(sets: &[SetInput], measured: &mut [Vec<Measured>], vehicle: &Vehicle) {
    let mut ends: Vec<f64> = measured.iter().flatten().filter_map(end_rpm).collect();
    if ends.is_empty() {
        return;
    }
    ends.sort_by(f64::total_cmp);
    let inputs = || sets.iter().flat_map(|s| &s.pulls);
    let seen = inputs().filter_map(highest_turned).chain([ends[ends.len() - 1]]).fold(0.0, f64::max);
    let roads: Vec<Option<f64>> =
        measured.iter().flatten().zip(inputs()).map(|(m, p)| road_at_end(m, p)).collect();
    let limited: Vec<(f64, f64)> =
        measured.iter().flatten().zip(&roads).filter_map(|(m, v)| Some((end_rpm(m)?, (*v)?))).collect();
    let apart = |f: fn(&(f64, f64)) -> f64| {
        let (low, high) =
            limited.iter().map(f).fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(v), b.max(v)));
        high / low.max(1e-9) - 1.0
    };
    let known = Endings {
        highest_rpm: vehicle.engine.rev_limit_rpm.unwrap_or(seen),
        usual_rpm: ends[ends.len() / 2],
        same_road_speed: limited.len() > 1 && apart(|p| p.0) > 0.05 && apart(|p| p.1) < 0.015,
    };
    for (m, road) in measured.iter_mut().flatten().zip(roads) {
        let Some(end) = end_rpm(m) else { continue };
        if let Some(span) = &mut m.span {
            span.ended_by = refine_ended_by(span.ended_by, end, road, &known);
            if span.ended_by == EndedBy::RevLimiter
                && road.is_some()
                && vehicle.engine.rev_limit_rpm.is_none()
            {
                m.flags.push(Finding::LimiterUnsure);
            }
            let by = match span.ended_by {
                EndedBy::RevLimiter => Some(Limiter::Rev),
                EndedBy::SpeedLimiter => Some(Limiter::Speed),
                EndedBy::Lift | EndedBy::Abort | EndedBy::EndOfLog => None,
            };
            m.flags.extend(by.map(|by| Finding::Cut { rpm: end, by }));
        }
    }
}

fn flag_heat_soak(pulls: &mut [Measured]) {
    let intake =
        |m: &Measured| m.channels.iter().find(|c| c.channel.as_str() == "intake_temp").map(|c| c.mean);
    let peak = |m: &Measured| m.grid.curve().figures(None).peak_power.map(|p| p.value);
    for i in 1..pulls.len() {
        let (Some(t), Some(p)) = (intake(&pulls[i]), peak(&pulls[i])) else { continue };
        let best =
            pulls[..i].iter().filter_map(|m| Some((peak(m)?, intake(m)?))).max_by(|a, b| a.0.total_cmp(&b.0));
        if let Some((p0, t0)) = best
            && t - t0 >= SOAK_C
            && p < p0 * (1.0 - SOAK_SHARE)
        {
            pulls[i].flags.push(Finding::HeatSoak { warmer_c: t - t0, less: 1.0 - p / p0 });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::log::Recording;
    use crate::pull::dyno::{Dyno, DynoKind};

    #[test]
    fn measuring_stops_before_the_next_pull_when_it_is_asked_to() {
        let dyno = Dyno {
            kind: DynoKind::Hub,
            overall_ratio: None,
            inertia_kg_m2: None,
            rotating_inertia_kg_m2: None,
        };
        let vehicle = Vehicle {
            name: "Saloon".into(),
            engine: crate::analysis::Engine::default(),
            dyno,
            gears: Default::default(),
            computed: Vec::new(),
        };
        // A pull that cannot be measured: whether it was looked at shows.
        let sets = [SetInput {
            pulls: vec![PullInput { dyno: Recording::default(), ..PullInput::default() }],
            ..SetInput::default()
        }];
        let run =
            |stop| measure_sets_unless(&AtomicBool::new(stop), &sets, &vehicle, &Settings::default(), &[]);
        assert!(run(false).is_err());
        assert_eq!(run(true), Ok(None));
        assert_eq!(
            measure_sets_unless(&AtomicBool::new(false), &[], &vehicle, &Settings::default(), &[]),
            Ok(Some(vec![]))
        );
    }
}
