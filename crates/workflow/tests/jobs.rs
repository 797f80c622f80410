//! One pull of every dyno kind and every awkward circumstance, against answers known on paper.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod cell;
#[path = "finished/mod.rs"]
mod finished;

use cell::{End, Folder, PULL, Pull, close, job, peak, set};
use serde_json::{Value, json};

fn one(folder: &Folder, dyno: Value, file: String, ecu: Option<String>) -> Value {
    folder.run(&job(dyno, json!([set("a", json!({"map": "stock"}), &[(file, ecu)])]))).unwrap()
}

#[test]
fn every_kind_of_dyno_gives_the_power_on_paper() {
    let folder = Folder::new("kinds");
    let want = peak(&PULL);
    let cases = [
        (
            "hub",
            json!({"kind": "hub", "overall_ratio": 4.0}),
            folder.write("hub.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)")),
        ),
        (
            "roller brake",
            json!({"kind": "roller_brake", "overall_ratio": 3.2}),
            folder.write("roller.csv", PULL.shaft_csv(3.2, "Brake torque (N·m)")),
        ),
        (
            "engine",
            json!({"kind": "engine"}),
            folder.write("engine.csv", PULL.shaft_csv(1.0, "Torque (lb·ft)").replace("nothing", "")),
        ),
        (
            "pto",
            json!({"kind": "pto", "overall_ratio": 2.1}),
            folder.write("pto.csv", PULL.shaft_csv(2.1, "PTO torque [Nm]")),
        ),
        (
            "inertia drum",
            json!({"kind": "roller_inertia", "overall_ratio": 3.5, "inertia_kg_m2": 90.0}),
            folder.write("drum.csv", PULL.drum_csv(3.5, 90.0)),
        ),
    ];
    for (name, dyno, file) in cases {
        let r = one(&folder, dyno, file, None);
        let factor = if name == "engine" { 1.355_817_9 } else { 1.0 };
        close(&r["sets"][0]["figures"]["peak_power"]["value"], want * factor, 0.01, name);
        let p = &r["sets"][0]["pulls"][0];
        assert_eq!(p["alignment"]["status"], "single_log", "{name}");
        assert_eq!(p["ended_by"], "lift", "{name}");
        let span = p["span_rpm"].as_array().unwrap();
        assert!(
            span[0].as_f64().unwrap() <= 2000.0 && span[1].as_f64().unwrap() >= 6400.0,
            "{name}: {span:?}"
        );
        let curve = &p["curve"];
        let at = curve["rpm"].as_array().unwrap().iter().position(|v| v == 4500.0).unwrap();
        close(&curve["torque_nm"][at], 200.0 * factor, 0.012, name);
        close(&curve["power_kw"][at], 200.0 * factor * 4500.0 * std::f64::consts::PI / 30_000.0, 0.012, name);
    }
}

#[test]
fn inertias_add_what_the_ramp_took() {
    let folder = Folder::new("inertia");
    let file = folder.write("hub.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let at = |dyno: Value| {
        let r = one(&folder, dyno, file.clone(), None);
        let c = &r["sets"][0]["pulls"][0]["curve"];
        let i = c["rpm"].as_array().unwrap().iter().position(|v| v == 4500.0).unwrap();
        c["torque_nm"][i].as_f64().unwrap()
    };
    let plain = at(json!({"kind": "hub", "overall_ratio": 4.0}));
    let engine = at(json!({"kind": "hub", "overall_ratio": 4.0, "rotating_inertia_kg_m2": 0.2}));
    let alpha = 600.0 * std::f64::consts::PI / 30.0;
    assert!(
        (engine - plain - 0.2 * alpha).abs() < 0.5,
        "0.2 kg·m² at 600 rpm/s is {:.1} N·m, got {:.1}",
        0.2 * alpha,
        engine - plain
    );
    let dyno = at(json!({"kind": "hub", "overall_ratio": 4.0, "inertia_kg_m2": 3.2}));
    assert!((dyno - plain - 3.2 / 16.0 * alpha).abs() < 0.5);
}

