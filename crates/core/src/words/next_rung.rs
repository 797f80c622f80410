//! The next rung of a ladder in words.

use super::sentence_case;
use crate::analysis::verdict::{Forecast, NoForecast, Would};
use crate::analysis::{Detune, NoDetune};

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

/// Why a margin is not forecast, without a full stop.
pub fn no_forecast(why: NoForecast) -> String {
    match why {
        NoForecast::OneRung => "one rung shows no slope".into(),
        NoForecast::NoScatter => "no rung was pulled twice, so nobody knows the scatter".into(),
        NoForecast::NotBegun => {
            "it has not moved yet: its onset is a threshold, and nobody knows where".into()
        }
        NoForecast::StepTooLarge { step, last } => {
            format!("a step of {step:.0} kPa is larger than the last, {last:.0}: climb no faster than before")
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
pub fn next_rung_sentence(next_kpa: f64, all: &[(NextWords<'_>, Option<Forecast>)]) -> String {
    let named = |fits: &dyn Fn(&Forecast) -> bool| {
        let own = all.iter().filter(|(_, f)| f.as_ref().is_some_and(fits));
        own.map(|(w, _)| w.name.to_owned()).collect::<Vec<_>>()
    };
    let list = |v: &[String]| match v {
        [] => String::new(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    };
    let mut parts = Vec::new();
    for (w, f) in all {
        let Some(f) = f.as_ref().filter(|f| matches!(f.would, Would::Cross | Would::PerhapsCross)) else {
            continue;
        };
        let would = if f.would == Would::Cross { "would" } else { "could" };
        let at = w.rpm.map_or_else(String::new, |n| format!(" at {:.0} rpm", (n / 50.0).round() * 50.0));
        parts.push(format!("{} {would} cross {}{at} ({} sure)", w.name, w.threshold, chance(f.p_over)));
    }
    let close = named(&|f| f.would == Would::Close);
    let clear = named(&|f| f.would == Would::StayClear);
    let unknown: Vec<String> = all.iter().filter(|a| a.1.is_none()).map(|a| a.0.name.to_owned()).collect();
    let crosses_stop = all.iter().any(|(w, f)| {
        w.stop && f.as_ref().is_some_and(|f| matches!(f.would, Would::Cross | Would::PerhapsCross))
    });
    let verb = |n: usize, one: &'static str, more: &'static str| if n == 1 { one } else { more };
    if !close.is_empty() {
        parts.push(format!("{} {} close", list(&close), verb(close.len(), "comes", "come")));
    }
    if !clear.is_empty() {
        parts.push(format!("{} {} clear", list(&clear), verb(clear.len(), "stays", "stay")));
    }
    if !unknown.is_empty() {
        parts.push(format!("can't tell: {}", list(&unknown)));
    }
    let end = if crosses_stop { ": don't run" } else { "" };
    if parts.is_empty() {
        return format!("Next rung {next_kpa:.0} kPa: no limits are set, so nothing can be said of it.");
    }
    sentence_case(&format!("Next rung {next_kpa:.0} kPa: {}{end}.", parts.join("; ")))
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
    names: &[String],
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
                "{wanted} lies between {a} and {b}: at about {:.0} kPa ({interval}), on a straight line between the two. Nothing there was pulled: pull it before it goes home.",
                d.at
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
            next_rung_sentence(150.0, &all),
            "Next rung 150 kPa: exhaust temperature would cross 950 °C at 6100 rpm (88 % sure); λ 1 and injector duty stay clear; can't tell: knock retard 1: don't run."
        );
        let could = [of("exhaust temperature", false, Some((Would::PerhapsCross, 0.31)))];
        let said = next_rung_sentence(150.0, &could);
        assert!(said.contains("could cross") && !said.contains("don't run"), "{said}");
        assert!(next_rung_sentence(150.0, &[]).contains("no limits are set"));
    }

    #[test]
    fn a_detune_is_never_promised() {
        let d = Detune { between: [0, 1], at: 80.2, interval: Some([76.0, 84.0]), open: [false, true] };
        let names = ["60 kPa".to_owned(), "100 kPa".to_owned()];
        let say = |v: f64| format!("{v:.1} kW");
        let said = detune_sentence("135.0 kW", Ok(d), &names, say);
        assert!(
            said.starts_with(
                "135.0 kW lies between 60 kPa and 100 kPa: at about 80 kPa (76 to 84 or beyond)"
            ),
            "{said}"
        );
        assert!(said.ends_with("pull it before it goes home."));
        assert!(
            detune_sentence("90.0 kW", Err(NoDetune::BelowAll { lowest: 120.0 }), &names, say)
                .contains("120.0 kW already")
        );
    }
}
