use super::*;
use crate::scenarios::{Loaded, first_light};
use crate::simulate::true_gain;
use jamjar_core::analysis::Figure;
use jamjar_core::pull::align::Status;
use jamjar_core::pull::span::EndedBy;
use jamjar_core::signal::interp::linear;
use jamjar_core::units::Units;
use jamjar_core::words;
use jamjar_sim::{SimDay, Simulated};
use serde_json::json;
use std::fs;
use std::path::PathBuf;
use tempfile::TempDir;

/// A folder removed when dropped.
struct Folder(TempDir);

impl Folder {
    fn new() -> Self {
        Self(TempDir::new().unwrap())
    }

    fn write(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        let p = self.0.path().join(name);
        fs::write(&p, bytes).unwrap();
        p
    }
}

fn job_of((l, run): &(Loaded, Simulated), folder: &Folder) -> Value {
    crate::simulate::write_days(l, run, folder.0.path()).unwrap();
    crate::simulate::job_of(l, &run.days)
}

fn run_day(seed: u64, edit: impl FnOnce(&mut Value)) -> (SimDay, Prepared, Analysed, Value) {
    let folder = Folder::new();
    let simulated = first_light(seed, 0.001).unwrap();
    let mut job = job_of(&simulated, &folder);
    let day = simulated.1.days[0].clone();
    edit(&mut job);
    let path = folder.write("job.json", job.to_string());
    let Ran { result, job: prepared, analysed } = run(&path).unwrap();
    (day, prepared, analysed, result)
}

#[test]
fn the_simulated_truth_comes_back_within_its_noise() {
    let (mut worst_lag, mut worst_power) = (0.0_f64, 0.0_f64);
    let mut read = 0;
    for seed in [3, 5] {
        let (day, _, a, _) = run_day(seed, |_| {});
        let factor = jamjar_core::correction::Correction::SaeJ1349.air_factor(&day.air).unwrap();
        for (set, (measured, result)) in day.sets.iter().zip(a.measured.iter().zip(&a.sets)) {
            for ((pull, m), c) in set.pulls.iter().zip(measured).zip(&result.pulls) {
                let name = &set.spec.id;
                assert_eq!(m.alignment.status, Status::Aligned, "{name} {:?}", m.alignment);
                let span = m.span.unwrap();
                let shift = 0.5 * (span.from_s + span.to_s) * pull.truth.drift_ppm * 1e-6;
                worst_lag =
                    worst_lag.max((m.alignment.lag_s.unwrap() - pull.truth.lag_s.unwrap() - shift).abs());
                assert_eq!(span.ended_by, EndedBy::Lift, "{name}");
                for (rpm, kw) in
                    c.curve.rpm.iter().zip(&c.curve.power_kw).filter(|(r, _)| **r > 2400.0 && **r < 6500.0)
                {
                    let truth =
                        linear(&pull.truth.curve.rpm, &pull.truth.curve.power_kw, *rpm).unwrap() * factor;
                    worst_power = worst_power.max((kw / truth - 1.0).abs());
                    read += 1;
                }
            }
        }
        for c in &a.comparisons {
            let gain = true_gain(&day.sets[c.base].truth, &day.sets[c.candidate].truth);
            let truth = linear(&gain.rpm, &gain.power_kw, 5000.0).unwrap() * factor;
            let i = c.power.curve.rpm.iter().position(|r| (r - 5000.0).abs() < 1e-6).unwrap();
            assert!(
                (c.power.curve.gain[i] - truth).abs() < 2.0,
                "{}: {} {truth}",
                day.sets[c.candidate].spec.id,
                c.power.curve.gain[i]
            );
        }
    }
    assert!(read > 500, "{read} points were held against the truth");
    assert!(worst_lag < 0.005, "lag off by {worst_lag} s");
    assert!(worst_power < 0.03, "power off by {worst_power}");
}

#[test]
fn intervals_hold_the_true_gain_about_as_often_as_they_say() {
    let (mut held, mut all) = (0, 0);
    for seed in 20..32 {
        let (day, _, a, _) = run_day(seed, |_| {});
        let factor = jamjar_core::correction::Correction::SaeJ1349.air_factor(&day.air).unwrap();
        let band = |k: usize| {
            let t = &day.sets[k].truth;
            jamjar_core::signal::interp::integral(&t.rpm, &t.power_kw, 3000.0, 6500.0).unwrap() / 3500.0
                * factor
        };
        for c in &a.comparisons {
            let ci = c.figure(Figure::BandMeanPower).unwrap().ci95.unwrap();
            let truth = band(c.candidate) - band(c.base);
            held += u32::from(ci[0] <= truth && truth <= ci[1]);
            all += 1;
        }
    }
    let share = f64::from(held) / f64::from(all);
    assert!(share > 0.85, "coverage {share} of {all}");
}

