//! Sets against the baseline at several engine speeds.

use super::comparable::not_comparable;
use super::difference::Verdict;
use super::figure::{copied, one_curve};
use crate::analysis::set::SetResult;
use crate::analysis::set_vs_set::{Alike, cross_day_share, scatter_of};
use crate::curve::Quantity;
use crate::stats::pooled::difference;
use crate::stats::two_sets::mean;
use crate::units::RAD_S_PER_RPM;

/// A set at one engine speed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AtSpeed {
    /// rpm.
    pub rpm: f64,
    /// Mean power, kW, and torque, N·m; `None` where a pull that counts does not cover the speed.
    pub value: [Option<f64>; 2],
    /// Difference to the baseline, kW and N·m.
    pub difference: [Option<f64>; 2],
    /// Half of its 95 % interval.
    pub half: [Option<f64>; 2],
    /// Of the two together: at one speed torque is power over speed.
    pub verdict: Verdict,
}

/// A set at each speed against the baseline; against itself there is no difference.
pub fn at_speeds(
    sets: &[SetResult],
    base: usize,
    set: usize,
    speeds: &[f64],
    across_gears: bool,
) -> Vec<AtSpeed> {
    let (a, b) = (&sets[base], &sets[set]);
    let refused =
        base == set || not_comparable(a, b, across_gears).is_some() || one_curve(a, b) || copied(a, b);
    let at = |s: &SetResult, q: Quantity, rpm: f64| -> Vec<f64> {
        let all: Vec<Option<f64>> = s.included_curves().map(|c| c.at(q, rpm)).collect();
        if all.iter().any(Option::is_none) { Vec::new() } else { all.into_iter().flatten().collect() }
    };
    let one = |rpm: f64| {
        let of = |s: &SetResult| {
            Quantity::ALL.map(|q| Some(at(s, q, rpm)).filter(|v| !v.is_empty()).map(|v| mean(&v)))
        };
        let (x, y) = (of(a), of(b));
        let mut out =
            AtSpeed { rpm, value: y, difference: [None; 2], half: [None; 2], verdict: Verdict::CantTell };
        if base == set {
            return out;
        }
        out.difference = std::array::from_fn(|i| Some(y[i]? - x[i]?));
        let (Some(d), Some(level), false) = (out.difference[0], x[0], refused) else { return out };
        let power = |s: &SetResult| at(s, Quantity::Power, rpm);
        let Some((w, between)) = scatter_of(sets, &Alike::new(a, b, across_gears), power) else { return out };
        if w.sd <= 1e-9 * level.abs() {
            return out;
        }
        let between = between.filter(|_| !a.shares_mounting(b));
        let i =
            difference(d, a.n(), b.n(), &w, between.as_ref()).widened(cross_day_share(a, b) * level.abs());
        out.half = [Some(i.half_width), Some(i.half_width * 1000.0 / (rpm * RAD_S_PER_RPM))];
        out.verdict = Verdict::of(i.ci95());
        out
    };
    speeds.iter().map(|rpm| one(*rpm)).collect()
}
