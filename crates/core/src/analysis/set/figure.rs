//! Figures that are compared between sets.

use crate::curve::Quantity;
use crate::figures::Figures;
use serde::{Deserialize, Serialize};

/// A figure that is compared between sets.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Figure {
    PeakPower,
    PeakTorque,
    BandMeanPower,
    BandMeanTorque,
    PowerAt,
    TorqueAt,
    DrivenPower,
    ShiftPower,
    PlateauRpm,
    FallOffPct,
}

impl Figure {
    /// All of them, in the order shown.
    pub const ALL: [Self; 10] = [
        Self::PeakPower,
        Self::PeakTorque,
        Self::BandMeanPower,
        Self::BandMeanTorque,
        Self::PowerAt,
        Self::TorqueAt,
        Self::DrivenPower,
        Self::ShiftPower,
        Self::PlateauRpm,
        Self::FallOffPct,
    ];

    /// The figure with that key.
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|f| f.id() == id)
    }

    /// Key in results.
    pub fn id(self) -> &'static str {
        match self {
            Self::PeakPower => "peak_power",
            Self::PeakTorque => "peak_torque",
            Self::BandMeanPower => "band_mean_power",
            Self::BandMeanTorque => "band_mean_torque",
            Self::PowerAt => "power_at",
            Self::TorqueAt => "torque_at",
            Self::DrivenPower => "driven_power",
            Self::ShiftPower => "shift_power",
            Self::PlateauRpm => "plateau_rpm",
            Self::FallOffPct => "fall_off_pct",
        }
    }

    /// Words shown.
    pub fn label(self) -> &'static str {
        match self {
            Self::PeakPower => "peak power",
            Self::PeakTorque => "peak torque",
            Self::BandMeanPower => "band mean power",
            Self::BandMeanTorque => "band mean torque",
            Self::PowerAt => "power at one speed",
            Self::TorqueAt => "torque at one speed",
            Self::DrivenPower => "mean power where it is driven",
            Self::ShiftPower => "mean power in the shift window",
            Self::PlateauRpm => "width of the plateau",
            Self::FallOffPct => "fall-off after the peak",
        }
    }

    /// Unit of the values here.
    pub fn unit(self) -> &'static str {
        match (self, self.quantity()) {
            (Self::PlateauRpm, _) => "rpm",
            (Self::FallOffPct, _) => "%",
            (_, Quantity::Torque) => "N·m",
            (_, Quantity::Power) => "kW",
        }
    }

    /// What it is read off: the curve of power or that of torque.
    pub fn quantity(self) -> Quantity {
        match self {
            Self::PeakTorque | Self::BandMeanTorque | Self::TorqueAt => Quantity::Torque,
            Self::PeakPower
            | Self::BandMeanPower
            | Self::PowerAt
            | Self::DrivenPower
            | Self::ShiftPower
            | Self::PlateauRpm
            | Self::FallOffPct => Quantity::Power,
        }
    }

    /// The value of one pull.
    pub fn of(self, f: &Figures) -> Option<f64> {
        match self {
            Self::PeakPower => f.peak_power.map(|p| p.value),
            Self::PeakTorque => f.peak_torque.map(|p| p.value),
            Self::BandMeanPower => f.band_mean_power,
            Self::BandMeanTorque => f.band_mean_torque,
            Self::PowerAt => f.power_at,
            Self::TorqueAt => f.torque_at,
            Self::DrivenPower => f.driven_power,
            Self::ShiftPower => f.shift_power,
            Self::PlateauRpm => f.plateau_rpm,
            Self::FallOffPct => f.fall_off_pct,
        }
    }
}
