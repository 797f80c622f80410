//! From drum, brake or hub to engine-referred power and torque, on the dyno's own clock.

use super::coast::CoastDown;
use super::cuts;
use super::dyno::{Dyno, DynoKind};
use super::passages::first_passages;
use super::shaft::{PowerError, shaft_speed, shaft_torque};
use super::span::{PullKind, PullSpan};
use super::trace::PowerTrace;
use crate::findings::Finding;
use crate::log::{Recording, Series};
use crate::signal::hygiene::spikes;
use crate::signal::savgol::{FilterRecord, WindowPlan, median_step};
use crate::units::RAD_S_PER_RPM;

/// Shortest window of the rate of speed where an inertia takes part, s (our choice: the default window), also
/// when the curve itself is shown unfiltered.
const RATE_WINDOW_S: f64 = 0.25;

/// What the power of a pull is derived with, beside its recording.
#[derive(Debug, Clone, Copy)]
pub struct With<'a> {
    /// Kind and inertias of the dyno.
    pub dyno: &'a Dyno,
    /// Engine rpm ÷ dyno-shaft rpm.
    pub ratio: f64,
    /// Loss to be added: the result is an estimate.
    pub coast: Option<&'a CoastDown>,
    /// Window of the filter, s; 0 for none.
    pub smoothing_s: f64,
    /// Cuts known from a channel, on the dyno's clock, s.
    pub cuts: &'a [[f64; 2]],
    /// Engine speed as it was measured, rpm on the dyno's clock, where the pull goes by it.
    pub engine: Option<&'a Series>,
}

/// Shaft speed and torque on common timestamps; engine speed where it was measured.
struct Raw {
    t: Vec<f64>,
    shaft_rpm: Vec<f64>,
    torque: Option<Vec<f64>>,
    engine_rpm: Option<Vec<f64>>,
}

fn raw(log: &Recording, with: &With<'_>) -> Result<Raw, PowerError> {
    let speed = shaft_speed(log, Some(with.ratio)).ok_or(PowerError::MissingSpeed)?;
    let mut out = if with.dyno.kind == DynoKind::RollerInertia {
        Raw { t: speed.t, shaft_rpm: speed.v, torque: None, engine_rpm: None }
    } else {
        let torque = shaft_torque(log, with.dyno.kind, Some(with.ratio))?;
        let read = torque.view().on(&speed.t);
        // Speed without torque is left out: it lies at the ends, where one of the two was not recorded yet.
        let from = read.iter().position(|q| !q.is_nan()).unwrap_or(read.len());
        let to = read.iter().rposition(|q| !q.is_nan()).map_or(from, |i| i + 1);
        Raw {
            t: speed.t[from..to].to_vec(),
            shaft_rpm: speed.v[from..to].to_vec(),
            torque: Some(read[from..to].to_vec()),
            engine_rpm: None,
        }
    };
    if let Some(engine) = with.engine {
        out.engine_rpm = Some(engine.view().on(&out.t));
    }
    Ok(out)
}

