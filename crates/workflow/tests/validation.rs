//! The analysis against the simulator's truth over fixed seeds; the long form is `jamjar validate`.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

use jamjar_workflow::validate::{
    coverage, detections, faults, fitted, markdown, never_clear, run, to_json, whole,
};

#[test]
fn intervals_hold_the_truth_as_often_as_they_say() {
    let all = coverage::study(150).unwrap();
    assert_eq!(all.len(), coverage::DESIGNS.len());
    for c in &all {
        // One set run again knows the scatter between mountings by a single difference. The same formula on
        // bare normal numbers holds 89 and 85 % where that scatter is as large as that of pulls, and twice as
        // large (6000 days); the page says so.
        let honest = c.design.mounting == 0.0
            || c.design.again >= 3
            || (c.design.again == 1 && c.design.mounting < 1.0);
        let (low, high) = match (c.design.again, c.design.mounting) {
            _ if honest => (0.92, 0.995),
            (0, m) if m > 1.0 => (0.40, 0.70),
            (0, _) => (0.84, 0.94),
            (_, m) if m > 1.0 => (0.79, 0.91),
            _ => (0.83, 0.94),
        };
        for (what, s) in [("peak", c.peak), ("band mean", c.band_mean)] {
            assert!((low..=high).contains(&s.value), "{}, {what}: {s:?}", c.design.name);
        }
        let along = if honest { 0.93 } else { low };
        assert!(c.curve.value >= along, "{}: {:?}", c.design.name, c.curve);
        assert!(c.bias_kw.value.abs() < 4.0 * c.bias_kw.se + 0.01, "{}: {:?}", c.design.name, c.bias_kw);
    }
    let plain =
        |c: &&coverage::Coverage| c.design.mounting == 0.0 && c.design.again == 0 && c.design.pulls == 3;
    let once = all.iter().find(|c| c.design.mounting > 0.0 && c.design.again == 1).unwrap();
    assert!(once.half_kw > 1.3 * all.iter().find(plain).unwrap().half_kw, "scatter between mountings widens");
}

#[test]
fn whole_days_come_back_with_their_lags_and_gains() {
    let w = whole::study(8).unwrap();
    assert_eq!((w.refused, w.pulls), (0, 168));
    assert!(w.lag_ms[0] < 1.0 && w.lag_ms[2] < 3.0, "{:?}", w.lag_ms);
    assert!((0.6..1.6).contains(&w.lag_ratio), "the stated uncertainty is honest: {}", w.lag_ratio);
    assert!(w.drum_lag_ms[2] < 15.0, "slip does not pass for lag: {:?}", w.drum_lag_ms);
    assert!(w.coverage.value > 0.85, "{:?}", w.coverage);
    assert!(w.bias_again_kw.value.abs() < 0.5, "{:?}", w.bias_again_kw);
    assert!(w.power_share[1] < 0.01 && w.power_share[0] < 0.03, "{:?}", w.power_share);
}

#[test]
fn a_crossing_that_is_hidden_is_never_called_clear() {
    let tried = never_clear::try_all(900, 1).unwrap();
    assert!(tried.len() >= 500, "{} recordings with a crossing to hide", tried.len());
    let flattered: Vec<&never_clear::Tried> = tried.iter().filter(|t| t.flattered()).collect();
    assert!(
        flattered.is_empty(),
        "{} of {}: {:#?}",
        flattered.len(),
        tried.len(),
        &flattered[..flattered.len().min(12)]
    );
}

#[test]
fn what_is_fitted_holds_what_was_planted_as_often_as_it_says() {
    let claims = fitted::study(400);
    let of = |start: &str| claims.iter().find(|c| c.name.starts_with(start)).unwrap();
    let mbt = of("the interval of the best spark").found.value;
    assert!((0.92..=0.98).contains(&mbt), "{mbt}");
    let cells = of("a cell's confidence").found.value;
    assert!((0.92..=0.985).contains(&cells), "{cells}");
    assert!(of("the delay of a probe").found.value > 0.95);
    let next = of("the bound of a margin at the next rung");
    assert!(next.found.value >= 0.94 && next.false_alarms.unwrap().value <= 0.01, "{next:?}");
    let placed = of("the place of a wanted power").found.value;
    assert!((0.92..=0.99).contains(&placed), "{placed}");
    let elsewhere = of("what a revision gained elsewhere").found.value;
    assert!((0.92..=0.98).contains(&elsewhere), "{elsewhere}");
    let lean = of("a cylinder that is lean");
    assert!(lean.found.value > 0.9 && lean.false_alarms.unwrap().value < 0.08, "{lean:?}");
}

