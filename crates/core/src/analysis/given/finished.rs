//! Curves and peaks that come finished: printed by another program, without time.

use crate::figures::Peak;
use crate::findings::Finding;
use crate::printed::{Print, PrintedAxis};
use serde::{Deserialize, Serialize};

/// A printed curve, as printed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct PrintedCurve {
    /// What `at` is.
    pub axis: PrintedAxis,
    /// Speeds, ascending: rpm or km/h.
    pub at: Vec<f64>,
    /// Power, kW; blank when there is none.
    #[serde(with = "crate::blank::list")]
    pub power_kw: Vec<f64>,
    /// Torque, N·m; blank when there is none.
    #[serde(with = "crate::blank::list")]
    pub torque_nm: Vec<f64>,
    /// What it says of itself.
    pub print: Print,
    /// What its table left open.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub open: Vec<Finding>,
}

/// Peaks typed from a print.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct TypedPeaks {
    /// Peak power, kW; its speed is NaN when nobody said.
    pub power: Option<Peak>,
    /// Peak torque, N·m.
    pub torque: Option<Peak>,
    /// What it says of itself.
    pub print: Print,
}

/// A pull that is not two recordings.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Finished {
    /// A curve.
    Curve(PrintedCurve),
    /// Peaks alone.
    Peaks(TypedPeaks),
    /// The engine computer's recording alone: limits, timing and boost, no power.
    LogOnly,
}

impl Finished {
    /// What it says of itself; `None` for a recording.
    pub fn print(&self) -> Option<&Print> {
        match self {
            Self::Curve(c) => Some(&c.print),
            Self::Peaks(t) => Some(&t.print),
            Self::LogOnly => None,
        }
    }

    /// The same, saying something else of itself.
    #[must_use]
    pub fn saying(&self, print: Print) -> Self {
        match self {
            Self::Curve(c) => Self::Curve(PrintedCurve { print, ..c.clone() }),
            Self::Peaks(t) => Self::Peaks(TypedPeaks { print, ..t.clone() }),
            Self::LogOnly => Self::LogOnly,
        }
    }
}
