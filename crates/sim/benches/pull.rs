//! Simulating one pull: the physics alone, and a set of three with recorders and text.
#![allow(missing_docs)]

use criterion::{Criterion, criterion_group, criterion_main};
use jamjar_core::maps::{Axis, MapFile, Scalar, Table};
use jamjar_sim::{Scenario, one_pull, simulate};
use std::collections::BTreeMap;
use std::hint::black_box;

const TEXT: &str = r#"
jamjar_scenario = 1
name = "bench"
seed = 1
map = [{ name = "Stock", file = "s.map" }]
fuel = [{ name = "RON 95 E5", ethanol = 0.05, ron = 95 }]
vehicle = { name = "Tolvern T3", engine = "tolvern-t3" }
cell = { dyno = "hub", ratio = 4.1 }
sweep = { from_rpm = 1800, to_rpm = 6700 }
dyno = { dialect = "brackets", rate_hz = 100, channels = ["roller_speed", "hub_torque"] }
ecu = { dialect = "units_row", rate_hz = 25, channels = ["engine_speed", "throttle", "manifold_pressure", "lambda_1", "spark_advance", "knock_retard_1", "exhaust_temp_1", "intake_temp"] }

[[day]]
date = "2026-03-03"
temperature_c = 20.0
humidity = 0.5
pressure_hpa = 1000.0
set = [{ id = "a", map = "Stock", fuel = "RON 95 E5" }]
"#;

fn table(name: &str, x: &[f64], y: &[f64], f: impl Fn(f64, f64) -> f64) -> Table {
    let axis =
        |channel: &str, at: &[f64]| Axis { channel: channel.into(), unit: String::new(), at: at.to_vec() };
    let rows = y.iter().map(|y| x.iter().map(|x| f(*x, *y)).collect()).collect();
    Table {
        name: name.into(),
        unit: String::new(),
        x: axis("engine_speed", x),
        y: Some(axis("manifold_pressure", y)),
        rows,
    }
}

fn map() -> MapFile {
    let (rpm, kpa) = ([1000.0, 2000.0, 4000.0, 6000.0, 7000.0], [40.0, 100.0, 160.0, 220.0]);
    let mut m = MapFile { name: "Stock".into(), kind: "stock".into(), ..MapFile::default() };
    m.scalars.insert("flex_sensor".into(), Scalar { value: 1.0, unit: String::new() });
    m.tables = vec![
        table("spark_advance", &rpm, &kpa, |n, p| 8.0 + 2.4 * n / 1000.0 - 0.08 * (p - 100.0)),
        table("lambda_target", &rpm, &kpa, |_, p| if p > 110.0 { 0.86 } else { 1.0 }),
        table("boost_target", &rpm, &[0.0], |n, _| if n > 2400.0 { 72.0 } else { 40.0 }),
        table("wastegate_duty", &rpm, &[60.0, 100.0], |_, b| 0.6 * b + 12.0),
    ];
    m
}

fn pulls(c: &mut Criterion) {
    let scenario = Scenario::parse(TEXT).expect("written here");
    let maps = BTreeMap::from([("Stock".to_owned(), map())]);
    c.bench_function("one pull, physics only", |b| b.iter(|| one_pull(black_box(&scenario), &maps, 7)));
    c.bench_function("a set of three with recorders, and its truth from four more", |b| {
        b.iter(|| simulate(black_box(&scenario), &maps))
    });
}

criterion_group! { name = benches; config = Criterion::default().sample_size(20); targets = pulls }
criterion_main!(benches);
