//! What a line-up says of limits: the sentence under the answer, and a row for each limit of the set looked at.

use super::lineup_chart::threshold_words;
use super::verdict_line;
use crate::prefs::Prefs;
use jamjar_core::limits::{LimitOutcome, Verdict as LimitVerdict};
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
    let judged = |o: &'_ LimitOutcome| l.vehicle.limits.iter().find(|x| x.id == o.limit).map(|x| (x, o.clone()));
    let worst = l.verdicts[shown].iter().min_by(|a, b| a.verdict.cmp(&b.verdict)).and_then(judged);
    match worst {
        Some((_, o)) if o.verdict == LimitVerdict::Over => {
            let over = l.verdicts[shown].iter().filter(|o| o.verdict == LimitVerdict::Over).filter_map(judged);
            let words: Vec<String> = over.map(|(x, o)| format!("{} {}", x.channel.label(), verdict_line(x, &o, prefs.afr))).collect();
            (format!("Don't run this: {}.", words.join("; ")), true)
        }
        Some((x, o)) if o.verdict == LimitVerdict::Clear => (
            format!("Every limit was measured and clear; the tightest of them is {} ({}).", x.channel.label(), verdict_line(x, &o, prefs.afr)),
            false,
        ),
        Some(_) => (said_of_limits(l, shown, prefs), false),
        None => ("No limits are set for this vehicle, so nothing can be said of its margins.".into(), false),
    }
}

fn said_of_limits(l: &LineUp, set: usize, prefs: &Prefs) -> String {
    let mut parts = Vec::new();
    for (v, words) in
        [(LimitVerdict::CantTell, "can't be told"), (LimitVerdict::NotMeasured, "not measured"), (LimitVerdict::NotReached, "not reached")]
    {
        let names: Vec<String> = named(l, set, v);
        if !names.is_empty() {
            parts.push(format!("{} {words}", names.join(" and ")));
        }
    }
    let close: Vec<String> = l.verdicts[set]
        .iter()
        .filter(|o| o.verdict == LimitVerdict::Close)
        .filter_map(|o| l.vehicle.limits.iter().find(|x| x.id == o.limit).map(|x| format!("{} {}", x.channel.label(), verdict_line(x, o, prefs.afr))))
        .collect();
    if !close.is_empty() {
        parts.push(close.join("; "));
    }
    let clear = named(l, set, LimitVerdict::Clear).len();
    let rest = if clear > 0 { format!(" The other {clear} measured limits are clear.") } else { String::new() };
    format!("Nothing measured is over. {}.{rest}", capital(&parts.join("; ")))
}

fn capital(s: &str) -> String {
    let mut c = s.chars();
    // A Greek letter is a symbol: λ does not become Λ at the start of a sentence.
    c.next().map_or_else(String::new, |f| f.to_ascii_uppercase().to_string() + c.as_str())
}

fn named(l: &LineUp, set: usize, v: LimitVerdict) -> Vec<String> {
    l.verdicts[set]
        .iter()
        .filter(|o| o.verdict == v)
        .filter_map(|o| l.vehicle.limits.iter().find(|x| x.id == o.limit).map(|x| x.channel.label()))
        .collect()
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
            reason: o.reason.clone().unwrap_or_default(),
            warn: o.verdict == LimitVerdict::Over,
            strong: o.verdict != LimitVerdict::Clear,
        })
        .collect()
}