/// Derives power over one pull.
///
/// # Formula
/// Brake, hub, PTO, engine: `P = T·ω + I·ω·α`; inertia drum: `P = I·ω·α`; a coast-down adds `T_loss(ω)·ω`;
/// a rotating inertia adds `I_r·ω_e·α_e` at the engine. Torque shown is `P/ω_e`.
///
/// where
/// - `P`: power, W, kept as kW; `T`: torque at the shaft, N·m; `ω`: shaft speed, rad/s; `α`: its rate, rad/s²;
/// - `I`: inertia of the dyno that it does not compensate itself, kg·m² at the shaft; none given counts as 0;
/// - `T_loss`: loss torque of a coast-down, N·m; `I_r`: rotating inertia of engine and driveline, kg·m²;
/// - `ω_e`, `α_e`: speed and rate of the engine (domain, section 2).
///
/// To the cuts that are said, those that the torque itself shows are added. The curve is split there before it
/// is filtered, and what lies inside is left out. `ω_e` is `ω·k`, or measured where [`With::engine`] is given;
/// a measured speed that falls back within the sweep (a converter that closes) leaves out what lies below the
/// speed reached, so that each speed stands where it was first passed.
///
/// # Examples
/// 400 N·m at 1000 rpm of the hub are 41.9 kW, and 100 N·m at an engine that turns four times as fast:
/// ```
/// use jamjar_core::channel::Channel;
/// use jamjar_core::log::Recording;
/// use jamjar_core::pull::dyno::{Dyno, DynoKind};
/// use jamjar_core::pull::power::{With, derive};
/// use jamjar_core::pull::span::{EndedBy, PullKind, PullSpan};
///
/// let t: Vec<f64> = (0..401).map(|i| 0.02 * f64::from(i)).collect();
/// let mut log = Recording { t: t.clone(), ..Recording::default() };
/// log.channels.insert("roller_speed".parse::<Channel>().unwrap(), t.iter().map(|t| 600.0 + 100.0 * t).collect());
/// log.channels.insert("hub_torque".parse::<Channel>().unwrap(), vec![400.0; t.len()]);
/// let dyno = Dyno { kind: DynoKind::Hub, overall_ratio: Some(4.0), inertia_kg_m2: None, rotating_inertia_kg_m2: None };
/// let span = PullSpan {
///     kind: PullKind::SweepUp, from_s: 0.0, to_s: 8.0, from_rpm: 600.0, to_rpm: 1400.0,
///     ended_by: EndedBy::Lift, plateau_rpm: None, rate: 100.0,
/// };
/// let with = With { dyno: &dyno, ratio: 4.0, coast: None, smoothing_s: 0.1, cuts: &[], engine: None };
/// let p = derive(&log, &span, &with).unwrap();
/// let at = p.rpm.iter().position(|n| *n >= 4000.0).unwrap();
/// assert!((p.power_kw[at] - 41.89).abs() < 0.1 && (p.torque_nm[at] - 100.0).abs() < 0.1);
/// ```
///
/// # Errors
/// [`PowerError`] when a channel or the inertia is missing or the pull is too short.
pub fn derive(log: &Recording, span: &PullSpan, with: &With<'_>) -> Result<PowerTrace, PowerError> {
    let With { dyno, ratio, coast, smoothing_s, .. } = *with;
    let inertia = match (dyno.kind, dyno.inertia_kg_m2) {
        (DynoKind::RollerInertia, None) => return Err(PowerError::MissingInertia),
        (_, i) => i.unwrap_or(0.0),
    };
    // An inertia multiplies the rate of speed, and the rate of raw samples is noise: it has a window of its
    // own.
    let moving = inertia > 0.0 || dyno.rotating_inertia_kg_m2.is_some_and(|i| i > 0.0);
    let rate_s = if moving { smoothing_s.max(RATE_WINDOW_S) } else { smoothing_s };
    let raw = raw(log, with)?;
    let (a, b) = (
        raw.t.partition_point(|t| *t < span.from_s - 1e-9),
        raw.t.partition_point(|t| *t <= span.to_s + 1e-9),
    );
    if b < a + 8 {
        return Err(PowerError::TooShort { samples: b.saturating_sub(a) });
    }
    let mut flags = Vec::new();
    let cuts = cuts_of(&raw, a..b, span, with.cuts);
    let mut keep = without_spikes(&raw, a, b, &mut flags);
    keep.retain(|&i| cuts.iter().all(|c| raw.t[i] <= c[0] || raw.t[i] >= c[1]));
    keep.retain(|&i| raw.engine_rpm.as_ref().is_none_or(|e| e[i].is_finite()));
    if keep.len() < 8 {
        return Err(PowerError::TooShort { samples: keep.len() });
    }
    let t: Vec<f64> = keep.iter().map(|&i| raw.t[i]).collect();
    let step = median_step(&t).unwrap_or(0.01);
    let mut out = PowerTrace {
        t: Vec::with_capacity(t.len()),
        rpm: Vec::with_capacity(t.len()),
        shaft_rpm: Vec::with_capacity(t.len()),
        power_kw: Vec::with_capacity(t.len()),
        torque_nm: Vec::with_capacity(t.len()),
        edge: Vec::with_capacity(t.len()),
        rate: Vec::with_capacity(t.len()),
        filter: FilterRecord { window_s: smoothing_s, samples: 0, real_timestamps: false },
        estimated: coast.is_some(),
        starts: Vec::new(),
        cuts: Vec::new(),
        flags: Vec::new(),
    };
    for segment in segments(&t, (5.0 * step).max(0.3), &cuts) {
        out.starts.push(out.t.len());
        let idx = &keep[segment.clone()];
        let ts = &t[segment];
        let speed: Vec<f64> = idx.iter().map(|&i| raw.shaft_rpm[i]).collect();
        let plan = WindowPlan::new(ts, smoothing_s);
        let turning = plan.values(&speed);
        let rate =
            if rate_s > smoothing_s { WindowPlan::new(ts, rate_s).rates(&speed) } else { plan.rates(&speed) };
        let own = |v: &[f64]| idx.iter().map(|&i| v[i]).collect::<Vec<_>>();
        let torque = raw.torque.as_ref().map(|q| plan.values(&own(q)));
        // The window of the rate is wide enough for steps of a slow engine computer, the filter's may be none.
        let engine = raw.engine_rpm.as_ref().map(|e| {
            let e = own(e);
            let rate = WindowPlan::new(ts, rate_s.max(RATE_WINDOW_S)).rates(&e);
            (plan.values(&e), rate)
        });
        if plan.record.samples > 0 {
            out.filter = plan.record;
        }
        let (first, last) = (ts[0], ts[ts.len() - 1]);
        for k in 0..ts.len() {
            let (omega, alpha) = (turning[k] * RAD_S_PER_RPM, rate[k] * RAD_S_PER_RPM);
            let brake = torque.as_ref().map_or(0.0, |q| q[k]);
            let loss = coast.map_or(0.0, |c| c.a[0] + c.a[1] * omega + c.a[2] * omega * omega);
            let (rpm, rpm_s) = match &engine {
                Some((e, r)) => (e[k], r[k]),
                None => (turning[k] * ratio, rate[k] * ratio),
            };
            let turned = dyno.rotating_inertia_kg_m2.unwrap_or(0.0) * rpm_s * RAD_S_PER_RPM;
            let power_w = (brake + inertia * alpha + loss) * omega + turned * rpm * RAD_S_PER_RPM;
            out.t.push(ts[k]);
            out.rpm.push(rpm);
            out.shaft_rpm.push(turning[k]);
            out.rate.push(rpm_s);
            out.power_kw.push(power_w / 1000.0);
            out.torque_nm.push(if rpm > 0.0 { power_w / (rpm * RAD_S_PER_RPM) } else { f64::NAN });
            out.edge.push(ts[k] - first < rate_s / 2.0 - 1e-9 || last - ts[k] < rate_s / 2.0 - 1e-9);
        }
    }
    if out.filter.samples == 0 {
        flags.push(Finding::Unfiltered { step_s: step, window_s: smoothing_s });
    }
    if raw.engine_rpm.is_some() && span.kind != PullKind::HeldSteps {
        flags.extend(first_passages(&mut out, span.kind == PullKind::LugDown));
    }
    if !cuts.is_empty() {
        flags.push(Finding::PowerCut {
            n: cuts.len(),
            rpm: cuts.iter().filter_map(|c| speed_at(&out, c[0])).collect(),
        });
    }
    out.cuts = cuts;
    out.flags = flags;
    Ok(out)
}

