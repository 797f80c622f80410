//! Columns and what they are taken for: what a person said, what was assigned, what is asked.

use jamjar_core::channel::Channel;
use jamjar_core::findings::UnitDoubt;
use jamjar_core::log::Recording;
use jamjar_core::units::Unit;
use serde::{Deserialize, Serialize};

pub(crate) const TORQUES: [&str; 2] = ["hub_torque", "brake_torque"];
pub(crate) const POWERS: [Unit; 3] = [Unit::KiloWatt, Unit::HorsePower, Unit::MetricHorsePower];

/// A column a person (or a remembered source) has assigned.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Rule {
    /// Channel.
    pub channel: Channel,
    /// Header text, exactly.
    pub column: String,
    /// Unit; guessed when absent.
    pub unit: Option<Unit>,
}

/// Assignments that win over recognition, and the cell's pressure for gauge readings.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Mapping {
    /// Assigned columns.
    pub rules: Vec<Rule>,
    /// Columns that are not used, by header text.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub unused: Vec<String>,
    /// Ambient pressure, kPa.
    pub ambient_kpa: Option<f64>,
}

/// How sure a column's channel and unit are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Confidence {
    /// A guess.
    Low,
    /// Probably.
    Medium,
    /// Name and unit said so.
    High,
    /// A person said so.
    Given,
}

/// Something only a person can decide; the guess stands until then.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Question {
    /// Header of the column.
    pub column: String,
    /// Channel it is about.
    pub channel: Channel,
    /// Why its unit is asked for.
    #[serde(alias = "text")]
    pub doubt: UnitDoubt,
    /// Units offered; the first is the guess.
    pub options: Vec<Unit>,
}

/// What became of one column.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ColumnReport {
    /// Header text.
    pub header: String,
    /// Channel; `None` when not recognised.
    pub channel: Option<Channel>,
    /// Unit read.
    pub unit: Option<Unit>,
    /// How sure.
    pub confidence: Confidence,
    /// First values, as they stand in the file.
    #[serde(default)]
    pub first: Vec<String>,
    /// Lowest and highest value as they stand in the file; `None` where the column was not read.
    #[serde(default)]
    pub range: Option<[f64; 2]>,
}

/// A log with the account of how it was read.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadLog {
    /// The log in canonical units.
    pub log: Recording,
    /// One entry per column.
    pub columns: Vec<ColumnReport>,
    /// Open questions.
    pub questions: Vec<Question>,
}

pub(crate) struct Assigned {
    pub(crate) column: usize,
    pub(crate) channel: Channel,
    pub(crate) given: Option<Unit>,
    pub(crate) by_person: bool,
    pub(crate) confidence: f64,
    pub(crate) unit_text: String,
}

/// Scale and offset to the canonical unit of a channel: `si = raw·scale + offset`; `ambient_kpa` is used by
/// gauge pressures only.
pub fn conversion(channel: &Channel, unit: Unit, ambient_kpa: f64) -> (f64, f64) {
    let zero_matters = matches!(
        channel.as_str(),
        "manifold_pressure" | "boost_target" | "back_pressure" | "ambient_pressure"
    );
    let (scale, offset) = unit.to_si(if zero_matters { ambient_kpa } else { 0.0 });
    let is_pressure = matches!(
        unit,
        Unit::KpaAbs
            | Unit::KpaGauge
            | Unit::BarAbs
            | Unit::BarGauge
            | Unit::PsiAbs
            | Unit::PsiGauge
            | Unit::Hpa
            | Unit::InHg
    );
    let in_mpa = channel.unit() == "MPa";
    match (channel.as_str(), unit) {
        _ if in_mpa && is_pressure => (scale / 1000.0, offset / 1000.0),
        ("injector_pulse_width", Unit::Microsecond) | ("time", Unit::Microsecond) => {
            (if channel.as_str() == "time" { 1e-6 } else { 1e-3 }, 0.0)
        }
        ("injector_pulse_width", Unit::Millisecond) => (1.0, 0.0),
        ("injection_duration", Unit::Millisecond) => (1000.0, 0.0),
        ("lambda" | "time", _) => (scale, offset),
        (_, Unit::Mpa) if !in_mpa => (1000.0, 0.0),
        _ => (scale, offset),
    }
}
