//! What the sets of a line-up are called, so that no two are called alike.

use jamjar_core::analysis::{Comparison, Figure, Verdict};
use jamjar_core::limits::{Severity, Verdict as LimitVerdict, judged};
use jamjar_workflow::lineup::LineUp;

/// "map on fuel", with the set's number when another set shown has the same map and fuel.
pub(crate) fn name_of(l: &LineUp, i: usize) -> String {
    let s = &l.sets[i].set;
    let which = which_of(l, i).map_or_else(String::new, |w| format!(" ({w})"));
    format!("{} on {}{which}", s.config.map, s.config.fuel)
}

/// What tells a set from the others of its map and fuel: the factors in which they differ, else the day, else
/// its place in the day.
fn which_of(l: &LineUp, i: usize) -> Option<String> {
    let config = |k: usize| &l.sets[k].set.config;
    let twins: Vec<usize> = (0..l.sets.len())
        .filter(|&k| k != i && config(k).map == config(i).map && config(k).fuel == config(i).fuel)
        .collect();
    if twins.is_empty() {
        return None;
    }
    let own = config(i).factors();
    let mut telling: Vec<String> = Vec::new();
    for (name, value) in &own {
        if twins.iter().any(|&k| config(k).factors().get(name) != Some(value)) {
            telling.push(match name.as_str() {
                "boost" => value.clone(),
                _ => format!("{} {value}", name.replace('_', " ")),
            });
        }
    }
    let same = |k: &&usize| config(**k).factors() == own;
    let date = l.sets[i].set.date;
    if twins.iter().filter(same).any(|&k| l.sets[k].set.date != date) {
        telling.push(date.format("%-d %b").to_string());
    }
    if telling.is_empty() || twins.iter().filter(same).any(|&k| l.sets[k].set.date == date) {
        telling.push(format!("set {}", l.sets[i].set.position));
    }
    Some(telling.join(", "))
}

/// Beside the map: the fuel and what tells it apart; the fuel is left out where all sets share it.
pub(super) fn detail_of(l: &LineUp, i: usize) -> String {
    let fuel = &l.sets[i].set.config.fuel;
    let shared = l.sets.iter().all(|s| s.set.config.fuel == *fuel);
    match which_of(l, i) {
        None => fuel.clone(),
        Some(w) if shared => w,
        Some(w) => format!("{fuel}, {w}"),
    }
}

/// The same for a label of the chart, whose dash says the fuel: what tells it from its twins must not be cut
/// off.
pub(super) fn label_of(l: &LineUp, i: usize) -> String {
    which_of(l, i).unwrap_or_else(|| l.sets[i].set.config.fuel.clone())
}

/// The set with that id.
pub(super) fn index(l: &LineUp, id: &str) -> Option<usize> {
    l.results.iter().position(|x| x.id == id)
}

/// The candidate shown first: the one asked for, else the largest gain by a figure among those that can be compared
/// and are known to have kept every stop limit, else among those not known to have crossed one, else the largest.
pub(crate) fn focus_of(l: &LineUp, asked: Option<i64>, by: Figure) -> Option<usize> {
    let at = asked.and_then(|id| l.comparisons.iter().position(|c| l.sets[c.candidate].set.id == id));
    let why: Vec<Option<WhyNot>> = l.comparisons.iter().map(|c| why_not(l, c, by)).collect();
    let best = |fit: &dyn Fn(&Option<WhyNot>) -> bool| {
        let all = (0..l.comparisons.len()).filter(|&i| fit(&why[i]));
        all.max_by(|&a, &b| gain(&l.comparisons[a], by).total_cmp(&gain(&l.comparisons[b], by)))
    };
    at.or_else(|| best(&Option::is_none))
        .or_else(|| best(&|w| matches!(w, Some(WhyNot::Unmeasured { .. }))))
        .or_else(|| best(&|_| true))
}

fn gain(c: &Comparison, by: Figure) -> f64 {
    c.figure(by).and_then(|f| f.mean_difference).unwrap_or(f64::NEG_INFINITY)
}

/// Why a candidate does not head a line-up, whatever it gained.
pub(super) enum WhyNot {
    /// A limit that somebody stands behind was crossed.
    Over,
    /// No interval, or nothing to compare.
    CantTell,
    /// So many of its stop limits have no verdict.
    Unmeasured { n: usize, of: usize },
}

fn why_not(l: &LineUp, c: &Comparison, by: Figure) -> Option<WhyNot> {
    let standing = || judged(&l.verdicts[c.candidate], &l.vehicle.limits).filter(|j| !j.0.starting_point);
    let over = standing().any(|j| j.1.verdict == LimitVerdict::Over);
    let told = c.figure(by).is_some_and(|f| f.verdict != Verdict::CantTell);
    let stops: Vec<bool> =
        standing().filter(|j| j.0.severity == Severity::Stop).map(|j| j.1.verdict.is_kept()).collect();
    let (n, of) = (stops.iter().filter(|kept| !**kept).count(), stops.len());
    match (over, told) {
        (true, _) => Some(WhyNot::Over),
        (false, false) => Some(WhyNot::CantTell),
        (false, true) => (n > 0).then_some(WhyNot::Unmeasured { n, of }),
    }
}

/// The largest gain of all where it does not head the line-up, and why.
pub(super) fn larger(l: &LineUp, focus: usize, by: Figure) -> Option<(usize, WhyNot)> {
    let own = gain(&l.comparisons[focus], by);
    let most = (0..l.comparisons.len())
        .max_by(|&a, &b| gain(&l.comparisons[a], by).total_cmp(&gain(&l.comparisons[b], by)))?;
    let why = why_not(l, &l.comparisons[most], by)?;
    (most != focus && gain(&l.comparisons[most], by) > own).then_some((most, why))
}
