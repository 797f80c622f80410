//! What the pulls of a line-up can show, and what more would.

use super::asked::LineUpAsked;
use crate::prefs::Prefs;
use crate::views::common::{in_unit, unit_of};
use jamjar_core::stats::plan::{pulls_needed, smallest_detectable};
use jamjar_workflow::lineup::LineUp;

/// Difference a plan aims at until a person says what is the same to them, kW (our choice).
const WANTED_KW: f64 = 2.0;

/// What these pulls can show, and what more would: of the figure looked at.
pub(super) fn can_show(l: &LineUp, focus: Option<usize>, asked: &LineUpAsked, prefs: &Prefs) -> String {
    let Some(f) = focus.and_then(|f| l.comparisons[f].figure(asked.view)) else { return String::new() };
    let (Some(sd), Some(now)) = (f.pull_sd, f.smallest_detectable) else { return String::new() };
    let n = l.results[l.base].n().min(focus.map_or(0, |f| l.results[l.comparisons[f].candidate].n())) as u32;
    let (u, v) = (unit_of(asked.view, prefs), |x: f64| in_unit(asked.view, x, prefs));
    let next = smallest_detectable(sd, n + 1).map(|d| d.difference).unwrap_or(now);
    let now_words = format!(
        "These pulls can show a difference of {:.1} {u} (80 times in 100); one more pull of each, {:.1}.",
        v(now),
        v(next)
    );
    let wanted = prefs.margin_kw.unwrap_or(WANTED_KW);
    let needed = (f.figure.unit() == "kW" && wanted < now).then(|| pulls_needed(sd, wanted).ok()).flatten();
    match needed.map(|p| p.pulls_per_set.saturating_sub(n)).filter(|more| *more > 1) {
        Some(more) => format!("{now_words} To see {:.1} {u}, pull each {more} more times.", v(wanted)),
        None => now_words,
    }
}
