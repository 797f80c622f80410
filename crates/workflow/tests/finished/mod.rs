//! Pulls that are not two recordings: printed curves, typed peaks, the engine computer alone; gears and
//! interventions.

use crate::cell::{Folder, PULL, close, job, peak, set};
use serde_json::{Value, json};
use std::fmt::Write;

const AIR: [f64; 3] = [1000.0, 22.0, 0.4];

/// A printed curve every 100 rpm: power in kW, times `by`.
fn table(by: f64) -> String {
    (20..=65).fold("RPM,Power (kW)\n".to_owned(), |mut s, k| {
        let rpm = 100.0 * f64::from(k);
        let _ = writeln!(s, "{rpm},{:.4}", by * PULL.power_at(rpm));
        s
    })
}

fn air() -> Value {
    json!({"pressure_hpa": AIR[0], "temperature_c": AIR[1], "humidity": AIR[2]})
}

/// A job of sets of finished curves: for each its files and what the pulls say beside.
fn printed(folder: &Folder, sets: &[(&str, &[f64], Value)], correction: &str) -> Value {
    let sets: Vec<Value> = sets
        .iter()
        .enumerate()
        .map(|(k, (map, factors, more))| {
            let pulls: Vec<Value> = factors
                .iter()
                .enumerate()
                .map(|(i, by)| {
                    let file = folder.write(&format!("{k}-{i}.csv"), table(*by));
                    let mut p = json!({"id": format!("p{i}"), "table": file});
                    p.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
                    p
                })
                .collect();
            json!({"id": map, "day": "2026-03-02", "factors": {"map": map}, "pulls": pulls})
        })
        .collect();
    let mut j = job(json!({"kind": "hub", "overall_ratio": 4.0}), json!(sets));
    j["correction"] = json!(correction);
    folder.run(&j).unwrap()
}

fn factor(family: &str) -> f64 {
    let air = jamjar_core::air::AirState::new(AIR[1], AIR[2], AIR[0]).unwrap();
    jamjar_core::correction::Correction::from_id(family).unwrap().air_factor(&air).unwrap()
}

#[test]
fn a_printed_curve_is_what_it_is_and_says_so() {
    let folder = Folder::new("printed");
    let r =
        printed(&folder, &[("a", &[1.0], json!({"applied_correction": "none", "place": "wheel"}))], "none");
    let p = &r["sets"][0]["pulls"][0];
    assert_eq!((&p["kind"], &p["engine_speed_from"]), (&json!("curve_only"), &json!("table")));
    close(&p["peak_power"]["value"], peak(&PULL), 0.002, "peak");
    let at = p["curve"]["rpm"].as_array().unwrap().iter().position(|v| v == 4500.0).unwrap();
    close(&p["curve"]["torque_nm"][at], PULL.torque_at(4500.0), 0.001, "torque is power over speed");
    let said = p["flags"].as_array().unwrap().iter().find(|f| f["kind"] == "printed").unwrap();
    assert!(said["text"].as_str().unwrap().contains("at the wheel"), "{said}");
    assert_eq!(p["alignment"]["status"], "single_log");
}

#[test]
fn a_factor_is_never_applied_twice() {
    let folder = Folder::new("twice");
    let want = peak(&PULL);
    let (din, sae) = (factor("din_70020"), factor("sae_j1349"));
    for (more, asked, scale) in [
        (json!({"applied_correction": "sae_j1349", "conditions": air()}), "sae_j1349", 1.0),
        (json!({"applied_correction": "din_70020", "conditions": air()}), "sae_j1349", sae / din),
        (json!({"applied_correction": "din_70020", "conditions": air()}), "none", 1.0 / din),
        (json!({"applied_correction": "none", "conditions": air()}), "sae_j1349", sae),
        (json!({"applied_correction": "din_70020"}), "sae_j1349", 1.0),
        (json!({"conditions": air()}), "sae_j1349", 1.0),
    ] {
        let r = printed(&folder, &[("a", &[1.0], more.clone())], asked);
        let p = &r["sets"][0]["pulls"][0];
        close(&p["peak_power"]["value"], want * scale, 0.002, &format!("{more} as {asked}"));
        let warned = p["flags"].as_array().unwrap().iter().any(|f| f["kind"] == "correction");
        let stays = more["applied_correction"].is_null() || more["conditions"].is_null();
        assert_eq!(warned, stays, "{more}: as printed is said");
    }
}

