//! Sets compared by a job in every awkward circumstance, against answers known on paper.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod cell;

use cell::{Folder, PULL, Pull, close, job, peak, set};
use serde_json::{Value, json};

#[test]
fn headlines_differ_and_the_interval_stays_with_the_means() {
    let folder = Folder::new("headline");
    let files = |name: &str, torques: &[f64]| -> Vec<(String, Option<String>)> {
        torques
            .iter()
            .enumerate()
            .map(|(i, t)| {
                (
                    folder.write(
                        &format!("{name}{i}.csv"),
                        Pull { torque: *t, seed: i as u64 + 20, ..PULL }.shaft_csv(4.0, "Hub torque (N·m)"),
                    ),
                    None,
                )
            })
            .collect()
    };
    let (a, b) = (files("a", &[200.0, 203.0, 201.0]), files("b", &[210.0, 212.0, 214.0]));
    let sets = json!([set("a", json!({"map": "stock"}), &a), set("b", json!({"map": "c1"}), &b)]);
    let mut seen = Vec::new();
    for headline in ["mean", "median", "best"] {
        let mut j = job(json!({"kind": "hub", "overall_ratio": 4.0}), sets.clone());
        j["headline"] = json!(headline);
        let r = folder.run(&j).unwrap();
        let f = &r["comparisons"][0]["figures"]["peak_power"];
        assert_eq!(f["verdict"], "gain", "{headline}");
        seen.push((
            f["difference"].as_f64().unwrap(),
            f["ci95"].clone(),
            f["mean_difference"].as_f64().unwrap(),
        ));
    }
    let scale = peak(&PULL) / 200.0;
    assert_eq!(seen.len(), 3, "every headline gave a gain");
    for (got, want) in seen.iter().map(|s| s.0).zip([212.0 - 201.333_333, 212.0 - 201.0, 214.0 - 203.0]) {
        assert!((got - want * scale).abs() < 0.4, "{got} {}", want * scale);
    }
    assert!(
        seen.windows(2).all(|w| w[0].1 == w[1].1 && (w[0].2 - w[1].2).abs() < 1e-9),
        "one interval for all headlines"
    );
}

