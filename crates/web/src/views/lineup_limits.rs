//! What a line-up says of limits: the sentence under the answer, and a row for each limit of the set looked
//! at.

use super::lineup_chart::threshold_words;
use super::verdict_line;
use crate::prefs::Prefs;
use jamjar_core::limits::{Limit, LimitOutcome, Verdict as LimitVerdict};
use jamjar_core::words::{sentence_case, why};
use jamjar_workflow::lineup::LineUp;

pub(crate) struct LimitRow {
    pub(crate) label: String,
    pub(crate) rule: String,
    pub(crate) verdict: &'static str,
    pub(crate) text: String,
    pub(crate) reason: String,
    pub(crate) warn: bool,
    pub(crate) strong: bool,
}

/// The worst that the limits of a set say, and whether it is a warning.
pub(super) fn limit_sentence(l: &LineUp, shown: usize, prefs: &Prefs) -> (String, bool) {
    match judged(l, shown).min_by(|a, b| a.1.verdict.cmp(&b.1.verdict)) {
        Some((_, o)) if o.verdict == LimitVerdict::Over => {
            (format!("Don't run this: {}.", in_words(l, shown, LimitVerdict::Over, prefs)), true)
        }
        Some((x, o)) if o.verdict == LimitVerdict::Clear => {
            let line = verdict_line(x, o, prefs.afr);
            (
                format!(
                    "Every limit was measured and clear; the tightest of them is {} ({line}).",
                    x.channel.label()
                ),
                false,
            )
        }
        Some(_) => (said_of_limits(l, shown, prefs), false),
        None => ("No limits are set for this vehicle, so nothing can be said of its margins.".into(), false),
    }
}

/// The limits of a set with their outcomes, in the order judged.
fn judged(l: &LineUp, set: usize) -> impl Iterator<Item = (&Limit, &LimitOutcome)> {
    l.verdicts[set].iter().filter_map(|o| l.vehicle.limits.iter().find(|x| x.id == o.limit).map(|x| (x, o)))
}

/// Those of one verdict, each with what it leaves or exceeds.
fn in_words(l: &LineUp, set: usize, v: LimitVerdict, prefs: &Prefs) -> String {
    let line =
        |(x, o): (&Limit, &LimitOutcome)| format!("{} {}", x.channel.label(), verdict_line(x, o, prefs.afr));
    judged(l, set).filter(|(_, o)| o.verdict == v).map(line).collect::<Vec<_>>().join("; ")
}

fn said_of_limits(l: &LineUp, set: usize, prefs: &Prefs) -> String {
    let named = |v: LimitVerdict| {
        judged(l, set).filter(|(_, o)| o.verdict == v).map(|(x, _)| x.channel.label()).collect::<Vec<_>>()
    };
    let mut parts = Vec::new();
    for (v, words) in [
        (LimitVerdict::CantTell, "can't be told"),
        (LimitVerdict::NotMeasured, "not measured"),
        (LimitVerdict::NotReached, "not reached"),
    ] {
        let names = named(v);
        if !names.is_empty() {
            parts.push(format!("{} {words}", names.join(" and ")));
        }
    }
    let close = in_words(l, set, LimitVerdict::Close, prefs);
    if !close.is_empty() {
        parts.push(close);
    }
    let clear = named(LimitVerdict::Clear).len();
    let rest =
        if clear > 0 { format!(" The other {clear} measured limits are clear.") } else { String::new() };
    format!("Nothing measured is over. {}.{rest}", sentence_case(&parts.join("; ")))
}

pub(super) fn limit_rows(l: &LineUp, set: usize, prefs: &Prefs) -> Vec<LimitRow> {
    l.vehicle
        .limits
        .iter()
        .filter_map(|x| l.verdicts[set].iter().find(|o| o.limit == x.id).map(|o| (x, o)))
        .map(|(x, o)| LimitRow {
            label: x.channel.label(),
            rule: format!("{} {} for {} s", x.direction.label(), threshold_words(x, prefs.afr), x.sustain_s),
            verdict: o.verdict.label(),
            text: if o.margin.is_some() { verdict_line(x, o, prefs.afr) } else { String::new() },
            reason: o.why.as_ref().map(why).unwrap_or_default(),
            warn: o.verdict == LimitVerdict::Over,
            strong: o.verdict != LimitVerdict::Clear,
        })
        .collect()
}
