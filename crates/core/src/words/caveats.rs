//! Caveats of a comparison, each a sentence that a person can act on.

use super::factors::configuration;
use super::fuelling::{injection_sentence, octane_sentence};
use super::suspects::suspicion_sentence;
use super::{Speech, caution, finding, hazard, sentence_case};
use crate::analysis::Settled;
use crate::analysis::set_vs_set::{FairBest, Per, Share, Split, Step, Undrifted};
use crate::analysis::verdict::{Caveat, NotComparable, PullFinding, Separation, Verdict};
use crate::factors::Factors;
use crate::printed::Place;
use crate::pull::span::PullKind;
use crate::stats::across::Relative;
use crate::stats::equivalence::Equivalence;
use crate::stats::pooled::Interval;

/// A caveat.
pub fn caveat(c: &Caveat, to: &Speech<'_>) -> String {
    let u = to.power();
    match c {
        Caveat::CantTell(why) => format!("Can't tell: {}.", not_comparable(why, to)),
        Caveat::Confounded { factors, separation } => {
            format!("{} changed together. {}", sentence_case(&factors.join(" and ")), separate(separation, to))
        }
        Caveat::AcrossGears([a, b]) => format!(
            "Compared across gears ({} and {}) because a person accepts it: spool, clutch and tyre behave differently.",
            gear(a),
            gear(b)
        ),
        Caveat::CrossDay { days: [a, b], share, weight, factors: [x, y] } => format!(
            "Different days, {a} and {b}: the interval is widened by {:.2} % of power ({weight} × the difference of correction factors {x:.3} and {y:.3}; our choice).",
            100.0 * share
        ),
        Caveat::NoRepeats => "One pull each and no repeats that day: no interval can be given. Pull each again.".into(),
        Caveat::Copies => {
            "Can't tell: one recording stands for several pulls. Copies of a file know no scatter; leave all but one out.".into()
        }
        Caveat::TooCoarse => "Can't tell: the pulls scatter by less than the coarsest recorded step can carry. Are they copies of one file, or were torque and speed recorded too coarsely?".into(),
        Caveat::BorrowedScatter => "A set has one pull: the interval borrows its scatter from the day's other sets.".into(),
        Caveat::HeldSteps { shared } => format!("Held steps, {shared} speeds in common: nothing was measured between them."),
        Caveat::Provisional(h) => format!(
            "Provisional: the scatter is that of the cell's earlier days ({:.2} % of one pull, {} sets{}), not of this one. One vehicle in ten is noisier: 95 % is then 82 to 90 %. Pull each again to measure it.",
            100.0 * h.relative_sd,
            h.sets,
            h.spread.map_or_else(String::new, |[a, b]| format!(", from {:.2} to {:.2} %", 100.0 * a, 100.0 * b))
        ),
        Caveat::OneMounting => {
            "Within one mounting only: no set was run again, so scatter between mountings is not in the interval.".into()
        }
        Caveat::FewMountings => "Few sets were run again, so the scatter between mountings is poorly known: 95 % intervals may hold only 85 to 89 %. Run three again.".into(),
        Caveat::UnevenScatter { sd_kw: [x, y] } => {
            let sizes = format!("{:.2} and {:.2} {}", u.from_kw(*x), u.from_kw(*y), u.label());
            format!("One set scatters more than three times as much as the other ({sizes}).")
        }
        Caveat::SpeedOrigins => {
            "Some pulls go by the measured engine speed and others by shaft speed times the ratio: where tyres, clutch or converter slip, one engine speed is not the same place in both.".into()
        }
        Caveat::AtShaftSpeed(l) => format!(
            "At equal speed of the dyno's shaft the largest difference is {} at {:.0} rpm of the shaft{}.",
            u.say_signed(l.difference),
            l.rpm,
            if l.significant == Some(false) { ", within the scatter" } else { "" }
        ),
        Caveat::RampRate { apart, rpm_s: [x, y] } => format!(
            "Ramp rates differ by {:.0} % ({x:.0} and {y:.0} rpm/s) and no rotating inertia is given: torque is not comparable to that degree.",
            100.0 * apart
        ),
        Caveat::WindowSpan { window_s, apart } => format!("The {window_s} s filter covers spans that differ by {:.0} %.", 100.0 * apart),
        Caveat::Excluded { set, n, of } => format!("{}: {n} of {of} pulls.", to.set(set)),
        Caveat::Correction { set, caution: c } => format!("{}: {}.", to.set(set), caution(c)),
        Caveat::Headline(h) => format!("The headline is the {}; interval and verdict belong to the means.", h.label()),
        Caveat::Bracketed(i) => format!(
            "The baseline was run before and after: against it as it stood in between, the difference at peak is {:+.1} ± {}.",
            u.from_kw(i.difference),
            u.say(i.half_width)
        ),
        Caveat::Drift(d) => drift(d, to),
        Caveat::Across { base, candidate, relative } => across(&to.set(base), &to.set(candidate), relative),
        Caveat::SameUnknown { share } => {
            let gain = share.map_or_else(String::new, |s| format!(" The difference at peak is {:+.1} %.", 100.0 * s));
            format!("Both carry the same unknown correction: only per cent hold, and kW are as printed.{gain}")
        }
        Caveat::OneCurve => "One finished curve knows no scatter: there is no interval. Bring two of each.".into(),
        Caveat::NoSharedBaseline => {
            "The two days share no baseline of one map, fuel and build, so what the days themselves did cannot be taken out. Pull one again.".into()
        }
        Caveat::Equivalence(e) => equivalence(e, to),
        Caveat::BestOf(FairBest { n: [base, candidate], of, difference_kw }) => format!(
            "Best of {candidate} against best of {base} is not fair: over subsets of {of} the expected best differs by {}.",
            u.say_signed(*difference_kw)
        ),
        Caveat::Flagged { set, found: PullFinding { pull, found, .. } } => {
            format!("{}: pull {}: {}.", to.set(set), pull + 1, finding(found, to.units))
        }
        Caveat::Suspected(s) => suspicion_sentence(s, to),
        Caveat::Octane { says, scale, octane: [low, high] } => {
            format!("From {low:.0} to {high:.0} {scale}: {}", octane_sentence(*says))
        }
        Caveat::Injection(says) => injection_sentence(*says),
        Caveat::Unsettled { set, settled: s } => format!("{}: {}.", to.set(set), settled(*s)),
    }
}