#[test]
fn the_result_carries_every_field_of_the_contract() {
    let (_, _, _, r) = run_day(3, |_| {});
    assert_eq!(r["jamjar_result"], 1);
    let set = &r["sets"][0];
    assert_eq!((set["id"].as_str(), set["n"].as_u64()), (Some("stock-95"), Some(3)));
    for f in ["peak_power", "peak_torque", "band_mean_power"] {
        assert!(set["figures"][f]["value"].is_f64() && set["figures"][f]["unit"].is_string(), "{f}");
    }
    let p = &set["pulls"][0];
    for k in ["id", "included", "flags", "correction_factor", "span_rpm", "ended_by", "peak_power", "curve"] {
        assert!(!p[k].is_null(), "{k}");
    }
    assert_eq!(p["alignment"]["status"], "aligned");
    assert!(p["alignment"]["lag_s"].is_f64() && p["alignment"]["r"].is_f64());
    let c = r["comparisons"].as_array().unwrap().iter().find(|c| c["candidate"] == "c2-e30").unwrap();
    assert_eq!(c["base"], "stock-95");
    assert_eq!(c["factors_differ"], json!(["map", "fuel"]));
    assert_eq!(c["confounded"], true);
    assert_eq!(c["separate_with"], json!([]), "both corners were run");
    assert_eq!(c["figures"]["peak_power"]["verdict"], "gain");
    assert!(c["figures"]["peak_power"]["ci95"][0].as_f64().unwrap() > 5.0);
    assert!(c["largest_gain"]["rpm"].is_f64() && !c["significant_rpm"].as_array().unwrap().is_empty());
    let again =
        r["comparisons"].as_array().unwrap().iter().find(|c| c["candidate"] == "stock-95-again").unwrap();
    assert_eq!(again["figures"]["peak_power"]["verdict"], "no_difference_shown");
    let limits = r["limits"].as_array().unwrap();
    assert_eq!(limits.len(), 7 * 3 * 5);
    assert!(limits.iter().filter(|l| l["limit"] == "back").all(|l| l["verdict"] == "not_measured"));
    assert!(
        limits
            .iter()
            .filter(|l| l["limit"] == "lean" && l["set"] == "stock-95")
            .all(|l| l["verdict"] == "clear")
    );
    assert!(
        limits
            .iter()
            .filter(|l| l["limit"] == "lean" && l["set"] == "c2-e30")
            .all(|l| l["verdict"] == "over"),
        "the planted lean excursion"
    );
}

#[test]
fn swapped_engine_logs_are_refused() {
    let (_, _, a, r) = run_day(3, |job| {
        let pulls = &mut job["sets"][1]["pulls"];
        let first = pulls[0]["ecu"].take();
        pulls[0]["ecu"] = pulls[2]["ecu"].take();
        pulls[2]["ecu"] = first;
    });
    for i in [0, 2] {
        assert_eq!(a.measured[1][i].alignment.status, Status::Refused, "{:?}", a.measured[1][i].alignment);
        assert!(a.sets[1].included[i], "power never depends on alignment");
    }
    assert_eq!(a.measured[1][1].alignment.status, Status::Aligned);
    assert!(r["sets"][1]["pulls"][0]["alignment"]["reason"].is_string());
}

#[test]
fn a_single_pull_borrows_the_days_scatter_and_says_so() {
    let (_, _, a, _) = run_day(3, |job| {
        job["sets"][1]["pulls"].as_array_mut().unwrap().truncate(1);
    });
    let c = &a.comparisons[0];
    assert!(c.figure(Figure::PeakPower).unwrap().ci95.is_some());
    assert!(c.notes.iter().any(|n| n.kind() == "borrowed_scatter"));
}

