//! The first day of the demo: the Tolvern T3 with stock and two custom revisions on two fuels.

use crate::engine::{EngineModel, Map, OperatingPoint, TOLVERN_T3};
use crate::fuel::{E30, RON_95, SimFuel};
use crate::instruments::{dyno_csv, ecu_csv};
use crate::run::{OVERALL_RATIO, PullSetup, PullTruth, simulate_pull};
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, StandardNormal};

/// A file as an instrument wrote it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SimFile {
    /// File name.
    pub name: String,
    /// Contents.
    pub bytes: Vec<u8>,
}

/// One pull with its files and truth.
#[derive(Debug, Clone)]
pub struct SimPull {
    /// Dyno recording.
    pub dyno: SimFile,
    /// Engine-computer log.
    pub ecu: SimFile,
    /// What was true.
    pub truth: PullTruth,
}

/// One set.
#[derive(Debug, Clone)]
pub struct SimSet {
    /// Id.
    pub id: String,
    /// Map.
    pub map: Map,
    /// Fuel.
    pub fuel: SimFuel,
    /// Pulls.
    pub pulls: Vec<SimPull>,
    /// True mean uncorrected power at equal conditions on the 50 rpm grid 2000–6500: the seed's answer, kW.
    pub true_power_kw: Vec<f64>,
}

/// A day in the cell.
#[derive(Debug, Clone)]
pub struct Day {
    /// Date.
    pub date: &'static str,
    /// Cell temperature, °C; humidity 0–1; station pressure, hPa.
    pub air: [f64; 3],
    /// Engine rpm ÷ hub rpm.
    pub overall_ratio: f64,
    /// Sets in order of running; the first is the baseline, the last repeats it.
    pub sets: Vec<SimSet>,
}

/// Grid of [`SimSet::true_power_kw`].
pub fn truth_grid() -> Vec<f64> {
    (40..=130).map(|k| f64::from(k) * 50.0).collect()
}

const STOCK: Map = Map { name: "Stock", kind: "stock", boost_kpa: 72.0, lambda: [0.86, 0.84], spark_deg: [3.5, 17.0] };
const C1: Map = Map { name: "C1", kind: "custom", boost_kpa: 88.0, lambda: [0.855, 0.84], spark_deg: [4.0, 18.5] };
const C2: Map = Map { name: "C2", kind: "custom", boost_kpa: 104.0, lambda: [0.855, 0.85], spark_deg: [5.0, 21.0] };

/// Pull-to-pull standard deviation of torque, as a share.
pub(crate) const PULL_SD: f64 = 0.0045;

/// Simulates the first day. `mounting_sd` is the scatter between mountings as a share; the demo uses 0.001.
pub fn first_light(seed: u64, mounting_sd: f64) -> Day {
    let engine: EngineModel = TOLVERN_T3;
    let order: [(&str, Map, SimFuel); 7] = [
        ("stock-95", STOCK, RON_95),
        ("c1-95", C1, RON_95),
        ("c2-95", C2, RON_95),
        ("stock-e30", STOCK, E30),
        ("c1-e30", C1, E30),
        ("c2-e30", C2, E30),
        ("stock-95-again", STOCK, RON_95),
    ];
    let air = [21.4, 0.52, 1002.1];
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut normal = |sd: f64| {
        let z: f64 = StandardNormal.sample(&mut rng);
        z * sd
    };
    let sets = order
        .into_iter()
        .enumerate()
        .map(|(k, (id, map, fuel))| {
            let mounting = 1.0 + normal(mounting_sd);
            let pulls = (0..3)
                .map(|i| {
                    let setup = PullSetup {
                        engine: &engine,
                        map: &map,
                        fuel: &fuel,
                        ambient_kpa: air[2] / 10.0,
                        intake_c: 31.0 + 0.8 * f64::from(i),
                        scale: mounting * (1.0 + normal(PULL_SD)),
                        lift_rpm: 6720.0 + normal(25.0),
                        seed: seed.wrapping_mul(1_000_003).wrapping_add((k * 10 + i as usize) as u64),
                    };
                    let r = simulate_pull(&setup);
                    let stem = format!("{id}-p{}", i + 1);
                    SimPull {
                        dyno: SimFile { name: format!("{stem}_dyno.csv"), bytes: dyno_csv(&r.dyno, "cell 1, hub dyno").into_bytes() },
                        ecu: SimFile { name: format!("{stem}_ecu.csv"), bytes: ecu_csv(&r.ecu).into_bytes() },
                        truth: r.truth,
                    }
                })
                .collect();
            let true_power_kw = truth_grid()
                .into_iter()
                .map(|rpm| {
                    let heat = 0.55 * (rpm - 1800.0) / 590.0;
                    engine.hub_power_kw(OperatingPoint { rpm, ambient_kpa: air[2] / 10.0, intake_c: 31.8 + heat }, &map, &fuel)
                })
                .collect();
            SimSet { id: id.to_owned(), map, fuel, pulls, true_power_kw }
        })
        .collect();
    Day { date: "2026-03-03", air, overall_ratio: OVERALL_RATIO, sets }
}