/// Whether a set has settled, without a full stop.
pub fn settled(s: Settled) -> String {
    match s {
        Settled::From(0) => "settled from the first pull".into(),
        Settled::From(i) => format!("settled from pull {}", i + 1),
        Settled::NotYet(share) => format!("not settled: the last two pulls differ by {:.1} %", 100.0 * share),
        Settled::Unknown => "one pull: can't tell whether it has settled".into(),
    }
}

fn gear(g: &Option<String>) -> &str {
    g.as_deref().unwrap_or("not stated")
}

fn not_comparable(n: &NotComparable, to: &Speech<'_>) -> String {
    match n {
        NotComparable::NoPull { set } => format!("{} has no pull with a power curve that counts", to.set(set)),
        NotComparable::Gears([a, b]) => format!("the gears differ ({} and {}): spool, clutch and tyre behave differently, so it takes a reason to compare them", gear(a), gear(b)),
        NotComparable::Mixed { set, kinds: k } => format!("{} holds {} together: leave one kind out of it", to.set(set), kinds(k, " and ")),
        NotComparable::Kinds([a, b]) => {
            let recorded = |k: &PullKind| matches!(k, PullKind::SweepUp | PullKind::LugDown | PullKind::HeldSteps);
            let why = if a.iter().chain(b).all(recorded) {
                "charge, heat and inertia settle differently"
            } else {
                "what was done to a print before it came is not known as it is of a recording"
            };
            format!("{} against {}: {why}, so like is compared with like", kinds(a, ""), kinds(b, ""))
        }
        NotComparable::Estimated => "one set is an estimated flywheel figure and the other is measured at the wheel: they are never mixed".into(),
        NotComparable::Places([a, b]) => format!("one is measured {} and the other {}: losses lie between them", place(*a), place(*b)),
        NotComparable::Axes => "one curve stands against road speed and the other against engine speed".into(),
        NotComparable::UnknownCorrection { set, spread } => {
            let by = spread.map_or_else(
                || "it is not known by how much, as no air was given".to_owned(),
                |x| format!("it can move the figures by {:.1} %", 100.0 * x),
            );
            format!("{} carries an unknown correction: {by}", to.set(set))
        }
        NotComparable::NoSharedSpeed => "the two sets share no engine speed".into(),
    }
}

fn place(p: Option<Place>) -> &'static str {
    p.map_or("where the dyno measures", Place::words)
}