#[test]
fn what_finished_curves_allow_to_be_concluded() {
    let folder = Folder::new("concluded");
    let none = json!({"applied_correction": "none"});
    let compare = |a: (&[f64], Value), b: (&[f64], Value)| {
        let r = printed(&folder, &[("a", a.0, a.1), ("b", b.0, b.1)], "none");
        let c = &r["comparisons"][0];
        let notes: Vec<String> =
            c["notes"].as_array().unwrap().iter().map(|n| n.as_str().unwrap().to_owned()).collect();
        (c["figures"]["peak_power"].clone(), notes.join(" | "))
    };
    let (f, notes) = compare((&[1.0], none.clone()), (&[1.1], none.clone()));
    assert_eq!(f["verdict"], "cant_tell", "one curve knows no scatter");
    assert!(
        f["ci95"].is_null() && f["difference"].as_f64().unwrap() > 0.0 && notes.contains("knows no scatter"),
        "{notes}"
    );
    let two: (&[f64], Value) = (&[1.0, 1.004], none.clone());
    let (f, _) = compare(two.clone(), (&[1.1, 1.104], none.clone()));
    assert_eq!(f["verdict"], "gain", "two of each do");
    let (f, notes) = compare(two.clone(), (&[1.1, 1.104], json!({"conditions": air()})));
    assert_eq!(f["verdict"], "cant_tell");
    assert!(notes.contains("unknown correction: it can move the figures by"), "{notes}");
    let (f, notes) = compare((&[1.0, 1.004], json!({})), (&[1.1, 1.104], json!({})));
    assert_eq!(f["verdict"], "gain", "the same unknown one on both");
    assert!(notes.contains("only per cent hold") && notes.contains("+10.0 %"), "{notes}");
    let wheel = json!({"applied_correction": "none", "place": "wheel"});
    let (f, notes) = compare(
        (&[1.0, 1.004], wheel),
        (&[1.1, 1.104], json!({"applied_correction": "none", "place": "crank"})),
    );
    assert!(f["verdict"] == "cant_tell" && notes.contains("losses lie between"), "{notes}");
}

#[test]
fn a_finished_curve_lends_no_scatter_to_recordings_and_is_not_held_against_them() {
    let folder = Folder::new("mixed");
    let file = |n: usize| folder.write(&format!("r{n}.csv"), PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let mut j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([set("a", json!({"map": "a"}), &[(file(0), None)])]),
    );
    let print = folder.write("print.csv", table(1.1));
    j["sets"].as_array_mut().unwrap().push(json!({"id": "b", "factors": {"map": "b"}, "pulls": [{"id": "p", "table": print, "applied_correction": "none"}]}));
    let r = folder.run(&j).unwrap();
    let c = &r["comparisons"][0];
    assert_eq!(c["figures"]["peak_power"]["verdict"], "cant_tell");
    assert!(c["notes"][0].as_str().unwrap().contains("like is compared with like"), "{}", c["notes"]);
}

