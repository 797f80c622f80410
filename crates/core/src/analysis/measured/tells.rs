//! What a pull tells of the hardware around the engine: pressures, gate and shaft speed by engine speed, how far
//! boost overshot, what the drum lost after the lift.

use super::beside::Beside;
use super::boost::SPOOLED;
use super::raw_grid::RawGrid;
use crate::air::AirState;
use crate::limits::{highest_held, is_live, responds};
use crate::log::Series;
use crate::pull::dyno::{Dyno, DynoKind};
use crate::pull::shaft::shaft_speed;
use crate::pull::span::PullSpan;
use crate::signal::savgol::smooth_seconds;
use crate::units::RAD_S_PER_RPM;
use serde::{Deserialize, Serialize};

/// Width of a bin of engine speed, rpm (our choice: finer than what a charger does, coarser than its noise).
const BIN_RPM: f64 = 250.0;
/// Gauge targets below this are no boost, kPa.
const BOOST_FROM_KPA: f64 = 30.0;
/// Boost this close to its target has arrived, kPa; what is above it within so long is overshoot, s (our choice).
const ARRIVED_KPA: f64 = 5.0;
const OVERSHOOT_S: f64 = 1.5;
/// Duty from which the gate is driven shut, % (our choice).
const SHUT_PCT: f64 = 80.0;
/// Share of the target up to which it must be: near its target the control opens it.
const SHUT_TO: f64 = 0.6;
/// A coast begins so long after the lift, s, lasts at least so long, and at most (our choice: the engine's torque
/// has gone by then, and nobody has taken the next gear).
const COAST_AFTER_S: f64 = 0.5;
const COAST_S: [f64; 2] = [0.7, 2.5];
/// Retard counts when it is held so long, s, as limits count it (our choice: one event is not what limits).
const HELD_S: f64 = 0.3;

/// Means by engine speed and two figures of one pull; what was not logged is absent, blanks are NaN.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Tells {
    /// Middle of each bin, rpm.
    pub rpm: Vec<f64>,
    /// Manifold pressure, kPa absolute.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub manifold: Option<Level>,
    /// Opening command of the gate, or position of the vanes, %.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gate: Option<Level>,
    /// Turbo speed, rpm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shaft: Option<Level>,
    /// Depression before the compressor, kPa.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depression: Option<Level>,
    /// Highest manifold pressure over its target soon after it had arrived, kPa.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub overshoot_kpa: Option<f64>,
    /// Engine speed at which gauge pressure first reached nine tenths of its target, the gate driven shut until then, rpm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spool_rpm: Option<f64>,
    /// Torque that slowed an inertia drum after the lift, N·m at the drum.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coast_nm: Option<f64>,
    /// Air around it: kPa and °C.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ambient: Option<[f64; 2]>,
    /// Most retard held for 0.3 s, degrees; absent where nobody knows that knock control listened.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub retard_deg: Option<f64>,
    /// Oil at the lift, °C.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub oil_c: Option<f64>,
}

/// A channel by bins of engine speed; NaN where it has none.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Level(#[serde(with = "crate::blank::list")] pub Vec<f64>);

/// Reads them from a pull; `None` of one without a curve by time.
pub(super) fn tells(
    beside: &Beside<'_>,
    grid: &RawGrid,
    span: &PullSpan,
    on: &Dyno,
    air: Option<AirState>,
) -> Option<Tells> {
    let mut bins: Vec<i64> = grid.rpm.iter().map(|r| bin(*r)).collect();
    bins.dedup();
    if bins.is_empty() || grid.time_s.len() != grid.rpm.len() {
        return None;
    }
    let level = |s: &Series| Level(binned(s, grid, &bins));
    let by_bin = |name: &str| beside.series(name).as_ref().map(level);
    let (map, target) = (beside.series("manifold_pressure"), beside.series("boost_target"));
    let gate = beside.series("wastegate_duty");
    let against = map.as_ref().zip(target.as_ref());
    let ambient_kpa = beside
        .series("ambient_pressure")
        .and_then(|s| s.mean_between(span.from_s, span.to_s))
        .or_else(|| air.map(|a| a.pressure_hpa / 10.0));
    Some(Tells {
        manifold: map.as_ref().map(level),
        gate: gate.as_ref().map(level).or_else(|| by_bin("vane_position")),
        shaft: by_bin("turbo_speed"),
        // Some gauges read it as a negative pressure.
        depression: by_bin("intake_depression").map(|l| Level(l.0.into_iter().map(f64::abs).collect())),
        overshoot_kpa: against.zip(ambient_kpa).and_then(|(b, ambient)| overshoot(b, span, ambient)),
        spool_rpm: against
            .zip(gate.as_ref())
            .zip(ambient_kpa)
            .and_then(|((b, gate), ambient)| spooled(b, gate, grid, ambient)),
        coast_nm: coast(beside, span, on),
        ambient: ambient_kpa.zip(air).map(|(p, a)| [p, a.temperature_c]),
        retard_deg: retard(beside, span),
        oil_c: beside.series("oil_temp").and_then(|s| s.at(span.to_s)),
        rpm: bins.into_iter().map(|b| b as f64 * BIN_RPM).collect(),
    })
}

