//! Scatter that is none, and mountings that are none.

use super::{compared, pull, said, set};
use crate::analysis::*;

fn pulls(peaks: &[f64]) -> Vec<Measured> {
    peaks.iter().enumerate().map(|(i, p)| pull(&format!("p{}", i + 1), *p, 0.0, 0.0)).collect()
}

fn peak(c: &Comparison) -> &FigureComparison {
    c.figure(Figure::PeakPower).unwrap()
}

fn notes(c: &Comparison) -> Vec<&str> {
    c.notes.iter().map(|n| n.kind()).collect()
}

#[test]
fn one_recording_that_stands_for_two_pulls_knows_no_scatter() {
    let sets = [set("Stock", &[("map", "stock")]), set("C1", &[("map", "c1")]), set("C2", &[("map", "c2")])];
    let with_prints = |peaks: &[f64], prints: &[u64]| {
        let mut all = pulls(peaks);
        all.iter_mut().zip(prints).for_each(|(m, p)| m.print = Some(*p));
        all
    };
    let honest = with_prints(&[117.6, 118.0, 118.5], &[4, 5, 6]);
    let copied = with_prints(&[110.0, 110.0, 110.4], &[1, 1, 2]);
    let (_, c) = compared(
        &sets,
        &[copied.clone(), honest.clone(), with_prints(&[112.0, 112.5, 112.2], &[7, 8, 9])],
        &Settings::default(),
    );
    assert_eq!((peak(&c[0]).verdict, peak(&c[0]).ci95), (Verdict::CantTell, None));
    assert!(notes(&c[0]).contains(&"copies"), "{:?}", c[0].notes);
    assert!(c[0].power.significant_rpm.is_empty(), "nor is any stretch of the curve marked");
    let shared = with_prints(&[110.0, 110.3, 110.4], &[1, 2, 4]);
    let (_, c) = compared(&sets[..2], &[shared, honest], &Settings::default());
    assert_eq!(peak(&c[0]).verdict, Verdict::CantTell, "the same pull in both sets");
}

#[test]
fn scatter_below_what_the_recorded_steps_can_carry_is_no_scatter() {
    let sets = [set("Stock", &[("map", "stock")]), set("C1", &[("map", "c1")])];
    let coarse = |peaks: &[f64], share: f64| {
        let mut all = pulls(peaks);
        all.iter_mut().for_each(|m| m.step_share = Some(share));
        all
    };
    // Steps of 1 % of 110 kW leave 0.32 kW; these pulls scatter by 0.05.
    let run = |share| {
        compared(
            &sets,
            &[coarse(&[110.0, 110.05, 110.1], share), coarse(&[111.0, 111.05, 111.1], share)],
            &Settings::default(),
        )
        .1
    };
    assert_eq!(peak(&run(0.01)[0]).verdict, Verdict::CantTell);
    assert_eq!(peak(&run(0.001)[0]).verdict, Verdict::Gain);
}

#[test]
fn another_day_is_no_mounting() {
    let stock = [("map", "stock"), ("gear", "4")];
    let mut sets =
        vec![set("Stock", &stock), set("C1", &[("map", "c1"), ("gear", "4")]), set("Stock later", &stock)];
    sets[2].day = "2026-03-04".into();
    let measured =
        [pulls(&[110.0, 110.4, 109.8]), pulls(&[114.0, 114.3, 113.8]), pulls(&[103.0, 103.3, 102.8])];
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let [low, high] = peak(&c[0]).ci95.unwrap();
    assert!(high - low < 2.5, "6 % between the days are no scatter between mountings: {low} to {high}");
    assert!(notes(&c[0]).contains(&"one_mounting"));
    let other_day = c.iter().find(|c| c.candidate == 2).unwrap();
    assert!(notes(other_day).contains(&"one_mounting"), "the day is not a mounting: {:?}", notes(other_day));
}

#[test]
fn days_through_their_baselines_carry_the_scatter_between_mountings() {
    let on = |id: &str, map: &str, day: &str| {
        let mut s = set(id, &[("map", map), ("fuel", "95"), ("build", "A"), ("gear", "4")]);
        s.day = day.into();
        s
    };
    let first = "2026-03-03";
    let sets = [
        on("C1", "c1", first),
        on("stock", "stock", first),
        on("stock again", "stock", first),
        on("C2", "c2", "2026-03-04"),
        on("stock 2", "stock", "2026-03-04"),
    ];
    let level = |peak: f64| pulls(&[peak - 0.3, peak, peak + 0.3]);
    let run = |again: f64| {
        let measured = [level(120.0), level(110.0), level(again), level(118.0), level(105.0)];
        let (_, c) = compared(&sets, &measured, &Settings::default());
        let c = c.into_iter().find(|c| c.candidate == 3).unwrap();
        (c.second.across.unwrap(), c.notes)
    };
    let (near, _) = run(110.2);
    let (far, notes) = run(113.0);
    assert!(far.mounted && far.half_width > 2.0 * near.half_width, "{near:?} {far:?}");
    assert!(
        notes.iter().any(|n| n.kind() == "across" && said(n).contains("between mountings included")),
        "{notes:?}"
    );
}

#[test]
fn an_outlier_is_judged_by_its_own_gear() {
    let mut sets = vec![
        set("third", &[("map", "stock"), ("gear", "3")]),
        set("fourth", &[("map", "stock"), ("gear", "4")]),
    ];
    sets.push(set("fourth again", &[("map", "c1"), ("gear", "4")]));
    // Third gear scatters ten times as much; beside it the odd pull in fourth would be nothing.
    let measured = vec![
        pulls(&[100.0, 106.0, 94.0, 103.0]),
        pulls(&[110.0, 110.1, 110.2, 113.0]),
        pulls(&[112.0, 112.1, 112.2, 112.1]),
    ];
    let (results, _) = compared(&sets, &measured, &Settings::default());
    let odd: Vec<(usize, usize)> = find_days(&results, &measured)
        .iter()
        .filter(|f| f.found.kind() == "outlier")
        .map(|f| (f.set, f.pull))
        .collect();
    assert_eq!(odd, [(1, 3)]);
}
