//! The simulated cell: physics that must hold, every dialect read back, every fault where it was planted.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

use jamjar_core::signal::interp::linear;
use jamjar_formats::{Mapping, read_log};
use jamjar_sim::{Dialect, FaultKind, FaultSpec, SimPull, Simulated, TrueCurve};
use jamjar_workflow::scenarios::{BUILT_IN, Loaded, built_in, first_light};
use jamjar_workflow::simulate::{job_of, true_gain, truth_of};

fn at(c: &TrueCurve, rpm: f64) -> f64 {
    linear(&c.rpm, &c.power_kw, rpm)
        .unwrap_or_else(|| panic!("{rpm} is outside {:?}–{:?}", c.rpm.first(), c.rpm.last()))
}

fn run(name: &str, edit: impl FnOnce(&mut Loaded)) -> Simulated {
    let mut l = built_in(name).unwrap();
    edit(&mut l);
    l.run(None, None).unwrap()
}

/// The first set only, with these faults on all its pulls.
fn with(name: &str, faults: &[FaultSpec]) -> Simulated {
    run(name, |l| {
        l.scenario.day.truncate(1);
        l.scenario.day[0].set.truncate(1);
        l.scenario.day[0].set[0].fault = faults.to_vec();
        l.scenario.cell.pull_scatter = 0.0;
        l.scenario.cell.mounting_scatter = 0.0;
    })
}

fn fault(kind: FaultKind) -> FaultSpec {
    FaultSpec { kind, pulls: Vec::new(), size: None, at_rpm: None, cylinder: None, map: None, fuel: None }
}

fn channel(p: &SimPull, name: &str) -> Vec<f64> {
    let e = p.ecu.as_ref().unwrap();
    let mut mapping = Mapping::default();
    if name.starts_with("lambda") {
        let text = String::from_utf8_lossy(&e.bytes).into_owned();
        if text.starts_with("Time;RPM") {
            mapping.rules.push(jamjar_formats::Rule {
                channel: name.parse().unwrap(),
                column: "WB1".into(),
                unit: Some(jamjar_core::units::Unit::AfrGasoline),
            });
        }
    }
    read_log(e.bytes.as_slice(), &e.name, &mapping)
        .unwrap()
        .log
        .column(name)
        .unwrap_or_else(|| panic!("{name} was not logged"))
        .to_vec()
}