/// Most retard of any cylinder held for [`HELD_S`], where knock control is known to have listened.
fn retard(beside: &Beside<'_>, span: &PullSpan) -> Option<f64> {
    let (level, speed) = (beside.series("knock_level"), beside.series("engine_speed"));
    let retards = beside.of_kind("knock_retard");
    let ends = [span.from_s, span.to_s];
    let hears = level.as_ref().zip(speed.as_ref()).is_some_and(|(l, s)| is_live(l.view(), s.view(), ends));
    if !hears && !retards.iter().any(|(_, r)| responds(r.view(), level.as_ref().map(Series::view))) {
        return None;
    }
    let held = |s: &Series| {
        let inside = s.between(span.from_s, span.to_s);
        let deg: Vec<f64> = inside.v.iter().map(|v| v.abs()).collect();
        highest_held(&inside.t, |i| deg[i], 0, deg.len(), HELD_S).map(|h| h.level)
    };
    retards.iter().filter_map(|(_, s)| held(s)).reduce(f64::max)
}

fn bin(rpm: f64) -> i64 {
    (rpm / BIN_RPM).round() as i64
}

/// Mean of what a channel reads at the grid's times, bin by bin, to a hundredth.
fn binned(s: &Series, grid: &RawGrid, bins: &[i64]) -> Vec<f64> {
    let mut reader = s.reader();
    let read: Vec<(i64, f64)> = grid
        .rpm
        .iter()
        .zip(&grid.time_s)
        .filter_map(|(rpm, t)| Some((bin(*rpm), reader.at(*t)?)))
        .filter(|(_, v)| v.is_finite())
        .collect();
    let mean = |b: &i64| {
        let here: Vec<f64> = read.iter().filter(|(k, _)| k == b).map(|(_, v)| *v).collect();
        let mean = here.iter().sum::<f64>() / here.len() as f64;
        (mean * 100.0).round() / 100.0
    };
    bins.iter().map(mean).collect()
}

/// How far manifold pressure ran over its target once it had arrived, kPa; `None` where it never did.
fn overshoot((map, target): (&Series, &Series), span: &PullSpan, ambient_kpa: f64) -> Option<f64> {
    let part = map.between(span.from_s, span.to_s);
    let over = |i: usize| {
        let want = target.at(part.t[i]).filter(|w| *w - ambient_kpa >= BOOST_FROM_KPA)?;
        Some(part.v[i] - want)
    };
    let arrived = (0..part.len()).find(|i| over(*i).is_some_and(|o| o >= -ARRIVED_KPA))?;
    let until = part.t[arrived] + OVERSHOOT_S;
    let most = (arrived..part.len()).take_while(|i| part.t[*i] <= until).filter_map(over);
    most.reduce(f64::max).map(|o| o.max(0.0))
}

/// Engine speed at which the charger had spooled with its gate driven shut, rpm; `None` where it was opened before, or
/// began above.
fn spooled(
    (map, target): (&Series, &Series),
    gate: &Series,
    grid: &RawGrid,
    ambient_kpa: f64,
) -> Option<f64> {
    let mut was = None;
    for (rpm, t) in grid.rpm.iter().zip(&grid.time_s) {
        let want = target.at(*t)? - ambient_kpa;
        let share = (map.at(*t)? - ambient_kpa) / want;
        if want < BOOST_FROM_KPA {
            continue;
        }
        if share >= SPOOLED {
            let (before, at): (f64, f64) = was?;
            return Some(at + (rpm - at) * (SPOOLED - before) / (share - before));
        }
        if share < SHUT_TO && gate.at(*t)? < SHUT_PCT {
            return None;
        }
        was = Some((share, *rpm));
    }
    None
}