/// Engine speed of the last sample not after a time.
fn speed_at(p: &PowerTrace, t: f64) -> Option<f64> {
    p.t.partition_point(|x| *x <= t).checked_sub(1).and_then(|i| p.rpm.get(i)).or(p.rpm.first()).copied()
}

/// Cuts within a pull, from what was said and from raw torque. Where speeds are held, torque comes and goes
/// with the steps.
fn cuts_of(raw: &Raw, range: std::ops::Range<usize>, span: &PullSpan, said: &[[f64; 2]]) -> Vec<[f64; 2]> {
    if span.kind == PullKind::HeldSteps {
        return Vec::new();
    }
    let mut all = said.to_vec();
    if let Some(q) = &raw.torque {
        all.extend(cuts::from_torque(&raw.t[range.clone()], &q[range]));
    }
    cuts::joined(all, span.from_s, span.to_s)
}

/// Indices of `a..b` that are finite and no spike in speed or torque.
fn without_spikes(raw: &Raw, a: usize, b: usize, flags: &mut Vec<Finding>) -> Vec<usize> {
    let range = |v: &[f64]| {
        v[a..b].iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), x| (l.min(*x), h.max(*x)))
    };
    let mark = |v: &[f64], in_torque: bool, flags: &mut Vec<Finding>| {
        let (low, high) = range(v);
        let m = spikes(&v[a..b], 8, 9.0, 0.05 * (high - low).abs().max(1.0));
        let n = m.iter().filter(|s| **s).count();
        if n > 0 {
            flags.push(Finding::Spikes { n, in_torque });
        }
        m
    };
    let speed = mark(&raw.shaft_rpm, false, flags);
    let torque = raw.torque.as_ref().map(|q| mark(q, true, flags));
    (a..b).filter(|i| !speed[i - a] && torque.as_ref().is_none_or(|m| !m[i - a])).collect()
}

/// Splits where consecutive samples are further apart than `gap`, and at cuts; nothing is ever smoothed
/// across.
fn segments(t: &[f64], gap: f64, cuts: &[[f64; 2]]) -> Vec<std::ops::Range<usize>> {
    let cut_between = |a: f64, b: f64| cuts.iter().any(|c| a <= c[0] + 1e-9 && b >= c[1] - 1e-9);
    let mut out = Vec::new();
    let mut start = 0;
    for i in 1..=t.len() {
        if i == t.len() || t[i] - t[i - 1] > gap || cut_between(t[i - 1], t[i]) {
            if i - start >= 2 {
                out.push(start..i);
            }
            start = i;
        }
    }
    out
}

#[cfg(test)]
#[path = "power_test.rs"]
mod tests;
