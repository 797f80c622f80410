//! Speeds held one after the other under full load (a step test), and what each of them gave.
//!
//! A speed is held when it stays within a narrow band for two seconds. Only what comes after the charge and
//! the torque have had time to settle counts.

use super::load::Load;
use super::span::{EndedBy, PullKind, PullSpan};
use super::trace::PowerTrace;
use crate::findings::Finding;
use crate::log::Series;
use serde::{Deserialize, Serialize};

/// Width of the blocks the speed is averaged in, s: a controller hunts faster than that.
const BLOCK_S: f64 = 0.2;
/// A speed is held when its blocks stay within this, engine rpm, or the share of it below, whichever is more
/// (our choice).
const BAND_RPM: f64 = 40.0;
/// See [`BAND_RPM`].
pub(crate) const BAND_SHARE: f64 = 0.01;
/// Shortest time a speed is held, s (our choice).
pub(crate) const MIN_HOLD_S: f64 = 2.0;
/// Neighbouring steps are at least this far apart, engine rpm (our choice).
const MIN_APART_RPM: f64 = 100.0;
/// Longest pause between two steps of one test, s: the load may be taken off to cool down (our choice).
const MAX_PAUSE_S: f64 = 60.0;
/// So many steps are a test of their own, whatever else the recording holds (our choice): before a sweep one
/// speed is held, on a limiter after it another.
pub const MIN_STEPS: usize = 3;
/// Fewer steps count when one lasts so long, s, the pedal was recorded, and there is nothing else (our
/// choice).
const LONG_HOLD_S: f64 = 5.0;
/// Left out at the beginning of a step, s, but at least this share of it (our choice): spool and the brake's
/// own settling.
const SETTLING_S: f64 = 1.0;
const SETTLING_SHARE: f64 = 1.0 / 3.0;
/// Left out at the end, s: the filter and the next ramp.
const TAIL_S: f64 = 0.3;
/// Torque that moves by more than this share over what counts is said to be still moving (our choice).
const MOVING: f64 = 0.01;
/// A step is read at the grid speed this near to it, rpm: its torque is taken for that speed (our choice;
/// half the usual grid).
const MAX_OFF_GRID_RPM: f64 = 25.0;

/// One held speed, with what counted of it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct HeldStep {
    /// What counts, s on the dyno clock: settled, before the next ramp.
    pub from_s: f64,
    /// Its end, s.
    pub to_s: f64,
    /// Mean engine speed, rpm.
    pub rpm: f64,
    /// Mean uncorrected power, kW.
    pub power_kw: f64,
    /// Mean torque, N·m.
    pub torque_nm: f64,
    /// How far torque still moved from first to last, as a share.
    pub moved: f64,
}

impl HeldStep {
    /// Whether torque had not settled.
    pub fn is_moving(&self) -> bool {
        self.moved.abs() > MOVING
    }
}

/// A stretch of one speed.
#[derive(Debug, Clone, Copy)]
struct Plateau {
    from_s: f64,
    to_s: f64,
    level: f64,
}

/// Stretches of one speed under load. `scale` brings the trace to engine rpm.
///
/// # Formula
/// Blocks `v̄ₖ` of 0.2 s belong together while `max v̄ − min v̄ ≤ max(40 rpm/scale, 0.01·max v̄)`; a stretch
/// counts from 2 s on, and its level is the mean of its blocks.
///
/// where
/// - `v̄ₖ`: mean speed of a block in which every sample was loaded, in the trace's rpm;
/// - `scale`: engine rpm per rpm of the trace.
///
/// A held speed is one within a narrow band for two seconds (domain, section 2; the widths are our choice).
fn plateaus(t: &[f64], v: &[f64], loaded: &[bool], scale: f64) -> Vec<Plateau> {
    let blocks = blocks(t, v, loaded);
    let mut out = Vec::new();
    let mut i = 0;
    while i < blocks.len() {
        let (mut low, mut high, mut j) = (f64::INFINITY, f64::NEG_INFINITY, i);
        while let Some(b) = blocks.get(j).filter(|b| j == i || b.from_s - blocks[j - 1].to_s < 2.0 * BLOCK_S)
        {
            let (l, h) = (low.min(b.level), high.max(b.level));
            if h - l > (BAND_RPM / scale).max(BAND_SHARE * h.abs()) {
                break;
            }
            (low, high, j) = (l, h, j + 1);
        }
        let (from_s, to_s) = (blocks[i].from_s, blocks[j.max(i + 1) - 1].to_s);
        if to_s - from_s >= MIN_HOLD_S {
            let level = blocks[i..j].iter().map(|b| b.level).sum::<f64>() / (j - i) as f64;
            out.push(Plateau { from_s, to_s, level });
            i = j;
        } else {
            i += 1;
        }
    }
    joined(out, scale)
}

