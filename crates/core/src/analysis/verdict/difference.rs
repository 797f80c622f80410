//! What may be said of a difference.

use serde::{Deserialize, Serialize};

/// What may be said of a difference.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// The interval lies above zero.
    Gain,
    /// The interval lies below zero.
    Loss,
    /// The interval includes zero.
    NoDifferenceShown,
    /// No interval can be stood behind.
    CantTell,
    /// The cell's habit puts it above zero; not measured on this day.
    ProvisionalGain,
    /// The cell's habit puts it below zero.
    ProvisionalLoss,
}

impl Verdict {
    /// The words shown.
    pub fn label(self) -> &'static str {
        match self {
            Self::Gain => "gain",
            Self::Loss => "loss",
            Self::NoDifferenceShown => "no difference shown",
            Self::CantTell => "can't tell",
            Self::ProvisionalGain => "gain, provisional",
            Self::ProvisionalLoss => "loss, provisional",
        }
    }

    /// From an interval that the cell's habit gives.
    pub fn provisional(ci95: [f64; 2]) -> Self {
        match Self::of(ci95) {
            Self::Gain => Self::ProvisionalGain,
            Self::Loss => Self::ProvisionalLoss,
            other => other,
        }
    }

    /// From an interval.
    pub fn of(ci95: [f64; 2]) -> Self {
        if ci95[0] > 0.0 {
            Self::Gain
        } else if ci95[1] < 0.0 {
            Self::Loss
        } else {
            Self::NoDifferenceShown
        }
    }
}
