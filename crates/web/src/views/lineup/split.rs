//! What may be concluded when several things changed: the difference split by factor, the corners that would
//! split it, what it costs.

use super::names::name_of;
use super::places::place_of;
use crate::prefs::Prefs;
use crate::views::common::{costs_words, in_unit, unit_of};
use jamjar_chart::{Paint, Waterfall, WaterfallStep, waterfall_svg};
use jamjar_core::analysis::{Comparison, Figure, FigureComparison, Split, Verdict};
use jamjar_core::factors::{Factors, USUAL};
use jamjar_core::stats::pooled::Interval;
use jamjar_core::words::hazard;
use jamjar_workflow::lineup::LineUp;

/// A configuration that would help to tell factors apart.
pub(crate) struct Suggestion {
    pub(crate) words: String,
    /// The whole configuration as JSON; empty where it must not or need not be planned.
    pub(crate) factors: String,
    pub(crate) why: String,
}

/// The difference of the set looked at, split by factor.
pub(crate) struct SplitView {
    /// The figure it is of.
    pub(crate) figure: String,
    /// Steps along the path that was run, drawn; empty when it was not run.
    pub(crate) chart: String,
    /// Factor, share of the whole and main effect, each with its interval. Of two factors both are the same,
    /// and the effect is left out.
    pub(crate) shares: Vec<[String; 3]>,
    pub(crate) averages: bool,
    /// What the factors do together.
    pub(crate) together: String,
    /// A step has several factors in it.
    pub(crate) confounded: bool,
}

/// Splits the difference looked at; `None` when nothing on the way was run.
pub(super) fn split_view(l: &LineUp, c: &Comparison, view: Figure, prefs: &Prefs) -> Option<SplitView> {
    let s = c.splits.iter().find(|s| s.figure == view)?;
    let (u, v) = (unit_of(view, prefs), |x: f64| in_unit(view, x, prefs));
    let words = |i: &Interval| format!("{:+.1} ± {:.1} {u}", v(i.difference), v(i.half_width));
    let shares = s
        .free
        .iter()
        .flat_map(|f| f.shares.iter().zip(&f.main))
        .map(|(a, b)| [a.factor.clone(), words(&a.interval), words(&b.interval)])
        .collect();
    let together = s.free.as_ref().map_or_else(String::new, |f| {
        let begins = match Verdict::of(f.together.ci95()) {
            Verdict::NoDifferenceShown
            | Verdict::CantTell
            | Verdict::ProvisionalGain
            | Verdict::ProvisionalLoss => "No interaction is shown: together",
            Verdict::Gain | Verdict::Loss => "Together",
        };
        format!("{begins} they do {} beyond the sum of each alone.", words(&f.together))
    });
    let averages = c.confounding.factors_differ.len() > 2;
    Some(SplitView {
        figure: place_of(view, l),
        chart: steps_chart(l, c, s, view, prefs),
        shares,
        averages,
        together,
        confounded: s.steps.iter().any(|t| t.confounded),
    })
}

fn steps_chart(l: &LineUp, c: &Comparison, s: &Split, view: Figure, prefs: &Prefs) -> String {
    let v = |x: f64| in_unit(view, x, prefs);
    let (Some(from), false) = (l.results[c.base].figure(view).mean, s.steps.is_empty()) else {
        return String::new();
    };
    let step = |t: &jamjar_core::analysis::Step| WaterfallStep {
        label: format!("{} {}", t.factor.replace('_', " "), t.to),
        difference: v(t.interval.difference),
        half: v(t.interval.half_width),
        hatched: t.confounded,
    };
    let chart = Waterfall {
        from: (name_of(l, c.base), v(from)),
        steps: s.steps.iter().map(step).collect(),
        to: name_of(l, c.candidate),
        unit: unit_of(view, prefs).into(),
    };
    waterfall_svg(&chart, Paint::Page)
}

/// The base's configuration with some factors replaced, in words and as JSON.
fn whole(l: &LineUp, c: &Comparison, changed: &Factors) -> (String, String) {
    let mut f = l.results[c.base].factors.clone();
    f.extend(changed.iter().map(|(k, v)| (k.clone(), v.clone())));
    let words: Vec<String> = USUAL.iter().filter_map(|k| f.get(*k).cloned()).collect();
    (words.join(", "), serde_json::to_string(&f).unwrap_or_default())
}

/// The fewest sets that would tell the factors apart, with everything else as in the baseline.
pub(super) fn suggestions(l: &LineUp, c: &Comparison) -> Vec<Suggestion> {
    let why = format!("tells {} apart", c.confounding.factors_differ.join(" and "));
    let new = c.confounding.separate_with.iter().filter(|_| c.confounding.confounded);
    new.map(|f| {
        let (words, factors) = whole(l, c, f);
        Suggestion { words, factors, why: why.clone() }
    })
    .collect()
}

/// Every configuration between the two, for a split without an order: run, to be planned, or why not.
pub(super) fn corners(l: &LineUp, c: &Comparison) -> Vec<Suggestion> {
    let one = |k: &jamjar_core::factors::Corner| {
        let (words, factors) = whole(l, c, &k.factors);
        match (k.run, &k.not_safe) {
            (true, _) => Suggestion { words, factors: String::new(), why: "run".into() },
            (_, Some(h)) => {
                Suggestion { words, factors: String::new(), why: format!("not proposed: {}", hazard(h)) }
            }
            _ => Suggestion { words, factors, why: "completes the corners".into() },
        }
    };
    c.confounding.corners.iter().map(one).collect()
}

/// What the map of the set looked at costs for what it gained; empty when no price is known.
pub(super) fn price_words(l: &LineUp, c: &Comparison, prefs: &Prefs) -> String {
    let Some(price) = l.price(c) else { return String::new() };
    let figures = [Figure::PeakPower, Figure::BandMeanPower];
    let gains: Vec<&FigureComparison> = figures.iter().filter_map(|f| c.figure(*f)).collect();
    costs_words(&l.sets[c.candidate].set.config.map, price, &gains, prefs)
}