#[test]
fn a_coast_down_adds_the_loss_and_is_called_an_estimate() {
    let folder = Folder::new("coast");
    let drum = folder.write("drum.csv", PULL.drum_csv(3.5, 90.0));
    let mut text = String::from("Time (s),Drum speed (rpm)\n");
    let mut w = 190.0_f64;
    for i in 0..6000 {
        text += &format!("{:.2},{:.4}\n", f64::from(i) * 0.01, w * 30.0 / std::f64::consts::PI);
        w -= (10.0 + 0.2 * w) / 90.0 * 0.01;
    }
    let coast = folder.write("coast.csv", text);
    let plain = one(
        &folder,
        json!({"kind": "roller_inertia", "overall_ratio": 3.5, "inertia_kg_m2": 90.0}),
        drum.clone(),
        None,
    );
    let with = one(
        &folder,
        json!({"kind": "roller_inertia", "overall_ratio": 3.5, "inertia_kg_m2": 90.0, "coast_down": coast}),
        drum,
        None,
    );
    let peak_of = |r: &Value| r["sets"][0]["figures"]["peak_power"]["value"].as_f64().unwrap();
    let rpm = with["sets"][0]["figures"]["peak_power"]["rpm"].as_f64().unwrap();
    let omega = rpm / 3.5 * std::f64::consts::PI / 30.0;
    let loss = (10.0 + 0.2 * omega) * omega / 1000.0;
    assert!(
        (peak_of(&with) - peak_of(&plain) - loss).abs() < 0.6,
        "{} {} {loss}",
        peak_of(&with),
        peak_of(&plain)
    );
    assert_eq!(with["sets"][0]["pulls"][0]["estimated"], true);
}

#[test]
fn a_coast_down_is_read_under_the_names_the_job_gives_to_the_dynos_columns() {
    let folder = Folder::new("coast-names");
    let drum = folder.write(
        "drum.csv",
        PULL.drum_csv(3.5, 90.0).replace("Roller speed", "Kanal 7").replace("Drum speed", "Kanal 7"),
    );
    let mut text = String::from("Time (s),Kanal 7 (rpm)\n");
    let mut w = 190.0_f64;
    for i in 0..4000 {
        text += &format!("{:.2},{:.4}\n", f64::from(i) * 0.01, w * 30.0 / std::f64::consts::PI);
        w -= (10.0 + 0.2 * w) / 90.0 * 0.01;
    }
    let coast = folder.write("coast.csv", text);
    let mut j = job(
        json!({"kind": "roller_inertia", "overall_ratio": 3.5, "inertia_kg_m2": 90.0, "coast_down": coast}),
        json!([set("a", json!({}), &[(drum, None)])]),
    );
    j["channels"] = json!({"dyno": {"roller_speed": {"column": "Kanal 7", "unit": "rpm"}}});
    let r = folder.run(&j).unwrap();
    assert_eq!(r["sets"][0]["pulls"][0]["estimated"], true);
}

#[test]
fn injector_duty_knows_the_cycle() {
    let folder = Folder::new("duty");
    let d = folder.write("d.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let e = folder.write("e.csv", PULL.ecu_csv(5.0, 50.0, "Injector pulse width (ms)", |_, _| "8.5".into()));
    let verdict = |engine: Value| {
        let mut j = job(
            json!({"kind": "hub", "overall_ratio": 4.0}),
            json!([set("a", json!({}), &[(d.clone(), Some(e.clone()))])]),
        );
        j["vehicle"]["engine"] = engine;
        j["limits"] = json!([{"id": "duty", "channel": "injector_duty", "direction": "above", "threshold": 85, "sustain_s": 0.2, "caution": 3}]);
        folder.run(&j).unwrap()["limits"][0]["verdict"].as_str().unwrap().to_owned()
    };
    assert_eq!(verdict(json!({})), "clear", "46 % in a four-stroke");
    assert_eq!(verdict(json!({"cycle": "two_stroke"})), "over", "92 % in a two-stroke");
    assert_eq!(verdict(json!({"pulses_per_cycle": 2})), "over");
    assert_eq!(verdict(json!({"injection": "direct"})), "not_measured", "never the 85 % of a port injector");
}

#[test]
fn pulls_that_all_end_at_the_speed_limiter_are_not_said_to_end_at_the_rev_limiter() {
    let folder = Folder::new("all-limited");
    let write = |name: &str, to: f64, seed: u64, warm: bool| {
        let p = Pull { to, end: End::Limiter, seed, ..PULL };
        let d = folder.write(&format!("{name}-d.csv"), p.shaft_csv(4.0, "Hub torque (N·m)"));
        let mut e = p.ecu_csv(5.0, 50.0, "Vehicle speed (km/h)", |_, rpm| format!("{:.1}", rpm * 0.03));
        if warm {
            // Before the pull the engine was blipped in neutral: it turns faster than the plateau.
            let header = e.lines().next().unwrap().to_owned();
            let columns = header.split(',').count();
            let at = header.split(',').position(|h| h.to_lowercase().contains("rpm")).unwrap();
            let blip: String = (0..40)
                .map(|i| {
                    let row: Vec<String> = (0..columns)
                        .map(|c| {
                            if c == 0 {
                                format!("{:.3}", 0.02 * f64::from(i))
                            } else if c == at {
                                "6400".into()
                            } else {
                                String::new()
                            }
                        })
                        .collect();
                    row.join(",") + "\n"
                })
                .collect();
            let rest = e.split_once('\n').unwrap().1.to_owned();
            e = format!("{header}\n{blip}{rest}");
        }
        (d, Some(folder.write(&format!("{name}-e.csv"), e)))
    };
    let ends = |files: &[(String, Option<String>)], engine: Value| {
        let mut j = job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), files)]));
        j["vehicle"]["engine"] = engine;
        let r = folder.run(&j).unwrap();
        r["sets"][0]["pulls"]
            .as_array()
            .unwrap()
            .iter()
            .map(|p| (p["ended_by"].as_str().unwrap().to_owned(), p["flags"].to_string()))
            .collect::<Vec<_>>()
    };
    let all = [write("a", 5600.0, 1, false), write("b", 5600.0, 2, false)];
    assert!(ends(&all, json!({"rev_limit_rpm": 6800})).iter().all(|e| e.0 == "speed_limiter"));
    assert!(
        ends(&all, json!({})).iter().all(|e| e.1.contains("limiter_unsure")),
        "nothing shows which of the two it was"
    );
    let blipped = [write("c", 5600.0, 1, true), write("d", 5600.0, 2, false)];
    assert!(
        ends(&blipped, json!({})).iter().all(|e| e.0 == "speed_limiter"),
        "{:?}",
        ends(&blipped, json!({}))
    );
}

