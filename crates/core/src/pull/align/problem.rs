//! A pair prepared once for every candidate lag: the dyno's samples with what is known of their level, and the engine
//! computer's speed to be read at them.

use super::legs::{Legs, Reading};
use super::{Pair, Ratio};
use crate::signal::savgol::{WindowPlan, median_step};
use std::ops::Range;

/// Points used at most; a denser dyno trace is thinned evenly.
const MAX_POINTS: usize = 3000;
/// Points on which candidates are told apart before the best are fitted on all (our choice).
const FEW_POINTS: usize = 300;
/// Record kept around the pull, s: tip-in and the first moments of the lift carry the kinks.
const BEFORE_S: f64 = 1.0;
const AFTER_S: f64 = 0.3;

/// Samples of the dyno that lags are fitted on.
pub(super) struct Points {
    pub(super) t: Vec<f64>,
    /// Speed of the dyno's trace, rpm.
    pub(super) d: Vec<f64>,
    /// Part of the level that is known: `k·n_dyno`, or nothing when the ratio is to be fitted.
    pub(super) base: Vec<f64>,
    /// What the fitted coefficient multiplies: `n_dyno` for a free ratio, `k·n_dyno·load` for slip, nothing
    /// on a rigid coupling.
    pub(super) slope: Vec<f64>,
}

impl Points {
    fn every(&self, n: usize) -> Self {
        let some = |v: &[f64]| v.iter().copied().step_by(n).collect();
        Self { t: some(&self.t), d: some(&self.d), base: some(&self.base), slope: some(&self.slope) }
    }

    /// Those within the pull.
    pub(super) fn inside(&self, pair: &Pair<'_>) -> Range<usize> {
        let from = self.t.partition_point(|t| *t < pair.pull.from_s);
        from..self.t.partition_point(|t| *t <= pair.pull.to_s).max(from)
    }

    /// What of a reading lies within the pull: places among the points, and in the reading itself. Where the two do not
    /// meet, nothing of what was read.
    pub(super) fn within(&self, pair: &Pair<'_>, read: &Reading) -> [Range<usize>; 2] {
        let (inside, covered) = (self.inside(pair), read.covered());
        let to = inside.end.min(covered.end).max(covered.start);
        let from = inside.start.max(covered.start).min(to);
        [from..to, from - read.from..to - read.from]
    }

    /// Engine speed less what the dyno trace and the coefficient say, rpm, at what was read.
    pub(super) fn misses(&self, read: &Reading, k: f64, out: &mut Vec<f64>) {
        out.clear();
        let (base, slope) = (&self.base[read.covered()], &self.slope[read.covered()]);
        out.extend(read.speed.iter().zip(base).zip(slope).map(|((e, b), s)| e - (b + k * s)));
    }
}

/// A pair prepared once for every candidate lag.
pub(super) struct Problem<'a> {
    pair: &'a Pair<'a>,
    pub(super) all: Points,
    /// Few of them, evenly.
    pub(super) few: Points,
    /// Rate of the engine computer's speed, rpm/s.
    pub(super) ecu_rate: Vec<f64>,
    pub(super) legs: Legs,
    pub(super) mid: f64,
}

impl<'a> Problem<'a> {
    pub(super) fn new(pair: &'a Pair<'a>) -> Self {
        let part = pair.dyno.view().between(pair.pull.from_s - BEFORE_S, pair.pull.to_s + AFTER_S);
        let every = part.len().div_ceil(MAX_POINTS).max(1);
        let t: Vec<f64> = part.t.iter().copied().step_by(every).collect();
        let d: Vec<f64> = part.v.iter().copied().step_by(every).collect();
        let load = |i: usize| pair.load.and_then(|l| l.at(t[i])).unwrap_or(0.0);
        let (base, slope) = match (pair.ratio, pair.load) {
            (Ratio::Free, _) => (vec![0.0; d.len()], d.clone()),
            (Ratio::Known(k), None) => (d.iter().map(|d| k * d).collect(), vec![0.0; d.len()]),
            (Ratio::Known(k), Some(_)) => (
                d.iter().map(|d| k * d).collect(),
                d.iter().enumerate().map(|(i, d)| k * d * load(i)).collect(),
            ),
        };
        let step = median_step(&pair.ecu.t).unwrap_or(0.05);
        let ecu_rate = WindowPlan::new(&pair.ecu.t, (7.2 * step).max(0.12)).rates(&pair.ecu.v);
        let legs = Legs::new(&pair.ecu.t, &pair.ecu.v, &ecu_rate);
        let all = Points { t, d, base, slope };
        let few = all.every(all.t.len().div_ceil(FEW_POINTS).max(1));
        Self { pair, all, few, ecu_rate, legs, mid: 0.5 * (pair.pull.from_s + pair.pull.to_s) }
    }

    pub(super) fn pair(&self) -> &'a Pair<'a> {
        self.pair
    }

    /// Whether a coefficient is fitted beside the lag.
    pub(super) fn has_coefficient(&self) -> bool {
        self.pair.ratio == Ratio::Free || self.pair.load.is_some()
    }

    /// Engine speed and its rate at dyno samples.
    pub(super) fn read(&self, points: &Points, lag: f64, delta: f64, out: &mut Reading) {
        self.legs.read(&points.t, |t| t + lag + delta * (t - self.mid), out);
    }
}