#[test]
fn a_band_that_is_not_covered_is_null_and_the_rest_stands() {
    let folder = Folder::new("band");
    let d = folder.write("d.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let mut j = job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), &[(d, None)])]));
    j["band_rpm"] = json!([3000, 9000]);
    let r = folder.run(&j).unwrap();
    assert!(r["sets"][0]["figures"]["band_mean_power"].is_null());
    assert!(r["sets"][0]["figures"]["peak_power"]["value"].is_f64());
}

#[test]
fn the_diesel_factor_needs_fuel_and_charge_and_says_so() {
    let folder = Folder::new("diesel");
    let d = folder.write("d.csv", PULL.shaft_csv(1.0, "Brake torque (N·m)"));
    let e = folder.write(
        "e.csv",
        PULL.ecu_csv(5.0, 50.0, "Fuel flow (g/s),MAP (kPa abs)", |_, rpm| {
            format!("{:.3},{:.1}", rpm / 1000.0, 200.0)
        }),
    );
    let engine = json!({"displacement_l": 3.8, "ignition": "compression", "aspiration": "turbocharged"});
    let run = |ecu: Option<String>| {
        let mut j = job(
            json!({"kind": "engine", "overall_ratio": 1.0}),
            json!([set("a", json!({}), &[(d.clone(), ecu)])]),
        );
        j["vehicle"]["engine"] = engine.clone();
        j["correction"] = json!("iso_1585_ci");
        folder.run(&j).unwrap()["sets"][0]["pulls"][0].clone()
    };
    let without = run(None);
    assert_eq!(without["correction_factor"], 1.0);
    assert!(
        without["flags"]
            .as_array()
            .unwrap()
            .iter()
            .any(|f| f["text"].as_str().unwrap().contains("left uncorrected"))
    );
    let with = run(Some(e));
    let air = jamjar_core::air::AirState::new(22.0, 0.4, 1000.0).unwrap();
    let rpm = with["peak_power"]["rpm"].as_f64().unwrap();
    let want = jamjar_core::correction::iso1585_diesel(&jamjar_core::correction::DieselState {
        dry_kpa: air.dry_hpa() / 10.0,
        temp_c: 22.0,
        turbocharged: true,
        two_stroke: false,
        fuel_g_s: rpm / 1000.0,
        displacement_l: 3.8,
        rpm,
        boost_pressure_ratio: 2.0,
    })
    .unwrap();
    close(&with["correction_factor"], want.alpha_d, 0.002, "alpha_d");
}

#[test]
fn conditions_left_out_leave_power_uncorrected() {
    let folder = Folder::new("noair");
    let d = folder.write("d.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let mut j = job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), &[(d, None)])]));
    j["correction"] = json!("sae_j1349");
    j["sets"][0]["pulls"][0].as_object_mut().unwrap().remove("conditions");
    let p = &folder.run(&j).unwrap()["sets"][0]["pulls"][0];
    assert_eq!(p["correction_factor"], 1.0);
    assert!(
        p["flags"]
            .as_array()
            .unwrap()
            .iter()
            .any(|f| f["text"].as_str().unwrap().contains("no air conditions"))
    );
}

#[test]
fn days_apart_widen_the_interval_and_say_by_how_much() {
    let folder = Folder::new("days");
    let file = |name: &str, torque: f64, seed: u64| {
        (folder.write(name, Pull { torque, seed, ..PULL }.shaft_csv(4.0, "Hub torque (N·m)")), None)
    };
    let a: Vec<_> =
        (0..3).map(|i| file(&format!("a{i}.csv"), 200.0 + 0.4 * f64::from(i), i as u64 + 1)).collect();
    let b: Vec<_> =
        (0..3).map(|i| file(&format!("b{i}.csv"), 208.0 + 0.4 * f64::from(i), i as u64 + 9)).collect();
    let mut j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([set("a", json!({"map": "stock"}), &a), set("b", json!({"map": "c1"}), &b)]),
    );
    j["correction"] = json!("sae_j1349");
    let width = |j: &Value| {
        let r = folder.run(j).unwrap();
        let ci = r["comparisons"][0]["figures"]["peak_power"]["ci95"].clone();
        (ci[1].as_f64().unwrap() - ci[0].as_f64().unwrap(), r)
    };
    let (same, _) = width(&j);
    j["sets"][1]["day"] = json!("2026-03-09");
    for p in j["sets"][1]["pulls"].as_array_mut().unwrap() {
        p["conditions"]["temperature_c"] = json!(39.0);
    }
    let (apart, r) = width(&j);
    assert!(apart > same + 1.0, "{same} {apart}");
    assert!(
        r["comparisons"][0]["notes"]
            .as_array()
            .unwrap()
            .iter()
            .any(|n| n.as_str().unwrap().contains("Different days"))
    );
}

#[test]
fn one_pull_each_can_not_be_told() {
    let folder = Folder::new("single");
    let file = |name: &str, torque: f64| {
        (folder.write(name, Pull { torque, ..PULL }.shaft_csv(4.0, "Hub torque (N·m)")), None)
    };
    let j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([
            set("a", json!({"map": "stock"}), &[file("a.csv", 200.0)]),
            set("b", json!({"map": "c1"}), &[file("b.csv", 220.0)])
        ]),
    );
    let c = &folder.run(&j).unwrap()["comparisons"][0];
    let f = &c["figures"]["peak_power"];
    assert_eq!((f["verdict"].as_str(), f["ci95"].is_null()), (Some("cant_tell"), true));
    close(&f["difference"], peak(&PULL) * 0.1, 0.02, "the difference is still shown");
    assert!(c["notes"].as_array().unwrap().iter().any(|n| n.as_str().unwrap().contains("no interval")));
}

#[test]
fn copies_of_one_file_have_no_scatter_to_stand_on() {
    let folder = Folder::new("copies");
    let a = (folder.write("a.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)")), None);
    let b = (folder.write("b.csv", Pull { torque: 220.0, ..PULL }.shaft_csv(4.0, "Hub torque (N·m)")), None);
    let j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([
            set("a", json!({"map": "stock"}), &[a.clone(), a.clone(), a]),
            set("b", json!({"map": "c1"}), &[b.clone(), b])
        ]),
    );
    assert_eq!(folder.run(&j).unwrap()["comparisons"][0]["figures"]["peak_power"]["verdict"], "cant_tell");
}

