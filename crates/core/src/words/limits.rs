//! Limits and what was found of them, in words.

use super::sentence_case;
use crate::channel::Channel;
use crate::limits::{
    GateTerm, Limit, LimitOutcome, Load, Reach, StandIn, Threshold, Verdict, Wanted, Why, judged,
};
use crate::units::{Shown, Units};

/// Value of a channel with its unit.
pub fn channel_value(channel: &Channel, v: f64, units: Units) -> String {
    let shown = units.shown(channel);
    let zero = if shown.zero.is_empty() { String::new() } else { format!(" {}", shown.zero) };
    told(&shown, |s| s.value(v)) + &zero
}

/// A difference of two values of a channel with its unit.
pub(super) fn channel_difference(channel: &Channel, d: f64, units: Units) -> String {
    told(&units.shown(channel), |s| s.difference(d))
}

fn told(shown: &Shown, read: impl Fn(&Shown) -> f64) -> String {
    let (v, digits) = (read(shown), shown.digits);
    match shown.label {
        "λ" | "" => format!("{v:.digits$}"),
        "°" => format!("{v:.digits$}°"),
        "AFR, gasoline scale" => format!("{v:.digits$} AFR gasoline"),
        "AFR, own fuel" => format!("{v:.digits$} AFR own fuel"),
        unit => format!("{v:.digits$} {unit}"),
    }
}

/// Where the worst was, to ten revolutions: " at 5900 rpm"; nothing where nobody knows.
pub fn limit_place(o: &LimitOutcome, unit: &str) -> String {
    o.rpm.map_or_else(String::new, |r| format!(" at {:.0}{unit}", (r / 10.0).round() * 10.0))
}

/// Of stop limits that nobody can answer for, said of a set: "3 of its 6 stop limits have no verdict".
pub fn without_verdict(n: usize, of: usize) -> String {
    match (n, of) {
        (1, 1) => "its stop limit has no verdict".into(),
        (n, of) if n == of => format!("none of its {of} stop limits has a verdict"),
        (1, of) => format!("one of its {of} stop limits has no verdict"),
        (n, of) => format!("{n} of its {of} stop limits have no verdict"),
    }
}

/// Short words for the side of a lane or a table cell: "0.04 left at 2790", "over by 1.3 % at 6660",
/// "not measured".
pub fn verdict_line(limit: &Limit, o: &LimitOutcome, units: Units) -> String {
    let value = |m: f64| channel_difference(&limit.channel, m, units);
    let at = limit_place(o, "");
    match (o.verdict, o.margin) {
        (Verdict::Over, Some(m)) => format!("over by {}{at}", value(-m)),
        (Verdict::Close, Some(m)) => format!("close: {} left{at}", value(m)),
        (Verdict::Clear, Some(m)) => format!("{} left{at}", value(m)),
        (Verdict::Over | Verdict::Close | Verdict::Clear, None)
        | (Verdict::CantTell | Verdict::NotMeasured | Verdict::NotReached, _) => o.verdict.label().to_owned(),
    }
}

/// What a limit says of a set, with why: "λ 1 over its limit by 0.03 at 5900 rpm".
pub fn limit_sentence(limit: &Limit, o: &LimitOutcome) -> String {
    format!("{}{}", sentence(limit, o), as_set(limit))
}

fn sentence(limit: &Limit, o: &LimitOutcome) -> String {
    let label = limit.channel.label();
    let unit = match limit.channel.unit() {
        "" | "λ" => String::new(),
        u => format!(" {u}"),
    };
    let at = limit_place(o, " rpm");
    let digits = if limit.channel.unit() == "λ" { 3 } else { 1 };
    match (o.verdict, o.margin) {
        (Verdict::Over, Some(m)) => format!("{label} over its limit by {:.digits$}{unit}{at}", -m),
        (Verdict::Close | Verdict::Clear, Some(m)) => {
            format!("{label} {}, {m:.digits$}{unit} left{at}", o.verdict.label())
        }
        (Verdict::Over | Verdict::Close | Verdict::Clear, None)
        | (Verdict::CantTell | Verdict::NotMeasured | Verdict::NotReached, _) => match &o.why {
            Some(w) => format!("{label} {}: {}", o.verdict.label(), why(w)),
            None => format!("{label} {}", o.verdict.label()),
        },
    }
}

/// A limit beside what was found of it.
type Judged<'a> = (&'a Limit, &'a LimitOutcome);

/// So many limits are named in one sentence; of more the worst are, and the others are counted (our choice).
const NAMED: usize = 8;