#[test]
fn runs_columns_road_speed_and_typed_peaks() {
    let folder = Folder::new("runs");
    let side = "RPM,Power run 1 (hp),Power run 2 (hp)\n3000,100,110\n3500,120,130\n4000,130,140\n";
    let file = folder.write("side.csv", side);
    let run = |pull: Value| {
        let j = job(json!({"kind": "hub"}), json!([{"id": "a", "factors": {}, "pulls": [pull]}]));
        folder.run(&j)
    };
    let r = run(json!({"id": "p", "table": file, "run": "2", "applied_correction": "none"})).unwrap();
    close(&r["sets"][0]["pulls"][0]["peak_power"]["value"], 140.0 * 0.7457, 1e-6, "hp of run 2");
    let gone = run(json!({"id": "p", "table": file, "run": 3})).unwrap_err();
    assert!(gone.contains("no run “3”") && gone.contains("1, 2"), "{gone}");
    let road = folder.write("road.csv", "km/h,kW\n100,50\n150,80\n120,60\n");
    let r = run(json!({"id": "p", "table": road, "columns": {"road_speed": {"column": "km/h"}}})).unwrap();
    let p = &r["sets"][0]["pulls"][0];
    assert_eq!(p["curve"]["road_speed_kmh"][0], 100.0);
    assert!(
        p["curve"].get("rpm").is_none()
            && p["curve"].get("torque_nm").is_none()
            && p["peak_torque"].is_null()
    );
    let typed = json!({"id": "p", "typed": {"peak_power": {"value": 162, "unit": "hp", "rpm": 6100}, "peak_torque": {"value": 160, "unit": "lb·ft"}}, "applied_correction": "none"});
    let r = run(typed).unwrap();
    let p = &r["sets"][0]["pulls"][0];
    assert_eq!((&p["kind"], p["curve"]["rpm"].as_array().unwrap().len()), (&json!("peaks_only"), 0));
    close(&p["peak_power"]["value"], 162.0 * 0.7457, 1e-6, "typed power");
    close(&p["peak_torque"]["value"], 160.0 * 1.355_817_9, 1e-6, "typed torque");
    assert_eq!(p["peak_power"]["rpm"], 6100.0);
    close(&r["sets"][0]["figures"]["peak_power"]["value"], 162.0 * 0.7457, 1e-6, "and of its set");
    for (pull, says) in [
        (json!({"id": "p"}), "names no recording"),
        (json!({"id": "p", "table": file, "dyno": "x.csv"}), "it is one of these"),
        (json!({"id": "p", "table": file, "run": "1", "place": "moon"}), "place “moon”"),
        (
            json!({"id": "p", "table": file, "run": "1", "applied_correction": "magic"}),
            "applied_correction “magic”",
        ),
        (json!({"id": "p", "typed": {"peak_power": {"value": 162, "unit": "Nm"}}}), "not one of its units"),
        (json!({"id": "p", "typed": {}}), "neither peak_power nor peak_torque"),
        (json!({"id": "p", "table": "gone.csv"}), "gone.csv"),
    ] {
        let e = run(pull.clone()).unwrap_err();
        assert!(e.contains(says), "{pull}: {e}");
    }
}

