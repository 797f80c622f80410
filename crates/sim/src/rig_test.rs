//! The parts of the engine each on its own, against what a handbook would say of them.
#![allow(clippy::float_cmp)]

use crate::burn::{Cylinder, burn, friction_nm};
use crate::charge::{Charge, ChargeInput};
use crate::computer::{Adaptation, Calibration, Computer, Readings};
use crate::driveline::{CellSpec, SimDyno, efficiency, link, rolling_nm};
use crate::engine::EngineSpec;
use crate::fault::Faults;
use crate::fuel::SimFuel;
use crate::supply::{Feed, Supply};
use jamjar_core::maps::{Axis, MapFile, Scalar, Table};

fn engine(name: &str) -> EngineSpec {
    toml::from_str(crate::engines::text(name).unwrap()).unwrap()
}

fn petrol() -> SimFuel {
    SimFuel::blend("RON 95 E5", 0.05, Some(95.0)).unwrap()
}

fn cylinder(lambda: f64, angle_deg: f64) -> Cylinder {
    Cylinder { rpm: 4000.0, manifold_kpa: 160.0, charge_c: 45.0, air_g: 0.9, lambda, angle_deg }
}

fn table(name: &str, x: &[f64], values: &[f64]) -> Table {
    let axis = Axis { channel: "engine_speed".into(), unit: "rpm".into(), at: x.to_vec() };
    Table { name: name.into(), unit: String::new(), x: axis, y: None, rows: vec![values.to_vec()] }
}

fn map() -> MapFile {
    let mut m = MapFile { name: "M".into(), kind: "stock".into(), ..MapFile::default() };
    let rpm = [1000.0, 7000.0];
    m.tables = vec![
        table("spark_advance", &rpm, &[15.0, 15.0]),
        table("lambda_target", &rpm, &[0.86, 0.86]),
        table("boost_target", &rpm, &[80.0, 80.0]),
        table("wastegate_duty", &rpm, &[50.0, 50.0]),
    ];
    for (k, v) in [
        ("rev_limit", 6500.0),
        ("speed_limit", 150.0),
        ("overboost_cut", 120.0),
        ("exhaust_protection", 950.0),
        ("adaptation_start", 2.0),
    ] {
        m.scalars.insert(k.into(), Scalar { value: v, unit: String::new() });
    }
    m
}

fn readings(rpm: f64, manifold_kpa: f64) -> Readings {
    Readings {
        rpm,
        pedal: 100.0,
        manifold_kpa,
        ambient_kpa: 100.0,
        road_kmh: 60.0,
        exhaust_c: 800.0,
        air_g: 0.9,
    }
}

#[test]
fn torque_peaks_at_its_best_spark_and_rich_of_stoichiometric() {
    let e = engine("tolvern-t3");
    let mbt = e.spark.as_ref().unwrap().mbt_deg(4000.0, 160.0, 0.05);
    let work = |lambda: f64, angle: f64| burn(&e, &cylinder(lambda, angle), &petrol()).work_j;
    let best = (0..60).map(f64::from).max_by(|a, b| work(0.88, *a).total_cmp(&work(0.88, *b))).unwrap();
    assert!((best - mbt).abs() <= 0.5, "{best} {mbt}");
    let lambda = (70..120)
        .map(|l| f64::from(l) / 100.0)
        .max_by(|a, b| work(*a, mbt).total_cmp(&work(*b, mbt)))
        .unwrap();
    assert!((lambda - 0.88).abs() < 0.011, "{lambda}");
    assert!(
        (0.90..0.98).contains(&(work(1.0, mbt) / work(0.88, mbt))),
        "stoichiometric gives a few per cent less"
    );
    assert!(
        (0.94..0.995).contains(&(work(0.88, mbt - 8.0) / work(0.88, mbt))),
        "eight degrees late cost a few per cent"
    );
}

#[test]
fn late_and_lean_are_hot_and_rich_is_cool() {
    let e = engine("tolvern-t3");
    let hot = |lambda: f64, angle: f64| burn(&e, &cylinder(lambda, angle), &petrol()).exhaust_k;
    assert!(hot(0.86, 8.0) > hot(0.86, 18.0) + 20.0);
    assert!(hot(0.98, 15.0) > hot(0.80, 15.0) + 60.0);
    assert!((950.0..1300.0).contains(&hot(0.86, 15.0)), "{}", hot(0.86, 15.0));
}

#[test]
fn knock_comes_nearer_with_pressure_and_heat_and_goes_with_octane() {
    let s = engine("tolvern-t3").spark.unwrap();
    let onset = |c: Cylinder, ron: f64| s.knock_deg(&c, ron);
    let c = cylinder(0.86, 15.0);
    assert!(onset(c, 98.0) > onset(c, 95.0) + 1.5);
    assert!(onset(Cylinder { manifold_kpa: 200.0, ..c }, 95.0) < onset(c, 95.0) - 2.0);
    assert!(onset(Cylinder { charge_c: 75.0, ..c }, 95.0) < onset(c, 95.0) - 2.0);
}

