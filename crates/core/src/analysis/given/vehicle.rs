//! The engine, the vehicle and its dyno.

use crate::calculators::fuel::Fuel;
use crate::calculators::kind::{FuelFacts, Kind};
use crate::computed::{Computed, Formula, compile_all};
use crate::gears::Gears;
use crate::pull::dyno::Dyno;
use serde::{Deserialize, Serialize};

/// Two or four strokes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Cycle {
    #[default]
    FourStroke,
    TwoStroke,
}

/// How the charge is lit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Ignition {
    #[default]
    Spark,
    Compression,
}

/// How the cylinders are filled.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Aspiration {
    #[default]
    NaturallyAspirated,
    Turbocharged,
    Supercharged,
}

/// The engine.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Engine {
    #[serde(default)]
    pub cylinders: Option<u32>,
    #[serde(default)]
    pub displacement_l: Option<f64>,
    #[serde(default)]
    pub cycle: Cycle,
    #[serde(default)]
    pub ignition: Ignition,
    #[serde(default)]
    pub aspiration: Aspiration,
    /// Where the rev limiter stands, when known: a plateau well below it is a speed limiter.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rev_limit_rpm: Option<f64>,
    /// Pulses of one injector in one cycle; 1 when nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pulses_per_cycle: Option<u32>,
    /// Where it is injected.
    #[serde(default, skip_serializing_if = "Injection::is_port")]
    pub injection: Injection,
}

/// Where fuel is injected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Injection {
    #[default]
    Port,
    Direct,
}

impl Injection {
    fn is_port(&self) -> bool {
        *self == Self::Port
    }
}

impl Engine {
    /// What it burns of a fuel; a fuel of a kind nobody said is diesel in a diesel and gasoline elsewhere. `None` where a
    /// property is not known.
    pub fn burns(&self, fuel: &FuelFacts) -> Option<Fuel> {
        fuel.properties(match self.ignition {
            Ignition::Spark => Kind::Gasoline,
            Ignition::Compression => Kind::Diesel,
        })
    }

    /// Injections of one injector per crank revolution; `None` where duty means nothing: direct injection and
    /// diesels.
    pub fn injections_per_rev(&self) -> Option<f64> {
        let cycles = if self.cycle == Cycle::TwoStroke { 1.0 } else { 0.5 };
        let port = self.injection == Injection::Port && self.ignition == Ignition::Spark;
        port.then(|| cycles * f64::from(self.pulses_per_cycle.unwrap_or(1)))
    }

    /// True with any charger.
    pub fn is_boosted(&self) -> bool {
        self.aspiration != Aspiration::NaturallyAspirated
    }
}

/// Vehicle and dyno.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Vehicle {
    pub name: String,
    #[serde(default)]
    pub engine: Engine,
    pub dyno: Dyno,
    #[serde(default, skip_serializing_if = "Gears::is_empty")]
    pub gears: Gears,
    /// Channels a person computes from those that are measured, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub computed: Vec<Computed>,
}

impl Vehicle {
    /// Its computed channels, checked. They are refused where they come in; one of a program that knew more is left
    /// out, and with it those after it.
    pub fn formulas(&self) -> Vec<Formula> {
        (0..=self.computed.len())
            .rev()
            .find_map(|n| compile_all(&self.computed[..n]).ok())
            .unwrap_or_default()
    }
}
