//! Sets side by side at several engine speeds, where the lead changes hands, and a gain held against another.

use super::asked::LineUpAsked;
use super::names::name_of;
use crate::prefs::{Prefs, speeds_words};
use crate::views::common::{Choice, in_quantity, quantity_unit};
use jamjar_core::analysis::{AtSpeed, Verdict, at_speeds, gain_of_gains};
use jamjar_core::curve::Quantity;
use jamjar_core::words::{Speech, gain_of_gains_sentence};
use jamjar_workflow::lineup::LineUp;

/// A set at each speed: value and gain of each quantity shown.
pub(crate) struct SpeedRow {
    pub(crate) name: String,
    pub(crate) tone: &'static str,
    pub(crate) cells: Vec<[String; 2]>,
}

/// Sets at several speeds.
pub(crate) struct SpeedTable {
    /// As they were typed.
    pub(crate) typed: String,
    pub(crate) heads: Vec<String>,
    pub(crate) rows: Vec<SpeedRow>,
}

/// Sets in the order given at the speeds a person keeps.
pub(super) fn speed_table(
    l: &LineUp,
    prefs: &Prefs,
    order: &[usize],
    tone: &dyn Fn(usize) -> &'static str,
) -> SpeedTable {
    let quantities = Quantity::ALL;
    let heads =
        |rpm: &f64| quantities.map(|q| format!("{} at {rpm:.0}, {}", q.label(), quantity_unit(q, prefs)));
    let row = |i: &usize| {
        let at = at_speeds(&l.results, &l.lenders, [l.base, *i], &prefs.speeds, l.settings.across_gears);
        let cells = at.iter().flat_map(|a| quantities.map(|q| cell(a, q, *i == l.base, prefs))).collect();
        SpeedRow { name: name_of(l, *i), tone: tone(*i), cells }
    };
    SpeedTable {
        typed: speeds_words(&prefs.speeds, ", "),
        heads: prefs.speeds.iter().flat_map(heads).collect(),
        rows: if prefs.speeds.is_empty() { Vec::new() } else { order.iter().map(row).collect() },
    }
}

fn cell(a: &AtSpeed, q: Quantity, is_base: bool, prefs: &Prefs) -> [String; 2] {
    let k = usize::from(q == Quantity::Torque);
    let v = |x: f64| in_quantity(q, x, prefs);
    let value = a.value[k].map_or_else(|| "not covered".to_owned(), |x| format!("{:.1}", v(x)));
    let gain = match (a.difference[k], a.half[k]) {
        _ if is_base => String::new(),
        (Some(d), Some(h)) => {
            let shown = if a.verdict == Verdict::NoDifferenceShown { ", not shown" } else { "" };
            format!("{:+.1} ±{:.1}{shown}", v(d), v(h))
        }
        (Some(d), None) => format!("{:+.1} ±?", v(d)),
        (None, _) => String::new(),
    };
    [value, gain]
}

/// A gain held against another: the form's choices and what came of it.
pub(crate) struct StepsView {
    pub(crate) one: Vec<Choice>,
    pub(crate) two: Vec<Choice>,
    pub(crate) sentence: String,
}

/// Steps between the sets shown; nothing to choose with fewer than three.
pub(super) fn steps_view(l: &LineUp, asked: &LineUpAsked, to: &Speech<'_>) -> Option<StepsView> {
    if l.sets.len() < 3 {
        return None;
    }
    let at = |id: i64| l.sets.iter().position(|s| s.set.id == id);
    let known = asked.steps.and_then(|[[a, b], [c, d]]| Some([[at(a)?, at(b)?], [at(c)?, at(d)?]]));
    let mut pairs: Vec<[usize; 2]> = Vec::new();
    // From the baseline first: that is what is mostly asked.
    for from in std::iter::once(l.base).chain((0..l.sets.len()).filter(|i| *i != l.base)) {
        pairs.extend((0..l.sets.len()).filter(|to| *to != from).map(|to| [from, to]));
    }
    let choices = |chosen: Option<[usize; 2]>, usual: usize| {
        let on = chosen.or(pairs.get(usual).copied());
        let choice = |p: &[usize; 2]| Choice {
            id: format!("{}-{}", l.sets[p[0]].set.id, l.sets[p[1]].set.id),
            label: format!("{} to {}", name_of(l, p[0]), name_of(l, p[1])),
            on: on == Some(*p),
        };
        pairs.iter().map(choice).collect()
    };
    Some(StepsView {
        one: choices(known.map(|k| k[0]), 0),
        two: choices(known.map(|k| k[1]), 1),
        sentence: known.map_or_else(String::new, |k| {
            gain_of_gains_sentence(&gain_of_gains(&l.results, &l.lenders, k), &l.results, to)
        }),
    })
}