#[test]
fn a_diesel_smokes_below_its_limit_and_runs_cool_above_it() {
    let e = engine("marrow-48");
    let fuel = SimFuel::diesel("Diesel");
    let at = |lambda: f64| burn(&e, &Cylinder { rpm: 1600.0, air_g: 1.9, ..cylinder(lambda, 8.0) }, &fuel);
    assert!(at(1.05).smoke_percent > 30.0 && at(1.6).smoke_percent < 1.0);
    assert!(at(1.2).exhaust_k > at(1.8).exhaust_k + 150.0);
    assert!(at(1.3).work_j > at(1.6).work_j, "more fuel, more work");
    assert!(at(1.0).work_j / at(1.3).work_j < 1.3 / 1.0, "but less for each gram");
}

#[test]
fn a_turbo_needs_time_and_gas_and_its_gate_holds_it() {
    let e = engine("tolvern-t3");
    let run = |duty: f64, seconds: f64, faults: &Faults| {
        let mut c = Charge::at_rest(100.0, 22.0, 28.0);
        let input = |c: &Charge| ChargeInput {
            rpm: 4000.0,
            ambient_kpa: 100.0,
            inlet_c: 22.0,
            plate: 1.0,
            duty,
            exhaust_k: 1100.0,
            exhaust_g_s: c.air_g_s * 1.08,
            cooling_k: 0.0,
        };
        for _ in 0..(seconds / 0.002) as usize {
            let i = input(&c);
            c.step(&e, &i, faults, 0.002);
        }
        c
    };
    let none = Faults::default();
    assert!(run(1.0, 0.3, &none).manifold_kpa < run(1.0, 4.0, &none).manifold_kpa - 20.0, "spool takes time");
    let (open, shut) = (run(0.0, 4.0, &none), run(1.0, 4.0, &none));
    assert!(shut.manifold_kpa > open.manifold_kpa + 40.0, "the gate has authority");
    assert!(shut.back_kpa > shut.manifold_kpa, "drive pressure above boost when it is held shut");
    assert!(shut.charge_c > open.charge_c + 3.0, "compressed air is warmer, also after the intercooler");
    assert!(shut.metal_c > 30.0, "which soaks");
    let leak = Faults { boost_leak: 0.2, ..Faults::default() };
    assert!(run(1.0, 4.0, &leak).manifold_kpa < shut.manifold_kpa - 5.0);
}

#[test]
fn injectors_and_pump_end_where_they_end() {
    let e = engine("tolvern-t3");
    let (fuel, faults) = (petrol(), Faults::default());
    let run = |air_g: f64, faults: &Faults| {
        let mut s = Supply::at_rest(&e);
        let d = crate::computer::Demand { lambda: 0.86, ..Default::default() };
        let feed = Feed { engine: &e, demand: &d, fuel: &fuel, faults, rpm: 6500.0, dt: 0.002 };
        let mut given = 0.0;
        for _ in 0..1000 {
            given = s.inject(&feed, air_g, fuel.stoich_afr, false);
        }
        (air_g / (given * fuel.stoich_afr), s)
    };
    let (easy, s) = run(0.7, &faults);
    assert!((easy - 0.86).abs() < 0.002 && s.duty_percent < 80.0, "λ as asked while there is enough: {easy}");
    let (hard, s) = run(1.5, &faults);
    assert!(hard > 0.95 && s.duty_percent > 95.0, "injectors at their end: {hard} {s:?}");
    let (sag, s) = run(0.9, &Faults { pump_factor: 0.55, ..Faults::default() });
    assert!(sag > 0.93 && s.pressure_kpa < 300.0, "a weak pump sags and leans out: {sag} {s:?}");
}

