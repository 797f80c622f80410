//! Hostile input from a seeded generator: whatever is thrown at the readers must be answered, never end in a
//! panic, and in bounded time.
//!
//! Inputs are made from whole ones by changing bytes, and by changing what was parsed: numbers, columns,
//! order. Each kind says which function is tried; the same seed makes the same inputs.

use crate::draw::Draw;
use crate::job;
use crate::scenarios;
use jamjar_core::analysis::{PullInput, SetInput, Settings, Vehicle, measure_sets};
use jamjar_core::find::{Reading, parse};
use jamjar_core::pull::dyno::{Dyno, DynoKind};
use jamjar_core::units::Units;
use jamjar_formats::{LogForm, Mapping, OutLog, read_log, read_map, write_recordings};
use jamjar_sim::Scenario;
use serde_json::Value;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::{Duration, Instant};

/// An input that takes longer hangs a person, s.
pub const SLOW: Duration = Duration::from_secs(2);

/// What was tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Kind {
    Recording,
    Measured,
    Job,
    Scenario,
    Map,
    Query,
    Calculator,
}

impl Kind {
    /// All of them.
    pub const ALL: [Self; 7] = [
        Self::Recording,
        Self::Measured,
        Self::Job,
        Self::Scenario,
        Self::Map,
        Self::Query,
        Self::Calculator,
    ];

    /// Words for a table.
    pub fn label(self) -> &'static str {
        match self {
            Self::Recording => "recordings",
            Self::Measured => "recordings changed after parsing, and measured",
            Self::Job => "job files",
            Self::Scenario => "scenarios",
            Self::Map => "map texts",
            Self::Query => "searches",
            Self::Calculator => "calculators",
        }
    }
}

/// What came of it.
#[derive(Debug, Clone, Default)]
pub struct Outcome {
    /// Inputs tried.
    pub tried: u64,
    /// Inputs that were taken as good.
    pub taken: u64,
    /// Seeds of inputs that ended in a panic.
    pub panics: Vec<u64>,
    /// Seeds of inputs that took longer than [`SLOW`].
    pub slow: Vec<u64>,
    /// The longest one.
    pub longest: Duration,
}

impl Draw {
    fn number(&mut self) -> f64 {
        const ODD: [f64; 14] = [
            0.0,
            -0.0,
            1.0,
            -1.0,
            1e-300,
            1e300,
            -1e308,
            1e15,
            9_007_199_254_740_993.0,
            f64::NAN,
            f64::INFINITY,
            f64::NEG_INFINITY,
            1e-12,
            -273.15,
        ];
        match self.below(3) {
            0 => ODD[self.below(ODD.len())],
            1 => (self.next() as i64 % 20_000) as f64,
            _ => f64::from_bits(self.next()),
        }
    }
}

/// Tries inputs of a kind from a seed on.
pub fn run(kind: Kind, from: u64, count: u64) -> Outcome {
    let mut out = Outcome::default();
    let seeds = Seeds::new();
    for seed in from..from + count {
        let mut rng = Draw(seed ^ ((kind as u64) << 56));
        let start = Instant::now();
        let result = catch_unwind(AssertUnwindSafe(|| one(kind, &mut rng, &seeds)));
        let took = start.elapsed();
        out.tried += 1;
        out.longest = out.longest.max(took);
        match result {
            Ok(good) => out.taken += u64::from(good),
            Err(_) => out.panics.push(seed),
        }
        if took > SLOW {
            out.slow.push(seed);
        }
    }
    out
}

/// Whole inputs that others are made from.
struct Seeds {
    recordings: Vec<Vec<u8>>,
    job: String,
    scenario: String,
    map: String,
}