#[test]
fn planted_faults_are_found_and_clean_pulls_left_alone() {
    let found = faults::study(3).unwrap();
    let kinds: std::collections::BTreeSet<String> = found.iter().map(|f| f.kind.id()).collect();
    assert_eq!(kinds.len(), 25, "every kind is in the table, found or not");
    assert!(found.iter().all(|f| f.said_by.is_some()), "every kind has a channel that tells");
    for f in found.iter().filter(|f| f.said_by.is_some()) {
        // Slip so large that the clocks are refused cannot be named by the coupling; the ratio's flag says
        // it.
        let least = if f.said_by.is_some_and(|s| s.contains("where the clocks agree")) { 0.5 } else { 0.9 };
        assert!(f.recall.unwrap().value >= least, "{:?} is missed: {:?}", f.kind, f.recall);
        assert!(
            f.false_alarms.is_none_or(|s| s.value <= 0.05),
            "{:?} is seen where it is not: {:?}",
            f.kind,
            f.false_alarms
        );
    }
}

#[test]
fn what_was_not_measured_is_never_called_clear() {
    for c in jamjar_workflow::validate::silent::study(3).unwrap() {
        assert!(c.found.value > 0.999, "{}: {:?}", c.name, c.found);
        assert!(c.false_alarms.is_none_or(|s| s.value < 0.02), "{}: {:?}", c.name, c.false_alarms);
    }
}

#[test]
fn other_claims_are_made_when_they_are_so() {
    let claims = detections::study(200).unwrap();
    let of = |name: &str| claims.iter().find(|c| c.name.contains(name)).unwrap();
    let drift = of("drifts");
    assert!(drift.found.value > 0.8 && drift.false_alarms.unwrap().value < 0.15, "{drift:?}");
    assert!(of("both sides").found.value > 0.88, "{:?}", of("both sides"));
    let nearer = of("nearer");
    assert!(nearer.found.value > 0.75, "{nearer:?}");
    // Without drift neither way is the better one: as good as a coin, within four standard errors and the
    // little that more pulls of the baseline are worth.
    let still = nearer.false_alarms.unwrap();
    assert!((still.value - 0.55).abs() < 4.0 * still.se + 0.05, "{nearer:?}");
    let outlier = of("does not belong");
    assert!(outlier.found.value > 0.65 && outlier.false_alarms.unwrap().value < 0.15, "{outlier:?}");
    let same = of("same within");
    assert!(same.found.value > 0.5 && same.false_alarms.unwrap().value < 0.12, "{same:?}");
    assert!(of("shared baseline").found.value > 0.88, "{:?}", of("shared baseline"));
    assert_eq!(of("factors").found.value, 1.0, "{:?}", of("factors"));
    let hollow = of("hollow");
    assert!(hollow.found.value > 0.6 && hollow.false_alarms.unwrap().value < 0.15, "{hollow:?}");
}

#[test]
fn the_page_names_every_figure_and_what_is_left_out() {
    let v = run(2).unwrap();
    let page = markdown(&v);
    for words in [
        "Coverage of 95 % intervals",
        "right logs refused",
        "coast after the lift",
        "belt slip",
        "What the simulator leaves out",
    ] {
        assert!(page.contains(words), "{words}");
    }
    assert!(!page.contains("NaN"), "{page}");
    assert_eq!(to_json(&v)["faults"].as_array().unwrap().len(), v.faults.len());
    assert_eq!(to_json(&v)["claims"].as_array().unwrap().len(), v.claims.len());
}
