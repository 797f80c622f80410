//! Whose scatter counts for a pair of sets, how large it is, and the interval that comes of it.

use super::days::cross_day_share;
use crate::analysis::set::SetResult;
use crate::factors::Factors;
use crate::pull::span::PullKind;
use crate::stats::pooled::{Between, Interval, Within, between, difference, within};
use crate::stats::two_sets::mean;
use std::collections::HashMap;

/// What sets must share to lend a pair their scatter: its days, its gear, its kind of pull.
#[derive(Debug, PartialEq)]
pub(in crate::analysis) struct Alike<'a> {
    days: [&'a str; 2],
    gears: [Option<&'a String>; 2],
    kinds: &'a [PullKind],
}

impl<'a> Alike<'a> {
    pub(in crate::analysis) fn new(a: &'a SetResult, b: &'a SetResult, across_gears: bool) -> Self {
        let mut days = [a.day.as_str(), b.day.as_str()];
        days.sort_unstable();
        let gear = |s: &'a SetResult| s.factors.get("gear");
        Self { days, gears: [gear(a), gear(if across_gears { b } else { a })], kinds: &a.kinds }
    }

    /// The sets among those given that lend a pair their scatter: pulled, alike, and no copies.
    pub(in crate::analysis) fn lenders<'s>(
        &self,
        sets: impl Iterator<Item = &'s SetResult>,
    ) -> Vec<&'s SetResult> {
        sets.filter(|s| s.n() > 0 && self.holds(s) && !s.has_copies()).collect()
    }

    fn holds(&self, s: &SetResult) -> bool {
        self.days.contains(&s.day.as_str())
            && self.gears.contains(&s.factors.get("gear"))
            && s.kinds == self.kinds
    }
}

/// Scatter of a value of single pulls over the sets of a pool.
#[derive(Debug, Clone, Copy)]
pub(in crate::analysis) struct Scatter {
    /// Within sets.
    pub(in crate::analysis) within: Within,
    /// Between mountings, where a configuration was mounted again.
    pub(in crate::analysis) between: Option<Between>,
    /// Smallest scatter that the recordings can carry: their coarsest step as rounding leaves it.
    pub(in crate::analysis) floor: f64,
}

impl Scatter {
    /// Of the sets of a pool; `None` when none has two values.
    pub(in crate::analysis) fn of(
        sets: &[&SetResult],
        values: impl Fn(&SetResult) -> Vec<f64>,
    ) -> Option<Self> {
        let all: Vec<Vec<f64>> = sets.iter().map(|s| values(s)).collect();
        let w = within(&all.iter().map(Vec::as_slice).collect::<Vec<_>>())?;
        let groups = run_again(sets, values);
        let slices: Vec<Vec<&[f64]>> = groups.iter().map(|g| g.iter().map(Vec::as_slice).collect()).collect();
        let known = sets.iter().zip(&all).filter(|(_, v)| !v.is_empty());
        let step = known.map(|(s, v)| s.step_share * mean(v).abs()).fold(0.0, f64::max);
        Some(Self { within: w, between: between(&slices, &w), floor: step / 12.0_f64.sqrt() })
    }

    /// Whether it is more than the recordings can carry, and than rounding of the last digit leaves at a level: what
    /// is below is one number said twice.
    pub(in crate::analysis) fn is_carried(&self, level: f64) -> bool {
        self.within.sd > self.floor.max(1e-9 * level.abs())
    }

    /// Between the mountings of a pair; none where both stood in one, whose effect cancels.
    pub(in crate::analysis) fn between_of(&self, a: &SetResult, b: &SetResult) -> Option<&Between> {
        self.between.as_ref().filter(|_| !a.shares_mounting(b))
    }

    /// The interval of a difference between means of `n` pulls each, at a level of the first; wider across days.
    pub(in crate::analysis) fn interval(
        &self,
        d: f64,
        [a, b]: [&SetResult; 2],
        [n1, n2]: [usize; 2],
        level: f64,
    ) -> Interval {
        let extra = cross_day_share(a, b) * level.abs();
        difference(d, n1, n2, &self.within, self.between_of(a, b)).widened(extra)
    }
}

/// Values of the mountings of each configuration and day: mounted again on one day they know the scatter between
/// mountings; sets of one mounting are one. Another day is no mounting; it is weather, calibration and fuel
/// besides (domain, section 4).
pub(in crate::analysis) fn run_again<'a>(
    sets: &[&'a SetResult],
    values: impl Fn(&'a SetResult) -> Vec<f64>,
) -> Vec<Vec<Vec<f64>>> {
    let mut groups: Vec<Vec<(&'a SetResult, Vec<f64>)>> = Vec::new();
    let mut known: HashMap<(&Factors, &str), usize> = HashMap::new();
    for s in sets {
        let at = *known.entry((&s.factors, s.day.as_str())).or_insert_with(|| {
            groups.push(Vec::new());
            groups.len() - 1
        });
        match groups[at].iter_mut().find(|m| m.0.shares_mounting(s)) {
            Some((_, known)) => known.extend(values(s)),
            None => groups[at].push((s, values(s))),
        }
    }
    groups.into_iter().map(|mountings| mountings.into_iter().map(|m| m.1).collect()).collect()
}