/// What slowed an inertia drum after the lift.
///
/// # Formula
/// `T = −I·mean(dω/dt)` over the coast
///
/// where
/// - `I`: inertia of the drum, kg·m²; `ω`: its speed, rad/s (domain, section 2: a coast-down shows the losses; here
///   with the engine on the overrun, so that only pulls of one engine, gear and oil temperature compare).
fn coast(beside: &Beside<'_>, span: &PullSpan, on: &Dyno) -> Option<f64> {
    let inertia = on.inertia_kg_m2.filter(|_| on.kind == DynoKind::RollerInertia)?;
    let from = span.to_s + COAST_AFTER_S;
    let s = shaft_speed(beside.dyno, None)?.between(from, from + COAST_S[1]);
    if s.t.last()? - s.t.first()? < COAST_S[0] || s.len() < 10 {
        return None;
    }
    let (w, _) = smooth_seconds(&s.t, &s.v, 0.25);
    let falling = w.derivative.iter().take_while(|d| **d < 0.0).count();
    let lasts = s.t.get(falling.checked_sub(1)?)? - s.t[0];
    let rate = w.derivative[..falling].iter().sum::<f64>() / falling as f64;
    (lasts >= COAST_S[0]).then_some(-inertia * rate * RAD_S_PER_RPM)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;
    use crate::log::Recording;
    use crate::pull::span::{EndedBy, PullKind};

    fn span() -> PullSpan {
        PullSpan {
            from_s: 1.0,
            to_s: 8.0,
            from_rpm: 1500.0,
            to_rpm: 5000.0,
            plateau_rpm: None,
            kind: PullKind::SweepUp,
            ended_by: EndedBy::Lift,
            rate: 500.0,
        }
    }

    fn logged(channels: &[(&str, &dyn Fn(f64) -> f64)]) -> Recording {
        let t: Vec<f64> = (0..1100).map(|i| f64::from(i) * 0.01).collect();
        let of = |f: &dyn Fn(f64) -> f64| t.iter().map(|t| f(*t)).collect();
        let channels = channels.iter().map(|(n, f)| (Channel::new(*n).unwrap(), of(f))).collect();
        Recording { t, channels, ..Recording::default() }
    }

    #[test]
    fn overshoot_is_counted_from_the_arrival_and_only_for_a_while() {
        let pressure = |t: f64| match t {
            t if t < 3.0 => 100.0 + 27.0 * t,
            t if t < 4.0 => 192.0,
            t if t > 7.0 => 230.0,
            _ => 180.0,
        };
        let over = |pressure: &dyn Fn(f64) -> f64| {
            let seen = logged(&[("manifold_pressure", pressure), ("boost_target", &|_| 180.0)]);
            let [map, target] = ["manifold_pressure", "boost_target"].map(|n| seen.series(n).unwrap());
            overshoot((&map, &target), &span(), 100.0)
        };
        assert!((over(&pressure).unwrap() - 12.0).abs() < 1e-9);
        assert_eq!(over(&|_| 150.0), None);
    }

    #[test]
    fn a_drum_that_slows_tells_its_torque_and_a_brake_tells_nothing() {
        let speed = |t: f64| if t < 8.0 { 300.0 * t } else { 2400.0 - 60.0 * (t - 8.0) };
        let seen = logged(&[("roller_speed", &speed)]);
        let beside = Beside { dyno: &seen, ecu: None };
        let drum = Dyno {
            kind: DynoKind::RollerInertia,
            inertia_kg_m2: Some(6.2),
            ..crate::analysis::tests::vehicle().dyno
        };
        let torque = coast(&beside, &span(), &drum).unwrap();
        assert!((torque - 6.2 * 60.0 * RAD_S_PER_RPM).abs() < 0.1, "{torque}");
        assert_eq!(coast(&beside, &span(), &Dyno { kind: DynoKind::RollerBrake, ..drum }), None);
    }
}
