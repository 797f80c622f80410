//! A day's plan in words: how long it takes, how sure the order is, what can be said at each stop, what to drop.

use crate::planning::{Known, Plan, Step, Why};
use crate::stats::plan::smallest_detectable;

/// Below this share an order is called the quickest: what is left is the rounding of the search.
const PROVEN: f64 = 5e-4;

/// `4 h 05 min`, `35 min`.
pub fn lasts(minutes: f64) -> String {
    let m = minutes.round() as i64;
    if m < 60 { format!("{m} min") } else { format!("{} h {:02} min", m / 60, m % 60) }
}

/// "6 sets and 3 baselines in 4 h 05 min."
pub fn day_sentence(p: &Plan) -> String {
    let baselines = p.stops.iter().filter(|s| s.step == Step::Baseline).count();
    let sets = p.stops.len() - baselines;
    let many = |n: usize, one: &str| if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") };
    format!("{} and {} in {}", many(sets, "set"), many(baselines, "baseline"), lasts(p.minutes))
}

/// How near the order is to the quickest one. `own` is one somebody chose.
pub fn gap_sentence(p: &Plan, own: bool) -> String {
    let gap = p.gap();
    match (own, gap < PROVEN) {
        (_, true) => "No order takes less time.".to_owned(),
        (false, false) => format!("No order takes over {:.1} % less time.", 100.0 * gap + 0.05),
        (true, false) => {
            format!("Your order; {} longer than none takes less than.", lasts(p.minutes - p.least_minutes))
        }
    }
}

/// What a stop adds to what may be said if the day ends there: of which sets a gain, and of which only with the drift in it.
/// `name` says a set, `sd` is the scatter of single pulls in kW.
pub fn known_sentence(
    known: &[Known],
    pulls: impl Fn(usize) -> u32,
    name: impl Fn(usize) -> String,
    sd: Option<f64>,
    kw: impl Fn(f64) -> String,
) -> String {
    let shown = |k: &Known| {
        let least = sd.and_then(|sd| smallest_detectable(sd, pulls(k.wanted)).ok());
        least.map_or_else(
            || name(k.wanted),
            |d| format!("{} (shown from {})", name(k.wanted), kw(d.difference)),
        )
    };
    let list = |bracketed: bool| {
        let all: Vec<String> = known.iter().filter(|k| k.bracketed == bracketed).map(shown).collect();
        all.join(", ")
    };
    match (list(true), list(false)) {
        (a, b) if a.is_empty() && b.is_empty() => "nothing yet: only the baseline stands".to_owned(),
        (a, b) if b.is_empty() => format!("a gain of {a}"),
        (a, b) if a.is_empty() => format!("{b}, with the drift of the day in it"),
        (a, b) => format!("a gain of {a}; {b} with the drift of the day in it"),
    }
}

/// Why a set is not proposed; `name` says another set, `meant_for` the fuels of its map, `lower` the lower rung that was
/// pulled.
pub fn withheld_words(
    why: Why,
    meant_for: Option<&str>,
    lower: Option<&str>,
    name: impl Fn(usize) -> String,
) -> String {
    match why {
        Why::ForeignFuel => format!("its map is meant for {}", meant_for.unwrap_or("another fuel")),
        Why::LowerNotClear(k) => {
            format!("{} was pulled and not every stop limit was watched and clear", name(k))
        }
        Why::PulledNotClear => {
            let lower = lower.unwrap_or("a lower rung of it");
            format!("{lower} was pulled and not every stop limit was watched and clear")
        }
        Why::LowerWithheld(k) => format!("{} comes before it and is not proposed", name(k)),
        Why::NoFuel => "the fuel on hand does not last for it".into(),
        Why::TankTooSmall => "one set takes more than the tank holds above its reserve".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_day_is_said_with_what_it_lets_say() {
        assert_eq!([lasts(35.2), lasts(244.9), lasts(60.0)], ["35 min", "4 h 05 min", "1 h 00 min"]);
        let known = [Known { wanted: 0, bracketed: true }, Known { wanted: 1, bracketed: false }];
        let name = |k: usize| format!("C{}", k + 1);
        let kw = |v: f64| format!("{v:.1} kW");
        let say = |k: &[Known], sd| known_sentence(k, |_| 3, name, sd, kw);
        assert_eq!(say(&[], Some(1.0)), "nothing yet: only the baseline stands");
        assert_eq!(say(&known, None), "a gain of C1; C2 with the drift of the day in it");
        assert_eq!(say(&known[..1], Some(1.0)), "a gain of C1 (shown from 3.1 kW)");
        assert_eq!(say(&known[1..], None), "C2, with the drift of the day in it");
        assert!(
            withheld_words(Why::LowerNotClear(0), None, None, name)
                .starts_with("C1 was pulled and not every")
        );
    }
}