impl Seeds {
    fn new() -> Self {
        let mut csv = String::from(
            "Time (s);Hub speed (rpm);Hub torque (N·m);Throttle (%);Lambda 1;MAP (kPa);Fuel cut\n",
        );
        let mut plain = String::from("t,RPM,Torque,TPS,AFR\n");
        for i in 0..400 {
            let s = f64::from(i) * 0.02;
            csv += &format!(
                "{s:.2};{:.1};{:.1};{};{:.3};{:.1};0\n",
                500.0 + 150.0 * s,
                800.0 + 10.0 * (s * 3.0).sin(),
                if i > 20 { 100 } else { 12 },
                0.85,
                180.0
            );
            plain += &format!("{s:.2},{:.0},{:.1},{},{:.2}\n", 2000.0 + 600.0 * s, 200.0, 100, 12.6);
        }
        let mut recordings = vec![csv.replace('.', ",").into_bytes(), csv.into_bytes(), plain.into_bytes()];
        recordings.extend(binary(&recordings[1]));
        Self {
            recordings,
            job: r#"{"jamjar_job": 1, "vehicle": {"name": "T", "engine": {"cylinders": 3, "displacement_l": 1.6}, "dyno": {"kind": "hub", "overall_ratio": 4.1}},
                "correction": "sae_j1349", "grid_rpm": 50, "smoothing_s": 0.25, "band_rpm": [3000, 6500], "limits": [{"id": "lean", "channel": "lambda_1",
                "direction": "above", "threshold": {"over": "engine_speed", "at": [2000, 4000], "value": [0.9, 0.95]}, "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.2}],
                "sets": [{"id": "a", "day": "2026-03-02", "factors": {"map": "stock"}, "pulls": [{"id": "p1", "dyno": "d.csv", "conditions": {"pressure_hpa": 1002, "temperature_c": 21, "humidity": 0.5}}]}]}"#
                .into(),
            scenario: scenarios::BUILT_IN.first().map(|s| s.1.to_owned()).unwrap_or_default(),
            map: "jamjar map 1\nname C3\nkind custom\nrevision of C2\nfor fuel E30\nnote two degrees more\n\nvalue rev_limit [rpm] 6800\n\ntable spark_advance [°] over engine_speed [rpm], manifold_pressure [kPa]\n   1500 3000\n 100 28 30.5\n 200 12 15\n".into(),
        }
    }
}

/// A recording in the open binary forms.
fn binary(text: &[u8]) -> Vec<Vec<u8>> {
    let Ok(read) = read_log(text, "seed.csv", &Mapping::default()) else { return Vec::new() };
    let written = |form| {
        let mut out = Vec::new();
        write_recordings(&mut out, form, &[OutLog::new("seed", &read.log)], ("", 0)).ok().map(|()| out)
    };
    [LogForm::Mdf, LogForm::Parquet].into_iter().filter_map(written).collect()
}

fn one(kind: Kind, rng: &mut Draw, seeds: &Seeds) -> bool {
    match kind {
        Kind::Recording => {
            let bytes = bent(seeds.recordings[rng.below(seeds.recordings.len())].clone(), rng);
            read_log(bytes.as_slice(), "fuzz.csv", &Mapping::default()).is_ok()
        }
        Kind::Measured => measured(rng, seeds),
        Kind::Job if rng.below(2) == 0 => job::parse(&bent_text(&seeds.job, rng), "fuzz.json").is_ok(),
        Kind::Job => {
            let mut tree: Value = serde_json::from_str(&seeds.job).unwrap_or_default();
            (0..=rng.below(3)).for_each(|_| bend(&mut tree, rng));
            job::parse(&tree.to_string(), "fuzz.json").is_ok()
        }
        Kind::Scenario => Scenario::parse(&bent_text(&seeds.scenario, rng)).is_ok(),
        Kind::Map => read_map(&bent_text(&seeds.map, rng), "fuzz.map").is_ok(),
        Kind::Query => query(rng),
        Kind::Calculator => calculator(rng),
    }
}

/// Bytes changed, cut, doubled, or put where they do not belong.
fn bent(mut b: Vec<u8>, rng: &mut Draw) -> Vec<u8> {
    for _ in 0..=rng.below(6) {
        if b.is_empty() {
            break;
        }
        let at = rng.below(b.len());
        match rng.below(7) {
            0 => b[at] = rng.next() as u8,
            1 => b.truncate(at),
            2 => {
                let end = (at + rng.below(40)).min(b.len());
                let part = b[at..end].to_vec();
                b.splice(at..at, part);
            }
            3 => {
                let end = (at + rng.below(40)).min(b.len());
                b.drain(at..end);
            }
            4 => {
                let number = format!("{}", rng.number());
                b.splice(at..at, number.into_bytes());
            }
            5 => b.insert(at, b"\n,;\t\"'\0\xff#"[rng.below(9)]),
            _ => {
                let mut lines: Vec<Vec<u8>> = b.split(|c| *c == b'\n').map(<[u8]>::to_vec).collect();
                let (i, j) = (rng.below(lines.len()), rng.below(lines.len()));
                lines.swap(i, j);
                b = lines.join(&b'\n');
            }
        }
    }
    b
}

fn bent_text(text: &str, rng: &mut Draw) -> String {
    String::from_utf8_lossy(&bent(text.as_bytes().to_vec(), rng)).into_owned()
}

/// A good recording whose numbers, columns or order are changed after it was read, measured like any other.
fn measured(rng: &mut Draw, seeds: &Seeds) -> bool {
    let Ok(read) = read_log(seeds.recordings[1].as_slice(), "fuzz.csv", &Mapping::default()) else {
        return false;
    };
    let mut log = read.log;
    let names: Vec<_> = log.channels.keys().cloned().collect();
    for _ in 0..=rng.below(4) {
        let name = &names[rng.below(names.len())];
        let n = log.t.len();
        match rng.below(5) {
            0 => {
                let (a, factor) = (rng.below(n), rng.number());
                if let Some(v) = log.channels.get_mut(name) {
                    v[a..].iter_mut().for_each(|x| *x *= factor);
                }
            }
            1 => {
                let (a, x) = (rng.below(n), rng.number());
                if let Some(v) = log.channels.get_mut(name) {
                    v[a] = x;
                }
            }
            2 => {
                let other = &names[rng.below(names.len())];
                let (a, b) = (log.channels.get(name).cloned(), log.channels.get(other).cloned());
                if let (Some(a), Some(b)) = (a, b) {
                    log.channels.insert(name.clone(), b);
                    log.channels.insert(other.clone(), a);
                }
            }
            3 => {
                log.channels.remove(name);
            }
            _ => {
                let factor = 1.0 + (rng.next() % 1000) as f64;
                log.t.iter_mut().for_each(|t| *t *= factor);
            }
        }
    }
    let kinds =
        [DynoKind::Hub, DynoKind::Engine, DynoKind::Pto, DynoKind::RollerBrake, DynoKind::RollerInertia];
    let dyno = Dyno {
        kind: kinds[rng.below(5)],
        overall_ratio: [None, Some(4.0)][rng.below(2)],
        inertia_kg_m2: Some(12.0),
        rotating_inertia_kg_m2: None,
    };
    let vehicle = Vehicle {
        name: "fuzz".into(),
        engine: jamjar_core::analysis::Engine::default(),
        dyno,
        gears: Default::default(),
        computed: Vec::new(),
    };
    let limits = crate::limits::starting_points(&vehicle.engine);
    let (shaft, engine) = (log.clone(), std::sync::Arc::new(log));
    let pull = |id: &str| PullInput {
        id: id.into(),
        dyno: shaft.clone(),
        ecu: Some(engine.clone()),
        ..PullInput::default()
    };
    let set = SetInput { id: "a".into(), pulls: vec![pull("p1"), pull("p2")], ..SetInput::default() };
    measure_sets(std::slice::from_ref(&set), &vehicle, &Settings::default(), &limits).is_ok()
}

fn query(rng: &mut Draw) -> bool {
    const WORDS: [&str; 22] = [
        "power",
        "over",
        "150",
        "kW",
        "E60,",
        "third gear",
        "last spring",
        "not",
        "map C3",
        "\"smoke",
        "between",
        "and",
        "240",
        "N·m",
        "-1e308",
        "🏍",
        "limit",
        ",",
        "(",
        "strongest first",
        "2026-02-31",
        "\0",
    ];
    let n = rng.below(14);
    let text: Vec<&str> = (0..n).map(|_| WORDS[rng.below(WORDS.len())]).collect();
    let text = bent_text(&text.join(" "), rng);
    let with = Reading {
        today: chrono::NaiveDate::from_ymd_opt(2026, 3, 3).unwrap_or_default(),
        usual: Units::default(),
        own: &[],
    };
    parse(&text, &with).is_ok()
}

/// One good input of each calculator.
const GOOD: [(&str, &str); 14] = [
    ("air", r#"{"temp_c": 25, "humidity": 0.5, "pressure_hpa": 990}"#),
    (
        "iso1585_diesel",
        r#"{"dry_kpa": 98, "temp_c": 30, "turbocharged": true, "fuel_g_s": 6, "displacement_l": 2, "rpm": 3500, "boost_pressure_ratio": 2.1}"#,
    ),
    ("ethanol_blend", r#"{"ethanol": 0.6}"#),
    (
        "blend_volume",
        r#"{"litres_in_tank": 20, "ethanol_in_tank": 0.05, "ethanol_of_added": 0.85, "ethanol_target": 0.3}"#,
    ),
    ("savitzky_golay", r#"{"y": [1, 2, 4, 7, 11, 16, 22], "window": 5, "order": 2, "dt_s": 0.01}"#),
    ("repeats", r#"{"base": [150.1, 150.4, 149.9], "candidate": [153.2, 153.0, 153.9]}"#),
    ("pulls_needed", r#"{"sd": 0.8, "difference": 2}"#),
    ("smallest_detectable", r#"{"sd": 0.8, "pulls_per_set": 3}"#),
    ("mbt", r#"{"spark_deg": [14, 17, 20, 23, 26], "value": [300, 309, 313, 312, 306]}"#),
    (
        "injector",
        r#"{"pressures_mpa": [50, 100], "durations_us": [200, 400, 800], "mass_mg": [[2, 6, 14], [4, 10, 22]], "pressure_mpa": 70, "duration_us": 500}"#,
    ),
    (
        "injector",
        r#"{"pressures_mpa": [50, 100], "durations_us": [200, 400, 800], "mass_mg": [[2, 6, 14], [4, 10, 22]], "pressure_mpa": 70, "mass_mg_wanted": 9}"#,
    ),
    (
        "shift",
        r#"{"rpm": [2000, 4000, 6000], "torque_nm": [200, 240, 190], "ratios": [3.4, 1.9, 1.3], "limit_rpm": 6500}"#,
    ),
    (
        "strip",
        r#"{"mass_kg": 1240, "tyre_friction": 1.05, "driven_axle_load_fraction": 0.62, "drag_area_m2": 0.68, "rolling_coefficient": 0.012, "tyre_radius_m": 0.305, "final_drive": 4.1, "drivetrain_efficiency": 1, "air_density_kg_m3": 1.19, "gears": [3.45, 1.95, 1.36], "rpm": [2000, 4000, 6000, 7000], "torque_nm": [200, 240, 220, 180], "shift_rpm": 6800, "launch_rpm": 3000, "shift_pause_s": 0.3}"#,
    ),
    ("nothing", "{}"),
];

fn calculator(rng: &mut Draw) -> bool {
    // The drag strip is driven in small steps: tried as often as its cost allows.
    let pick = rng.below(GOOD.len() * 16);
    let (name, good) = if pick < GOOD.len() { GOOD[pick] } else { GOOD[pick % 12] };
    let mut input: Value = serde_json::from_str(good).unwrap_or_default();
    for _ in 0..rng.below(4) {
        bend(&mut input, rng);
    }
    crate::calc::run(name, &input).is_ok()
}

/// Changes one value somewhere in a tree of them, takes it away, or doubles it.
fn bend(v: &mut Value, rng: &mut Draw) {
    match v {
        Value::Object(o) if !o.is_empty() => {
            let key = o.keys().nth(rng.below(o.len())).cloned().unwrap_or_default();
            match rng.below(12) {
                0 => drop(o.remove(&key)),
                1 => drop(o.insert(format!("{key}_"), Value::Null)),
                _ => bend(&mut o[&key], rng),
            }
        }
        Value::Array(a) if !a.is_empty() => {
            let (i, j) = (rng.below(a.len()), rng.below(a.len()));
            match rng.below(6) {
                0 => drop(a.remove(i)),
                1 => a.push(a[i].clone()),
                2 => a.swap(i, j),
                _ => bend(&mut a[i], rng),
            }
        }
        _ => *v = serde_json::Number::from_f64(rng.number()).map_or(Value::Null, Value::Number),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Seeds that once ended in a panic.
    const ONCE: [u64; 5] = [1_000_500, 1_000_543, 1_000_551, 1_001_222, 1_002_757];

    #[test]
    fn what_once_panicked_does_not() {
        for seed in ONCE {
            assert!(run(Kind::Measured, seed, 1).panics.is_empty(), "seed {seed}");
        }
    }

    #[test]
    fn hostile_input_is_answered_and_never_panics() {
        for (kind, count) in [
            (Kind::Recording, 1500),
            (Kind::Measured, 250),
            (Kind::Job, 3000),
            (Kind::Scenario, 400),
            (Kind::Map, 3000),
            (Kind::Query, 5000),
            (Kind::Calculator, 3000),
        ] {
            let out = run(kind, 0, count);
            assert!(out.panics.is_empty(), "{kind:?}: seeds {:?} end in a panic", out.panics);
            assert!(out.tried == count && (1..count).contains(&out.taken), "{kind:?}: {out:?}");
        }
    }
}