/// Blocks in which every sample was loaded, with their mean.
fn blocks(t: &[f64], v: &[f64], loaded: &[bool]) -> Vec<Plateau> {
    let mut out = Vec::new();
    let mut i = 0;
    while i < t.len() {
        let j = i + t[i..].partition_point(|x| *x < t[i] + BLOCK_S).max(1);
        if loaded[i..j].iter().all(|l| *l) && v[i..j].iter().all(|v| v.is_finite()) {
            let end = t.get(j).copied().filter(|e| e - t[j - 1] < BLOCK_S).unwrap_or(t[j - 1]);
            let level = v[i..j].iter().sum::<f64>() / (j - i) as f64;
            out.push(Plateau { from_s: t[i], to_s: end, level });
        }
        i = j;
    }
    out
}

/// Joins what one disturbance has cut in two.
fn joined(found: Vec<Plateau>, scale: f64) -> Vec<Plateau> {
    let mut out: Vec<Plateau> = Vec::new();
    for p in found {
        match out.last_mut() {
            Some(last)
                if p.from_s - last.to_s < 1.0 && (p.level - last.level).abs() < MIN_APART_RPM / scale =>
            {
                let (a, b) = (last.to_s - last.from_s, p.to_s - p.from_s);
                *last = Plateau {
                    from_s: last.from_s,
                    to_s: p.to_s,
                    level: (a * last.level + b * p.level) / (a + b),
                };
            }
            _ => out.push(p),
        }
    }
    out
}

/// Step tests in a speed trace: steps that go one way, each with how many it has. `pedal` says that the load
/// was recorded as a throttle or pedal: one long step is believed only then.
pub(super) fn find(speed: &Series, loaded: &[bool], pedal: bool, scale: f64) -> Vec<(PullSpan, usize)> {
    let mut tests: Vec<Vec<Plateau>> = Vec::new();
    for p in plateaus(&speed.t, &speed.v, loaded, scale) {
        match tests.last_mut().filter(|steps| goes_on(steps, &p, scale)) {
            Some(steps) => steps.push(p),
            None => tests.push(vec![p]),
        }
    }
    let end = speed.t.last().copied().unwrap_or(0.0);
    let long = |s: &[Plateau]| pedal && s.iter().any(|p| p.to_s - p.from_s >= LONG_HOLD_S);
    let worth = tests.into_iter().filter(|s| s.len() >= MIN_STEPS || long(s));
    worth.filter_map(|s| Some((span(s.first()?, s.last()?, end), s.len()))).collect()
}

fn goes_on(steps: &[Plateau], next: &Plateau, scale: f64) -> bool {
    let Some(last) = steps.last() else { return false };
    let step = next.level - last.level;
    let same_way = steps.len() < 2 || (last.level - steps[0].level) * step > 0.0;
    step.abs() >= MIN_APART_RPM / scale && same_way && next.from_s - last.to_s <= MAX_PAUSE_S
}

fn span(first: &Plateau, last: &Plateau, end_of_log_s: f64) -> PullSpan {
    PullSpan {
        kind: PullKind::HeldSteps,
        from_s: first.from_s,
        to_s: last.to_s,
        from_rpm: first.level,
        to_rpm: last.level,
        ended_by: if end_of_log_s - last.to_s < 2.0 * BLOCK_S { EndedBy::EndOfLog } else { EndedBy::Lift },
        plateau_rpm: None,
        rate: (last.level - first.level) / (last.to_s - first.from_s).max(1e-9),
    }
}

