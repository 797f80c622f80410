//! Second looks at a comparison: the baseline as it stood then, drift as a sensitivity, days through their own baselines,
//! equivalence, and best pulls made fair. Each ends as a sentence beside the headline; none replaces it.

use super::compare::Comparison;
use super::input::{Headline, Settings};
use super::pool::{Pool, run_again};
use super::repeats::day_drift;
use super::sets::{Figure, SetResult};
use crate::log::Flag;
use crate::stats::across::{Mean, Relative, difference_in_differences};
use crate::stats::drift::{Run, bracketed};
use crate::stats::equivalence::{Equivalence, equivalence, expected_best};
use crate::stats::pooled::{Interval, between, within};
use crate::units::PowerUnit;

/// Drift is worth a sentence below this p value.
const DRIFT_P: f64 = 0.05;

/// What the second looks found, all at peak power.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SecondLooks {
    /// Difference to the baseline interpolated between its runs before and after.
    pub bracketed: Option<Interval>,
    /// Difference with the day's drift taken out, and the drift per unit with its p value.
    pub adjusted: Option<(Interval, f64, f64, &'static str)>,
    /// Relative difference through each day's own baseline.
    pub across: Option<Relative>,
    /// Equivalence within the margin that was set.
    pub equivalence: Option<Equivalence>,
}

/// Takes the second looks at a comparison and adds their sentences to its notes.
pub(super) fn take(sets: &[SetResult], pool: &Pool<'_>, c: &mut Comparison, plain: Option<&Interval>, settings: &Settings) {
    let (a, b) = (&sets[c.base], &sets[c.candidate]);
    let mut out = SecondLooks::default();
    if plain.is_some() {
        if a.day == b.day {
            out.bracketed = bracket(sets, pool, a, b);
            out.adjusted = adjusted(sets, a, b);
        } else {
            out.across = across(sets, a, b);
        }
    }
    out.equivalence = plain.zip(settings.margin_kw).map(|(i, m)| equivalence(i, m));
    c.notes.extend(out.words(a, b, settings.say_power));
    c.notes.extend(fair_best(a, b, settings));
    c.second = out;
}

fn run(s: &SetResult, clocks: bool) -> Option<Run> {
    let f = s.figure(Figure::PeakPower);
    Some(Run { at: if clocks { s.at_h? } else { s.order }, n: f.values.len(), mean: f.mean? })
}

/// The baseline's runs next before and next after the candidate on its day.
fn bracket(sets: &[SetResult], pool: &Pool<'_>, a: &SetResult, b: &SetResult) -> Option<Interval> {
    let same: Vec<&SetResult> = sets.iter().filter(|s| s.day == a.day && s.factors == a.factors && s.kinds == a.kinds && s.n() > 0).collect();
    let clocks = b.at_h.is_some() && same.iter().all(|s| s.at_h.is_some());
    let set = run(b, clocks)?;
    let runs = || same.iter().filter_map(|s| run(s, clocks));
    let before = runs().filter(|r| r.at < set.at).max_by(|x, y| x.at.total_cmp(&y.at))?;
    let after = runs().filter(|r| r.at > set.at).min_by(|x, y| x.at.total_cmp(&y.at))?;
    let w = pool.within(Figure::PeakPower)?;
    bracketed(before, set, after, &w, pool.between(Figure::PeakPower, &w).as_ref())
}

fn adjusted(sets: &[SetResult], a: &SetResult, b: &SetResult) -> Option<(Interval, f64, f64, &'static str)> {
    let with_it = |s: &&SetResult| s.day == a.day && s.n() > 0 && s.kinds == a.kinds && s.factors.get("gear") == a.factors.get("gear");
    let members: Vec<&SetResult> = sets.iter().filter(with_it).collect();
    let d = day_drift(&members, &a.factors, Figure::PeakPower)?;
    let k = d.configurations.iter().position(|c| *c == b.factors)?;
    let order = d.fit.order?;
    (k != 0).then(|| (d.fit.difference(k), order.slope, order.p, d.unit))
}

