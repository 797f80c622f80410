//! The next rung of a ladder in words.

use super::{listed, sentence_case};
use crate::analysis::verdict::{Forecast, NoForecast, Would};
use crate::analysis::{BoostHold, Detune, HoldCause, NoDetune};

/// One limit at the next rung: what it is called, its threshold in words, and the worst engine speed of the last rung.
pub struct NextWords<'a> {
    /// "exhaust temperature 1".
    pub name: &'a str,
    /// "950 °C".
    pub threshold: &'a str,
    /// rpm.
    pub rpm: Option<f64>,
    /// It stops a run.
    pub stop: bool,
}

/// A rung by its place: "150 kPa", "1.5 ml", "3"; tenths are said of small numbers alone.
pub fn rung_words(at: f64, unit: &str) -> String {
    let whole = at.abs() >= 20.0 || (at - at.round()).abs() < 0.05;
    let number = if whole { format!("{at:.0}") } else { format!("{at:.1}") };
    format!("{number} {unit}").trim_end().to_owned()
}

/// How boost went on to the end, rungs of one cause together: "Boost falls by 14 and 22 kPa at 135 and 160 kPa with the gate driven
/// to its end: out of flow, or a leak." Rungs on which it holds are not named; where it holds on all, that is said.
pub fn boost_hold_sentences(rungs: &[(&str, BoostHold)]) -> Vec<String> {
    struct Alike<'a> {
        cause: HoldCause,
        rises: bool,
        all: Vec<&'a (&'a str, BoostHold)>,
    }
    let mut groups: Vec<Alike<'_>> = Vec::new();
    for r in rungs {
        let Some(cause) = r.1.cause else { continue };
        let rises = r.1.by_kpa > 0.0;
        match groups.iter_mut().find(|g| (g.cause, g.rises) == (cause, rises)) {
            Some(g) => g.all.push(r),
            None => groups.push(Alike { cause, rises, all: vec![r] }),
        }
    }
    if groups.is_empty() && !rungs.is_empty() {
        return vec!["Once it is there, boost holds to the end.".into()];
    }
    groups
        .iter()
        .map(|Alike { cause, rises, all }| {
            let moves = if *rises { "rises" } else { "falls" };
            let by = listed(&all.iter().map(|r| format!("{:.0}", r.1.by_kpa.abs())).collect::<Vec<_>>());
            let names = listed(&all.iter().map(|r| r.0.to_owned()).collect::<Vec<_>>());
            let gates: Vec<f64> = all.iter().filter_map(|r| r.1.gate_pct).collect();
            let (low, high) =
                gates.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), g| (a.min(*g), b.max(*g)));
            let gate =
                if high - low < 1.0 { format!("{high:.0} %") } else { format!("{low:.0} to {high:.0} %") };
            let why = match cause {
                HoldCause::Commanded => ", as its target does".to_owned(),
                HoldCause::OutOfFlow => format!(" with the gate driven to {gate}: out of flow, or a leak"),
                HoldCause::GateOpen => format!(" with the gate at {gate}: creep"),
                HoldCause::GateUnknown => "; the gate was not recorded, so nobody can tell why".to_owned(),
                HoldCause::Control => format!(" with the gate at {gate}, which could still move: control"),
            };
            format!("Towards the end boost {moves} by {by} kPa at {names}{why}.")
        })
        .collect()
}

/// Why a margin is not forecast, without a full stop; `unit` is that of the rungs.
pub fn no_forecast(why: NoForecast, unit: &str) -> String {
    match why {
        NoForecast::OneRung => "one rung shows no slope".into(),
        NoForecast::NoScatter => "no rung was pulled twice, so nobody knows the scatter".into(),
        NoForecast::NotBegun => {
            "it has not moved yet: its onset is a threshold, and nobody knows where".into()
        }
        NoForecast::StepTooLarge { step, last } => {
            let (step, last) = (rung_words(step, unit), rung_words(last, ""));
            format!("a step of {step} is larger than the last, {last}: climb no faster than before")
        }
        NoForecast::NotAbove => "it lies at or below a rung that was pulled".into(),
    }
}

/// A chance as it is said: nothing is certain, and nothing impossible.
pub fn chance(p: f64) -> String {
    match p {
        p if p > 0.99 => "more than 99 %".into(),
        p if p < 0.01 => "less than 1 %".into(),
        p => format!("{:.0} %", 100.0 * p),
    }
}

