//! The one sentence that heads a comparison.

use super::Speech;
use crate::analysis::{
    Comparison, Crossover, Figure, FigureComparison, GainOfGains, NoRatio, SetResult, Verdict, crossovers,
};
use crate::curve::Quantity;

/// What can be said of a difference, in the unit shown.
pub(super) enum Told {
    /// More or less by so much, give or take; provisional where it is the cell's habit that says so.
    Differs { more: bool, sure: bool, by: f64, half: f64 },
    /// It would have to be larger than so much to show.
    NotShown(f64),
    /// So much, without an interval.
    Bare(f64),
    /// A set has no such figure.
    Nothing,
}

fn told(f: &FigureComparison, scale: &dyn Fn(f64) -> f64) -> Told {
    let half = f.ci95.map(|ci| scale((ci[1] - ci[0]) / 2.0));
    told_of(f.verdict, f.mean_difference.map(scale), half)
}

/// What a verdict, a difference and half of its interval say together.
pub(super) fn told_of(verdict: Verdict, d: Option<f64>, half: Option<f64>) -> Told {
    let Some(d) = d else { return Told::Nothing };
    let differs = |more, sure| half.map(|half| Told::Differs { more, sure, by: d.abs(), half });
    let said = match verdict {
        Verdict::Gain => differs(true, true),
        Verdict::Loss => differs(false, true),
        Verdict::ProvisionalGain => differs(true, false),
        Verdict::ProvisionalLoss => differs(false, false),
        Verdict::NoDifferenceShown => half.map(Told::NotShown),
        Verdict::CantTell => None,
    };
    said.unwrap_or(Told::Bare(d))
}

/// Plain words for a comparison: gain at peak with its half-width, or why none can be given.
pub fn headline_sentence(c: &Comparison, sets: &[SetResult], to: &Speech<'_>) -> String {
    let (base, candidate) = (to.set(&sets[c.base].id), to.set(&sets[c.candidate].id));
    let (unit, u) = (to.power(), to.power().label());
    let Some(peak) = c.figure(Figure::PeakPower) else {
        return format!("{candidate} against {base}: can't tell.");
    };
    match told(peak, &|v| unit.from_kw(v)) {
        Told::Differs { more, sure, by, half } => {
            let (verb, over) = if more { ("gains", "over") } else { ("loses", "against") };
            let surely = if sure { "" } else { "provisionally " };
            let on = terms(&sets[c.base], &sets[c.candidate]);
            let tail = low_end(c)
                .map_or_else(String::new, |rpm| format!(" Below {rpm:.0} rpm no difference is shown."));
            format!("{candidate} {surely}{verb} {by:.1} ± {half:.1} {u} {over} {base} at peak ({on}).{tail}")
        }
        Told::NotShown(half) => format!(
            "No difference shown between {candidate} and {base} at peak: it would have to be larger than about {half:.1} {u} to show."
        ),
        Told::Bare(d) => format!(
            "Can't tell whether {candidate} differs from {base}: {d:+.1} {u} at peak, without an interval."
        ),
        Told::Nothing => format!("Can't tell: {candidate} and {base} cannot be compared."),
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
    match c.figure(figure).map_or(Told::Nothing, |f| told(f, scale)) {
        Told::Differs { more, sure, by, half } => {
            let than = if more { "more" } else { "less" };
            let surely = if sure { "" } else { ", provisionally," };
            let on = terms(&sets[c.base], &sets[c.candidate]);
            format!("{candidate} has {by:.1} ± {half:.1} {u} {than}{surely} {place} than {base} ({on}).")
        }
        Told::NotShown(half) => format!(
            "No difference shown between {candidate} and {base} in {place}: it would have to be larger than about {half:.1} {u} to show."
        ),
        Told::Bare(d) => format!(
            "Can't tell whether {candidate} differs from {base} in {place}: {d:+.1} {u}, without an interval."
        ),
        Told::Nothing => format!("Can't tell: {place} is not known of both {candidate} and {base}."),
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

/// A larger gain, by a figure, than the one that heads a line-up, and why it does not: "C4 shows more, +31.2 kW at
/// peak, but …".
pub fn larger_sentence(c: &Comparison, sets: &[SetResult], to: &Speech<'_>, by: Figure, why: &str) -> String {
    let d = c.figure(by).and_then(|f| f.mean_difference).unwrap_or(0.0);
    let (d, unit, place) = match by.quantity() {
        Quantity::Power => (to.power().from_kw(d), to.power().label(), "at peak"),
        Quantity::Torque => (to.units.torque.from_nm(d), to.units.torque.label(), "at peak torque"),
    };
    format!("{} shows more, {d:+.1} {unit} {place}, but {why}.", to.set(&sets[c.candidate].id))
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

/// Whether one step gained more than another: "Stock to C3 gained 1.034 (1.012 to 1.057) times as much as …".
pub fn gain_of_gains_sentence(g: &GainOfGains, sets: &[SetResult], to: &Speech<'_>) -> String {
    let name =
        |[from, target]: [usize; 2]| format!("{} to {}", to.set(&sets[from].id), to.set(&sets[target].id));
    let [one, two] = g.steps.map(name);
    let why = |w: NoRatio| match w {
        NoRatio::NoPower => "a set has no peak power",
        NoRatio::NotAlike => "a step goes over gears or kinds of pull",
        NoRatio::NoScatter => "no scatter of pulls is known",
        NoRatio::NoMountings => "scatter between mountings is not known: run three configurations again",
    };
    let Some(r) = g.ratio else { return format!("Can't tell: {}.", why(g.why.unwrap_or(NoRatio::NoPower))) };
    let percent = |x: f64| 100.0 * (x - 1.0);
    let told = match (r.ci95, g.verdict) {
        (Some([low, high]), v) => {
            let says = match v {
                Verdict::Gain | Verdict::ProvisionalGain => "gained more",
                Verdict::Loss | Verdict::ProvisionalLoss => "gained less",
                Verdict::NoDifferenceShown | Verdict::CantTell => "is not shown to have gained more or less",
            };
            format!(
                "{one} {says} than {two}: by {:+.1} % ({:+.1} to {:+.1}).",
                percent(r.ratio),
                percent(low),
                percent(high)
            )
        }
        (None, _) => format!(
            "Can't tell whether {one} gained more than {two}: {:+.1} %, without an interval: {}.",
            percent(r.ratio),
            why(g.why.unwrap_or(NoRatio::NoMountings))
        ),
    };
    match g.baselines_differ.as_slice() {
        [] => told,
        [one] => format!("{told} The two began from a different {one}."),
        all => format!("{told} The two began from different {}: attributed to none of them.", all.join(", ")),
    }
}

/// Where the lead changes hands, in both directions of speed; nothing when it does not.
pub fn crossover_sentence(c: &Comparison, sets: &[SetResult], to: &Speech<'_>) -> Option<String> {
    let (found, unresolved) = crossovers(&c.power.curve);
    let (base, candidate) = (to.set(&sets[c.base].id), to.set(&sets[c.candidate].id));
    let one = |x: &Crossover| {
        let (below, above) = if x.leads_above { (&base, &candidate) } else { (&candidate, &base) };
        let [a, b] = x.between;
        format!("{below} leads up to {a:.0} rpm and {above} from {b:.0} rpm: they cross between.")
    };
    let mut all: Vec<String> = found.iter().map(one).collect();
    if unresolved && !found.is_empty() {
        all.push("They may cross elsewhere too: that is not resolved.".into());
    }
    (!all.is_empty()).then(|| all.join(" "))
}
