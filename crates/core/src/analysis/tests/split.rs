//! Splitting a difference of several factors, on sets whose means are known.

use super::{compared, pull, said, set};
use crate::analysis::*;
use crate::factors::Factors;

fn named(map: &str, fuel: &str, boost: &str) -> Factors {
    [("map", map), ("fuel", fuel), ("boost", boost), ("gear", "4")]
        .into_iter()
        .map(|(k, v)| (k.to_owned(), v.to_owned()))
        .collect()
}

/// Sets of three pulls by name, configuration and peak.
fn sets_of(cells: &[(&str, Factors, f64)]) -> (Vec<SetInput>, Vec<Vec<Measured>>) {
    let input =
        |(id, factors, _): &(&str, Factors, f64)| SetInput { factors: factors.clone(), ..set(id, &[]) };
    let pulls =
        |peak: f64| [-0.2, 0.0, 0.2].iter().map(|w| pull("p", peak + w, 0.0, 0.0)).collect::<Vec<_>>();
    (cells.iter().map(input).collect(), cells.iter().map(|c| pulls(c.2)).collect())
}

fn peak_split(c: &Comparison) -> &Split {
    c.splits.iter().find(|s| s.figure == Figure::PeakPower).unwrap()
}

#[test]
fn two_factors_with_every_corner_split_without_an_order() {
    let (sets, measured) = sets_of(&[
        ("a", named("stock", "95", "x"), 100.0),
        ("fuel", named("stock", "E30", "x"), 103.0),
        ("map", named("c1", "95", "x"), 108.0),
        ("both", named("c1", "E30", "x"), 115.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let s = peak_split(&c[2]);
    assert_eq!(
        s.steps.iter().map(|t| (t.factor.as_str(), t.to.as_str())).collect::<Vec<_>>(),
        [("fuel", "E30"), ("map", "c1")]
    );
    assert!(
        (s.steps[0].interval.difference - 3.0).abs() < 1e-9
            && (s.steps[1].interval.difference - 12.0).abs() < 1e-9
    );
    let free = s.free.as_ref().unwrap();
    let share: Vec<f64> = free.shares.iter().map(|x| x.interval.difference).collect();
    assert_eq!(free.shares[0].factor, "map");
    assert!((share[0] - 10.0).abs() < 1e-9 && (share[1] - 5.0).abs() < 1e-9, "{share:?}");
    assert!((free.together.difference - 4.0).abs() < 1e-9, "115 − 103 − 108 + 100");
    // s_w² (c²/n summed): halves over four sets of three make 1/√3 of one scatter.
    let sd = c[2].figure(Figure::PeakPower).unwrap().pull_sd.unwrap();
    assert!((free.shares[0].interval.se - sd / 3f64.sqrt()).abs() < 1e-9);
    assert!((free.together.se - 2.0 * free.shares[0].interval.se).abs() < 1e-9);
    let note = said(c[2].notes.iter().find(|n| n.kind() == "confounded").unwrap());
    assert!(
        note.contains("In no order, as every corner was run: map +10.0 ± ")
            && note.contains("together they do +4.0 ± "),
        "{note}"
    );
}

#[test]
fn an_empty_corner_is_never_filled_in() {
    let (sets, measured) = sets_of(&[
        ("a", named("stock", "95", "x"), 100.0),
        ("fuel", named("stock", "E30", "x"), 103.0),
        ("both", named("c1", "E30", "x"), 115.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let s = peak_split(&c[1]);
    assert_eq!(s.steps.len(), 2);
    assert!(s.free.is_none());
    let (sets, measured) =
        sets_of(&[("a", named("stock", "95", "x"), 100.0), ("both", named("c1", "E30", "x"), 115.0)]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert!(c[0].splits.is_empty(), "nothing on the way was run");
}

#[test]
fn three_factors_share_the_whole_and_a_cell_run_twice_counts_once() {
    let mut cells = Vec::new();
    let names = ["a", "m", "f", "mf", "b", "mb", "fb", "mfb"];
    let peak = |m: bool, f: bool, b: bool| {
        100.0
            + if m { 6.0 } else { 0.0 }
            + if f { 2.0 } else { 0.0 }
            + if b { 4.0 } else { 0.0 }
            + if m && b { 3.0 } else { 0.0 }
    };
    for (i, name) in names.iter().enumerate() {
        let (m, f, b) = (i & 1 == 1, i & 2 == 2, i & 4 == 4);
        cells.push((
            *name,
            named(if m { "c1" } else { "stock" }, if f { "E30" } else { "95" }, if b { "90" } else { "60" }),
            peak(m, f, b),
        ));
    }
    cells.push(("a again", named("stock", "95", "60"), 100.0));
    let (sets, measured) = sets_of(&cells);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let free = peak_split(&c[6]).free.clone().unwrap();
    let of = |v: &[Share], f: &str| v.iter().find(|x| x.factor == f).unwrap().interval.difference;
    assert!(
        (of(&free.shares, "map") - 7.5).abs() < 1e-9
            && (of(&free.shares, "boost") - 5.5).abs() < 1e-9
            && (of(&free.shares, "fuel") - 2.0).abs() < 1e-9
    );
    assert!(
        (free.shares.iter().map(|x| x.interval.difference).sum::<f64>() - 15.0).abs() < 1e-9,
        "the shares are the whole"
    );
    assert!((of(&free.main, "map") - 7.5).abs() < 1e-9);
    assert!((free.together.difference - 3.0).abs() < 1e-9);
}

#[test]
fn what_must_not_be_run_is_said_and_not_proposed() {
    let (mut sets, measured) =
        sets_of(&[("a", named("stock", "95", "x"), 100.0), ("both", named("c3", "E60", "x"), 115.0)]);
    sets[0].map_fuels = Some("95, 98".into());
    sets[1].map_fuels = Some("E60".into());
    let (_, c) = compared(&sets, &measured, &Settings::default());
    assert!(c[0].confounding.separate_with.is_empty());
    let note = said(c[0].notes.iter().find(|n| n.kind() == "confounded").unwrap());
    assert!(
        note.starts_with("Map and fuel changed together. Not safely separable: ")
            && note.contains(" is meant for "),
        "{note}"
    );
}

#[test]
fn a_stop_that_is_missing_makes_a_step_of_several_factors_and_says_so() {
    let (sets, measured) = sets_of(&[
        ("a", named("stock", "95", "100"), 100.0),
        ("fuel", named("stock", "E30", "100"), 103.0),
        ("all", named("c1", "E30", "120"), 118.0),
    ]);
    let (_, c) = compared(&sets, &measured, &Settings::default());
    let s = peak_split(&c[1]);
    let said: Vec<_> = s.steps.iter().map(|t| (t.factor.as_str(), t.to.as_str(), t.confounded)).collect();
    assert_eq!(said, [("fuel", "E30", false), ("map and boost", "c1, 120", true)]);
    assert!((s.steps[1].interval.difference - 15.0).abs() < 1e-9 && s.free.is_none());
}
