//! Second looks: what the day did between two runs, what days did to each other, and which pulls do not
//! belong.

use super::{compared, in_hp, pull, said, set};
use crate::analysis::set_vs_set::Per;
use crate::analysis::*;
use crate::units::Units;
use crate::words::{caveat, finding};

type Day<'a> = (&'a str, &'a [(&'a str, &'a str)], f64, &'a [f64], f64);

/// Sets as (id, factors, clock hour, peaks, shift of the day in kW); the day is told by the hour: 24 and more
/// is tomorrow.
fn day(sets: &[Day<'_>]) -> (Vec<SetInput>, Vec<Vec<Measured>>) {
    sets.iter()
        .enumerate()
        .map(|(i, (id, factors, hour, peaks, shift))| {
            let date = if *hour < 24.0 { "2026-03-03" } else { "2026-03-04" };
            let s =
                SetInput { day: date.into(), at_h: Some(hour % 24.0), order: i as f64, ..set(id, factors) };
            (
                s,
                peaks
                    .iter()
                    .enumerate()
                    .map(|(k, p)| pull(&format!("p{}", k + 1), p + shift, 0.0, 0.0))
                    .collect(),
            )
        })
        .unzip()
}

const STOCK: &[(&str, &str)] = &[("map", "stock"), ("fuel", "95"), ("gear", "4")];
const C1: &[(&str, &str)] = &[("map", "c1"), ("fuel", "95"), ("gear", "4")];
const C2: &[(&str, &str)] = &[("map", "c2"), ("fuel", "95"), ("gear", "4")];

fn notes(c: &Comparison, kind: &str) -> Vec<String> {
    c.notes.iter().filter(|n| n.kind() == kind).map(said).collect()
}

#[test]
fn a_day_that_sinks_is_taken_out_by_the_baseline_on_both_sides() {
    // Everything sinks by 1 kW an hour; the map gives 5 kW. Measured against the first baseline it seems to
    // give 3.
    let (sets, measured) = day(&[
        ("Stock", STOCK, 10.0, &[100.1, 99.9, 100.0], 0.0),
        ("C1", C1, 12.0, &[105.1, 104.9, 105.0], -2.0),
        ("Stock again", STOCK, 14.0, &[100.1, 99.9, 100.0], -4.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert!((c[0].figure(Figure::PeakPower).unwrap().mean_difference.unwrap() - 3.0).abs() < 1e-9);
    assert!((c[0].second.bracketed.unwrap().difference - 5.0).abs() < 1e-9);
    assert!(notes(&c[0], "bracket")[0].contains("+5.0"));
    let d = c[0].second.adjusted.unwrap();
    assert!(
        (d.interval.difference - 5.0).abs() < 0.05 && (d.slope_kw + 1.0).abs() < 0.02 && d.p < 1e-6,
        "{d:?}"
    );
    assert_eq!(d.per, Per::Hour);
    assert!(notes(&c[0], "drift")[0].contains("A sensitivity, not the headline"));
    assert!(c[1].second.bracketed.is_none(), "the baseline against itself is not bracketed");
}

#[test]
fn a_still_day_says_nothing_of_drift() {
    let (sets, measured) = day(&[
        ("Stock", STOCK, 10.0, &[100.2, 99.9, 99.8], 0.0),
        ("C1", C1, 12.0, &[105.1, 104.7, 105.2], 0.0),
        ("Stock again", STOCK, 14.0, &[99.8, 100.1, 100.1], 0.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert!(notes(&c[0], "drift").is_empty(), "{:?}", c[0].notes);
}

#[test]
fn two_days_are_compared_through_the_baseline_they_share() {
    // The second day takes 6 kW from everything. C2 is 4 kW better than C1 at home.
    let (sets, measured) = day(&[
        ("C1", C1, 11.0, &[110.2, 109.8, 110.0], 0.0),
        ("Stock", STOCK, 10.0, &[100.2, 99.8, 100.0], 0.0),
        ("C2", C2, 35.0, &[114.2, 113.8, 114.0], -6.0),
        ("Stock then", STOCK, 34.0, &[100.2, 99.8, 100.0], -6.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let c2 = c.iter().find(|c| c.candidate == 2).unwrap();
    assert!(
        c2.figure(Figure::PeakPower).unwrap().mean_difference.unwrap() < 0.0,
        "the plain difference is a loss"
    );
    let [d, low, high] = c2.second.across.unwrap().shares();
    assert!(d > 0.03 && low > 0.0 && low < d && d < high, "{d} {low} {high}");
    assert!(notes(c2, "across")[0].starts_with("Through a baseline that both days have"));
    let (sets, measured) =
        day(&[("C1", C1, 11.0, &[110.2, 109.8], 0.0), ("C2", C2, 35.0, &[114.2, 113.8], 0.0)]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert!(c[0].second.across.is_none() && notes(&c[0], "across")[0].contains("share no baseline"));
}

#[test]
fn sameness_is_shown_only_with_a_margin_set_beforehand() {
    let (sets, measured) = day(&[
        ("Stock", STOCK, 10.0, &[100.1, 99.9, 100.0], 0.0),
        ("C1", C1, 11.0, &[100.2, 100.0, 99.9], 0.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert!(c[0].second.equivalence.is_none());
    let with =
        |m| compared(&sets, &measured, &Settings { margin_kw: Some(m), ..Settings::default() }).1.remove(0);
    assert!(notes(&with(1.0), "equivalence")[0].starts_with("Equivalent within ± 1.0 kW"));
    assert!(notes(&with(0.05), "equivalence")[0].starts_with("Not shown to be equivalent"));
}

#[test]
fn best_of_five_against_best_of_two_is_called_unfair() {
    let (sets, measured) = day(&[
        ("Stock", STOCK, 10.0, &[100.0, 99.0], 0.0),
        ("C1", C1, 11.0, &[100.0, 99.0, 98.8, 101.0, 99.5], 0.0),
    ]);
    let best = Settings { headline: Headline::Best, ..Settings::default() };
    let (_, c) = compared(&sets, &measured, &best);
    assert!(notes(&c[0], "best_of")[0].contains("over subsets of 2"), "{:?}", c[0].notes);
    assert!(notes(&compared(&sets, &measured, &Settings::default()).1[0], "best_of").is_empty());
}

#[test]
fn a_pull_far_off_is_named_and_left_to_a_person() {
    let (sets, measured) = day(&[
        ("Stock", STOCK, 10.0, &[100.1, 99.8, 100.3], 0.0),
        ("C1", C1, 11.0, &[110.2, 109.9, 103.0], 0.0),
        ("C2", C2, 12.0, &[120.0, 120.4, 119.9], 0.0),
    ]);
    let (results, mut c) = compared(&sets, &measured, &Settings::default());
    note_pulls(&mut c, &results, &measured);
    assert!(
        c[0].notes.iter().any(|n| {
            let s = caveat(n, &in_hp());
            s.starts_with("C1: pull 3: peak power 9.") && s.contains(" hp below")
        }),
        "{:?}",
        c[0].notes
    );
    assert!(notes(&c[0], "unsettled")[0].contains("the last two pulls differ by 6.3 %"));
    assert_eq!(results[1].n(), 3, "nothing is excluded by a flag");
    assert!(notes(&c[1], "flagged").is_empty());
}

#[test]
fn conditions_are_judged_without_looking_at_power() {
    let (sets, mut measured) = day(&[
        ("Stock", STOCK, 10.0, &[100.1, 99.8, 100.3], 0.0),
        ("C1", C1, 11.0, &[110.2, 109.9, 110.3], 0.0),
    ]);
    for (i, m) in measured.iter_mut().flatten().enumerate() {
        let start = if i == 0 { 62.0 } else { 91.0 };
        m.channels = vec![ChannelSummary {
            channel: "oil_temp".parse().unwrap(),
            mean: start + 2.0,
            min: start,
            max: start + 4.0,
            start,
        }];
    }
    let results = analyse_sets(&sets, &measured, &Default::default(), &Settings::default());
    let flags = find_pulls(&results, &measured);
    assert_eq!(
        flags.iter().map(|f| (f.set, f.pull, f.found.kind())).collect::<Vec<_>>(),
        [(0, 0, "conditions")]
    );
    assert!(finding(&flags[0].found, Units::default()).starts_with("oil 29 °C colder"));
    measured[0][0].grid.power_kw.iter_mut().for_each(|p| *p *= 0.97);
    let results = analyse_sets(&sets, &measured, &Default::default(), &Settings::default());
    assert!(
        find_pulls(&results, &measured).iter().any(|f| f.found.kind() == "warm_up"),
        "colder and weaker is warm-up"
    );
}

#[test]
fn what_else_differed_has_sizes() {
    let (_, mut measured) =
        day(&[("Stock", STOCK, 10.0, &[100.1, 99.8], 0.0), ("C1", C1, 11.0, &[110.2, 109.9], 0.0)]);
    for (set, pulls) in measured.iter_mut().enumerate() {
        for m in pulls {
            let v = 40.0 + 9.0 * set as f64;
            m.channels = vec![ChannelSummary {
                channel: "intake_temp".parse().unwrap(),
                mean: v,
                min: v,
                max: v,
                start: v,
            }];
        }
    }
    let d = differs(&measured[0], &measured[1]);
    let air = d.iter().find(|d| d.label == "intake temperature").unwrap();
    assert!((air.candidate - air.base - 9.0).abs() < 1e-9 && air.notable);
    assert!(
        d.iter().any(|d| d.label == "cell air" && !d.notable) && d.iter().all(|d| d.label != "λ 1"),
        "what was not measured is not compared"
    );
}

#[test]
fn a_habit_is_gathered_from_the_sets_of_earlier_days() {
    let day = |date: &str, again: bool| {
        let mut sets = vec![set("a", &[("map", "stock")]), set("b", &[("map", "c1")])];
        let mut measured = vec![pulls(100.0), pulls(110.0)];
        if again {
            sets.push(set("a2", &[("map", "stock")]));
            measured.push(pulls(100.6));
        }
        sets.iter_mut().for_each(|s| s.day = date.into());
        compared(&sets, &measured, &Settings::default()).0
    };
    let kinds = day("2026-03-01", false)[0].kinds.clone();
    let few = habit_of(&[day("2026-03-01", false)], &kinds).unwrap();
    assert_eq!((few.sets, few.dof, few.holds()), (2, 4.0, false), "two sets are no habit");
    let days: Vec<_> = ["2026-03-01", "2026-03-02", "2026-03-03"].map(|d| day(d, true)).into();
    let habit = habit_of(&days, &kinds).unwrap();
    assert!(habit.holds() && (habit.sets, habit.dof) == (9, 18.0), "{habit:?}");
    assert!((habit.relative_sd - 0.003).abs() < 0.0005, "{habit:?}");
    let between = habit.between.unwrap();
    assert!(between.dof >= 3.0 && between.relative_sd > 0.002, "{between:?}");
    assert!(habit_of(&days, &[crate::pull::span::PullKind::LugDown]).is_none(), "another kind of pull");
}

fn pulls(peak: f64) -> Vec<Measured> {
    [-0.3, 0.0, 0.3].iter().map(|w| pull("p", peak + w, 0.0, 0.0)).collect()
}