#[test]
fn excluding_a_pull_leaves_its_limits_in() {
    let (_, _, a, r) = run_day(3, |job| job["sets"][0]["pulls"][1]["exclude"] = json!("heat-soaked"));
    assert_eq!(a.sets[0].n(), 2);
    assert_eq!(r["sets"][0]["pulls"][1]["included"], false);
    assert!(r["limits"].as_array().unwrap().iter().any(|l| l["set"] == "stock-95" && l["pull"] == "p2"));
}

#[test]
fn different_gears_cannot_be_told() {
    let (_, _, _, r) = run_day(3, |job| job["sets"][1]["factors"]["gear"] = json!("5"));
    let c = &r["comparisons"][0];
    assert_eq!(c["figures"]["peak_power"]["verdict"], "cant_tell");
    assert!(c["figures"]["peak_power"]["ci95"].is_null());
    assert!(c["notes"][0].as_str().unwrap().contains("gears differ"));
}

#[test]
fn a_bad_job_says_what_and_where() {
    let folder = Folder::new();
    let good = job_of(&first_light(3, 0.001).unwrap(), &folder);
    let edit = |f: &dyn Fn(&mut Value)| {
        let mut j = good.clone();
        f(&mut j);
        let path = folder.write("job.json", j.to_string());
        match run(&path) {
            Err(e) => e.to_string(),
            Ok(_) => panic!("must be refused"),
        }
    };
    for (want, message) in [
        ("0.52", edit(&|j| j["sets"][0]["pulls"][0]["conditions"]["humidity"] = json!(52))),
        ("inHg", edit(&|j| j["sets"][0]["pulls"][0]["conditions"]["pressure_hpa"] = json!(29.6))),
        ("not a set", edit(&|j| j["baseline"] = json!("nothing"))),
        ("version 1", edit(&|j| j["jamjar_job"] = json!(2))),
        ("cannot be opened", edit(&|j| j["sets"][0]["pulls"][0]["dyno"] = json!("gone.csv"))),
        ("no column “XX”", edit(&|j| j["channels"]["ecu"]["lambda_1"]["column"] = json!("XX"))),
        ("not a unit", edit(&|j| j["channels"]["ecu"]["lambda_1"]["unit"] = json!("furlong"))),
        (
            "no torque channel",
            edit(&|j| j["sets"][0]["pulls"][0]["dyno"] = j["sets"][0]["pulls"][0]["ecu"].clone()),
        ),
        ("unknown field `corection`", edit(&|j| j["corection"] = json!("none"))),
        (
            "provisional_scatter.relative_sd",
            edit(&|j| j["provisional_scatter"] = json!({"relative_sd": 6, "dof": 18, "sets": 9})),
        ),
        (
            "steps[1].to “c9” is not a set",
            edit(&|j| {
                j["steps"] = json!([{"from": "stock-95", "to": "c1-95"}, {"from": "stock-95", "to": "c9"}]);
            }),
        ),
        ("a gain of gains takes two", edit(&|j| j["steps"] = json!([{"from": "stock-95", "to": "c1-95"}]))),
        (
            "computed “x”, column 19: kPa and rpm cannot be added",
            edit(&|j| {
                j["computed"] =
                    json!([{"name": "x", "unit": "kPa", "expr": "manifold_pressure + engine_speed"}])
            }),
        ),
        (
            "computed “lambda_1”: that is the name of a channel",
            edit(&|j| j["computed"] = json!([{"name": "lambda_1", "unit": "λ", "expr": "lambda_2"}])),
        ),
        ("it is one of these", edit(&|j| j["sets"][0]["pulls"][1]["table"] = json!("print.csv"))),
        ("needs vehicle.dyno.reference_gear", edit(&|j| j["vehicle"]["gears"] = json!({"1": 3.6}))),
        ("applies_to.fuel names nothing", edit(&|j| j["limits"][0]["applies_to"] = json!({"fuel": []}))),
        ("vehicle.engine.displacement_l", edit(&|j| j["vehicle"]["engine"]["displacement_l"] = json!(-1.6))),
        ("vehicle.engine.cylinders", edit(&|j| j["vehicle"]["engine"]["cylinders"] = json!(0))),
        ("at_rpm", edit(&|j| j["at_rpm"] = json!(1e12))),
        ("band_rpm", edit(&|j| j["band_rpm"] = json!([3000, 1e9]))),
        ("margin_kw", edit(&|j| j["margin_kw"] = json!(-2))),
        ("number_in_file", edit(&|j| j["sets"][0]["pulls"][0]["number_in_file"] = json!(0))),
        (
            "another unit?",
            edit(&|j| {
                j["limits"]
                    .as_array_mut()
                    .unwrap()
                    .push(json!({"id": "mbar", "channel": "manifold_pressure", "direction": "above", "threshold": 22000}))
            }),
        ),
        ("unknown variant", edit(&|j| j["vehicle"]["dyno"]["kind"] = json!("chassis"))),
    ] {
        assert!(message.contains(want), "wanted “{want}” in: {message}");
    }
    let path = folder.write("broken.json", "{\"jamjar_job\": 1,\n  oops}");
    assert!(run(&path).err().unwrap().to_string().contains("broken.json:2:"), "place of a syntax error");
}