/// The steps of a derived trace. `throttle` is on the dyno clock: a moment below full throttle does not
/// count; without it a moment of little torque does not, for the load may have been taken off at the same
/// speed.
pub(crate) fn steps(p: &PowerTrace, throttle: Option<&Series>) -> Vec<HeldStep> {
    let torque = Series { t: p.t.clone(), v: p.torque_nm.clone() };
    let load = Load { throttle: throttle.cloned(), torque: Some(torque) };
    plateaus(&p.t, &p.rpm, &load.held(&p.t), 1.0).iter().filter_map(|s| measured(p, s)).collect()
}

/// What one step gave.
///
/// # Formula
/// Over the samples `i` from `t₀ + max(1 s, D/3)` to `t₁ − 0.3 s`: `rpm = Σnᵢ/N`, `P = ΣPᵢ/N`, `T = ΣTᵢ/N`,
/// `moved = b·(t_last − t_first)/|T|` with `b = Σ(tᵢ−t̄)(Tᵢ−T̄) / Σ(tᵢ−t̄)²`.
///
/// where
/// - `t₀`, `t₁`, `D = t₁ − t₀`: begin, end and length of the step, s; `N`: samples that count;
/// - `n`: engine speed, rpm; `P`: power, kW; `T`: torque, N·m; a bar is the mean over what counts;
/// - `b`: least-squares slope of torque on time, N·m/s; `moved` is a share of torque.
///
/// A step is a mean of settled torque (domain, section 2); how long is left to settle is our choice.
fn measured(p: &PowerTrace, s: &Plateau) -> Option<HeldStep> {
    let from = s.from_s + SETTLING_S.max(SETTLING_SHARE * (s.to_s - s.from_s));
    let inside: Vec<usize> = (0..p.t.len())
        .filter(|&i| p.t[i] >= from && p.t[i] <= s.to_s - TAIL_S && p.power_kw[i].is_finite())
        .collect();
    let (first, last) = (*inside.first()?, *inside.last()?);
    let n = inside.len() as f64;
    let mean = |v: &[f64]| inside.iter().map(|&i| v[i]).sum::<f64>() / n;
    let (t, torque) = (mean(&p.t), mean(&p.torque_nm));
    let (mut tt, mut tq) = (0.0, 0.0);
    for &i in &inside {
        tt += (p.t[i] - t).powi(2);
        tq += (p.t[i] - t) * (p.torque_nm[i] - torque);
    }
    let slope = if tt > 0.0 { tq / tt } else { 0.0 };
    let moved = slope * (p.t[last] - p.t[first]) / torque.abs().max(1e-9);
    Some(HeldStep {
        from_s: p.t[first],
        to_s: p.t[last],
        rpm: mean(&p.rpm),
        power_kw: mean(&p.power_kw),
        torque_nm: torque,
        moved,
    })
}

/// The grid speed each step is read at, ascending, one step each; the rest is said to be off the grid.
pub(crate) fn on_grid(steps: &[HeldStep], step_rpm: f64, flags: &mut Vec<Finding>) -> Vec<(f64, HeldStep)> {
    let mut out: Vec<(f64, HeldStep)> = Vec::new();
    for s in steps {
        let at = (s.rpm / step_rpm).round() * step_rpm;
        if (s.rpm - at).abs() > MAX_OFF_GRID_RPM || out.iter().any(|o| (o.0 - at).abs() < 1e-6) {
            flags.push(Finding::OffGrid { rpm: s.rpm, within_rpm: MAX_OFF_GRID_RPM });
        } else {
            out.push((at, *s));
        }
    }
    out.sort_by(|a, b| a.0.total_cmp(&b.0));
    let moving: Vec<f64> = out.iter().filter(|s| s.1.is_moving()).map(|s| s.0).collect();
    if !moving.is_empty() {
        flags.push(Finding::NotSettled { rpm: moving, share: MOVING });
    }
    out
}

#[cfg(test)]
#[path = "held_test.rs"]
mod tests;
