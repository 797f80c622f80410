//! Whether one step gained more than another: other days, other parts.

use super::difference::Verdict;
use super::figure::copied;
use crate::analysis::set::{Figure, SetResult};
use crate::analysis::set_vs_set::{Alike, Scatter, relative_between};
use crate::factors::differing;
use crate::stats::gains::{RatioOfGains, Relative, SetMean, StepOf, ratio_of_gains};
use crate::stats::pooled::Within;

/// Two steps compared at peak power.
#[derive(Debug, Clone, PartialEq)]
pub struct GainOfGains {
    /// Indices of the sets of each step: from, to.
    pub steps: [[usize; 2]; 2],
    /// The ratio with its interval; `None` when a set has no peak power.
    pub ratio: Option<RatioOfGains>,
    /// Of the ratio against one.
    pub verdict: Verdict,
    /// What differs between the two starts: with more than one the result is attributed to none.
    pub baselines_differ: Vec<String>,
    /// Why no interval can be given.
    pub why: Option<NoRatio>,
}

/// Why two steps have no interval between them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NoRatio {
    /// A set has no peak power.
    NoPower,
    /// A step goes over gears or kinds of pull.
    NotAlike,
    /// No day of these has scatter of pulls, or it is that of copies.
    NoScatter,
    /// Scatter between mountings is not known well enough, and does not cancel.
    NoMountings,
}

/// Compares two steps of sets of one vehicle; `others` lend their scatter beside the sets themselves.
pub fn gain_of_gains(sets: &[SetResult], others: &[SetResult], steps: [[usize; 2]; 2]) -> GainOfGains {
    let [[a0, a], [b0, b]] = steps.map(|s| s.map(|i| &sets[i]));
    let baselines_differ = differing(&a0.factors, &b0.factors);
    let mut out = GainOfGains {
        steps,
        ratio: None,
        verdict: Verdict::CantTell,
        baselines_differ,
        why: Some(NoRatio::NoPower),
    };
    let step = |from: &SetResult, to: &SetResult| {
        let mean = |s: &SetResult| {
            let f = s.figure(Figure::PeakPower);
            Some(SetMean { mean: f.mean.filter(|m| *m > 0.0)?, n: f.values.len() })
        };
        Some((mean(from)?, mean(to)?))
    };
    let (Some(x), Some(y)) = (step(a0, a), step(b0, b)) else { return out };
    let alike =
        |p: &SetResult, q: &SetResult| p.kinds == q.kinds && p.factors.get("gear") == q.factors.get("gear");
    let all = || sets.iter().chain(others);
    let scatter = |from: &SetResult, to: &SetResult, level: f64| {
        let lenders = Alike::new(from, to, false).lenders(all());
        let s = Scatter::of(&lenders, |s| s.figure(Figure::PeakPower).values.clone())?;
        let Within { sd, df } = s.within;
        (!copied(from, to) && s.is_carried(level)).then_some(Relative { sd: sd / level, df })
    };
    let level = |(from, to): (SetMean, SetMean)| 0.5 * (from.mean + to.mean);
    let scatters = (scatter(a0, a, level(x)), scatter(b0, b, level(y)));
    let of = |(from, to): (SetMean, SetMean), within, one_mounting| StepOf { from, to, within, one_mounting };
    let nothing = Relative { sd: 0.0, df: 1.0 };
    let one = of(x, scatters.0.unwrap_or(nothing), a0.shares_mounting(a));
    let two = of(y, scatters.1.unwrap_or(nothing), b0.shares_mounting(b));
    let one_pool = Alike::new(a0, a, false) == Alike::new(b0, b, false);
    let mut days = vec![a0.day.as_str(), b0.day.as_str()];
    days.dedup();
    let pulled = |day: &&str| all().filter(|s| s.n() > 0 && s.day == **day).collect();
    let days: Vec<Vec<&SetResult>> = days.iter().map(pulled).collect();
    let own: Vec<&[&SetResult]> = days.iter().map(Vec::as_slice).collect();
    let between = relative_between(&own).map(|(sd, df)| Relative { sd, df });
    let r = ratio_of_gains(&one, &two, one_pool, steps[0][0] == steps[1][0], between);
    out.why = if !alike(a0, a) || !alike(b0, b) {
        Some(NoRatio::NotAlike)
    } else if scatters.0.is_none() || scatters.1.is_none() {
        Some(NoRatio::NoScatter)
    } else if r.ci95.is_none() {
        Some(NoRatio::NoMountings)
    } else {
        None
    };
    let told = r.ci95.filter(|_| out.why.is_none());
    out.verdict = told.map_or(Verdict::CantTell, |[low, high]| Verdict::of([low.ln(), high.ln()]));
    out.ratio = Some(RatioOfGains { ci95: told, ..r });
    out
}