#[test]
fn sets_that_share_no_speed_cannot_be_compared() {
    let folder = Folder::new("apart");
    let low = Pull { from: 1500.0, to: 3200.0, rate: 500.0, ..PULL };
    let high = Pull { from: 4000.0, to: 6600.0, ..PULL };
    let pair = |name: &str, p: Pull| {
        [0u64, 1].map(|i| {
            (
                folder.write(
                    &format!("{name}{i}.csv"),
                    Pull { seed: i, ..p }.shaft_csv(4.0, "Hub torque (N·m)"),
                ),
                None,
            )
        })
    };
    let j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([
            set("a", json!({"map": "stock"}), &pair("a", low)),
            set("b", json!({"map": "c1"}), &pair("b", high))
        ]),
    );
    let c = &folder.run(&j).unwrap()["comparisons"][0];
    assert_eq!(c["figures"]["peak_power"]["verdict"], "cant_tell");
    assert!(c["notes"][0].as_str().unwrap().contains("share no engine speed"));
    assert!(c["largest_gain"].is_null());
}

#[test]
fn limits_on_the_dyno_recording_and_with_a_gate_in_the_other() {
    let folder = Folder::new("limits");
    let mut d = String::from("Time (s),Shaft speed (rpm),Hub torque (N·m),EGT 1 (°C)\n");
    for (i, line) in PULL.shaft_csv(4.0, "Hub torque (N·m)").lines().skip(1).enumerate() {
        d += &format!("{line},{:.1}\n", 600.0 + 0.35 * i as f64);
    }
    let d = folder.write("d.csv", d);
    let e = folder.write(
        "e.csv",
        PULL.ecu_csv(7.5, 50.0, "Lambda", |t, rpm| {
            format!(
                "{:.3}",
                0.85 + 0.002 * ((t * 731.0).sin())
                    + if (5500.0..6000.0).contains(&rpm) && t > 2.0 && t < 10.0 { 0.08 } else { 0.0 }
            )
        }),
    );
    let mut j =
        job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), &[(d, Some(e))])]));
    j["limits"] = json!([
        {"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": 900, "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.5, "caution": 25},
        {"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.90, "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.2, "caution": 0.03},
        {"id": "oil", "channel": "oil_pressure", "direction": "below", "threshold": 200},
        {"id": "never", "channel": "lambda_1", "direction": "above", "threshold": 0.90, "gate": [{"channel": "engine_speed", "above": 9000}]}
    ]);
    let r = folder.run(&j).unwrap();
    let by = |id: &str| r["limits"].as_array().unwrap().iter().find(|l| l["limit"] == id).unwrap().clone();
    assert_eq!(
        (by("egt")["verdict"].as_str(), by("egt")["clock"].as_str()),
        (Some("over"), Some("dyno")),
        "{}",
        by("egt")
    );
    assert_eq!(by("lean")["verdict"], "over");
    let (from, to) = (by("lean")["from_s"].as_f64().unwrap(), by("lean")["to_s"].as_f64().unwrap());
    let at = |rpm: f64| 2.0 + (rpm - PULL.from) / PULL.rate + 7.5;
    assert!((from - at(5500.0)).abs() < 0.06 && (to - at(6000.0)).abs() < 0.06, "{from} {to}");
    assert_eq!(by("oil")["verdict"], "not_measured");
    assert_eq!(by("never")["verdict"], "not_reached");
}

#[test]
fn confounded_sets_name_what_would_separate_them() {
    let folder = Folder::new("confounded");
    let pair = |name: &str, torque: f64| {
        [0u64, 1].map(|i| {
            (
                folder.write(
                    &format!("{name}{i}.csv"),
                    Pull { torque, seed: i, ..PULL }.shaft_csv(4.0, "Hub torque (N·m)"),
                ),
                None,
            )
        })
    };
    let base = json!({"map": "stock", "fuel": "RON 95 E5", "boost": "factory", "gear": "4"});
    let other = json!({"map": "c3", "fuel": "E30", "boost": "120", "gear": "4"});
    let j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([set("a", base, &pair("a", 200.0)), set("b", other, &pair("b", 230.0))]),
    );
    let c = &folder.run(&j).unwrap()["comparisons"][0];
    assert_eq!(c["factors_differ"], json!(["map", "fuel", "boost"]));
    assert_eq!(c["separate_with"].as_array().unwrap().len(), 2, "k − 1 sets");
    assert_eq!(c["separate_with"][0], json!({"boost": "factory", "fuel": "E30", "map": "stock"}));
}
