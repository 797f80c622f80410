//! The one sentence that heads a comparison, composed from what was found.

use super::Verdict;
use super::compare::Comparison;
use super::sets::{Figure, SetResult};
use crate::limits::{Limit, LimitOutcome, Verdict as LimitVerdict};
use crate::units::PowerUnit;

/// Plain words for a comparison: gain at peak with its half-width, or why none can be given.
pub fn headline_sentence(c: &Comparison, sets: &[SetResult], name: impl Fn(&SetResult) -> String, unit: PowerUnit) -> String {
    let (base, candidate) = (name(&sets[c.base]), name(&sets[c.candidate]));
    let u = unit.label();
    let Some(peak) = c.figure(Figure::PeakPower) else { return format!("{candidate} against {base}: can't tell.") };
    let half = peak.ci95.map(|ci| unit.from_kw((ci[1] - ci[0]) / 2.0));
    match (peak.verdict, peak.mean_difference, half) {
        (Verdict::Gain | Verdict::Loss, Some(d), Some(h)) => {
            let (verb, d) = if d >= 0.0 { ("gains", unit.from_kw(d)) } else { ("loses", unit.from_kw(-d)) };
            let tail = match low_end(c) {
                Some(rpm) => format!(" Below {rpm:.0} rpm no difference is shown."),
                None => String::new(),
            };
            let over = if verb == "gains" { "over" } else { "against" };
            format!("{candidate} {verb} {d:.1} ± {h:.1} {u} {over} {base} at peak ({}).{tail}", terms(&sets[c.base], &sets[c.candidate]))
        }
        (Verdict::NoDifferenceShown, Some(_), Some(h)) => {
            format!("No difference shown between {candidate} and {base} at peak: it would have to be larger than about {h:.1} {u} to show.")
        }
        (_, Some(d), _) => format!("Can't tell whether {candidate} differs from {base}: {:+.1} {u} at peak, without an interval.", unit.from_kw(d)),
        _ => format!("Can't tell: {candidate} and {base} cannot be compared."),
    }
}

/// Plain words for a comparison by any figure: `place` says which ("in mean power from 3000 to 6500 rpm"), `scale` turns a value into
/// the unit shown.
pub fn sentence_about(
    c: &Comparison,
    sets: &[SetResult],
    name: impl Fn(&SetResult) -> String,
    figure: Figure,
    place: &str,
    unit: (&str, &dyn Fn(f64) -> f64),
) -> String {
    let (base, candidate) = (name(&sets[c.base]), name(&sets[c.candidate]));
    let (u, scale) = unit;
    let nothing = || format!("Can't tell: {place} is not known of both {candidate} and {base}.");
    let Some(f) = c.figure(figure) else { return nothing() };
    let half = f.ci95.map(|ci| scale((ci[1] - ci[0]) / 2.0));
    match (f.verdict, f.mean_difference, half) {
        (Verdict::Gain | Verdict::Loss, Some(d), Some(h)) => {
            let (verb, against, d) = if d >= 0.0 { ("has", "more", scale(d)) } else { ("has", "less", scale(-d)) };
            let terms = terms(&sets[c.base], &sets[c.candidate]);
            format!("{candidate} {verb} {d:.1} ± {h:.1} {u} {against} {place} than {base} ({terms}).")
        }
        (Verdict::NoDifferenceShown, Some(_), Some(h)) => {
            format!("No difference shown between {candidate} and {base} in {place}: it would have to be larger than about {h:.1} {u} to show.")
        }
        (_, Some(d), _) => format!("Can't tell whether {candidate} differs from {base} in {place}: {:+.1} {u}, without an interval.", scale(d)),
        _ => nothing(),
    }
}

/// On what terms two sets were compared: "3 pulls each, same day, same fuel".
fn terms(a: &SetResult, b: &SetResult) -> String {
    let pulls = if a.n() == b.n() {
        format!("{} {} each", a.n(), if a.n() == 1 { "pull" } else { "pulls" })
    } else {
        format!("{} pulls against {}", b.n(), a.n())
    };
    let same = |f: &str| a.factors.get(f) == b.factors.get(f);
    let day = if a.day == b.day { "same day" } else { "different days" };
    format!("{pulls}, {day}, {}", if same("fuel") { "same fuel" } else { "another fuel" })
}

/// Engine speed below which the band never excludes zero, when it does above.
fn low_end(c: &Comparison) -> Option<f64> {
    let first = c.significant_rpm.first()?[0];
    let start = *c.curve.rpm.first()?;
    (first > start + 99.0).then_some(first)
}

/// What a limit says of a set, in words: "λ 1 over from 5900 rpm", "λ 1 clear, 0.04 left at 5900 rpm".
pub fn limit_sentence(limit: &Limit, o: &LimitOutcome) -> String {
    let label = limit.channel.label();
    let unit = match limit.channel.unit() {
        "" | "λ" => String::new(),
        u => format!(" {u}"),
    };
    let at = o.rpm.map_or(String::new(), |r| format!(" at {:.0} rpm", (r / 10.0).round() * 10.0));
    let digits = if limit.channel.unit() == "λ" { 3 } else { 1 };
    match (o.verdict, o.margin) {
        (LimitVerdict::Over, Some(m)) => format!("{label} over its limit by {:.digits$}{unit}{at}", -m),
        (LimitVerdict::Close | LimitVerdict::Clear, Some(m)) => format!("{label} {}, {m:.digits$}{unit} left{at}", o.verdict.label()),
        (v, _) => match &o.reason {
            Some(why) => format!("{label} {}: {why}", v.label()),
            None => format!("{label} {}", v.label()),
        },
    }
}
