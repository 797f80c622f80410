//! Caveats of a comparison, each a sentence that a person can act on.

use super::Verdict;
use super::compare::{CROSS_DAY_SHARE, FigureComparison, copied, cross_day_share};
use super::input::{Headline, Settings, Vehicle};
use super::sets::{Figure, SetResult, index_of};
use super::split::{Split, Step};
use crate::factors::{Confounding, Factors};
use crate::log::Flag;
use crate::pull::detect::PullKind;
use crate::stats::pooled::Interval;
use crate::units::PowerUnit;

/// Ramp rates may differ by this share before torque is doubted.
const RATE_DOUBT: f64 = 0.10;
/// Filter windows may cover rpm spans that differ by this share.
const WINDOW_DOUBT: f64 = 0.20;

/// Why two sets cannot be compared at all, in words.
pub(super) fn reason_not_comparable(a: &SetResult, b: &SetResult, across_gears: bool) -> Option<String> {
    if a.n() == 0 || b.n() == 0 {
        let which = if a.n() == 0 { &a.id } else { &b.id };
        return Some(format!("{which} has no pull with a power curve that counts"));
    }
    if gears_differ(a, b) && !across_gears {
        let name = |s: &SetResult| s.factors.get("gear").cloned().unwrap_or_else(|| "not stated".into());
        return Some(format!("the gears differ ({} and {}): spool, clutch and tyre behave differently", name(a), name(b)));
    }
    if let Some(mixed) = [a, b].into_iter().find(|s| s.kinds.len() > 1) {
        return Some(format!("{} holds {} together: leave one kind out of it", mixed.id, kinds(mixed, " and ")));
    }
    if a.kinds != b.kinds {
        let both = format!("{} against {}", kinds(a, ""), kinds(b, ""));
        return Some(format!("{both}: charge, heat and inertia settle differently, so like is compared with like"));
    }
    if a.estimated != b.estimated {
        return Some("one set is an estimated flywheel figure and the other is measured at the wheel: they are never mixed".into());
    }
    let shared = match (a.mean_curve.span_rpm(), b.mean_curve.span_rpm()) {
        (Some(x), Some(y)) => x[0].max(y[0]) <= x[1].min(y[1]),
        _ => false,
    };
    (!shared).then(|| "the two sets share no engine speed".into())
}

fn kinds(s: &SetResult, between: &str) -> String {
    let words = s.kinds.iter().map(|k| match k {
        PullKind::SweepUp => "sweeps",
        PullKind::LugDown => "lug-downs",
        PullKind::HeldSteps => "held steps",
    });
    words.collect::<Vec<_>>().join(between)
}

/// Whether two sets were pulled in different gears.
pub(super) fn gears_differ(a: &SetResult, b: &SetResult) -> bool {
    a.factors.get("gear") != b.factors.get("gear")
}

fn short(f: &Factors) -> String {
    let mut parts: Vec<(&String, &String)> = f.iter().collect();
    parts.sort_by_key(|(k, _)| (k.as_str() != "map", k.as_str() != "fuel", k.as_str()));
    parts.into_iter().map(|(k, v)| format!("{k} {v}")).collect::<Vec<_>>().join(", ")
}

/// How the difference splits along the path that was run, and without an order when every corner was.
fn split_words(s: &Split, power: PowerUnit) -> String {
    let (unit, scale) = match s.figure.unit() {
        "kW" => (power.label(), power.from_kw(1.0)),
        other => (other, 1.0),
    };
    let mut out = String::new();
    if !s.steps.is_empty() {
        let step = |x: &Step| format!("{:+.1} ± {:.1} {unit} is the {}", scale * x.interval.difference, scale * x.interval.half_width, x.factor);
        out = format!("Along the path that was run, {}.", s.steps.iter().map(step).collect::<Vec<_>>().join(", then "));
    }
    if let Some(f) = &s.free {
        let share = |x: &(String, Interval)| format!("{} {:+.1} ± {:.1}", x.0, scale * x.1.difference, scale * x.1.half_width);
        let t = &f.together;
        let beyond = match Verdict::of(t.ci95()) {
            Verdict::NoDifferenceShown => format!("no interaction is shown (± {:.1})", scale * t.half_width),
            _ => format!("together they do {:+.1} ± {:.1} beyond the sum of each alone", scale * t.difference, scale * t.half_width),
        };
        out += &format!(" In no order, as every corner was run: {} {unit}; {beyond}.", f.shares.iter().map(share).collect::<Vec<_>>().join(", "));
    }
    out.trim_start().to_owned()
}