#[test]
fn an_engine_computers_log_alone_has_limits_and_no_power() {
    let folder = Folder::new("alone");
    let log = PULL.ecu_csv(3.0, 50.0, "Throttle (%),Lambda 1", |t, _| {
        let lean = if (6.0..6.6).contains(&t) { 0.95 } else { 0.85 };
        format!("{:.1},{lean}", PULL.throttle(t))
    });
    let file = folder.write("ecu.csv", log);
    let mut j = job(
        json!({"kind": "hub", "overall_ratio": 4.0}),
        json!([{"id": "a", "factors": {"map": "a"}, "pulls": [{"id": "p", "ecu": file}]},
               {"id": "b", "factors": {"map": "b"}, "pulls": [{"id": "p", "ecu": file}]}]),
    );
    j["limits"] = json!([{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.90, "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.2, "caution": 0.02, "severity": "stop"}]);
    let r = folder.run(&j).unwrap();
    let p = &r["sets"][0]["pulls"][0];
    assert_eq!((&p["kind"], &p["engine_speed_from"]), (&json!("log_only"), &json!("measured")));
    assert!(p["peak_power"].is_null() && p["curve"]["rpm"].as_array().unwrap().is_empty());
    let l = &r["limits"][0];
    assert_eq!((&l["verdict"], &l["clock"]), (&json!("over"), &json!("ecu")), "{l}");
    assert_eq!(r["comparisons"][0]["figures"]["peak_power"]["verdict"], "cant_tell");
}

#[test]
fn gears_say_the_ratio_and_a_gear_that_was_not_is_said_before_clocks_are_refused() {
    let folder = Folder::new("gears");
    let gears = json!({"3": 1.36, "4": 1.02, "5": 0.8});
    let third = 4.0 * 1.36 / 1.02;
    let dyno = folder.write("third.csv", PULL.shaft_csv(third, "Hub torque (N·m)"));
    let log = folder
        .write("ecu.csv", PULL.ecu_csv(2.5, 50.0, "Throttle (%)", |t, _| format!("{:.1}", PULL.throttle(t))));
    let run = |gear: &str| {
        let mut j = job(
            json!({"kind": "hub", "overall_ratio": 4.0, "reference_gear": "4"}),
            json!([set("a", json!({"map": "a", "gear": gear}), &[(dyno.clone(), Some(log.clone()))])]),
        );
        j["vehicle"]["gears"] = gears.clone();
        folder.run(&j).unwrap()["sets"][0]["pulls"][0].clone()
    };
    let right = run("3");
    assert_eq!(right["alignment"]["status"], "aligned", "{}", right["alignment"]);
    close(&right["overall_ratio"], third, 1e-6, "ratio of third gear");
    assert!(right["flags"].as_array().unwrap().iter().all(|f| f["kind"] != "another_gear"));
    let wrong = run("4");
    assert_eq!(
        wrong["alignment"]["status"], "aligned",
        "a flag before it is a refusal: {}",
        wrong["alignment"]
    );
    let said = wrong["flags"].as_array().unwrap().iter().find(|f| f["kind"] == "another_gear").expect("said");
    assert!(
        said["text"].as_str().unwrap().contains("gear 4 is stated")
            && said["text"].as_str().unwrap().contains("gear 3")
    );
    close(&wrong["overall_ratio"], third, 1e-6, "the ratio that was measured");
    assert_eq!(wrong["overall_ratio_from"], "gear");
    assert_eq!(right["peak_torque"]["value"], wrong["peak_torque"]["value"]);
}

#[test]
fn an_intervention_is_a_factor_of_what_crosses_it() {
    let folder = Folder::new("crossed");
    let file = |n: usize| folder.write(&format!("r{n}.csv"), PULL.shaft_csv(4.0, "Hub torque (N·m)"));
    let at = |id: &str, day: &str, at: Option<&str>, n: usize| {
        let mut s = set(id, json!({"map": id}), &[(file(n), None)]);
        s["day"] = json!(day);
        if let Some(at) = at {
            s["pulls"][0]["at"] = json!(at);
        }
        s
    };
    let run = |sets: Value, what: &str| {
        let mut j = job(json!({"kind": "hub", "overall_ratio": 4.0}), sets);
        j["interventions"] = json!([{"at": "2026-03-02T11:40", "what": what, "from": "A14", "to": "A17"}]);
        folder.run(&j).unwrap()
    };
    let differ = |r: &Value| {
        let mut all = r["comparisons"][0]["factors_differ"].as_array().unwrap().clone();
        all.sort_by_key(Value::to_string);
        all
    };
    let d = "2026-03-02";
    let crossing = json!([at("a", d, Some("2026-03-02T10:00"), 0), at("b", d, Some("2026-03-02T12:00"), 1)]);
    assert_eq!(differ(&run(crossing.clone(), "gearbox software")), [json!("gearbox software"), json!("map")]);
    assert_eq!(
        differ(&run(crossing, "remount")),
        [json!("map")],
        "a mounting is what scatter between sets measures"
    );
    let before = json!([at("a", d, Some("2026-03-02T10:00"), 0), at("b", d, Some("2026-03-02T11:00"), 1)]);
    assert_eq!(differ(&run(before, "gearbox software")), [json!("map")]);
    let days =
        run(json!([at("a", "2026-03-01", None, 0), at("b", "2026-03-03", None, 1)]), "gearbox software");
    assert!(differ(&days).contains(&json!("gearbox software")));
    let said = |r: &Value| {
        r["sets"][0]["pulls"][0]["flags"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|f| f["kind"] == "intervention_time")
            .map(|f| f["severity"].clone())
            .collect::<Vec<_>>()
    };
    assert_eq!(said(&days), [json!("note")], "ordered by day, with a note");
    let unsure = run(json!([at("a", d, None, 0), at("b", d, None, 1)]), "gearbox software");
    assert_eq!(said(&unsure), [json!("caution")]);
}
