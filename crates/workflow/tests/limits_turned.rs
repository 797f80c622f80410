//! Limits turned like a screw: a limit that is set wider never judges harder, one that asks for longer never sees more,
//! and what a sensor did worse never looks better.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod cell;

use cell::{Folder, PULL, Pull, job, set};
use serde_json::{Value, json};

/// λ of a pull with a lean excursion of a size, in the middle of its sweep, on top of a ripple.
fn lambda(t: f64, rpm: f64, excursion: f64) -> f64 {
    let dip = (-((rpm - 4600.0) / 350.0).powi(2)).exp();
    0.86 + 0.004 * (t * 9.0).sin() + excursion * dip
}

/// Outcomes of limits on one pull, by the limit's id.
fn judged(excursion: f64, limits: &[Value]) -> Vec<Value> {
    let folder = Folder::new("turned");
    let p = Pull { seed: 5, ..PULL };
    let d = folder.write("d.csv", p.shaft_csv(4.0, "Hub torque (N·m)"));
    let e = folder.write(
        "e.csv",
        p.ecu_csv(0.3, 50.0, "Lambda,Oil pressure (kPa)", |t, rpm| {
            format!("{:.5},{:.2}", lambda(t, rpm, excursion), 250.0 + rpm / 40.0 - 900.0 * excursion)
        }),
    );
    let mut j =
        job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), &[(d, Some(e))])]));
    j["limits"] = json!(limits);
    let r = folder.run(&j).unwrap();
    let all = r["limits"].as_array().unwrap().clone();
    limits.iter().map(|l| all.iter().find(|o| o["limit"] == l["id"]).unwrap().clone()).collect()
}

fn lean(id: &str, threshold: f64, sustain_s: f64) -> Value {
    json!({
        "id": id, "channel": "lambda_1", "direction": "above", "threshold": threshold, "sustain_s": sustain_s,
        "caution": 0.02, "gate": [{"channel": "throttle", "above": 90}]
    })
}

/// How hard a verdict is; what is no judgement has no place among them.
fn hardness(o: &Value) -> u8 {
    match o["verdict"].as_str().unwrap() {
        "clear" => 0,
        "close" => 1,
        "over" => 2,
        other => panic!("{other} is no judgement: {o}"),
    }
}

fn number(o: &Value, what: &str) -> f64 {
    o[what].as_f64().unwrap_or_else(|| panic!("{what} is missing: {o}"))
}

#[test]
fn a_wider_limit_never_judges_harder() {
    let thresholds: Vec<f64> = (0..24).map(|i| 0.865 + 0.004 * f64::from(i)).collect();
    let limits: Vec<Value> =
        thresholds.iter().enumerate().map(|(i, t)| lean(&format!("l{i}"), *t, 0.2)).collect();
    let all = judged(0.05, &limits);
    for pair in all.windows(2) {
        assert!(hardness(&pair[0]) >= hardness(&pair[1]), "{pair:?}");
        assert!(number(&pair[0], "margin") < number(&pair[1], "margin"), "{pair:?}");
        assert!(
            (number(&pair[0], "worst") - number(&pair[1], "worst")).abs() < 1e-9,
            "what was measured stays"
        );
    }
    let seen: std::collections::BTreeSet<u8> = all.iter().map(hardness).collect();
    assert_eq!(seen.into_iter().collect::<Vec<_>>(), [0, 1, 2], "the screw went all the way");
    for o in &all {
        let (worst, threshold) = (number(o, "worst"), number(o, "threshold"));
        assert!((threshold - worst - number(o, "margin")).abs() < 1e-9);
        assert_eq!(hardness(o) == 2, worst > threshold, "over is what lies beyond: {o}");
    }
}

#[test]
fn a_limit_that_asks_for_longer_never_sees_more() {
    let sustained = [0.0, 0.05, 0.1, 0.2, 0.4, 0.8, 1.6, 3.0];
    let limits: Vec<Value> =
        sustained.iter().enumerate().map(|(i, s)| lean(&format!("l{i}"), 0.88, *s)).collect();
    let all = judged(0.05, &limits);
    for pair in all.windows(2) {
        assert!(number(&pair[1], "worst") <= number(&pair[0], "worst") + 1e-12, "{pair:?}");
        assert!(hardness(&pair[1]) <= hardness(&pair[0]), "{pair:?}");
    }
    assert!(
        number(&all[0], "worst") > number(&all[7], "worst") + 0.01,
        "a dip of a second is no level of three"
    );
    // Where the gate is narrower, less is seen: never more.
    let narrow: Vec<Value> = [2000.0, 4000.0, 4600.0, 5000.0, 5500.0]
        .iter()
        .enumerate()
        .map(|(i, from)| {
            let mut l = lean(&format!("g{i}"), 0.88, 0.1);
            l["gate"] =
                json!([{"channel": "throttle", "above": 90}, {"channel": "engine_speed", "above": from}]);
            l
        })
        .collect();
    let all = judged(0.05, &narrow);
    for pair in all.windows(2) {
        assert!(number(&pair[1], "worst") <= number(&pair[0], "worst") + 1e-12, "{pair:?}");
    }
    // Beside the dip λ lies at 0.864, within the caution of 0.02 below 0.88.
    assert_eq!((hardness(&all[0]), hardness(&all[4])), (2, 1));
}

#[test]
fn a_worse_recording_never_looks_better() {
    let limits = [
        lean("lean", 0.90, 0.2),
        json!({"id": "oil", "channel": "oil_pressure", "direction": "below", "threshold": 260.0, "caution": 10.0, "sustain_s": 0.2}),
    ];
    let mut before: Option<Vec<Value>> = None;
    let mut crossed = 0;
    for i in 0..10 {
        let all = judged(0.008 * f64::from(i), &limits);
        if let Some(before) = &before {
            for (a, b) in before.iter().zip(&all) {
                assert!(hardness(b) >= hardness(a), "{a} then {b}");
                assert!(number(b, "margin") <= number(a, "margin") + 1e-6, "{a} then {b}");
            }
        }
        crossed += usize::from(hardness(&all[0]) == 2);
        before = Some(all);
    }
    assert!((2..9).contains(&crossed), "some cross and some do not: {crossed}");
}
