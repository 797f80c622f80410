//! Whole pulls of the simulated cell: what a person changes shows in what the instruments write, and nothing
//! else does.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod planted;

use jamjar_core::maps::{Axis, MapFile, Scalar, Table};
use jamjar_core::signal::interp::linear;
use jamjar_sim::{Dialect, FaultKind, FaultSpec, Scenario, SimPull, SimSet, Simulated, one_pull, simulate};
use std::collections::BTreeMap;

const DAY: &str = r#"
jamjar_scenario = 1
name = "bench"
seed = 11
map = [{ name = "Mild", file = "mild.map" }, { name = "Brave", file = "brave.map" }]
fuel = [{ name = "E0", ethanol = 0.0, ron = 95.0 }, { name = "E85", ethanol = 0.85 }]

[vehicle]
name = "Tern"
engine = "tolvern-t3"

[cell]
dyno = "hub"
ratio = 4.1
pull_scatter = 0.0
mounting_scatter = 0.0

[sweep]
from_rpm = 1800
to_rpm = 6400

[dyno]
dialect = "brackets"
rate_hz = 50
channels = ["roller_speed", "hub_torque"]

[ecu]
dialect = "units_row"
rate_hz = 25
channels = ["engine_speed", "throttle", "lambda_1", "manifold_pressure", "knock_retard_1"]

[[day]]
date = "2026-03-03"
temperature_c = 20.0
humidity = 0.5
pressure_hpa = 1000.0

[[day.set]]
id = "mild"
map = "Mild"
fuel = "E0"
pulls = 2

[[day.set]]
id = "brave"
map = "Brave"
fuel = "E0"
pulls = 2
"#;

fn table(name: &str, unit: &str, values: &[f64]) -> Table {
    let at = vec![1000.0, 4000.0, 7000.0];
    let x = Axis { channel: "engine_speed".into(), unit: "rpm".into(), at };
    Table { name: name.into(), unit: unit.into(), x, y: None, rows: vec![values.to_vec()] }
}

fn map(name: &str, spark_deg: f64, lambda: f64, boost_kpa: f64) -> (String, MapFile) {
    let mut m = MapFile { name: name.into(), kind: "custom".into(), ..MapFile::default() };
    m.tables = vec![
        table("spark_advance", "°", &[spark_deg - 4.0, spark_deg, spark_deg + 5.0]),
        table("lambda_target", "λ", &[lambda; 3]),
        table("boost_target", "kPa", &[0.6 * boost_kpa, boost_kpa, boost_kpa]),
        table("wastegate_duty", "%", &[80.0, 60.0, 70.0]),
    ];
    m.scalars.insert("rev_limit".into(), Scalar { value: 6800.0, unit: "rpm".into() });
    (name.into(), m)
}

fn maps() -> BTreeMap<String, MapFile> {
    [map("Mild", 12.0, 0.86, 50.0), map("Brave", 14.0, 0.86, 80.0)].into()
}

fn run_with(edit: impl FnOnce(&mut Scenario), maps: &BTreeMap<String, MapFile>) -> Simulated {
    let mut s = Scenario::parse(DAY).unwrap();
    edit(&mut s);
    simulate(&s, maps).unwrap()
}

fn run(edit: impl FnOnce(&mut Scenario)) -> Simulated {
    run_with(edit, &maps())
}

fn sets(s: &Simulated) -> &[SimSet] {
    &s.days[0].sets
}

fn true_kw(set: &SimSet, rpm: f64) -> f64 {
    linear(&set.truth.rpm, &set.truth.power_kw, rpm).unwrap()
}

fn files(s: &Simulated) -> Vec<&[u8]> {
    let pulls = s.days.iter().flat_map(|d| &d.sets).flat_map(|s| &s.pulls);
    pulls.flat_map(|p| [Some(&p.dyno), p.ecu.as_ref()]).flatten().map(|f| f.bytes.as_slice()).collect()
}

#[test]
fn one_seed_writes_the_same_bytes_and_another_seed_none_of_them() {
    let (a, b, c) = (run(|_| {}), run(|_| {}), run(|s| s.seed = 12));
    assert_eq!(files(&a), files(&b));
    assert_eq!(files(&a).len(), 8);
    assert!(files(&a).iter().all(|f| !files(&c).contains(f)));
    assert_eq!(sets(&a)[0].truth.rpm, sets(&c)[0].truth.rpm, "what is true of a set has no seed on its axis");
}

