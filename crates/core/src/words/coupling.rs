//! How two speeds went with each other, in words.

use crate::analysis::measured::{Against, Coupling, CouplingKind};

/// Engine against dyno shaft.
pub fn coupling_sentence(c: &Coupling) -> String {
    let (reference, pc, place) = (c.reference, 100.0 * c.worst, format!("at {:.0} rpm", c.worst_rpm));
    match c.kind {
        CouplingKind::OtherRatio { ratio } => {
            format!("the ratio stays near {ratio:.3} where the geometry says {reference:.3}: another gear?")
        }
        CouplingKind::Follows => {
            format!("the two speeds follow the ratio of {reference:.3} within {:.1} %", pc.abs())
        }
        CouplingKind::Converter { closed_rpm } => {
            format!(
                "engine {pc:.0} % faster than the shaft {place}, closing by {closed_rpm:.0} rpm: converter multiplication"
            )
        }
        CouplingKind::Slip | CouplingKind::BeltSlip { .. } => {
            format!(
                "engine up to {pc:.1} % faster than the ratio of {reference:.3} says, {place}: tyre or clutch slip"
            )
        }
    }
}

/// Blower against engine.
pub fn belt_sentence(c: &Coupling) -> String {
    let against = match c.against {
        Against::Geometry => "the geometry",
        Against::WithoutLoad => "its ratio without load",
        Against::LowerHalf => "its own lower half",
    };
    let pc = 100.0 * c.worst;
    match c.kind {
        CouplingKind::BeltSlip { from_rpm, to_rpm } => {
            let at = c.worst_rpm;
            format!(
                "the blower falls {pc:.1} % behind its belt at {at:.0} rpm, from {from_rpm:.0} to {to_rpm:.0} rpm, against {against}"
            )
        }
        CouplingKind::Follows
        | CouplingKind::Converter { .. }
        | CouplingKind::Slip
        | CouplingKind::OtherRatio { .. } => {
            format!(
                "the blower keeps its ratio of {:.3} within {:.1} %, against {against}",
                c.reference,
                pc.max(0.0)
            )
        }
    }
}