/// Verdicts of one limit in a result, by set.
fn verdicts(r: &Value, limit: &str) -> Vec<(String, String)> {
    let of = |o: &Value| (o["set"].as_str().unwrap().to_owned(), o["verdict"].as_str().unwrap().to_owned());
    r["limits"].as_array().unwrap().iter().filter(|o| o["limit"] == limit).map(of).collect()
}

#[test]
fn a_computed_channel_is_judged_like_a_measured_one_and_says_what_it_lacks() {
    let gate = json!([{"channel": "throttle", "above": 90}, {"channel": "manifold_pressure", "above": 150}]);
    let limit = |id: &str, of: &str, threshold: f64| json!({"id": id, "channel": of, "direction": "above", "threshold": threshold, "gate": gate, "sustain_s": 0.2, "caution": 0.01});
    let (day, _, a, r) = run_day(3, |j| {
        j["computed"] = json!([
            {"name": "boost", "unit": "kPa", "expr": "manifold_pressure - 101.325 kPa"},
            {"name": "rich", "unit": "", "expr": "lambda_1 / 0.85 λ"},
            {"name": "by_nothing", "unit": "", "expr": "boost / (boost - boost)"},
            {"name": "slip", "unit": "", "expr": "1 - blower_speed / engine_speed"},
            {"name": "apart", "unit": "λ", "expr": "spread(lambda)"},
        ]);
        j["limits"] = json!([
            limit("boost", "boost", 20.0),
            limit("plenty", "boost", 400.0),
            limit("rich", "rich", 1.5),
            limit("nothing", "by_nothing", 2.0),
            limit("slip", "slip", 0.1),
            limit("apart", "apart", 0.02)
        ]);
    });
    let all = |id: &str, want: &str| {
        let v = verdicts(&r, id);
        assert!(v.len() >= day.sets.len() && v.iter().all(|v| v.1 == want), "{id}: {v:?}");
    };
    all("boost", "over");
    all("plenty", "clear");
    all("rich", "clear");
    all("nothing", "cant_tell");
    all("slip", "not_measured");
    all("apart", "not_measured");
    let why = |id: &str| {
        let o = a.measured[0][0].limits.iter().find(|o| o.limit == id).unwrap();
        words::why(o.why.as_ref().unwrap())
    };
    assert!(why("nothing").contains("divides by is nothing"), "{}", why("nothing"));
    assert_eq!(why("slip"), "blower speed was not logged, so it cannot be computed");
    // The worst of boost is that of the pressure it is made of.
    let m = &a.measured[1][0];
    let top = |name: &str| m.channels.iter().find(|c| c.channel.as_str() == name).unwrap().max;
    assert!((top("boost") - (top("manifold_pressure") - 101.325)).abs() < 1e-9);
}

