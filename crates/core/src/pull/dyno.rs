//! What a dyno is: its kind, its geometry, its inertias.

use serde::{Deserialize, Serialize};

/// Kind of dyno.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum DynoKind {
    /// Bolted to the hubs.
    Hub,
    /// At the crankshaft.
    Engine,
    /// At a power-take-off shaft.
    Pto,
    /// Roller with a brake and a torque channel.
    RollerBrake,
    /// Roller whose inertia is the load.
    RollerInertia,
}

impl DynoKind {
    /// True when engine and dyno cannot slip against each other.
    pub fn is_rigid(self) -> bool {
        matches!(self, Self::Hub | Self::Engine | Self::Pto)
    }

    /// Where the power is measured, in words.
    pub fn place(self) -> &'static str {
        match self {
            Self::Hub => "at the hub",
            Self::Engine => "at the crankshaft",
            Self::Pto => "at the PTO",
            Self::RollerBrake | Self::RollerInertia => "at the wheel",
        }
    }
}

/// Geometry and inertias of the dyno.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Dyno {
    /// Kind.
    pub kind: DynoKind,
    /// Engine rpm ÷ dyno-shaft rpm, from geometry.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub overall_ratio: Option<f64>,
    /// Dyno inertia not already compensated, kg·m² at the shaft.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inertia_kg_m2: Option<f64>,
    /// Rotating inertia of engine and driveline, kg·m² at the engine.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rotating_inertia_kg_m2: Option<f64>,
}
