//! Choices a person makes about how figures are made. Units in which they are read are none of them.

use super::along::Along;
use super::vehicle::{Engine, Ignition};
use crate::correction::Correction;
use crate::driven::Driven;
use crate::figures::Looks;
use crate::stats::habit::Habit;
use serde::{Deserialize, Serialize};

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

/// The correction families a shop uses as long as nobody chooses one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Usual {
    /// On spark ignition.
    pub spark: Correction,
    /// On compression ignition.
    pub diesel: Correction,
}

impl Default for Usual {
    /// Each kind by a standard that covers it (our choice of them).
    fn default() -> Self {
        Self { spark: Correction::SaeJ1349, diesel: Correction::Iso1585Ci }
    }
}

impl Usual {
    /// The family for an engine.
    pub fn of(&self, engine: &Engine) -> Correction {
        match engine.ignition {
            Ignition::Spark => self.spark,
            Ignition::Compression => self.diesel,
        }
    }
}

/// Choices a person makes; every result depends on them and is recomputed when they change.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Settings {
    /// Correction family, where nothing is `usual`.
    pub correction: Correction,
    /// Nobody chose a family: the one the shop uses for the kind of engine.
    #[serde(default)]
    pub usual: Option<Usual>,
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
    /// What the cell's earlier days say of scatter, for sets whose day has none of its own.
    #[serde(default)]
    pub habit: Option<Habit>,
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
}

impl Settings {
    /// The correction family for an engine.
    pub fn correction_of(&self, engine: &Engine) -> Correction {
        self.usual.map_or(self.correction, |u| u.of(engine))
    }

    /// What is looked at beside the peaks.
    pub fn looks(&self) -> Looks {
        Looks { band_rpm: self.band_rpm, at_rpm: self.at_rpm, driven: self.driven, shift_rpm: self.shift_rpm }
    }
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            correction: Correction::SaeJ1349,
            usual: None,
            grid_rpm: 50.0,
            smoothing_s: 0.25,
            headline: Headline::Mean,
            band_rpm: None,
            margin_kw: None,
            habit: None,
            at_rpm: None,
            driven: None,
            shift_rpm: None,
            across_gears: false,
            along: Along::EngineSpeed,
        }
    }
}
