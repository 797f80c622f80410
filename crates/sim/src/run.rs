//! One pull on the hub dyno: tip-in, controlled sweep, lift; recorded by two instruments with two clocks.

use crate::engine::{EngineModel, Map, OperatingPoint};
use crate::fuel::SimFuel;
use crate::instruments::{DynoRow, EcuRow};
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, StandardNormal};

/// Engine rpm ÷ hub rpm of the demo vehicle in its dyno gear.
pub(crate) const OVERALL_RATIO: f64 = 4.1;
const START_RPM: f64 = 1800.0;

/// Everything that sets one pull apart.
#[derive(Debug, Clone, Copy)]
pub struct PullSetup<'a> {
    pub(crate) engine: &'a EngineModel,
    pub(crate) map: &'a Map,
    pub(crate) fuel: &'a SimFuel,
    pub(crate) ambient_kpa: f64,
    pub(crate) intake_c: f64,
    /// Multiplier of torque: pull-to-pull and mounting scatter.
    pub(crate) scale: f64,
    pub(crate) lift_rpm: f64,
    pub(crate) seed: u64,
}

/// What was true of a pull.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct PullTruth {
    /// Engine-computer time − dyno time, s.
    pub lag_s: f64,
    /// Engine speeds of the curve, rpm.
    pub rpm: Vec<f64>,
    /// True uncorrected hub power in this pull, kW.
    pub power_kw: Vec<f64>,
}

/// Both recordings of a pull with its truth.
#[derive(Debug, Clone)]
pub struct Recorded {
    pub(crate) dyno: Vec<DynoRow>,
    pub(crate) ecu: Vec<EcuRow>,
    /// What was true.
    pub truth: PullTruth,
}

struct Noise(ChaCha8Rng);

impl Noise {
    fn normal(&mut self, sd: f64) -> f64 {
        let z: f64 = StandardNormal.sample(&mut self.0);
        z * sd
    }
}

/// Simulates one pull. Deterministic in its seed.
pub fn simulate_pull(s: &PullSetup<'_>) -> Recorded {
    let mut noise = Noise(ChaCha8Rng::seed_from_u64(s.seed));
    let tip_s = 1.6 + noise.normal(0.25).clamp(-0.6, 0.9);
    let rate = 590.0 * (1.0 + noise.normal(0.012));
    let ripple_phase = noise.normal(2.0);
    let dt = 0.002;
    let (mut t, mut rpm, mut exhaust_c, mut soak) = (0.0_f64, START_RPM, 560.0_f64, 0.0_f64);
    let mut path: Vec<Instant> = Vec::new();
    let mut lifted_at: Option<f64> = None;
    while lifted_at.is_none_or(|l| t < l + 1.6) {
        let throttle = match lifted_at {
            Some(_) => 4.0,
            None => 18.0 + 82.0 * ((t - tip_s) / 0.12).clamp(0.0, 1.0),
        };
        let open = throttle >= 99.0;
        if open {
            soak += dt * 0.55;
        }
        let out = s.engine.at(OperatingPoint { rpm, ambient_kpa: s.ambient_kpa, intake_c: s.intake_c + soak }, s.map, s.fuel);
        let torque = if open {
            out.hub_torque_engine_nm * s.scale
        } else if lifted_at.is_some() {
            -24.0
        } else {
            0.22 * throttle
        };
        exhaust_c += dt * (if open { out.exhaust_steady_c } else { 540.0 } - exhaust_c) / 1.3;
        path.push(Instant { t, rpm, throttle, torque, out, exhaust_c, intake_c: s.intake_c + soak });
        let settling = ((t - tip_s - 0.15) / 0.35).clamp(0.0, 1.0);
        let ramp = match lifted_at {
            Some(_) => -1500.0,
            None => rate * settling * (1.0 + 0.035 * (7.3 * t + ripple_phase).sin()),
        };
        rpm = (rpm + ramp * dt).max(1100.0);
        if rpm >= s.lift_rpm && lifted_at.is_none() {
            lifted_at = Some(t);
        }
        t += dt;
    }
    let lag_s = 300.0 + noise.normal(120.0).abs() + tip_s * 0.37;
    let ppm = 35.0;
    let zero = noise.normal(0.6);
    let dyno = path
        .iter()
        .step_by(5)
        .map(|p| DynoRow {
            t: p.t,
            hub_rpm: p.rpm / OVERALL_RATIO + noise.normal(0.35),
            torque_nm: p.torque * OVERALL_RATIO + zero + noise.normal(5.0),
        })
        .collect();
    let ecu = path
        .iter()
        .step_by(20)
        .map(|p| EcuRow {
            t: p.t * (1.0 + ppm * 1e-6) + lag_s,
            rpm: (p.rpm + noise.normal(3.5)).round(),
            throttle: p.throttle,
            manifold_kpa: if p.throttle > 50.0 { p.out.manifold_kpa } else { 52.0 } + noise.normal(0.5),
            lambda: if p.throttle > 50.0 { p.out.lambda } else { 1.0 } + noise.normal(0.004),
            spark_deg: p.out.spark_deg,
            retard_deg: if p.throttle > 50.0 { (p.out.knock_retard_deg + noise.normal(0.18)).max(0.0) } else { 0.0 },
            knock_level: 0.9 + p.rpm / 5200.0 + noise.normal(0.07),
            exhaust_c: p.exhaust_c + noise.normal(0.8),
            intake_c: p.intake_c,
            duty_percent: if p.throttle > 50.0 { p.out.duty_percent } else { 6.0 } + noise.normal(0.15),
        })
        .collect();
    let swept: Vec<&Instant> = path.iter().filter(|p| p.throttle >= 99.0 && p.torque > 0.0).collect();
    let truth = PullTruth {
        lag_s,
        rpm: swept.iter().step_by(20).map(|p| p.rpm).collect(),
        power_kw: swept.iter().step_by(20).map(|p| p.torque * p.rpm * std::f64::consts::PI / 30_000.0).collect(),
    };
    Recorded { dyno, ecu, truth }
}

struct Instant {
    t: f64,
    rpm: f64,
    throttle: f64,
    torque: f64,
    out: crate::engine::Output,
    exhaust_c: f64,
    intake_c: f64,
}
