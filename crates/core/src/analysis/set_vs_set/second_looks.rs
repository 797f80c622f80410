//! Second looks at a comparison: the baseline as it stood then, drift as a sensitivity, days through their
//! own baselines, equivalence, and best pulls made fair. None replaces the headline.

use super::drift::{Per, day_drift};
use super::pool::Pool;
use super::scatter::run_again;
use crate::analysis::given::{Headline, Settings};
use crate::analysis::set::{Figure, SetResult};
use crate::stats::across::{Mean, Relative, difference_in_differences};
use crate::stats::drift::{Run, bracketed};
use crate::stats::equivalence::{Equivalence, equivalence, expected_best};
use crate::stats::pooled::{Interval, between, within};

/// A difference with the day's drift taken out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Undrifted {
    /// The difference without it.
    pub interval: Interval,
    /// Drift, kW per unit of the order.
    pub slope_kw: f64,
    /// Two-sided p value of no drift.
    pub p: f64,
    /// What the order is counted by.
    pub per: Per,
}

/// Best of `n` against best of another `n`, made fair.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FairBest {
    /// Pulls of base and candidate.
    pub n: [usize; 2],
    /// Size of the subsets.
    pub of: usize,
    /// Difference of the expected best over subsets of that size, kW.
    pub difference_kw: f64,
}

/// What the second looks found, all at peak power.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SecondLooks {
    /// Difference to the baseline interpolated between its runs before and after.
    pub bracketed: Option<Interval>,
    /// Difference with the day's drift taken out.
    pub adjusted: Option<Undrifted>,
    /// Relative difference through each day's own baseline.
    pub across: Option<Relative>,
    /// Equivalence within the margin that was set.
    pub equivalence: Option<Equivalence>,
    /// The best pulls made fair, where the headline is the best and the sets differ in size.
    pub fair_best: Option<FairBest>,
}

/// Takes the second looks at set `b` against `a`; `plain` is the difference at peak power.
pub(in crate::analysis) fn second_looks<'a>(
    sets: &'a [SetResult],
    pool: &Pool<'a>,
    [a, b]: [&SetResult; 2],
    plain: Option<&Interval>,
    settings: &Settings,
) -> SecondLooks {
    let mut out = SecondLooks::default();
    if plain.is_some() {
        if a.day == b.day {
            out.bracketed = bracket(sets, pool, a, b);
            out.adjusted = adjusted(pool, sets, a, b);
        } else {
            out.across = across(sets, a, b);
        }
    }
    out.equivalence = plain.zip(settings.margin_kw).map(|(i, m)| equivalence(i, m));
    out.fair_best = fair_best(a, b, settings);
    out
}

fn run(s: &SetResult, clocks: bool) -> Option<Run> {
    let f = s.figure(Figure::PeakPower);
    Some(Run { at: if clocks { s.at_h? } else { s.order }, n: f.values.len(), mean: f.mean? })
}

/// The baseline's runs next before and next after the candidate on its day.
fn bracket<'a>(sets: &'a [SetResult], pool: &Pool<'a>, a: &SetResult, b: &SetResult) -> Option<Interval> {
    let is_same =
        |s: &&SetResult| s.day == a.day && s.factors == a.factors && s.kinds == a.kinds && s.n() > 0;
    let same = pool.base_runs(|| sets.iter().filter(is_same).collect());
    let clocks = b.at_h.is_some() && same.iter().all(|s| s.at_h.is_some());
    let set = run(b, clocks)?;
    let runs = || same.iter().filter_map(|s| run(s, clocks));
    let before = runs().filter(|r| r.at < set.at).max_by(|x, y| x.at.total_cmp(&y.at))?;
    let after = runs().filter(|r| r.at > set.at).min_by(|x, y| x.at.total_cmp(&y.at))?;
    let s = pool.scatter(Figure::PeakPower)?;
    bracketed(before, set, after, &s.within, s.between.as_ref())
}

fn adjusted(pool: &Pool<'_>, sets: &[SetResult], a: &SetResult, b: &SetResult) -> Option<Undrifted> {
    let with_it = |s: &&SetResult| {
        s.day == a.day && s.n() > 0 && s.kinds == a.kinds && s.factors.get("gear") == a.factors.get("gear")
    };
    let d = pool.drift(|| {
        let members: Vec<&SetResult> = sets.iter().filter(with_it).collect();
        day_drift(&members, &a.factors, Figure::PeakPower)
    })?;
    let k = *d.configurations.get(&b.factors)?;
    let order = d.fit.order?;
    (k != 0).then(|| Undrifted {
        interval: d.fit.difference(k),
        slope_kw: order.slope,
        p: order.p,
        per: d.per,
    })
}