/// "Next rung 150 kPa: λ and duty stay clear, exhaust temperature would cross 950 °C at 6100 rpm (88 % sure): don't run."
pub fn next_rung_sentence(next: &str, all: &[(NextWords<'_>, Option<Forecast>)]) -> String {
    let named = |fits: &dyn Fn(&Forecast) -> bool| {
        let own = all.iter().filter(|(_, f)| f.as_ref().is_some_and(fits));
        own.map(|(w, _)| w.name.to_owned()).collect::<Vec<_>>()
    };
    // What crosses alike is said once: name, threshold and place of each, then how sure.
    let mut crossing: Vec<(&str, String, Vec<String>)> = Vec::new();
    for (w, f) in all {
        let Some(f) = f.as_ref().filter(|f| matches!(f.would, Would::Cross | Would::PerhapsCross)) else {
            continue;
        };
        let would = if f.would == Would::Cross { "would cross" } else { "could cross" };
        let at = w.rpm.map_or_else(String::new, |n| format!(" at {:.0} rpm", (n / 50.0).round() * 50.0));
        let place = format!("{}{at}", w.threshold);
        let sure = chance(f.p_over);
        match crossing.iter_mut().find(|c| c.0 == would && c.1 == sure) {
            Some(c) => c.2.push(format!("{} {place}", w.name)),
            None => crossing.push((would, sure, vec![format!("{} {would} {place}", w.name)])),
        }
    }
    let mut parts: Vec<String> = crossing
        .iter()
        .map(|(_, sure, each)| match each.as_slice() {
            [one] => format!("{one} ({sure} sure)"),
            several => format!("{} ({sure} sure of each)", listed(several)),
        })
        .collect();
    let close = named(&|f| f.would == Would::Close);
    let clear = named(&|f| f.would == Would::StayClear);
    let unknown: Vec<String> = all.iter().filter(|a| a.1.is_none()).map(|a| a.0.name.to_owned()).collect();
    let crosses_stop = all.iter().any(|(w, f)| {
        w.stop && f.as_ref().is_some_and(|f| matches!(f.would, Would::Cross | Would::PerhapsCross))
    });
    let verb = |n: usize, one: &'static str, more: &'static str| if n == 1 { one } else { more };
    if !close.is_empty() {
        parts.push(format!("{} {} close", listed(&close), verb(close.len(), "comes", "come")));
    }
    if !clear.is_empty() {
        parts.push(format!("{} {} clear", listed(&clear), verb(clear.len(), "stays", "stay")));
    }
    if !unknown.is_empty() {
        parts.push(format!("can't tell: {}", listed(&unknown)));
    }
    let end = if crosses_stop { ": don't run" } else { "" };
    if parts.is_empty() {
        return format!("Next rung {next}: no limits are set, so nothing can be said of it.");
    }
    sentence_case(&format!("Next rung {next}: {}{end}.", parts.join("; ")))
}

/// The same in a few words, for a jar that was not filled: the worst, where there is one.
pub fn next_rung_short(all: &[(NextWords<'_>, Option<Forecast>)]) -> String {
    let first = |would: Would| {
        all.iter().find_map(|(w, f)| f.as_ref().filter(|f| f.would == would).map(|f| (w.name, f.p_over)))
    };
    let unknown = all.iter().filter(|(_, f)| f.is_none()).count();
    match (first(Would::Cross), first(Would::PerhapsCross), first(Would::Close)) {
        (Some((name, p)), ..) => format!("{name} would cross, {}", chance(p)),
        (None, Some((name, p)), _) => format!("{name} could cross, {}", chance(p)),
        (None, None, Some((name, _))) => format!("{name} would come close"),
        _ if all.is_empty() => "no limits to forecast".into(),
        _ if unknown > 0 => format!("can't tell of {unknown} of {} limits", all.len()),
        _ => "every limit forecast to stay clear".into(),
    }
}

/// "135.0 kW lies between 60 kPa and 100 kPa: at about 80 kPa (76 to 84), on a straight line between the two. …"
pub fn detune_sentence(
    wanted: &str,
    d: Result<Detune, NoDetune>,
    (names, unit): (&[String], &str),
    say: impl Fn(f64) -> String,
) -> String {
    match d {
        Ok(d) => {
            let [a, b] = d.between.map(|i| names.get(i).cloned().unwrap_or_default());
            let end = |v: f64, open: bool| if open { format!("{v:.0} or beyond") } else { format!("{v:.0}") };
            let interval = d.interval.map_or_else(
                || "no interval, for no rung was pulled twice".to_owned(),
                |[low, high]| format!("{} to {}", end(low, d.open[0]), end(high, d.open[1])),
            );
            format!(
                "{wanted} lies between {a} and {b}: at about {} ({interval}), on a straight line between the two. Nothing there was pulled: pull it before it goes home.",
                rung_words(d.at, unit)
            )
        }
        Err(NoDetune::BelowAll { lowest }) => {
            format!(
                "The lowest rung makes {} already: {wanted} is below every rung that was pulled.",
                say(lowest)
            )
        }
        Err(NoDetune::AboveAll { highest }) => {
            format!("No rung that was pulled makes {wanted}: the most is {}.", say(highest))
        }
        Err(NoDetune::TooFew) => "It takes two rungs with a figure to find a place between them.".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(name: &'static str, stop: bool, f: Option<(Would, f64)>) -> (NextWords<'static>, Option<Forecast>) {
        let forecast = |(would, p_over)| Forecast { point: 0.0, bound: 0.0, p_over, would, rungs: 3 };
        (NextWords { name, threshold: "950 °C", rpm: Some(6090.0), stop }, f.map(forecast))
    }

    #[test]
    fn what_would_cross_stands_first_and_a_stop_limit_says_dont_run() {
        let all = [
            of("exhaust temperature", true, Some((Would::Cross, 0.88))),
            of("λ 1", true, Some((Would::StayClear, 0.0))),
            of("injector duty", true, Some((Would::StayClear, 0.0))),
            of("knock retard 1", true, None),
        ];
        assert_eq!(
            next_rung_sentence("150 kPa", &all),
            "Next rung 150 kPa: exhaust temperature would cross 950 °C at 6100 rpm (88 % sure); λ 1 and injector duty stay clear; can't tell: knock retard 1: don't run."
        );
        let three = [
            of("exhaust temperature", true, Some((Would::Cross, 0.999))),
            of("injector duty", true, Some((Would::Cross, 0.995))),
            of("oil", false, Some((Would::PerhapsCross, 0.31))),
        ];
        assert_eq!(
            next_rung_sentence("150 kPa", &three),
            "Next rung 150 kPa: exhaust temperature would cross 950 °C at 6100 rpm and injector duty 950 °C at 6100 rpm (more than 99 % sure of each); oil could cross 950 °C at 6100 rpm (31 % sure): don't run."
        );
        let could = [of("exhaust temperature", false, Some((Would::PerhapsCross, 0.31)))];
        let said = next_rung_sentence("150 kPa", &could);
        assert!(said.contains("could cross") && !said.contains("don't run"), "{said}");
        assert!(next_rung_sentence("150 kPa", &[]).contains("no limits are set"));
    }

    #[test]
    fn a_detune_is_never_promised() {
        let d = Detune { between: [0, 1], at: 80.2, interval: Some([76.0, 84.0]), open: [false, true] };
        let names = ["60 kPa".to_owned(), "100 kPa".to_owned()];
        let say = |v: f64| format!("{v:.1} kW");
        let said = detune_sentence("135.0 kW", Ok(d), (&names, "kPa"), say);
        assert!(
            said.starts_with(
                "135.0 kW lies between 60 kPa and 100 kPa: at about 80 kPa (76 to 84 or beyond)"
            ),
            "{said}"
        );
        assert!(said.ends_with("pull it before it goes home."));
        assert!(
            detune_sentence("90.0 kW", Err(NoDetune::BelowAll { lowest: 120.0 }), (&names, "kPa"), say)
                .contains("120.0 kW already")
        );
    }

    #[test]
    fn what_boost_did_is_said_with_what_moved_with_it_and_once_for_each_cause() {
        let hold = |by_kpa: f64, gate_pct: Option<f64>, cause: Option<HoldCause>| BoostHold {
            by_kpa,
            rpm: [4580.0, 6500.0],
            slope: 0.0,
            gate_pct,
            cause,
        };
        let flow = Some(HoldCause::OutOfFlow);
        let said = boost_hold_sentences(&[
            ("110 kPa", hold(0.0, Some(50.0), None)),
            ("135 kPa", hold(-14.2, Some(96.0), flow)),
            ("160 kPa", hold(-21.8, Some(98.4), flow)),
        ]);
        assert_eq!(
            said,
            [
                "Towards the end boost falls by 14 and 22 kPa at 135 kPa and 160 kPa with the gate driven to 96 to 98 %: out of flow, or a leak."
            ]
        );
        let one = |h| boost_hold_sentences(&[("60 kPa", h)]).remove(0);
        assert!(
            one(hold(12.0, Some(3.0), Some(HoldCause::GateOpen)))
                .ends_with("rises by 12 kPa at 60 kPa with the gate at 3 %: creep.")
        );
        assert!(one(hold(-14.0, None, Some(HoldCause::GateUnknown))).ends_with("nobody can tell why."));
        assert_eq!(one(hold(0.0, None, None)), "Once it is there, boost holds to the end.");
        assert!(boost_hold_sentences(&[]).is_empty());
    }

    #[test]
    fn a_rung_is_said_by_its_number_and_its_unit() {
        let said = [(150.0, "kPa"), (1.5, "ml"), (3.0, "")].map(|(at, unit)| rung_words(at, unit));
        assert_eq!(said, ["150 kPa", "1.5 ml", "3"]);
    }
}