fn kinds(all: &[PullKind], between: &str) -> String {
    let words = all.iter().map(|k| match k {
        PullKind::SweepUp => "sweeps",
        PullKind::LugDown => "lug-downs",
        PullKind::HeldSteps => "held steps",
        PullKind::CurveOnly => "curves that came finished",
        PullKind::PeaksOnly => "peaks from a print",
        PullKind::LogOnly => "recordings of the engine computer alone",
    });
    words.collect::<Vec<_>>().join(between)
}

fn separate(s: &Separation, to: &Speech<'_>) -> String {
    let listed = |all: &[Factors]| all.iter().map(configuration).collect::<Vec<_>>().join("; then ");
    match s {
        Separation::NotSafe(why) => {
            let mut said: Vec<String> = why.iter().map(hazard).collect();
            said.dedup();
            format!("Not safely separable: {}.", said.join("; "))
        }
        Separation::Split(s) => split(s, to),
        Separation::AlreadyRun(run) => format!("The sets already run separate them: {}.", listed(run)),
        Separation::Bygone => "All of it was changed between the two, and no set stands in between: pull both again as things stand now.".into(),
        Separation::Fresh { sets, after, of_base } => format!(
            "What is cheapest is a fresh {} after the change of {}: pull {}.",
            if *of_base { "baseline" } else { "candidate" },
            after.join(" and "),
            listed(sets)
        ),
        Separation::Pull(more) => format!("Pull {} to tell them apart.", listed(more)),
    }
}

/// How the difference splits along the path that was run, and without an order when every corner was.
fn split(s: &Split, to: &Speech<'_>) -> String {
    let u = to.power();
    let (unit, scale) = match s.figure.unit() {
        "kW" => (u.label(), u.from_kw(1.0)),
        other => (other, 1.0),
    };
    let sized = |i: &Interval| format!("{:+.1} ± {:.1}", scale * i.difference, scale * i.half_width);
    let mut out = String::new();
    if !s.steps.is_empty() {
        let step = |x: &Step| format!("{} {unit} is the {}", sized(&x.interval), x.factor);
        out = format!(
            "Along the path that was run, {}.",
            s.steps.iter().map(step).collect::<Vec<_>>().join(", then ")
        );
    }
    if let Some(f) = &s.free {
        let share = |x: &Share| format!("{} {}", x.factor, sized(&x.interval));
        let t = &f.together;
        let beyond = match Verdict::of(t.ci95()) {
            Verdict::Gain | Verdict::Loss | Verdict::ProvisionalGain | Verdict::ProvisionalLoss => {
                format!("together they do {} beyond the sum of each alone", sized(t))
            }
            Verdict::NoDifferenceShown | Verdict::CantTell => {
                format!("no interaction is shown (± {:.1})", scale * t.half_width)
            }
        };
        out += &format!(
            " In no order, as every corner was run: {} {unit}; {beyond}.",
            f.shares.iter().map(share).collect::<Vec<_>>().join(", ")
        );
    }
    out.trim_start().to_owned()
}

fn drift(d: &Undrifted, to: &Speech<'_>) -> String {
    let (u, i) = (to.power(), &d.interval);
    let per = match d.per {
        Per::Hour => "hour",
        Per::Set => "set",
    };
    format!(
        "The day drifts by {:+.2} {} each {per} at peak (p {:.3}): with that taken out the difference is {:+.1} ± {}. A sensitivity, not the headline.",
        u.from_kw(d.slope_kw),
        u.label(),
        d.p,
        u.from_kw(i.difference),
        u.say(i.half_width)
    )
}

fn across(base: &str, candidate: &str, r: &Relative) -> String {
    let [d, low, high] = r.shares().map(|s| 100.0 * s);
    let mounted = if r.mounted { "scatter between mountings included" } else { "within one mounting each" };
    format!(
        "Through a baseline that both days have, {candidate} differs from {base} by {d:+.1} % at peak ({low:+.1} to {high:+.1} %, {mounted})."
    )
}

fn equivalence(e: &Equivalence, to: &Speech<'_>) -> String {
    let u = to.power();
    let (margin, low, high) = (u.say(e.margin), u.from_kw(e.ci90[0]), u.say_signed(e.ci90[1]));
    if e.within {
        format!("Equivalent within ± {margin} at peak: the 90 % interval {low:+.1} to {high} lies inside.")
    } else {
        format!("Not shown to be equivalent within ± {margin}: the 90 % interval is {low:+.1} to {high}.")
    }
}
