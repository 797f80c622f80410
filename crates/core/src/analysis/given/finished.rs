//! Curves and peaks that come finished: printed by another program, without time.

use crate::figures::Peak;
use crate::printed::{Print, PrintedAxis};

/// A printed curve, as printed.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PrintedCurve {
    /// What `at` is.
    pub axis: PrintedAxis,
    /// Speeds, ascending: rpm or km/h.
    pub at: Vec<f64>,
    /// Power, kW; blank when there is none.
    pub power_kw: Vec<f64>,
    /// Torque, N·m; blank when there is none.
    pub torque_nm: Vec<f64>,
    /// What it says of itself.
    pub print: Print,
}

/// Peaks typed from a print.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TypedPeaks {
    /// Peak power, kW; its speed is NaN when nobody said.
    pub power: Option<Peak>,
    /// Peak torque, N·m.
    pub torque: Option<Peak>,
    /// What it says of itself.
    pub print: Print,
}

/// A pull that is not two recordings.
#[derive(Debug, Clone, PartialEq)]
pub enum Finished {
    /// A curve.
    Curve(PrintedCurve),
    /// Peaks alone.
    Peaks(TypedPeaks),
    /// The engine computer's recording alone: limits, timing and boost, no power.
    LogOnly,
}