/// The two sets through sets of one same map, fuel and build that both days have; the one most pulled where
/// there are several.
fn across(sets: &[SetResult], a: &SetResult, b: &SetResult) -> Option<Relative> {
    let key = |s: &SetResult| ["map", "fuel", "build", "gear"].map(|f| s.factors.get(f).cloned());
    let on = |day: &str| {
        sets.iter().filter(|s| s.day == day && s.kinds == a.kinds && s.n() > 0).collect::<Vec<_>>()
    };
    let (first, second) = (on(&a.day), on(&b.day));
    let mean = |s: &SetResult, day: &[&SetResult]| {
        let f = s.figure(Figure::PeakPower);
        let w = within(
            &day.iter()
                .filter(|o| o.factors.get("gear") == s.factors.get("gear"))
                .map(|o| o.figure(Figure::PeakPower).values.as_slice())
                .collect::<Vec<_>>(),
        )?;
        let value = f.mean?;
        Some(Mean { value, n: f.values.len(), scatter: (w.sd / value, w.df) })
    };
    // The base itself, pulled again on the candidate's day, is the shortest way.
    if let Some(own) = second.iter().find(|s| s.factors == a.factors) {
        let between = relative_between(&[&first, &second]);
        return (own.id != b.id)
            .then(|| difference_in_differences(None, (mean(b, &second)?, mean(own, &second)?), between))
            .flatten();
    }
    let mut shared: Vec<(&&SetResult, &&SetResult)> = first
        .iter()
        .filter(|x| x.id != a.id && key(x) != key(a))
        .filter_map(|x| second.iter().find(|y| y.id != b.id && key(y) == key(x)).map(|y| (x, y)))
        .collect();
    shared.sort_by_key(|(x, y)| std::cmp::Reverse(x.n().min(y.n())));
    let (x, y) = shared.first()?;
    let between = relative_between(&[&first, &second]);
    difference_in_differences(
        Some((mean(a, &first)?, mean(x, &first)?)),
        (mean(b, &second)?, mean(y, &second)?),
        between,
    )
}

/// Scatter between mountings as a share of power with its degrees of freedom, from sets run again on either
/// day; `None` without any.
pub(in crate::analysis) fn relative_between(days: &[&[&SetResult]]) -> Option<(f64, f64)> {
    let mut groups: Vec<Vec<Vec<f64>>> = Vec::new();
    for day in days {
        let mut gears: Vec<Option<&String>> = day.iter().map(|s| s.factors.get("gear")).collect();
        gears.sort();
        gears.dedup();
        for gear in gears {
            let own: Vec<&SetResult> =
                day.iter().filter(|s| s.factors.get("gear") == gear).copied().collect();
            for sets in run_again(&own, |s| s.figure(Figure::PeakPower).values.clone()) {
                let all: Vec<f64> = sets.iter().flat_map(|s| s.iter().copied()).collect();
                let level = all.iter().sum::<f64>() / all.len().max(1) as f64;
                groups.push(sets.iter().map(|s| s.iter().map(|v| v / level).collect()).collect());
            }
        }
    }
    let flat: Vec<&[f64]> = groups.iter().flatten().map(Vec::as_slice).collect();
    let w = within(&flat)?;
    let b = between(&groups.iter().map(|g| g.iter().map(Vec::as_slice).collect()).collect::<Vec<_>>(), &w)?;
    Some((b.variance.sqrt(), b.df))
}

/// Best of n grows with n: with unequal counts, the expected best over subsets of equal size.
fn fair_best(a: &SetResult, b: &SetResult, settings: &Settings) -> Option<FairBest> {
    let (x, y) = (&a.figure(Figure::PeakPower).values, &b.figure(Figure::PeakPower).values);
    let k = x.len().min(y.len());
    if settings.headline != Headline::Best || x.len() == y.len() || k == 0 {
        return None;
    }
    Some(FairBest {
        n: [x.len(), y.len()],
        of: k,
        difference_kw: expected_best(y, k)? - expected_best(x, k)?,
    })
}
