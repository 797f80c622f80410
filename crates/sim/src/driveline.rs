//! From the crank to the dyno: ratio, losses, slip of clutch, converter and tyre; and the dyno's own load.

use crate::engine::EngineSpec;
use crate::fault::Faults;
use serde::Deserialize;

/// Kind of dyno.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum SimDyno {
    Hub,
    RollerBrake,
    RollerInertia,
    Engine,
    Pto,
}

impl SimDyno {
    /// Id in job files.
    pub fn id(self) -> &'static str {
        match self {
            Self::Hub => "hub",
            Self::RollerBrake => "roller_brake",
            Self::RollerInertia => "roller_inertia",
            Self::Engine => "engine",
            Self::Pto => "pto",
        }
    }

    /// True when there are tyres between vehicle and dyno.
    pub fn has_tyres(self) -> bool {
        matches!(self, Self::RollerBrake | Self::RollerInertia)
    }
}

/// The dyno and how the vehicle sits on it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CellSpec {
    /// Where.
    #[serde(default = "cell_name")]
    pub place: String,
    /// Kind of dyno.
    pub dyno: SimDyno,
    /// Engine rpm ÷ dyno-shaft rpm in the gear meant.
    pub ratio: f64,
    /// Inertia of drum or brake at its shaft, kg·m²; the brake's is compensated by its own controller.
    #[serde(default)]
    pub inertia_kg_m2: f64,
    /// Loss of the drum: constant, per rad/s, per (rad/s)², N·m.
    #[serde(default)]
    pub drum_loss: [f64; 3],
    /// Rolling loss of the tyres, as a share of torque, and constant, N·m at the dyno shaft.
    #[serde(default)]
    pub rolling: [f64; 2],
    /// Slip of the tyre at full torque, as a share.
    #[serde(default)]
    pub tyre_slip: f64,
    /// Torque converter: stall share of slip at the start speed, gone by the speed where it locks, rpm.
    #[serde(default)]
    pub converter: Option<[f64; 2]>,
    /// Road speed for each dyno-shaft rpm, km/h.
    #[serde(default)]
    pub kmh_per_rpm: f64,
    /// Scatter of torque from pull to pull, as a share.
    #[serde(default = "pull_scatter")]
    pub pull_scatter: f64,
    /// Scatter of torque from mounting to mounting, as a share.
    #[serde(default = "mounting_scatter")]
    pub mounting_scatter: f64,
}

fn cell_name() -> String {
    "cell 1".into()
}
fn pull_scatter() -> f64 {
    0.0045
}
fn mounting_scatter() -> f64 {
    0.001
}

/// How torque and speed go from engine to dyno in one instant.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Link {
    /// Engine rpm ÷ shaft rpm, slip included.
    pub(crate) ratio: f64,
}

/// Slip grows with torque: `slip = s_full·T/T_full` for tyre and clutch, and a converter that lets go of its
/// slip up to lock-up.
pub(crate) fn link(c: &CellSpec, f: &Faults, rpm: f64, torque_share: f64) -> Link {
    let load = torque_share.clamp(0.0, 1.3);
    let mut slip = (c.tyre_slip + f.tyre_slip) * load * load + f.converter_slip * load;
    if let Some([stall, locks]) = c.converter {
        slip += stall * (1.0 - rpm / locks).max(0.0);
    }
    let slip = slip.clamp(0.0, 0.6);
    Link { ratio: c.ratio * f.gear_factor / (1.0 - slip) }
}

/// Share of crank torque that reaches the shaft: colder oil in the gearbox costs a little.
pub(crate) fn efficiency(e: &EngineSpec, oil_c: f64) -> f64 {
    e.driveline * (1.0 - 0.0004 * (80.0 - oil_c).clamp(0.0, 60.0))
}

/// Torque the tyres take, N·m at the dyno shaft.
pub(crate) fn rolling_nm(c: &CellSpec, f: &Faults, shaft_torque: f64) -> f64 {
    if c.dyno.has_tyres() {
        f.rolling_factor * (c.rolling[0] * shaft_torque.max(0.0) + c.rolling[1])
    } else {
        0.0
    }
}

/// Loss torque of the drum, N·m.
pub(crate) fn drum_loss_nm(c: &CellSpec, omega: f64) -> f64 {
    c.drum_loss[0] + c.drum_loss[1] * omega + c.drum_loss[2] * omega * omega
}