#[test]
fn lags_come_back_whatever_is_known_of_the_ratio() {
    let folder = Folder::new("lags");
    for (k, (lag, hz, ratio)) in
        [(12.483, 50.0, Some(4.0)), (-3.2, 20.0, Some(4.0)), (1234.567, 10.0, Some(4.0)), (88.8, 50.0, None)]
            .into_iter()
            .enumerate()
    {
        let pull = Pull { seed: k as u64 + 3, ..PULL };
        let d = folder.write(&format!("d{k}.csv"), pull.shaft_csv(4.0, "Hub torque (N·m)"));
        let e = folder.write(&format!("e{k}.csv"), pull.ecu_csv(lag, hz, "", |_, _| String::new()));
        let dyno = ratio.map_or(json!({"kind": "hub"}), |r| json!({"kind": "hub", "overall_ratio": r}));
        let r = one(&folder, dyno, d, Some(e));
        let p = &r["sets"][0]["pulls"][0];
        assert_eq!(p["alignment"]["status"], "aligned", "{lag}: {}", p["alignment"]);
        assert!((p["alignment"]["lag_s"].as_f64().unwrap() - lag).abs() < 0.02, "{lag}: {}", p["alignment"]);
        close(&p["overall_ratio"], 4.0, 0.003, "ratio");
        close(&p["peak_power"]["value"], peak(&pull), 0.01, "power");
    }
}

#[test]
fn a_hand_set_lag_is_manual_and_kept() {
    let folder = Folder::new("manual");
    let d = folder.write("d.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let e = folder.write("e.csv", PULL.ecu_csv(5.0, 50.0, "", |_, _| String::new()));
    let mut j =
        job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), &[(d, Some(e))])]));
    j["sets"][0]["pulls"][0]["lag_s"] = json!(5.25);
    let r = folder.run(&j).unwrap();
    let a = &r["sets"][0]["pulls"][0]["alignment"];
    assert_eq!((a["status"].as_str(), a["lag_s"].as_f64()), (Some("manual"), Some(5.25)));
}

#[test]
fn what_ended_a_pull_is_told_by_the_throttle() {
    let folder = Folder::new("ends");
    for (name, end) in [("lift", End::Lift), ("rev_limiter", End::Limiter), ("end_of_log", End::Stop)] {
        let pull = Pull { end, ..PULL };
        let d = folder.write(&format!("{name}-d.csv"), pull.shaft_csv(4.0, "Hub torque (N·m)"));
        let e = folder.write(&format!("{name}-e.csv"), pull.ecu_csv(5.0, 50.0, "", |_, _| String::new()));
        for ecu in [None, Some(e)] {
            let r = one(&folder, json!({"kind": "hub", "overall_ratio": 4.0}), d.clone(), ecu.clone());
            let p = &r["sets"][0]["pulls"][0];
            assert_eq!(p["ended_by"], name, "with engine log: {}", ecu.is_some());
            if end == End::Limiter {
                assert!(
                    p["flags"].as_array().unwrap().iter().any(|f| f["kind"] == "cut"),
                    "a cut pull has no peak beyond: {}",
                    p["flags"]
                );
            }
        }
    }
}