/// Those that are named, worst first where not all are, and "52 more" of the others.
fn worst_of<'a>(all: &[Judged<'a>]) -> (Vec<Judged<'a>>, Option<String>) {
    let mut of = all.to_vec();
    if of.len() <= NAMED {
        return (of, None);
    }
    let used = |j: &Judged<'_>| j.1.share_used.unwrap_or(f64::NEG_INFINITY);
    of.sort_by(|a, b| used(b).total_cmp(&used(a)));
    let rest = format!("{} more", of.len() - NAMED);
    of.truncate(NAMED);
    (of, Some(rest))
}

/// Each of them with what it leaves or exceeds.
fn list(all: &[Judged<'_>], units: Units) -> String {
    let (those, rest) = worst_of(all);
    let rest = rest.map(|r| format!("and {r}"));
    those.into_iter().map(|j| named(j, units)).chain(rest).collect::<Vec<_>>().join("; ")
}

fn named((l, o): Judged<'_>, units: Units) -> String {
    format!("{} {}{}", l.channel.label(), verdict_line(l, o, units), as_set(l))
}

/// What stands behind a verdict on a limit that nobody has looked at.
fn as_set(l: &Limit) -> &'static str {
    if l.starting_point { " (starting point)" } else { "" }
}

/// The tightest limit of a set in words, with what was not measured beside it; true when a limit is over.
pub fn tightest(verdicts: &[LimitOutcome], limits: &[Limit], units: Units) -> (String, bool) {
    let all: Vec<Judged<'_>> = judged(verdicts, limits).collect();
    let used = |j: &Judged<'_>| j.1.share_used.unwrap_or(0.0);
    let worst = |v: Verdict| {
        all.iter().copied().filter(|j| j.1.verdict == v).max_by(|a, b| used(a).total_cmp(&used(b)))
    };
    if verdicts.is_empty() {
        return ("no limits set".into(), false);
    }
    if let Some(j) = worst(Verdict::Over) {
        return (named(j, units), true);
    }
    let measured = worst(Verdict::Close).or_else(|| worst(Verdict::Clear));
    let mut parts: Vec<String> =
        measured.into_iter().chain(worst(Verdict::CantTell)).map(|j| named(j, units)).collect();
    let missing: Vec<Judged<'_>> =
        all.iter().copied().filter(|j| j.1.verdict == Verdict::NotMeasured).collect();
    match missing.as_slice() {
        [] => {}
        [one] => parts.push(named(*one, units)),
        more => parts.push(format!("{} limits not measured", more.len())),
    }
    (parts.join("; "), false)
}

/// The worst that the limits of a set say, and whether it is a warning.
pub fn judged_sentence(verdicts: &[LimitOutcome], limits: &[Limit], units: Units) -> (String, bool) {
    let all: Vec<Judged<'_>> = judged(verdicts, limits).collect();
    // The worst verdict; of several alike the one that used most of its margin.
    let used = |j: &Judged<'_>| j.1.share_used.unwrap_or(f64::NEG_INFINITY);
    let worse = |a: &Judged<'_>, b: &Judged<'_>| {
        a.1.verdict.cmp(&b.1.verdict).then_with(|| used(b).total_cmp(&used(a)))
    };
    let Some((limit, o)) = all.iter().copied().min_by(worse) else {
        return ("No limits are set for this vehicle, so nothing can be said of its margins.".into(), false);
    };
    match o.verdict {
        Verdict::Over => (over_sentence(&all, units), true),
        Verdict::Clear => {
            let (label, line) = (limit.channel.label(), verdict_line(limit, o, units));
            let unseen = match all.iter().filter(|j| j.0.starting_point).count() {
                0 => String::new(),
                n => format!(" {} nobody has looked at for this engine yet.", starting(n, all.len())),
            };
            (
                format!(
                    "Every limit was measured and clear; the tightest of them is {label} ({line}).{unseen}"
                ),
                false,
            )
        }
        Verdict::CantTell | Verdict::NotMeasured | Verdict::NotReached | Verdict::Close => {
            (not_all_clear(&all, units), false)
        }
    }
}

/// How many of them are starting points: "One is a starting point".
fn starting(n: usize, of: usize) -> String {
    match n {
        n if n == of => "They are starting points".to_owned(),
        1 => "One of them is a starting point".to_owned(),
        n => format!("{n} of them are starting points"),
    }
}

/// "Don't run this", with the limits that were crossed, in the order given.
pub(super) fn dont_run(over: &[LimitOutcome], limits: &[Limit], units: Units) -> String {
    format!("Don't run this: {}.", list(&judged(over, limits).collect::<Vec<_>>(), units))
}