#[test]
fn more_boost_makes_more_power_where_the_charger_has_spooled() {
    let s = run(|_| {});
    let gain = |rpm| true_kw(&sets(&s)[1], rpm) / true_kw(&sets(&s)[0], rpm) - 1.0;
    assert!((0.08..0.5).contains(&gain(5000.0)), "{}", gain(5000.0));
    assert!(gain(5000.0) > gain(2000.0), "less where nothing spools: {} {}", gain(2000.0), gain(5000.0));
}

#[test]
fn spark_far_from_its_best_and_a_lean_mixture_cost_power() {
    let with = |spark, lambda| {
        let maps = [map("Mild", spark, lambda, 50.0), map("Brave", 14.0, 0.86, 80.0)].into();
        true_kw(&sets(&run_with(|s| s.day[0].set.truncate(1), &maps))[0], 4500.0)
    };
    let (usual, late, lean) = (with(12.0, 0.86), with(-6.0, 0.86), with(12.0, 1.05));
    assert!(late < 0.93 * usual, "{late} of {usual}");
    assert!(lean < 0.97 * usual, "{lean} of {usual}");
}

#[test]
fn what_the_fuel_can_take_shows_in_the_retard() {
    let retard = |fuel: &str| {
        let maps = [map("Mild", 12.0, 0.86, 50.0), map("Brave", 19.0, 0.86, 80.0)].into();
        let s = run_with(|s| s.day[0].set[1].fuel = fuel.into(), &maps);
        sets(&s)[1].pulls[0].truth.mean_retard_deg
    };
    let (petrol, ethanol) = (retard("E0"), retard("E85"));
    assert!(petrol > 1.0 && ethanol < 0.5 * petrol, "{petrol}° and {ethanol}°");
}

#[test]
fn the_true_curve_is_read_back_from_the_dyno_recording() {
    let s = run(|s| s.torque_noise_nm = 0.0);
    let pull = &sets(&s)[0].pulls[0];
    let rows = numbers(&pull.dyno.bytes);
    let [from, to] = pull.truth.loaded_s;
    let mut seen = 0;
    for row in rows.iter().filter(|r| r[0] > from + 1.0 && r[0] < to - 0.3 && r[1] * 4.1 > 3500.0) {
        let (shaft, torque) = (row[1], row[2]);
        let kw = torque * shaft * std::f64::consts::PI / 30_000.0;
        let Some(truth) = linear(&pull.truth.curve.rpm, &pull.truth.curve.power_kw, shaft * 4.1) else {
            continue;
        };
        // What turning the engine up takes is added back in the truth, and stands in no recording.
        assert!((0.9..1.005).contains(&(kw / truth)), "{} rpm: {kw} against {truth}", shaft * 4.1);
        seen += 1;
    }
    assert!(seen > 50, "{seen} rows of the sweep were held against the truth");
}

/// The rows of a file in the plainest dialect.
fn numbers(bytes: &[u8]) -> Vec<Vec<f64>> {
    let text = String::from_utf8_lossy(bytes);
    let row = |l: &str| l.split(',').map(|c| c.trim().parse().ok()).collect::<Option<Vec<f64>>>();
    text.lines().filter_map(row).collect()
}

#[test]
fn the_two_clocks_stand_apart_and_drift_as_the_truth_says() {
    let s = run(|_| {});
    let lags: Vec<f64> = sets(&s).iter().flat_map(|s| &s.pulls).map(|p| p.truth.lag_s.unwrap()).collect();
    assert_eq!(lags.len(), 4);
    assert!(lags.windows(2).all(|w| (w[0] - w[1]).abs() > 1.0), "each recording begins anew: {lags:?}");
    let alone = run(|s| s.day[0].set[0].no_ecu = true);
    let pull = &sets(&alone)[0].pulls[0];
    assert!(pull.ecu.is_none() && pull.truth.lag_s.is_none());
}

#[test]
fn every_dialect_writes_every_row() {
    let rows = |d: Dialect| {
        let s = run(|s| {
            s.day[0].set.truncate(1);
            s.dyno.dialect = d;
        });
        let bytes = &sets(&s)[0].pulls[0].dyno.bytes;
        let text = if bytes.starts_with(&[0xff, 0xfe]) {
            let units: Vec<u16> = bytes[2..].chunks(2).map(|b| u16::from_le_bytes([b[0], b[1]])).collect();
            String::from_utf16(&units).unwrap()
        } else {
            bytes.iter().map(|b| char::from(*b)).collect()
        };
        text.lines().filter(|l| l.trim_start().starts_with(|c: char| c.is_ascii_digit())).count()
    };
    let plain = rows(Dialect::Brackets);
    assert!(plain > 300, "{plain}");
    for d in Dialect::ALL {
        assert_eq!(rows(d), plain, "{d:?}");
    }
}