#[test]
fn a_speed_limiter_below_the_usual_end_and_an_abort_are_named() {
    let folder = Folder::new("names");
    let write = |name: &str, p: Pull| {
        let d = folder.write(&format!("{name}-d.csv"), p.shaft_csv(4.0, "Hub torque (N·m)"));
        let e = folder.write(
            &format!("{name}-e.csv"),
            p.ecu_csv(5.0, 50.0, "Vehicle speed (km/h)", |_, rpm| format!("{:.1}", rpm * 0.03)),
        );
        (d, Some(e))
    };
    let files = [
        write("a", PULL),
        write("b", Pull { seed: 2, ..PULL }),
        write("c", Pull { to: 5600.0, end: End::Limiter, ..PULL }),
        write("d", Pull { to: 4200.0, ..PULL }),
    ];
    let r = folder
        .run(&job(json!({"kind": "hub", "overall_ratio": 4.0}), json!([set("a", json!({}), &files)])))
        .unwrap();
    let ends: Vec<&str> =
        r["sets"][0]["pulls"].as_array().unwrap().iter().map(|p| p["ended_by"].as_str().unwrap()).collect();
    assert_eq!(ends, ["lift", "lift", "speed_limiter", "abort"]);
}

#[test]
fn two_pulls_in_one_file_are_offered_one_by_one() {
    let folder = Folder::new("two");
    let first = PULL.shaft_csv(4.0, "Hub torque (N·m)");
    let second = Pull { torque: 220.0, ..PULL }.shaft_csv(4.0, "Hub torque (N·m)");
    let shift = PULL.seconds() + 3.0;
    let mut both = first.clone();
    for line in second.lines().skip(1) {
        let (t, rest) = line.split_once(',').unwrap();
        both += &format!("{:.3},{rest}\n", t.parse::<f64>().unwrap() + shift);
    }
    let d = folder.write("both.csv", both);
    let mut j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([set("a", json!({}), &[(d.clone(), None), (d.clone(), None), (d, None)])]),
    );
    j["sets"][0]["pulls"][0]["number_in_file"] = json!(1);
    j["sets"][0]["pulls"][1]["number_in_file"] = json!(2);
    let r = folder.run(&j).unwrap();
    let p = r["sets"][0]["pulls"].as_array().unwrap();
    close(&p[0]["peak_power"]["value"], peak(&PULL), 0.01, "first");
    close(&p[1]["peak_power"]["value"], peak(&PULL) * 1.1, 0.01, "second");
    assert!(
        p[2]["flags"].as_array().unwrap().iter().any(|f| f["kind"] == "several_pulls"),
        "{}",
        p[2]["flags"]
    );
    assert!(p[0]["flags"].as_array().unwrap().iter().all(|f| f["kind"] != "several_pulls"));
}

#[test]
fn a_wrong_gear_is_flagged_and_does_not_change_power() {
    let folder = Folder::new("gear");
    let d = folder.write("d.csv", PULL.shaft_csv(5.4, "Hub torque (N·m)"));
    let e = folder.write("e.csv", PULL.ecu_csv(5.0, 50.0, "", |_, _| String::new()));
    let r = one(&folder, json!({"kind": "hub", "overall_ratio": 4.0}), d, Some(e));
    let p = &r["sets"][0]["pulls"][0];
    assert_eq!(p["alignment"]["status"], "refused");
    assert!(
        p["flags"]
            .as_array()
            .unwrap()
            .iter()
            .any(|f| f["kind"] == "ratio_differs" && f["text"].as_str().unwrap().contains("wrong gear")),
        "{}",
        p["flags"]
    );
    close(&p["peak_power"]["value"], peak(&PULL), 0.01, "power does not depend on alignment");
}

#[test]
fn a_file_without_a_pull_has_no_figures_and_says_why() {
    let folder = Folder::new("none");
    let blip = Pull { to: 2500.0, ..PULL };
    let d = folder.write("d.csv", blip.shaft_csv(4.0, "Hub torque (N·m)"));
    let good = folder.write("g.csv", PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let r = folder
        .run(&job(
            json!({"kind": "hub", "overall_ratio": 4.0}),
            json!([set("a", json!({}), &[(d, None), (good, None)])]),
        ))
        .unwrap();
    let p = &r["sets"][0]["pulls"][0];
    assert_eq!((p["included"].as_bool(), p["peak_power"].is_null()), (Some(false), true));
    assert!(p["flags"].as_array().unwrap().iter().any(|f| f["kind"] == "no_pull"));
    assert_eq!(r["sets"][0]["n"], 1);
}