/// The two sets through sets of one same map, fuel and build that both days have; the one most pulled where there are several.
fn across(sets: &[SetResult], a: &SetResult, b: &SetResult) -> Option<Relative> {
    let key = |s: &SetResult| ["map", "fuel", "build", "gear"].map(|f| s.factors.get(f).cloned());
    let on = |day: &str| sets.iter().filter(|s| s.day == day && s.kinds == a.kinds && s.n() > 0).collect::<Vec<_>>();
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
        return (own.id != b.id).then(|| difference_in_differences(None, (mean(b, &second)?, mean(own, &second)?), between)).flatten();
    }
    let mut shared: Vec<(&&SetResult, &&SetResult)> = first
        .iter()
        .filter(|x| x.id != a.id && key(x) != key(a))
        .filter_map(|x| second.iter().find(|y| y.id != b.id && key(y) == key(x)).map(|y| (x, y)))
        .collect();
    shared.sort_by_key(|(x, y)| std::cmp::Reverse(x.n().min(y.n())));
    let (x, y) = shared.first()?;
    let between = relative_between(&[&first, &second]);
    difference_in_differences(Some((mean(a, &first)?, mean(x, &first)?)), (mean(b, &second)?, mean(y, &second)?), between)
}

/// Scatter between mountings as a share of power with its degrees of freedom, from sets run again on either day; `None` without any.
fn relative_between(days: &[&[&SetResult]]) -> Option<(f64, f64)> {
    let mut groups: Vec<Vec<Vec<f64>>> = Vec::new();
    for day in days {
        let mut gears: Vec<Option<&String>> = day.iter().map(|s| s.factors.get("gear")).collect();
        gears.sort();
        gears.dedup();
        for gear in gears {
            let own: Vec<&SetResult> = day.iter().filter(|s| s.factors.get("gear") == gear).copied().collect();
            for sets in run_again(&own, |s| s.figure(Figure::PeakPower).values.as_slice()) {
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
fn fair_best(a: &SetResult, b: &SetResult, settings: &Settings) -> Option<Flag> {
    let (x, y) = (&a.figure(Figure::PeakPower).values, &b.figure(Figure::PeakPower).values);
    let k = x.len().min(y.len());
    if settings.headline != Headline::Best || x.len() == y.len() || k == 0 {
        return None;
    }
    let d = expected_best(y, k)? - expected_best(x, k)?;
    let text = format!(
        "Best of {} against best of {} is not fair: over subsets of {k} the expected best differs by {}.",
        y.len(),
        x.len(),
        settings.say_power.say_signed(d)
    );
    Some(Flag::new("best_of", text))
}

impl SecondLooks {
    fn words(&self, a: &SetResult, b: &SetResult, u: PowerUnit) -> Vec<Flag> {
        let mut out = Vec::new();
        if let Some(i) = &self.bracketed {
            let text = format!(
                "The baseline was run before and after: against it as it stood in between, the difference at peak is {:+.1} ± {}.",
                u.from_kw(i.difference),
                u.say(i.half_width)
            );
            out.push(Flag::new("bracket", text));
        }
        if let Some((i, slope, p, unit)) = self.adjusted.filter(|x| x.2 < DRIFT_P) {
            let text = format!(
                "The day drifts by {:+.2} {} each {unit} at peak (p {p:.3}): with that taken out the difference is {:+.1} ± {}. A sensitivity, not the headline.",
                u.from_kw(slope),
                u.label(),
                u.from_kw(i.difference),
                u.say(i.half_width)
            );
            out.push(Flag::new("drift", text));
        }
        match &self.across {
            Some(r) => {
                let [d, low, high] = r.shares().map(|s| 100.0 * s);
                let mounted = if r.mounted { "scatter between mountings included" } else { "within one mounting each" };
                let text = format!(
                    "Through a baseline that both days have, {} differs from {} by {d:+.1} % at peak ({low:+.1} to {high:+.1} %, {mounted}).",
                    b.id, a.id
                );
                out.push(Flag::new("across", text));
            }
            None if a.day != b.day => {
                let text =
                    "The two days share no baseline of one map, fuel and build, so what the days themselves did cannot be taken out. Pull one again.";
                out.push(Flag::new("across", text));
            }
            None => {}
        }
        if let Some(e) = &self.equivalence {
            let (margin, low, high) = (u.say(e.margin), u.from_kw(e.ci90[0]), u.say_signed(e.ci90[1]));
            let text = if e.within {
                format!("Equivalent within ± {margin} at peak: the 90 % interval {low:+.1} to {high} lies inside.")
            } else {
                format!("Not shown to be equivalent within ± {margin}: the 90 % interval is {low:+.1} to {high}.")
            };
            out.push(Flag::new("equivalence", text));
        }
        out
    }
}