#[test]
fn the_computer_cuts_protects_and_listens() {
    let (e, m) = (engine("tolvern-t3"), map());
    let fresh = || Computer::new(Calibration::new(&m, &e, None, 14.4).unwrap());
    let mut c = fresh();
    assert!(!c.ask(&readings(6000.0, 180.0), 0.0, 0.002).fuel_cut);
    assert!(c.ask(&readings(6520.0, 180.0), 0.0, 0.002).fuel_cut, "rev limiter");
    assert!(c.ask(&readings(6470.0, 180.0), 0.0, 0.002).fuel_cut, "gives fuel back only 60 rpm below");
    assert!(!c.ask(&readings(6430.0, 180.0), 0.0, 0.002).fuel_cut);
    assert!(
        fresh().ask(&Readings { road_kmh: 151.0, ..readings(5000.0, 180.0) }, 0.0, 0.002).fuel_cut,
        "speed limiter"
    );
    assert!(fresh().ask(&readings(5000.0, 225.0), 0.0, 0.002).fuel_cut, "overboost");
    let mut hot = fresh();
    let mut lambda = 0.0;
    for _ in 0..2000 {
        lambda = hot.ask(&Readings { exhaust_c: 1000.0, ..readings(5000.0, 180.0) }, 0.0, 0.002).lambda;
    }
    assert!(lambda < 0.81, "exhaust protection enriches: {lambda}");
    let mut knocking = fresh();
    knocking.hear_knock(1, 0.4);
    assert_eq!(knocking.retard[..3], [0.0, 1.5, 0.0], "the cylinder that knocks, and no other");
    for _ in 0..500 {
        knocking.ask(&readings(5000.0, 180.0), 0.0, 0.002);
    }
    assert!((knocking.retard[1] - 0.6).abs() < 0.02, "given back at 0.9° a second");
    let low = fresh().ask(&readings(3000.0, 140.0), 0.0, 0.002);
    let high = fresh().ask(&readings(3000.0, 200.0), 0.0, 0.002);
    assert!(low.duty > high.duty + 0.3, "the gate is held shut below target and opened above");
    let scaled = Calibration::new(&m, &e, Some(120.0), 14.4).unwrap();
    assert!(
        (Computer::new(scaled).ask(&readings(4000.0, 180.0), 0.0, 0.002).boost_target_kpa - 220.0).abs()
            < 1e-9,
        "a rung replaces the target"
    );
}

#[test]
fn what_knock_control_learns_it_keeps_until_the_next_flash() {
    let mut a = Adaptation::fresh(&map());
    assert_eq!(a.learnt_deg, 2.0, "a fresh flash starts where the map says");
    a.learn(0.0);
    assert!((a.learnt_deg - 1.3).abs() < 1e-9);
    a.learn(4.0);
    assert!((a.learnt_deg - 2.5).abs() < 1e-9);
    (0..40).for_each(|_| a.learn(9.0));
    assert_eq!(a.learnt_deg, 6.0, "and no further");
}

#[test]
fn slip_takes_speed_and_tyres_take_torque() {
    let cell: CellSpec =
        toml::from_str("dyno = \"roller_brake\"\nratio = 3.2\nrolling = [0.02, 3.0]\ntyre_slip = 0.01\nconverter = [0.3, 3000.0]").unwrap();
    let none = Faults::default();
    let at = |rpm: f64, share: f64, f: &Faults| link(&cell, f, rpm, share).ratio;
    assert!((at(5000.0, 0.0, &none) - 3.2).abs() < 1e-9);
    assert!(
        at(5000.0, 1.0, &none) > 3.23 && at(1500.0, 0.0, &none) > 3.7,
        "tyre under load, converter below lock-up"
    );
    assert!(at(5000.0, 1.0, &Faults { tyre_slip: 0.05, ..Faults::default() }) > 3.39);
    assert!(
        rolling_nm(&cell, &Faults { rolling_factor: 3.0, ..Faults::default() }, 500.0)
            > 2.9 * rolling_nm(&cell, &none, 500.0)
    );
    assert_eq!(rolling_nm(&CellSpec { dyno: SimDyno::Hub, ..cell }, &none, 500.0), 0.0, "a hub has no tyres");
    let e = engine("tolvern-t3");
    assert!(efficiency(&e, 20.0) < efficiency(&e, 90.0));
    assert!(friction_nm(&e, 6000.0, 90.0) > friction_nm(&e, 2000.0, 90.0));
}

#[test]
fn a_blower_turns_with_the_engine_and_its_belt_slips_when_it_must() {
    let e = engine("brae");
    let run = |rpm: f64, faults: &Faults| {
        let mut c = Charge::at_rest(100.0, 20.0, 26.0);
        for _ in 0..1500 {
            let i = ChargeInput {
                rpm,
                ambient_kpa: 100.0,
                inlet_c: 20.0,
                plate: 1.0,
                duty: 0.0,
                exhaust_k: 1050.0,
                exhaust_g_s: c.air_g_s * 1.08,
                cooling_k: 0.0,
            };
            c.step(&e, &i, faults, 0.002);
        }
        c
    };
    let none = Faults::default();
    assert!(run(4000.0, &none).manifold_kpa > 120.0, "boost from low speed: {:?}", run(4000.0, &none));
    assert!(run(8000.0, &none).blower_nm > 2.0, "it takes torque");
    let loose = Faults { belt_slip: 0.35, ..Faults::default() };
    let (tight, slipping) = (run(8000.0, &none), run(8000.0, &loose));
    for rpm in [3000.0, 4500.0, 6000.0, 7500.0, 8300.0] {
        assert!(run(rpm, &none).belt_slip < 1e-9, "a sound belt holds at {rpm}");
    }
    assert!(
        run(4500.0, &loose).belt_slip < 1e-9 && run(8300.0, &loose).belt_slip > 0.03,
        "a loose one slips where it is flung outward"
    );
    assert!(
        slipping.belt_slip > tight.belt_slip + 0.01 && slipping.manifold_kpa < tight.manifold_kpa,
        "{tight:?} {slipping:?}"
    );
}
