//! One instant of a pull, and what sets the pull apart.

use crate::computer::MOST;
use crate::driveline::CellSpec;
use crate::engine::EngineSpec;
use crate::fault::Faults;
use crate::fuel::SimFuel;
use crate::sweep::Sweep;
use jamjar_core::maps::MapFile;

/// Step of the model, s.
pub(crate) const STEP_S: f64 = 0.002;
/// Time the pedal takes, s.
pub(crate) const PEDAL_S: f64 = 0.12;

/// Everything that sets one pull apart.
#[derive(Debug, Clone)]
pub(crate) struct PullSetup<'a> {
    pub(crate) engine: &'a EngineSpec,
    pub(crate) map: &'a MapFile,
    pub(crate) fuel: &'a SimFuel,
    pub(crate) cell: &'a CellSpec,
    pub(crate) sweep: Sweep,
    pub(crate) boost_kpa: Option<f64>,
    pub(crate) ambient_c: f64,
    pub(crate) ambient_kpa: f64,
    pub(crate) faults: &'a Faults,
    /// Multiplier of torque: pull and mounting scatter.
    pub(crate) scale: f64,
    pub(crate) lambda_ready_s: f64,
    pub(crate) seed: u64,
}

/// What was so in one instant; temperatures and λ of sensors are as the sensor has them, before the
/// recorder's own faults.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Instant {
    pub(crate) t: f64,
    pub(crate) rpm: f64,
    pub(crate) shaft_rpm: f64,
    pub(crate) shaft_nm: f64,
    /// Power at the dyno with what the engine's inertia took added back and a drum's own loss left out, kW.
    pub(crate) power_kw: f64,
    pub(crate) pedal: f64,
    pub(crate) throttle: f64,
    pub(crate) manifold_kpa: f64,
    pub(crate) back_kpa: f64,
    pub(crate) depression_kpa: f64,
    pub(crate) boost_target_kpa: f64,
    pub(crate) duty: f64,
    pub(crate) lambda_target: f64,
    pub(crate) lambda: [f64; MOST],
    pub(crate) spark_deg: f64,
    pub(crate) retard: [f64; MOST],
    pub(crate) knock_level: f64,
    pub(crate) exhaust_c: [f64; MOST],
    pub(crate) intake_c: f64,
    pub(crate) coolant_c: f64,
    pub(crate) oil_c: f64,
    pub(crate) pulse_ms: f64,
    pub(crate) duty_percent: f64,
    pub(crate) fuel_kpa: f64,
    pub(crate) fuel_g_s: f64,
    pub(crate) air_g_s: f64,
    pub(crate) turbo_rpm: f64,
    pub(crate) blower_rpm: f64,
    pub(crate) rail_mpa: f64,
    pub(crate) start_deg: f64,
    pub(crate) duration_us: f64,
    pub(crate) smoke: f64,
    pub(crate) fuel_cut: f64,
    pub(crate) road_kmh: f64,
    pub(crate) loaded: bool,
}

/// Phase of a pull.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Phase {
    Hold,
    Loaded { since: f64 },
    Lifted { since: f64 },
}

impl Phase {
    /// Pedal fully down.
    pub(crate) fn is_loaded(self, t: f64) -> bool {
        matches!(self, Self::Loaded { since } if t - since >= PEDAL_S)
    }

    /// The very step of the tip-in.
    pub(crate) fn is_tip(self, t: f64) -> bool {
        matches!(self, Self::Loaded { since } if t - since < STEP_S * 1.5)
    }
}
