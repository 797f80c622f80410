//! Jobs of every dyno kind and every awkward circumstance, against answers known on paper.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod cell;

use cell::{End, Folder, PULL, Pull, job, set};
use serde_json::{Value, json};

fn close(got: &Value, want: f64, share: f64, what: &str) {
    let got = got.as_f64().unwrap_or_else(|| panic!("{what} is missing"));
    assert!((got - want).abs() <= share * want.abs(), "{what}: {got}, expected {want}");
}

/// Highest power of the closed form on the 50 rpm grid, up to the end of the pull.
fn peak(p: &Pull) -> f64 {
    (40..=130).map(|k| p.power_at(f64::from(k) * 50.0)).fold(0.0, f64::max)
}

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
