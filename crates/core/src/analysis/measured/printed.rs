//! What is known of a pull that was printed.

use crate::figures::Peak;
use crate::printed::{Print, PrintedAxis};
use crate::pull::span::PullKind;
use serde::{Deserialize, Serialize};

/// What is known of a pull that was printed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Printed {
    /// Curve or peaks.
    pub kind: PullKind,
    /// What the curve stands against.
    pub axis: PrintedAxis,
    /// What it says of itself.
    pub print: Print,
    /// Peaks as typed: power in kW, torque in N·m.
    pub peaks: [Option<Peak>; 2],
}