/// "Don't run this" is said by limits somebody stands behind. A starting point that is crossed is looked at first.
fn over_sentence(all: &[Judged<'_>], units: Units) -> String {
    let over = all.iter().copied().filter(|j| j.1.verdict == Verdict::Over);
    let (first, set): (Vec<_>, Vec<_>) = over.partition(|j| j.0.starting_point);
    let list = |of: &[Judged<'_>]| list(of, units);
    let look = "Nobody has looked at these starting points for this engine yet: edit them, or is it a fault?";
    match (set.is_empty(), first.is_empty()) {
        (true, _) => format!("{}. {look}", sentence_case(&list(&first))),
        (false, true) => format!("Don't run this: {}.", list(&set)),
        (false, false) => format!("Don't run this: {}. Also {}. {look}", list(&set), list(&first)),
    }
}

/// Those of one verdict, each with what it leaves or exceeds.
fn listed(all: &[Judged<'_>], v: Verdict, units: Units) -> String {
    list(&all.iter().copied().filter(|j| j.1.verdict == v).collect::<Vec<_>>(), units)
}

fn not_all_clear(all: &[Judged<'_>], units: Units) -> String {
    let names = |v: Verdict| -> Vec<String> {
        let all: Vec<Judged<'_>> = all.iter().copied().filter(|j| j.1.verdict == v).collect();
        let (those, rest) = worst_of(&all);
        those.into_iter().map(|j| j.0.channel.label()).chain(rest).collect()
    };
    let mut parts = Vec::new();
    for (v, words) in [
        (Verdict::CantTell, "can't be told"),
        (Verdict::NotMeasured, "not measured"),
        (Verdict::NotReached, "not reached"),
    ] {
        let names = names(v);
        if !names.is_empty() {
            parts.push(format!("{} {words}", names.join(" and ")));
        }
    }
    let close = listed(all, Verdict::Close, units);
    if !close.is_empty() {
        parts.push(close);
    }
    let clear = all.iter().filter(|j| j.1.verdict == Verdict::Clear).count();
    let rest = match clear {
        0 => String::new(),
        1 => " The other measured limit is clear.".to_owned(),
        n => format!(" The other {n} measured limits are clear."),
    };
    format!("Nothing measured is over. {}.{rest}", sentence_case(&parts.join("; ")))
}

/// A threshold as it is shown: "0.900", or the ends of a curve, "850–1000 °C".
fn threshold(limit: &Limit, units: Units) -> String {
    match &limit.threshold {
        Threshold::Constant(v) => channel_value(&limit.channel, *v, units),
        Threshold::Curve { value, .. } => {
            let ends = (f64::INFINITY, f64::NEG_INFINITY);
            let (low, high) = value.iter().fold(ends, |a, v| (a.0.min(*v), a.1.max(*v)));
            let shown = units.shown(&limit.channel);
            let digits = shown.digits;
            format!("{:.digits$}–{}", shown.value(low), channel_value(&limit.channel, high, units))
        }
    }
}

/// On which side of what a limit lies: "above 0.900".
pub fn limit_rule(limit: &Limit, units: Units) -> String {
    format!("{} {}", limit.direction.label(), threshold(limit, units))
}

/// A threshold as people type it: `0.9`, or `880 at 1000, 940 at 4000`.
pub fn threshold_text(t: &Threshold) -> String {
    match t {
        Threshold::Constant(v) => v.to_string(),
        Threshold::Curve { at, value, .. } => {
            at.iter().zip(value).map(|(a, v)| format!("{v} at {a}")).collect::<Vec<_>>().join(", ")
        }
    }
}

/// When a limit counts: "while throttle is above 90 % and, where it is logged, manifold pressure above 135 kPa".
pub fn gate_words(l: &Limit) -> String {
    let bound = |side: &str, v: Option<f64>, unit: &str| {
        v.map(|v| format!("{side} {v} {unit}").trim_end().to_owned())
    };
    let term = |g: &GateTerm| {
        let (unit, label) = (g.channel.unit(), g.channel.label());
        let sides: Vec<String> =
            bound("above", g.above, unit).into_iter().chain(bound("below", g.below, unit)).collect();
        let if_logged = if g.if_logged { "where it is logged, " } else { "" };
        format!("{if_logged}{label} is {}", sides.join(" and "))
    };
    match l.gate.as_slice() {
        [] => "at any time".to_owned(),
        gate => format!("while {}", gate.iter().map(term).collect::<Vec<_>>().join(" and ")),
    }
}

/// A limit in a few words, for who is told that it is another by now.
pub fn limit_short(l: &Limit) -> String {
    let (channel, side) = (&l.channel, l.direction.label());
    format!("{} {side} {} {}", channel.label(), threshold_text(&l.threshold), channel.unit())
}

/// Why a verdict is what it is, and how far it reaches.
pub fn why(w: &Why) -> String {
    match w {
        Why::Crossed { channel, above, for_s, fuel_was_cut } => {
            let (side, cut) = (if *above { "above" } else { "below" }, if *fuel_was_cut { ", while fuel was cut" } else { "" });
            format!("{} {side} the limit for {for_s:.2} s{cut}", channel.label())
        }
        Why::Reaches(r) => reach(r),
        Why::NotLogged { channel, wanted } => {
            let so = match wanted {
                Wanted::ItIsJudged => "",
                Wanted::Gate => ", so the gate cannot be judged",
                Wanted::Curve => ", so the threshold curve cannot be read",
                Wanted::Computed => ", so it cannot be computed",
            };
            format!("{} was not logged{so}", channel.label())
        }
        Why::NotInPull { channel } => format!("{} has no value in this pull", channel.label()),
        Why::NotAligned { channel } => format!("needs {} from the other log, and the two logs are not aligned", channel.label()),
        Why::WhichPull => "the engine computer's log holds several pulls and is not aligned: which of them is this one is not known".into(),
        Why::NoWholePull { channel } => format!("the log that holds {} shows no whole pull and is not aligned with the dyno's", channel.label()),
        Why::EndsEarly { channel, until_s, pull_until_s, log_ends, missing_s } => {
            let what = if *log_ends { "its log ends" } else { "it has no value from there on" };
            let label = channel.label();
            format!("{label} was measured until {until_s:.2} s, the pull ran until {pull_until_s:.2} s: {what}, {missing_s:.1} s are missing")
        }
        Why::Hole { channel, missing_s, from_s, longest_s } => {
            let label = channel.label();
            format!("{label} has no value for {missing_s:.2} s inside the gate, from {from_s:.2} s: longer than {longest_s:.2} s")
        }
        Why::Undefined { channel, from_s, missing_s } => {
            format!("{} has no answer for {missing_s:.2} s from {from_s:.2} s: what it divides by is nothing there", channel.label())
        }
        Why::GateBlank { from_s } => format!("the gate cannot be judged from {from_s:.2} s: a channel it needs is blank there"),
        Why::NeverGated => "the gate was never true".into(),
        Why::NeverHeld { sustain_s } => format!("the gate never held for {sustain_s} s"),
        Why::CurveEnds => "the threshold curve does not reach over the whole gated range".into(),
        Why::EndOfRange { channel, value, from_s, to_s } => {
            let label = channel.label();
            format!("{label} sat at the end of its range ({value}) from {from_s:.2} to {to_s:.2} s, short of the limit: beyond is unknown")
        }
        Why::StoodStill { channel, value, from_s, to_s } => {
            format!("{} stood still at {value} from {from_s:.2} to {to_s:.2} s: frozen sensor?", channel.label())
        }
        Why::StoodStillHere { channel, value } => stood_still_here(channel, *value),
        Why::DeafLevel { channel } => format!("{} does not grow with engine speed: it may not hear the engine", channel.label()),
        Why::DeafRetard { channel } => format!(
            "{} stayed at nothing and no live knock level stands beside it: nobody knows whether knock control was listening",
            channel.label()
        ),
    }
}

pub(super) fn stood_still_here(channel: &Channel, value: f64) -> String {
    format!(
        "{} stood still at {value} through this pull and moved in the others: frozen sensor?",
        channel.label()
    )
}

fn reach(r: &Reach) -> String {
    let mut out: Vec<String> = Vec::new();
    out.extend(r.top_rpm.map(|rpm| format!("measured up to {:.0} rpm", (rpm / 10.0).floor() * 10.0)));
    out.extend(r.log_ends.then(|| "end of log".to_owned()));
    out.extend(r.load.map(|l| match l {
        Load::Held(s) => format!("one speed held for {s:.0} s at most, not sustained load"),
        Load::Sweep => "for a sweep, not sustained load".to_owned(),
    }));
    out.extend(r.stand_ins.iter().map(|s| match s {
        StandIn::Channel { has, wanted } => format!("{has} stands for {wanted}"),
        StandIn::Sweep { wanted } => {
            format!("no {wanted} on record: the detected full-load sweep stands for it")
        }
        StandIn::LeftOut { wanted } => {
            format!("no {wanted} on record: judged over all of the full-load sweep, off boost too")
        }
        StandIn::FullLoad { reads } => format!("full load reads {reads:.0} % here and is taken as 100 %"),
    }));
    out.join(", ")
}
