//! What an analysis starts from.

use super::along::Along;
use crate::air::AirState;
use crate::correction::Correction;
use crate::driven::Driven;
use crate::factors::Factors;
use crate::figures::Looks;
use crate::log::Recording;
use crate::pull::power::{CoastDown, Dyno};
use crate::units::PowerUnit;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Headline statistic of a set; the interval always belongs to the means.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Headline {
    /// Mean of the pulls.
    #[default]
    Mean,
    /// Median.
    Median,
    /// Best of n; grows with n.
    Best,
    /// Mean from the first pull after which consecutive pulls agree within 0.7 %.
    LastSettled,
}

impl Headline {
    /// All of them, in the order offered.
    pub const ALL: [Self; 4] = [Self::Mean, Self::Median, Self::Best, Self::LastSettled];

    /// Id in files and links.
    pub fn id(self) -> &'static str {
        match self {
            Self::Mean => "mean",
            Self::Median => "median",
            Self::Best => "best",
            Self::LastSettled => "last_settled",
        }
    }

    /// The one with that id.
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|h| h.id() == id)
    }

    /// Words shown.
    pub fn label(self) -> &'static str {
        match self {
            Self::Mean => "mean of pulls",
            Self::Median => "median of pulls",
            Self::Best => "best pull",
            Self::LastSettled => "last settled pulls",
        }
    }
}

/// Choices a person makes; every result depends on them and is recomputed when they change.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Settings {
    /// Correction family.
    pub correction: Correction,
    /// Spacing of the rpm grid.
    pub grid_rpm: f64,
    /// Smoothing window, s.
    pub smoothing_s: f64,
    /// Headline statistic.
    pub headline: Headline,
    /// Band for the mean, rpm.
    pub band_rpm: Option<[f64; 2]>,
    /// Differences at peak within ± this are called equivalent when shown to be, kW; set before looking.
    #[serde(default)]
    pub margin_kw: Option<f64>,
    /// Engine speed to read power at, rpm.
    #[serde(default)]
    pub at_rpm: Option<f64>,
    /// Where the vehicle is driven.
    #[serde(default)]
    #[serde(alias = "driven_rpm")]
    pub driven: Option<Driven>,
    /// Engine speeds between two full-throttle upshifts, rpm.
    #[serde(default)]
    pub shift_rpm: Option<[f64; 2]>,
    /// A person accepts that sets in different gears are compared.
    #[serde(default)]
    pub across_gears: bool,
    /// What curves and gains are drawn along.
    #[serde(default)]
    pub along: Along,
    /// Unit of power in sentences; numbers stay in kW.
    #[serde(default)]
    pub say_power: PowerUnit,
}

impl Settings {
    /// What is looked at beside the peaks.
    pub fn looks(&self) -> Looks {
        Looks { band_rpm: self.band_rpm, at_rpm: self.at_rpm, driven: self.driven, shift_rpm: self.shift_rpm }
    }
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            correction: Correction::SaeJ1349,
            grid_rpm: 50.0,
            smoothing_s: 0.25,
            headline: Headline::Mean,
            band_rpm: None,
            margin_kw: None,
            at_rpm: None,
            driven: None,
            shift_rpm: None,
            across_gears: false,
            along: Along::EngineSpeed,
            say_power: PowerUnit::Kw,
        }
    }
}

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
    /// Injections of one injector per crank revolution; `None` where duty means nothing: direct injection and diesels.
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
}

/// One pull's logs and circumstances.
#[derive(Debug, Clone, Default)]
pub struct PullInput {
    /// Id, unique in its set.
    pub id: String,
    /// Dyno recording.
    pub dyno: Recording,
    /// Engine-computer log; pulls of one recording share it.
    pub ecu: Option<Arc<Recording>>,
    /// Air of the cell.
    pub air: Option<AirState>,
    /// Lag set by a person.
    pub lag_s: Option<f64>,
    /// Reason for exclusion from figures, given by a person.
    pub excluded: Option<String>,
    /// Loss of the dyno or driveline.
    pub coast_down: Option<CoastDown>,
    /// Which pull of a file that holds several, from 0.
    pub pull_index: Option<usize>,
}

/// Repeats under one configuration, mounted once.
#[derive(Debug, Clone, Default)]
pub struct SetInput {
    /// Id.
    pub id: String,
    /// Calendar day in the shop's zone, `YYYY-MM-DD`.
    pub day: String,
    /// Configuration.
    pub factors: Factors,
    /// Fuels its map is meant for, several separated by commas; `None` when nobody said.
    pub map_fuels: Option<String>,
    /// Clock time of its first pull, h, when known.
    pub at_h: Option<f64>,
    /// Place in the order of running.
    pub order: f64,
    /// Its pulls in order of running.
    pub pulls: Vec<PullInput>,
}