#[test]
fn a_part_that_cannot_be_trusted_leaves_what_is_computed_unknown() {
    let folder = Folder::new();
    let simulated = first_light(3, 0.001).unwrap();
    let mut job = job_of(&simulated, &folder);
    job["computed"] = json!([{"name": "spare", "unit": "kPa", "expr": "600 - manifold_pressure"}]);
    job["limits"] = json!([{"id": "spare", "channel": "spare", "direction": "below", "threshold": 100,
        "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.2, "caution": 5}]);
    let mut prepared = load(&folder.write("job.json", job.to_string())).unwrap();
    prepared.sets.truncate(1);
    let before: Vec<Verdict> =
        analyse(&prepared).unwrap().measured[0].iter().map(|m| m.limits[0].verdict).collect();
    assert!(before.iter().all(|v| *v == Verdict::Clear), "{before:?}");
    // The sensor runs into its end: whatever lies beyond, nothing made of it is clear.
    let channel = jamjar_core::channel::Channel::new("manifold_pressure").unwrap();
    for p in &mut prepared.sets[0].pulls {
        for log in [Some(&mut p.dyno), p.ecu.as_mut().map(std::sync::Arc::make_mut)].into_iter().flatten() {
            if let Some(v) = log.channels.get_mut(&channel) {
                let top = v.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
                v.iter_mut().for_each(|v| *v = v.min(0.9 * top));
            }
        }
    }
    let after = analyse(&prepared).unwrap();
    for m in &after.measured[0] {
        let o = &m.limits[0];
        assert_eq!(o.verdict, Verdict::CantTell, "{:?}", o.why);
        assert!(words::why(o.why.as_ref().unwrap()).contains("manifold pressure"), "{:?}", o.why);
    }
}

#[test]
fn a_limit_of_another_fuel_is_none_of_a_sets() {
    let lean = |id: &str, fuels: Value| {
        json!({"id": id, "channel": "lambda_1", "direction": "above", "threshold": 0.95, "caution": 0.03, "sustain_s": 0.2,
            "gate": [{"channel": "throttle", "above": 90}], "applies_to": {"fuel": fuels}})
    };
    let (day, _, _, r) = run_day(3, |j| {
        j["sets"][1]["factors"]["fuel"] = json!("E85");
        j["sets"][2]["factors"].as_object_mut().unwrap().remove("fuel");
        j["limits"] =
            json!([lean("ethanol", json!(["e85 ", "E60"])), lean("gone", json!(["E5 of nowhere"]))]);
    });
    let id = |i: usize| day.sets[i].spec.id.clone();
    let sets = |limit: &str| {
        let mut s: Vec<String> = verdicts(&r, limit).into_iter().map(|v| v.0).collect();
        s.dedup();
        s
    };
    assert_eq!(sets("ethanol"), [id(1), id(2)], "that fuel, and one that nobody stated");
    assert_eq!(sets("gone"), [id(2)]);
}

#[test]
fn a_check_without_a_judged_stop_limit_is_not_passed() {
    let (_, prepared, analysed, _) = run_day(3, |job| job["limits"] = json!([]));
    assert_eq!(check_code(&prepared, &analysed), 4, "no limit at all");
    let cautions = |job: &mut Value| {
        let oil = json!({"id": "oil", "channel": "oil_temp", "direction": "above", "threshold": 150, "severity": "caution"});
        job["limits"] = json!([oil]);
    };
    let (_, prepared, analysed, _) = run_day(3, cautions);
    assert_eq!(check_code(&prepared, &analysed), 4, "cautions only");
}

#[test]
fn the_flags_of_a_days_pulls_stand_in_the_result() {
    let (_, prepared, mut a, _) = run_day(3, |_| {});
    let oil = Arc::make_mut(&mut a.measured[1][2])
        .channels
        .iter_mut()
        .find(|c| c.channel.as_str() == "oil_temp")
        .expect("the built-in day logs oil");
    oil.start += 40.0;
    let r = to_json(&prepared, &a);
    let said = jamjar_core::analysis::find_days(&a.sets, &a.measured);
    assert!(said.iter().any(|f| (f.set, f.pull) == (1, 2) && f.found.kind() == "conditions"), "{said:?}");
    for f in said {
        let flags = r["sets"][f.set]["pulls"][f.pull]["flags"].as_array().unwrap();
        let text = words::finding(&f.found, Units::default());
        assert!(flags.iter().any(|x| x["kind"] == f.found.kind() && x["text"] == text.as_str()), "{f:?}");
    }
}

/// Sets of one mounting share its effect; a day of single pulls stands on the cell's habit, and says so.
#[test]
fn mountings_habit_and_gains_of_gains_are_computed_as_the_contract_says() {
    let folder = Folder::new();
    let good = job_of(&first_light(3, 0.001).unwrap(), &folder);
    let done = |f: &dyn Fn(&mut Value)| {
        let mut j = good.clone();
        f(&mut j);
        run(&folder.write("job.json", j.to_string())).unwrap().result
    };
    let of = |r: &Value, id: &str| {
        r["comparisons"].as_array().unwrap().iter().find(|c| c["candidate"] == id).unwrap().clone()
    };
    let width = |c: &Value| {
        let ci = &c["figures"]["peak_power"]["ci95"];
        ci[1].as_f64().unwrap() - ci[0].as_f64().unwrap()
    };
    let ids: Vec<String> =
        good["sets"].as_array().unwrap().iter().map(|s| s["id"].as_str().unwrap().to_owned()).collect();
    let (base, other, third) = (ids[0].as_str(), ids[1].as_str(), ids[2].as_str());
    let plain = done(&|_| {});
    let mounted = done(&|j| {
        j["sets"][0]["mounting"] = json!("m1");
        j["sets"][1]["mounting"] = json!("m1");
    });
    assert!(width(&of(&mounted, other)) <= width(&of(&plain, other)), "the effect of one mounting cancels");
    assert!((width(&of(&mounted, third)) - width(&of(&plain, third))).abs() < 1e-9, "others keep theirs");

    let single = |j: &mut Value| {
        let sets = j["sets"].as_array_mut().unwrap();
        sets.truncate(2);
        for s in sets {
            s["pulls"].as_array_mut().unwrap().truncate(1);
        }
    };
    let peak = |r: &Value| of(r, other)["figures"]["peak_power"].clone();
    let bare = peak(&done(&single));
    assert!(bare["ci95"].is_null() && bare["verdict"] == "cant_tell" && bare["provisional"].is_null());
    let habit = |more: Value| {
        let mut h = json!({"relative_sd": 0.006, "dof": 18, "sets": 9, "from": "earlier days"});
        h.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        done(&|j| {
            single(j);
            j["provisional_scatter"] = h.clone();
        })
    };
    let whole = habit(json!({"between": {"relative_sd": 0.004, "dof": 4}}));
    let p = peak(&whole);
    assert_eq!((p["provisional"].clone(), p["verdict"].clone()), (json!(true), json!("provisional_gain")));
    let mean = |i: usize| whole["sets"][i]["figures"]["peak_power"]["mean"].as_f64().unwrap();
    let (s2, b2) = (0.006_f64.powi(2), 0.004_f64.powi(2));
    let half = 2.306_004 * (mean(0).powi(2) * (s2 + b2) + mean(1).powi(2) * (s2 + b2)).sqrt();
    let ci = &p["ci95"];
    assert!(((ci[1].as_f64().unwrap() - ci[0].as_f64().unwrap()) / 2.0 - half).abs() < 1e-3, "{ci} {half}");
    let notes = |r: &Value| of(r, other)["notes"].to_string();
    assert!(notes(&whole).contains("One vehicle in ten is noisier"));
    let within = habit(json!({}));
    assert!(peak(&within)["ci95"].is_array() && peak(&within)["verdict"] == "cant_tell");
    assert!(notes(&within).to_lowercase().contains("within one mounting only"));
    let short = habit(json!({"dof": 8}));
    assert!(peak(&short)["ci95"].is_null() && peak(&short)["verdict"] == "cant_tell", "too little history");
    let measured = done(&|j| {
        j["provisional_scatter"] = json!({"relative_sd": 0.2, "dof": 18, "sets": 9});
    });
    assert_eq!(peak(&measured), peak(&plain), "what was measured wins");

    let steps = json!([{"from": base, "to": third}, {"from": base, "to": other}]);
    let asked = |mounting: bool| {
        done(&|j| {
            j["steps"] = steps.clone();
            if mounting {
                j["sets"].as_array_mut().unwrap().iter_mut().for_each(|s| s["mounting"] = json!("m1"));
            }
        })
    };
    let g = asked(false)["gain_of_gains"][0].clone();
    let ratio = |r: &Value, i: usize| r["sets"][i]["figures"]["peak_power"]["mean"].as_f64().unwrap();
    let wanted = (ratio(&plain, 2) / ratio(&plain, 0)) / (ratio(&plain, 1) / ratio(&plain, 0));
    assert!((g["ratio"].as_f64().unwrap() - wanted).abs() < 1e-9, "{g}");
    assert_eq!(g["baselines_differ"], json!([]));
    assert!(g["ci95"].is_null() && g["verdict"] == "cant_tell", "one set run again knows no mountings: {g}");
    let g = asked(true)["gain_of_gains"][0].clone();
    let ci = &g["ci95"];
    assert!(ci[0].as_f64().unwrap() < wanted && wanted < ci[1].as_f64().unwrap(), "{g}");
    assert!(g["text"].as_str().unwrap().contains(" than "), "{g}");
}
