//! What belongs beside a corrected figure, in words.

use crate::correction::{Caution, DieselNeeds};

/// A caution, without a full stop.
pub fn caution(c: &Caution) -> String {
    match c {
        Caution::NoAir => "no air conditions were given: left uncorrected".into(),
        Caution::AsPrinted(Some(f)) => format!(
            "as printed, by {}: without the air of that day it cannot be brought to another family",
            f.label()
        ),
        Caution::AsPrinted(None) => "as printed: what correction is in it nobody knows".into(),
        Caution::LeftUncorrected(needs) => {
            let needs = match needs {
                DieselNeeds::FuelFlowAndDisplacement => "fuel flow and displacement",
                DieselNeeds::PressureRatio => "the charger's pressure ratio (manifold and ambient pressure)",
                DieselNeeds::PositiveFuelFlow => "a positive fuel flow along the whole pull",
            };
            format!("ISO 1585 diesel needs {needs}: left uncorrected")
        }
        Caution::FarFromStandard { family, factor, valid: [low, high] } => {
            format!(
                "factor {factor:.3} is outside {low}–{high}: {} is not meant for air this far from standard",
                family.label()
            )
        }
        Caution::OnDiesel(family) => format!("{} on compression ignition: not per standard", family.label()),
        Caution::DieselOnSpark => "ISO 1585 diesel on spark ignition: not per standard".into(),
        Caution::BoostControlled => {
            "a boost-controlled engine compensates by itself: this factor overstates it on a bad day".into()
        }
    }
}