#[test]
fn a_fault_is_planted_on_its_pull_and_leaves_the_others_alone() {
    let leak = FaultSpec {
        kind: FaultKind::BoostLeak,
        pulls: vec![2],
        size: Some(0.4),
        at_rpm: None,
        cylinder: None,
        map: None,
        fuel: None,
    };
    let clean = run(|_| {});
    let s = run(|s| s.day[0].set[1].fault = vec![leak]);
    let planted: Vec<usize> = sets(&s)[1].pulls.iter().map(|p| p.truth.planted.len()).collect();
    assert_eq!(planted, [0, 1]);
    let at = |p: &SimPull| linear(&p.truth.curve.rpm, &p.truth.curve.power_kw, 5000.0).unwrap();
    assert_eq!(at(&sets(&s)[1].pulls[0]), at(&sets(&clean)[1].pulls[0]));
    assert!(at(&sets(&s)[1].pulls[1]) < 0.97 * at(&sets(&clean)[1].pulls[1]));
    assert_eq!(
        sets(&s)[0].pulls[0].dyno,
        sets(&clean)[0].pulls[0].dyno,
        "nor does it shift another set's noise"
    );
}

#[test]
fn a_wheel_shows_less_than_a_hub_and_a_drum_needs_its_inertia() {
    let kw = |edit: &dyn Fn(&mut Scenario)| true_kw(&sets(&run(edit))[0], 5000.0);
    let hub = kw(&|_| {});
    let wheel = kw(&|s| {
        s.cell.dyno = jamjar_sim::SimDyno::RollerBrake;
        s.cell.rolling = [0.04, 10.0];
    });
    assert!(wheel < 0.97 * hub && wheel > 0.8 * hub, "{wheel} of {hub}");
    let bare = DAY.replace("dyno = \"hub\"", "dyno = \"roller_inertia\"");
    let e = Scenario::parse(&bare).unwrap_err().to_string();
    assert!(e.contains("needs inertia_kg_m2"), "a drum is nothing but its inertia: {e}");
}

#[test]
fn scatter_between_pulls_is_as_large_as_asked() {
    let peaks = |scatter: f64| {
        let s = run(|s| {
            s.cell.pull_scatter = scatter;
            s.day[0].set.truncate(1);
            s.day[0].set[0].pulls = 24;
            s.day[0].set[0].rest_s = 900.0;
        });
        let at = |p: &SimPull| linear(&p.truth.curve.rpm, &p.truth.curve.power_kw, 4500.0).unwrap();
        let v: Vec<f64> = sets(&s)[0].pulls.iter().skip(4).map(at).collect();
        let mean = v.iter().sum::<f64>() / v.len() as f64;
        (v.iter().map(|x| (x / mean - 1.0).powi(2)).sum::<f64>() / (v.len() - 1) as f64).sqrt()
    };
    let (none, some) = (peaks(0.0), peaks(0.02));
    assert!(none < 0.003, "{none}");
    assert!((0.012..0.03).contains(&some), "{some}");
}

#[test]
fn heat_grows_without_rest_and_a_pull_alone_needs_no_day() {
    let s = run(|s| {
        s.day[0].set.truncate(1);
        s.day[0].set[0].pulls = 4;
        s.day[0].set[0].rest_s = 5.0;
    });
    let intake: Vec<f64> = sets(&s)[0].pulls.iter().map(|p| p.start_c[2]).collect();
    assert!(intake.windows(2).all(|w| w[1] > w[0]), "{intake:?}");
    let at: Vec<f64> = sets(&s)[0].pulls.iter().map(|p| p.at_s).collect();
    assert!(at.windows(2).all(|w| w[1] > w[0] + 5.0), "one after the other: {at:?}");
    let scenario = Scenario::parse(DAY).unwrap();
    let alone = one_pull(&scenario, &maps(), 3).unwrap();
    assert!(alone.rpm.len() > 50 && alone.power_kw.iter().all(|p| p.is_finite()));
}

#[test]
fn a_map_that_lacks_a_table_is_refused_by_name() {
    let mut all = maps();
    all.get_mut("Brave").unwrap().tables.retain(|t| t.name != "boost_target");
    let e = simulate(&Scenario::parse(DAY).unwrap(), &all).unwrap_err().to_string();
    assert!(e.contains("Brave") && e.contains("boost_target"), "{e}");
    all.remove("Brave");
    let e = simulate(&Scenario::parse(DAY).unwrap(), &all).unwrap_err().to_string();
    assert!(e.contains("map Brave was not read from brave.map"), "{e}");
}
