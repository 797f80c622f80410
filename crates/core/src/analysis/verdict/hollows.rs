//! Hollows of the torque curve compared place by place: filled, smaller, as it was, deeper.

use super::pair::Pair;
use crate::analysis::measured::{Hollow, hollows};
use crate::analysis::set::SetResult;
use crate::analysis::set_vs_set::GainCurve;
use crate::curve::{Curve, Quantity, index_of};
use crate::stats::equivalence::equivalence;
use crate::stats::pooled::{Interval, Term, contrast};
use crate::stats::two_sets::{mean, mean_of};

/// A hollow of the mean of all sets is looked at from this share of its level on: it may be in one set only, and
/// so half as deep in the mean as there (our choice).
const LEAST: f64 = 0.01;
/// Torque at a place is the mean over so much to either side, rpm (domain, section 4).
const AROUND_RPM: f64 = 50.0;
/// A hollow is as good as filled when what is left of it lies within this share of torque (our choice).
pub const FILLED_WITHIN: f64 = 0.01;

/// What became of a hollow.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Became {
    /// Significantly smaller, and what is left is equivalent to nothing.
    Filled,
    /// Significantly smaller.
    Smaller,
    /// No change shown.
    Unchanged,
    /// Significantly deeper.
    Deeper,
    /// Not both sets cover it in every pull, or no scatter is known.
    NotComparable,
}

/// A hollow in two sets.
#[derive(Debug, Clone, PartialEq)]
pub struct HollowCompared {
    /// Its deepest place in the mean of all sets, rpm.
    pub rpm: f64,
    /// Its shoulders, rpm.
    pub shoulders: [f64; 2],
    /// Mean depth below the line between the shoulders in base and candidate, N·m; `None` where a pull does not
    /// cover it.
    pub depth: [Option<f64>; 2],
    /// Whether each is shown to be there by the simultaneous band.
    pub shown: [bool; 2],
    /// Candidate − base, N·m.
    pub change: Option<Interval>,
    /// What is left may be this large to count as nothing, N·m.
    pub margin: f64,
    /// The verdict.
    pub became: Became,
}

/// Hollows that at least one of two sets is shown to have, from the lowest speed.
///
/// # Formula
/// `depth = T(n₁) + (T(n₂) − T(n₁))·(n − n₁)/(n₂ − n₁) − T(n)` for each pull, `T` the mean over n ± 50 rpm;
/// there when `depth > h_T(n)`; filled when the 95 % interval of the change lies below 0 and the 90 % interval of what
/// is left within ± m
///
/// where
/// - `n`, `n₁`, `n₂`: deepest place and shoulders, from the mean curve of all sets, rpm; `T`: torque, N·m;
/// - `h_T`: half-width of the simultaneous band of the gain at the place, N·m; `m`: 1 % of torque (our choice).
pub fn hollows_compared(
    sets: &[SetResult],
    others: &[SetResult],
    [base, candidate]: [usize; 2],
    band: &GainCurve,
    across_gears: bool,
) -> Vec<HollowCompared> {
    let (a, b) = (&sets[base], &sets[candidate]);
    let all = mean_of_all(sets);
    let pair = Pair::new([a, b], sets.iter().chain(others), across_gears);
    let one = |h: &Hollow| {
        let (rpm, shoulders) = (all.rpm[h.low], [all.rpm[h.left], all.rpm[h.right]]);
        let values = |s: &SetResult| s.of_pulls(|c| depth(c, rpm, shoulders));
        let depths = [a, b].map(|s| mean_of(&values(s)));
        let half = index_of(&band.rpm, rpm).and_then(|i| band.half.get(i)).copied().unwrap_or(f64::INFINITY);
        let level = all.torque_nm[h.low].abs();
        let mut out = HollowCompared {
            rpm,
            shoulders,
            depth: depths,
            shown: depths.map(|d| d.is_some_and(|d| d > half)),
            change: None,
            margin: FILLED_WITHIN * level,
            became: Became::NotComparable,
        };
        if let [Some(x), Some(y)] = depths
            && let Some(s) = pair.scatter(values).filter(|s| s.within.sd > 1e-9 * level)
        {
            let i = pair.interval(&s, y - x, 0.0);
            let left = contrast(&[Term { weight: 1.0, mean: y, n: b.n() }], &s.within, s.between.as_ref());
            out.became = match i.ci95() {
                [_, high] if high < 0.0 && equivalence(&left, out.margin).within => Became::Filled,
                [_, high] if high < 0.0 => Became::Smaller,
                [low, _] if low > 0.0 => Became::Deeper,
                _ => Became::Unchanged,
            };
            out.change = Some(i);
        }
        out
    };
    hollows(&all.rpm, &all.torque_nm, LEAST).iter().map(one).filter(|h| h.shown.contains(&true)).collect()
}

/// Mean torque of all sets where every one has a value.
fn mean_of_all(sets: &[SetResult]) -> Curve {
    let with: Vec<&Curve> = sets.iter().filter(|s| s.n() > 0).map(|s| &s.mean_curve).collect();
    let mut out = Curve::default();
    for rpm in with.first().map_or(&[][..], |c| &c.rpm) {
        let at: Option<Vec<f64>> = with.iter().map(|c| c.at(Quantity::Torque, *rpm)).collect();
        if let Some(v) = at {
            out.rpm.push(*rpm);
            out.torque_nm.push(mean(&v));
        }
    }
    out
}

/// How far a pull lies below the line between the shoulders, N·m.
fn depth(c: &Curve, rpm: f64, [from, to]: [f64; 2]) -> Option<f64> {
    let around = |at: f64| {
        let [low, high] =
            [at - AROUND_RPM, at + AROUND_RPM].map(|x| c.rpm.partition_point(|r| *r < x - 1e-6));
        let high = high + usize::from(c.rpm.get(high).is_some_and(|r| *r <= at + AROUND_RPM + 1e-6));
        let here: Vec<f64> = c.torque_nm.get(low..high)?.iter().copied().filter(|v| v.is_finite()).collect();
        c.at(Quantity::Torque, at).filter(|_| !here.is_empty()).map(|_| mean(&here))
    };
    let (x, y, t) = (around(from)?, around(to)?, around(rpm)?);
    Some(x + (y - x) * (rpm - from) / (to - from) - t)
}
