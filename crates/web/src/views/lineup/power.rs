//! What the pulls of a line-up can show, and what more would.

use super::asked::LineUpAsked;
use crate::prefs::Prefs;
use crate::views::common::{in_unit, unit_of};
use jamjar_workflow::lineup::LineUp;

/// Difference a plan aims at until a person says what is the same to them, kW (our choice).
const WANTED_KW: f64 = 2.0;

/// What these pulls can show, and what more would: of the figure looked at.
pub(super) fn can_show(l: &LineUp, focus: Option<usize>, asked: &LineUpAsked, prefs: &Prefs) -> String {
    let wanted = prefs.margin_kw.unwrap_or(WANTED_KW);
    let Some(can) = focus.and_then(|f| l.can_show(&l.comparisons[f], asked.view, wanted)) else {
        return String::new();
    };
    let (u, v) = (unit_of(asked.view, prefs), |x: f64| in_unit(asked.view, x, prefs));
    let now = format!(
        "These pulls can show a difference of {:.1} {u} (80 times in 100); one more pull of each, {:.1}.",
        v(can.now),
        v(can.next)
    );
    match can.more {
        Some(more) => format!("{now} To see {:.1} {u}, pull each {more} more times.", v(wanted)),
        None => now,
    }
}