#[allow(clippy::too_many_arguments)]
pub(super) fn compose(
    a: &SetResult,
    b: &SetResult,
    c: &Confounding,
    split: Option<&Split>,
    figures: &[FigureComparison],
    refused: Option<String>,
    run_again: usize,
    vehicle: &Vehicle,
    settings: &Settings,
) -> Vec<Flag> {
    let mut out = Vec::new();
    if let Some(why) = refused {
        out.push(Flag::new("cant_tell", format!("Can't tell: {why}.")));
    }
    if c.confounded {
        let with = match (c.separate_with.as_slice(), c.already_run.as_slice()) {
            _ if !c.not_safe.is_empty() => format!("Not safely separable: {}.", c.not_safe.join("; ")),
            ([], _) if split.is_some() => split.map(|s| split_words(s, settings.say_power)).unwrap_or_default(),
            ([], run) => format!("The sets already run separate them: {}.", run.iter().map(short).collect::<Vec<_>>().join("; then ")),
            (more, _) => format!("Pull {} to tell them apart.", more.iter().map(short).collect::<Vec<_>>().join("; then ")),
        };
        out.push(Flag::new("confounded", format!("{} changed together. {with}", sentence_case(&c.factors_differ.join(" and ")))));
    }
    if gears_differ(a, b) && settings.across_gears {
        let name = |s: &SetResult| s.factors.get("gear").cloned().unwrap_or_else(|| "not stated".into());
        let text =
            format!("Compared across gears ({} and {}) because a person accepts it: spool, clutch and tyre behave differently.", name(a), name(b));
        out.push(Flag::new("gears", text));
    }
    if a.day != b.day {
        let share = cross_day_share(a, b);
        out.push(Flag::new(
            "cross_day",
            format!(
                "Different days, {} and {}: the interval is widened by {:.2} % of power ({CROSS_DAY_SHARE} × the difference of correction factors {:.3} and {:.3}; our choice).",
                a.day, b.day, 100.0 * share, a.factor, b.factor
            ),
        ));
    }
    let peak = figures.iter().find(|f| f.figure == Figure::PeakPower);
    let single = a.n() == 1 || b.n() == 1;
    match peak.and_then(|p| p.ci95) {
        None if a.n() > 0 && b.n() > 0 && single => {
            out.push(Flag::new("no_scatter", "One pull each and no repeats that day: no interval can be given. Pull each again."))
        }
        None if a.n() > 0 && b.n() > 0 && copied(a, b) => {
            let text = "Can't tell: one recording stands for several pulls. Copies of a file know no scatter; leave all but one out.";
            out.push(Flag::new("copies", text))
        }
        None if a.n() > 0 && b.n() > 0 => {
            let text = "Can't tell: the pulls scatter by less than the coarsest recorded step can carry. Are they copies of one file, or were torque and speed recorded too coarsely?";
            out.push(Flag::new("no_scatter", text))
        }
        Some(_) if single => {
            out.push(Flag::new("borrowed_scatter", "A set has one pull: the interval borrows its scatter from the day's other sets."))
        }
        _ => {}
    }
    if a.kinds == [PullKind::HeldSteps] && b.kinds == a.kinds {
        let shared = a.mean_curve.rpm.iter().filter(|r| index_of(&b.mean_curve.rpm, **r).is_some()).count();
        out.push(Flag::new("held_steps", format!("Held steps, {shared} speeds in common: nothing was measured between them.")));
    }
    match run_again {
        0 => {
            let text = "Within one mounting only: no set was run again, so scatter between mountings is not in the interval.";
            out.push(Flag::new("one_mounting", text));
        }
        // As measured in docs/validation.md.
        1 | 2 => {
            let text = "Few sets were run again, so the scatter between mountings is poorly known: 95 % intervals may hold only 85 to 89 %. Run three again.";
            out.push(Flag::new("few_mountings", text));
        }
        _ => {}
    }
    if let (Some(x), Some(y)) = (a.figure(Figure::PeakPower).sd, b.figure(Figure::PeakPower).sd)
        && (x > 3.0 * y || y > 3.0 * x)
    {
        let u = settings.say_power;
        let sizes = format!("{:.2} and {:.2} {}", u.from_kw(x), u.from_kw(y), u.label());
        out.push(Flag::new("uneven_scatter", format!("One set scatters more than three times as much as the other ({sizes}).")));
    }
    if let (Some(x), Some(y)) = (a.rate_rpm_s, b.rate_rpm_s) {
        let apart = (x - y).abs() / x.min(y).max(1.0);
        if apart > RATE_DOUBT && vehicle.dyno.rotating_inertia_kg_m2.is_none() {
            out.push(Flag::new("ramp_rate", format!("Ramp rates differ by {:.0} % ({x:.0} and {y:.0} rpm/s) and no rotating inertia is given: torque is not comparable to that degree.", 100.0 * apart)));
        }
        if apart > WINDOW_DOUBT && settings.smoothing_s > 0.0 {
            out.push(Flag::new("window_span", format!("The {} s filter covers spans that differ by {:.0} %.", settings.smoothing_s, 100.0 * apart)));
        }
    }
    for s in [a, b] {
        if s.n() > 0 && s.n() < s.pulls.len() {
            out.push(Flag::new("excluded", format!("{}: {} of {} pulls.", s.id, s.n(), s.pulls.len())));
        }
        if let Some(text) = s.pulls.iter().flat_map(|p| &p.cautions).next() {
            let text = format!("{}: {text}.", s.id);
            if out.iter().all(|f| f.text != text) {
                out.push(Flag::new("correction", text));
            }
        }
    }
    if settings.headline != Headline::Mean {
        out.push(Flag::new("headline", format!("The headline is the {}; interval and verdict belong to the means.", settings.headline.label())));
    }
    out
}

/// The text with a capital at its start.
pub fn sentence_case(s: &str) -> String {
    let mut c = s.chars();
    // A Greek letter is a symbol: λ does not become Λ at the start of a sentence.
    c.next().map_or_else(String::new, |f| f.to_ascii_uppercase().to_string() + c.as_str())
}
