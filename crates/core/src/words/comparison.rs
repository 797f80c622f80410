//! The one sentence that heads a comparison.

use super::Speech;
use crate::analysis::{Comparison, Figure, SetResult, Verdict};

/// Plain words for a comparison: gain at peak with its half-width, or why none can be given.
pub fn headline_sentence(c: &Comparison, sets: &[SetResult], to: &Speech<'_>) -> String {
    let (base, candidate) = (to.set(&sets[c.base].id), to.set(&sets[c.candidate].id));
    let (unit, u) = (to.power(), to.power().label());
    let Some(peak) = c.figure(Figure::PeakPower) else {
        return format!("{candidate} against {base}: can't tell.");
    };
    let half = peak.ci95.map(|ci| unit.from_kw((ci[1] - ci[0]) / 2.0));
    let told = |d: f64, h: f64, verb: &str, over: &str| {
        let tail =
            low_end(c).map_or_else(String::new, |rpm| format!(" Below {rpm:.0} rpm no difference is shown."));
        let (d, on) = (unit.from_kw(d.abs()), terms(&sets[c.base], &sets[c.candidate]));
        format!("{candidate} {verb} {d:.1} ± {h:.1} {u} {over} {base} at peak ({on}).{tail}")
    };
    match (peak.verdict, peak.mean_difference, half) {
        (Verdict::Gain, Some(d), Some(h)) => told(d, h, "gains", "over"),
        (Verdict::Loss, Some(d), Some(h)) => told(d, h, "loses", "against"),
        (Verdict::NoDifferenceShown, Some(_), Some(h)) => {
            format!(
                "No difference shown between {candidate} and {base} at peak: it would have to be larger than about {h:.1} {u} to show."
            )
        }
        (Verdict::Gain | Verdict::Loss | Verdict::NoDifferenceShown | Verdict::CantTell, Some(d), _) => {
            format!(
                "Can't tell whether {candidate} differs from {base}: {:+.1} {u} at peak, without an interval.",
                unit.from_kw(d)
            )
        }
        (Verdict::Gain | Verdict::Loss | Verdict::NoDifferenceShown | Verdict::CantTell, None, _) => {
            format!("Can't tell: {candidate} and {base} cannot be compared.")
        }
    }
}

/// Plain words for a comparison by any figure: `place` says which ("in mean power from 3000 to 6500 rpm"),
/// `scale` turns a value into the unit shown.
pub fn sentence_about(
    c: &Comparison,
    sets: &[SetResult],
    to: &Speech<'_>,
    figure: Figure,
    place: &str,
    unit: (&str, &dyn Fn(f64) -> f64),
) -> String {
    let (base, candidate) = (to.set(&sets[c.base].id), to.set(&sets[c.candidate].id));
    let (u, scale) = unit;
    let nothing = || format!("Can't tell: {place} is not known of both {candidate} and {base}.");
    let Some(f) = c.figure(figure) else { return nothing() };
    let half = f.ci95.map(|ci| scale((ci[1] - ci[0]) / 2.0));
    let told = |d: f64, h: f64, than: &str| {
        let terms = terms(&sets[c.base], &sets[c.candidate]);
        format!("{candidate} has {:.1} ± {h:.1} {u} {than} {place} than {base} ({terms}).", scale(d.abs()))
    };
    match (f.verdict, f.mean_difference, half) {
        (Verdict::Gain, Some(d), Some(h)) => told(d, h, "more"),
        (Verdict::Loss, Some(d), Some(h)) => told(d, h, "less"),
        (Verdict::NoDifferenceShown, Some(_), Some(h)) => {
            format!(
                "No difference shown between {candidate} and {base} in {place}: it would have to be larger than about {h:.1} {u} to show."
            )
        }
        (Verdict::Gain | Verdict::Loss | Verdict::NoDifferenceShown | Verdict::CantTell, Some(d), _) => {
            format!(
                "Can't tell whether {candidate} differs from {base} in {place}: {:+.1} {u}, without an interval.",
                scale(d)
            )
        }
        (Verdict::Gain | Verdict::Loss | Verdict::NoDifferenceShown | Verdict::CantTell, None, _) => {
            nothing()
        }
    }
}

/// One line on another figure beside the one that heads a comparison: "At peak torque +12.3 ± 1.1 N·m: gain."
pub fn beside_sentence(
    c: &Comparison,
    figure: Figure,
    place: &str,
    unit: (&str, &dyn Fn(f64) -> f64),
) -> String {
    let (u, scale) = unit;
    let Some((f, d)) = c.figure(figure).and_then(|f| Some((f, f.mean_difference?))) else {
        return format!("{place}: not known of both.");
    };
    let half = f.ci95.map_or_else(|| "?".to_owned(), |ci| format!("{:.1}", scale((ci[1] - ci[0]) / 2.0)));
    format!("{place}: {:+.1} ± {half} {u}, {}.", scale(d), f.verdict.label())
}

/// A larger gain than the one that heads a line-up, and why it does not: "C4 shows more, +31.2 kW at peak, but …".
pub fn larger_sentence(c: &Comparison, sets: &[SetResult], to: &Speech<'_>, why: &str) -> String {
    let unit = to.power();
    let d = c.figure(Figure::PeakPower).and_then(|f| f.mean_difference).unwrap_or(0.0);
    format!(
        "{} shows more, {:+.1} {} at peak, but {why}.",
        to.set(&sets[c.candidate].id),
        unit.from_kw(d),
        unit.label()
    )
}

/// On what terms two sets were compared: "3 pulls each, same day, same fuel".
fn terms(a: &SetResult, b: &SetResult) -> String {
    let pulls = if a.n() == b.n() {
        format!("{} each", super::count(a.n(), "pull"))
    } else {
        format!("{} pulls against {}", b.n(), a.n())
    };
    let same = |f: &str| a.factors.get(f) == b.factors.get(f);
    let day = if a.day == b.day { "same day" } else { "different days" };
    format!("{pulls}, {day}, {}", if same("fuel") { "same fuel" } else { "another fuel" })
}

/// Engine speed below which the band never excludes zero, when it does above.
fn low_end(c: &Comparison) -> Option<f64> {
    let first = c.power.significant_rpm.first()?[0];
    let start = *c.power.curve.rpm.first()?;
    (first > start + 99.0).then_some(first)
}