fn highest(v: &[f64]) -> f64 {
    v.iter().copied().filter(|v| v.is_finite()).fold(f64::NEG_INFINITY, f64::max)
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_another_does_not() {
    let bytes = |seed| first_light(seed, 0.001).unwrap().1.days[0].sets[0].pulls[0].dyno.bytes.clone();
    assert_eq!(bytes(7), bytes(7));
    assert_ne!(bytes(7), bytes(8));
}

#[test]
fn every_built_in_scenario_runs_and_tells_its_truth() {
    for (name, _) in BUILT_IN {
        let l = built_in(name).unwrap();
        let run = l.run(None, None).unwrap();
        let pulls: usize = run.days.iter().flat_map(|d| &d.sets).map(|s| s.pulls.len()).sum();
        assert!(pulls >= 6, "{name}");
        for s in run.days.iter().flat_map(|d| &d.sets) {
            assert!(s.truth.rpm.len() > 10, "{name}, {}: {:?}", s.spec.id, s.truth.rpm);
            assert!(s.truth.power_kw.iter().all(|p| p.is_finite() && *p > 0.0), "{name}, {}", s.spec.id);
        }
        let (job, truth) = (job_of(&l, &run.days), truth_of(&run.days));
        assert_eq!(
            job["sets"].as_array().unwrap().len(),
            run.days.iter().map(|d| d.sets.len()).sum::<usize>()
        );
        assert_eq!(truth["days"].as_array().unwrap().len(), run.days.len());
    }
}

#[test]
fn boost_octane_and_weather_act_through_the_physics() {
    let (_, run) = first_light(3, 0.0).unwrap();
    let set = |id: &str| &run.days[0].sets.iter().find(|s| s.spec.id == id).unwrap().truth;
    assert!((95.0..130.0).contains(&at(set("stock-95"), 6500.0)), "an engine of believable size");
    assert!(at(set("c2-95"), 5000.0) > at(set("c1-95"), 5000.0) + 3.0, "more boost, more power");
    assert!(at(set("stock-e30"), 5000.0) > at(set("stock-95"), 5000.0), "ethanol cools the charge");
    let gain = true_gain(set("stock-95"), set("stock-95-again"));
    assert!(
        gain.power_kw.iter().all(|g| g.abs() < 1e-9),
        "the same configuration at equal conditions is the same"
    );
    let hot = self::run("first-light", |l| l.scenario.day[0].temperature_c = 38.4);
    let cold = &set("stock-95");
    assert!(at(&hot.days[0].sets[0].truth, 5000.0) < 0.97 * at(cold, 5000.0), "hot air is thin");
    let high = self::run("first-light", |l| l.scenario.day[0].pressure_hpa = 900.0);
    assert!(
        at(&high.days[0].sets[0].truth, 5000.0) < at(cold, 5000.0),
        "so is high air, though the turbo makes up for much of it"
    );
}

#[test]
fn the_ladder_runs_out_of_turbo_and_then_out_of_injector() {
    let run = run("tolvern", |_| {});
    let rung = |id: &str| run.days.iter().flat_map(|d| &d.sets).find(|s| s.spec.id == id).unwrap();
    let (low, middle, top) = (rung("c4-e85-110"), rung("c4-e85-135"), rung("c4-e85-160"));
    let fall = |s: &jamjar_sim::SimSet| at(&s.truth, 6600.0) / at(&s.truth, 5900.0);
    assert!(fall(top) < fall(low) - 0.03, "the last rung falls off: out of flow");
    assert!(
        highest(&channel(&low.pulls[0], "injector_duty")) < 86.0
            && highest(&channel(&middle.pulls[0], "injector_duty")) > 86.0
    );
    assert!(at(&top.truth, 4500.0) > at(&middle.truth, 4500.0), "below that it still gives");
}

#[test]
fn spark_settles_over_the_first_pulls_after_a_flash() {
    let run = run("tolvern", |l| l.scenario.cell.pull_scatter = 0.0);
    let set = run.days.iter().flat_map(|d| &d.sets).find(|s| s.spec.id == "c3-98").unwrap();
    let power: Vec<f64> = set.pulls.iter().map(|p| at(&p.truth.curve, 5000.0)).collect();
    assert!(power[3] > power[0] + 0.8, "knock control gives spark back: {power:?}");
    assert!((power[4] - power[3]).abs() < 0.5 * (power[3] - power[0]), "and settles: {power:?}");
}

#[test]
fn every_dialect_is_read_back_as_the_same_recording() {
    let mut speeds: Vec<Vec<f64>> = Vec::new();
    for d in Dialect::ALL {
        let run = run("first-light", |l| {
            l.scenario.day[0].set.truncate(1);
            let e = l.scenario.ecu.as_mut().unwrap();
            e.dialect = d;
            e.channels.retain(|c| c != "lambda_1");
        });
        let p = &run.days[0].sets[0].pulls[0];
        let e = p.ecu.as_ref().unwrap();
        let r = read_log(e.bytes.as_slice(), "x.csv", &Mapping::default())
            .unwrap_or_else(|e| panic!("{d:?}: {e}"));
        assert!(r.questions.is_empty(), "{d:?} leaves questions: {:?}", r.questions);
        for c in [
            "engine_speed",
            "throttle",
            "manifold_pressure",
            "spark_advance",
            "exhaust_temp_1",
            "intake_temp",
        ] {
            assert!(r.log.has(c), "{d:?}: no {c} among {:?}", r.log.channels.keys().collect::<Vec<_>>());
        }
        let map = r.log.column("manifold_pressure").unwrap();
        assert!((150.0..200.0).contains(&highest(map)), "{d:?}: {}", highest(map));
        assert!((780.0..1000.0).contains(&highest(r.log.column("exhaust_temp_1").unwrap())), "{d:?}");
        speeds.push(r.log.column("engine_speed").unwrap().to_vec());
    }
    assert!(speeds.windows(2).all(|w| w[0] == w[1]), "the same pull in every dialect");
}

#[test]
fn faults_do_what_they_say() {
    let base = with("first-light", &[]);
    let power = |r: &Simulated, rpm: f64| at(&r.days[0].sets[0].pulls[0].truth.curve, rpm);
    let planted = |kind: FaultKind| with("first-light", &[fault(kind)]);
    let clean = power(&base, 5000.0);
    for kind in [FaultKind::HeatSoak, FaultKind::BoostLeak, FaultKind::DirtyFilter, FaultKind::Knock] {
        let r = planted(kind);
        assert!(power(&r, 5000.0) < clean - 0.3, "{kind:?}: {} of {clean}", power(&r, 5000.0));
        let t = &r.days[0].sets[0].pulls[0].truth.planted;
        assert_eq!((t.len(), t[0].kind), (1, kind), "and the truth says so");
    }
    let map = |r: &Simulated| channel(&r.days[0].sets[0].pulls[0], "manifold_pressure");
    let gate = planted(FaultKind::LazyWastegate);
    let apart = map(&gate).iter().zip(map(&base)).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    assert!(apart > 6.0, "a lazy gate over- and undershoots: {apart} kPa");
    let lambda = |r: &Simulated| channel(&r.days[0].sets[0].pulls[0], "lambda_1");
    let loaded = |v: &[f64], r: &Simulated| {
        let e = channel(&r.days[0].sets[0].pulls[0], "throttle");
        v.iter().zip(&e).filter(|(_, t)| **t > 95.0).map(|(v, _)| *v).collect::<Vec<_>>()
    };
    let sag = planted(FaultKind::FuelPumpSag);
    assert!(highest(&loaded(&lambda(&sag), &sag)) > 0.95, "a sagging pump leans out the top");
    let tip = planted(FaultKind::LeanExcursion);
    assert!(highest(&loaded(&lambda(&tip), &tip)) > highest(&loaded(&lambda(&base), &base)) + 0.03);
    let end = planted(FaultKind::SaturatedLambda);
    assert!(highest(&lambda(&end)) < 0.8505);
    let frozen = planted(FaultKind::FrozenLambda);
    let v = lambda(&frozen);
    assert!(v[v.len() - 40..].windows(2).all(|w| w[0] == w[1]), "it stands still to the end");
    let weak = with("first-light", &[FaultSpec { cylinder: Some(1), ..fault(FaultKind::WeakCylinder) }]);
    assert!(
        highest(&loaded(&lambda(&weak), &weak)) > highest(&loaded(&lambda(&base), &base)) + 0.05,
        "cylinder 1 runs lean"
    );
    let unit = planted(FaultKind::MisplacedUnit);
    assert!(
        String::from_utf8_lossy(&unit.days[0].sets[0].pulls[0].ecu.as_ref().unwrap().bytes).contains(";bar;")
    );
    let drift = planted(FaultKind::ClockDrift);
    assert!((drift.days[0].sets[0].pulls[0].truth.drift_ppm - 1835.0).abs() < 1e-9);
}

#[test]
fn pulls_end_where_the_fault_says() {
    let ends = |kind: FaultKind| {
        let r = with("first-light", &[fault(kind)]);
        let p = &r.days[0].sets[0].pulls[0];
        (highest(&channel(p, "engine_speed")), p.truth.planted[0].at_s)
    };
    let (cut, at_s) = ends(FaultKind::LimiterCut);
    assert!((6050.0..6250.0).contains(&cut) && at_s.is_some(), "{cut} {at_s:?}");
    let (speed, _) = ends(FaultKind::SpeedLimiter);
    assert!((5700.0..5950.0).contains(&speed), "{speed}");
    let (abort, _) = ends(FaultKind::AbortedPull);
    assert!((4300.0..4700.0).contains(&abort), "{abort}");
}

#[test]
fn slip_takes_speed_and_the_wrong_gear_takes_ratio() {
    let ratio = |name: &str, kind: Option<FaultKind>| {
        let r = with(name, &kind.map(fault).into_iter().collect::<Vec<_>>());
        let p = &r.days[0].sets[0].pulls[0];
        let e = p.ecu.as_ref().unwrap();
        let read = |bytes: &[u8], c: &str| {
            read_log(bytes, "x.csv", &Mapping::default()).unwrap().log.series(c).unwrap()
        };
        let t = 0.3 * p.truth.loaded_s[0] + 0.7 * p.truth.loaded_s[1];
        read(&e.bytes, "engine_speed").at(t + p.truth.lag_s.unwrap()).unwrap()
            / read(&p.dyno.bytes, "roller_speed").at(t).unwrap()
    };
    let plain = ratio("brae", None);
    assert!((plain / 3.2 - 1.0).abs() < 0.02, "{plain}");
    assert!(ratio("brae", Some(FaultKind::TyreSlip)) > plain * 1.01);
    assert!(ratio("brae", Some(FaultKind::ConverterSlip)) > plain * 1.01);
    assert!((ratio("first-light", Some(FaultKind::WrongGear)) / 4.1 - 1.32).abs() < 0.02);
    let blower = |kind: Option<FaultKind>| {
        let r = with("brae", &kind.map(fault).into_iter().collect::<Vec<_>>());
        let p = &r.days[0].sets[0].pulls[0];
        let e = read_log(p.ecu.as_ref().unwrap().bytes.as_slice(), "x.csv", &Mapping::default()).unwrap().log;
        let t = p.truth.loaded_s[1] - 0.5 + p.truth.lag_s.unwrap();
        e.series("blower_speed").unwrap().at(t).unwrap() / e.series("engine_speed").unwrap().at(t).unwrap()
    };
    assert!(blower(Some(FaultKind::BeltSlip)) < blower(None) - 0.01, "the belt slips at the top");
}

#[test]
fn what_is_in_the_tank_and_in_the_unit_counts_not_what_is_written() {
    let run = run("first-light", |l| {
        let s = &mut l.scenario.day[0].set;
        s.truncate(2);
        s[0].fault = vec![FaultSpec { map: Some("C2".into()), ..fault(FaultKind::SoftwareOverwritten) }];
        s[1].map = "C2".into();
    });
    let sets = &run.days[0].sets;
    assert!(
        true_gain(&sets[0].truth, &sets[1].truth).power_kw.iter().all(|g| g.abs() < 1e-9),
        "stock was overwritten by C2"
    );
    let wrong = self::run("first-light", |l| {
        l.scenario.day[0].set.truncate(1);
        l.maps.get_mut("Stock").unwrap().scalars.remove("flex_sensor");
        l.scenario.day[0].set[0].fault =
            vec![FaultSpec { fuel: Some("E30".into()), ..fault(FaultKind::WrongFuel) }];
    });
    assert!(
        highest(&channel(&wrong.days[0].sets[0].pulls[0], "lambda_1")) > 0.94,
        "ethanol in the tank without a sensor for it runs lean"
    );
}

#[test]
fn a_map_that_lacks_a_table_is_named() {
    let mut l = built_in("first-light").unwrap();
    l.maps.get_mut("C1").unwrap().tables.retain(|t| t.name != "boost_target");
    let e = l.run(None, None).unwrap_err();
    assert!(e.contains("map C1: this engine needs a table boost_target"), "{e}");
    assert!(built_in("nowhere").unwrap_err().contains("there are: first-light, tolvern"));
}
