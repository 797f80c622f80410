//! A measured pull under a correction family: the factor is applied on the way out, never stored.

use crate::analysis::given::{Aspiration, Cycle, Engine, Ignition};
use crate::analysis::measured::{Measured, Printed};
use crate::correction::{Caution, Correction, DieselNeeds, DieselState, iso1585_diesel};
use crate::curve::{Curve, index_of};
use crate::printed::Applied;

/// A curve with the factor that made it.
#[derive(Debug, Clone, PartialEq)]
pub struct Corrected {
    /// Corrected curve.
    pub curve: Curve,
    /// The factor; at peak power where it varies along the curve.
    pub factor: f64,
    /// Cautions; among them that the curve was left uncorrected.
    pub cautions: Vec<Caution>,
    /// What printed values were multiplied by; 1 for a recorded pull.
    pub scale: f64,
}

impl Corrected {
    /// Whether a family was asked for and could not be applied to what was recorded.
    pub fn is_left_uncorrected(&self) -> bool {
        self.cautions.iter().any(|c| matches!(c, Caution::NoAir | Caution::LeftUncorrected(_)))
    }

    /// Whether it is left as it was printed, by another family or an unknown one.
    pub fn is_as_printed(&self) -> bool {
        self.cautions.iter().any(|c| matches!(c, Caution::AsPrinted(_)))
    }
}

/// A printed pull under a family: the one in it is divided out first where the air is known; else it stays as
/// printed.
///
/// # Formula
/// `P = P_printed · f(asked)/f(applied)`
///
/// where
/// - `f`: factor of a family in the air of the pull; 1 for none (domain, section 2: a factor is never applied twice).
fn as_printed(m: &Measured, p: &Printed, family: Correction) -> Corrected {
    let plain = m.grid.curve();
    let stays = |factor, cautions| Corrected { curve: plain.clone(), factor, cautions, scale: 1.0 };
    let applied = match p.print.applied {
        Applied::Unknown => return stays(1.0, vec![Caution::AsPrinted(None)]),
        Applied::Family(f) => f,
    };
    let factor = |f: Correction| m.air.as_ref().and_then(|air| f.air_factor(air));
    if applied == family {
        return stays(factor(family).unwrap_or(1.0), Vec::new());
    }
    match (factor(family), factor(applied)) {
        (Some(to), Some(from)) => {
            let scale = to / from;
            Corrected { curve: plain.scaled(|_| scale), factor: to, cautions: Vec::new(), scale }
        }
        _ if applied == Correction::None => stays(1.0, vec![Caution::NoAir]),
        _ => stays(1.0, vec![Caution::AsPrinted(Some(applied))]),
    }
}

/// Applies a correction family to a measured pull.
///
/// Without air conditions, or without fuel flow for the diesel form, the curve stays as measured and says so.
pub fn corrected(m: &Measured, engine: &Engine, family: Correction) -> Corrected {
    if let Some(p) = &m.printed {
        return as_printed(m, p, family);
    }
    let plain = m.grid.curve();
    if family == Correction::None {
        return Corrected { curve: plain, factor: 1.0, cautions: Vec::new(), scale: 1.0 };
    }
    let Some(air) = m.air else {
        return Corrected { curve: plain, factor: 1.0, cautions: vec![Caution::NoAir], scale: 1.0 };
    };
    let ci = engine.ignition == Ignition::Compression;
    if let Some(factor) = family.air_factor(&air) {
        return Corrected {
            curve: plain.scaled(|_| factor),
            factor,
            cautions: family.cautions(factor, ci, engine.is_boosted()),
            scale: 1.0,
        };
    }
    let left = |needs| Corrected {
        curve: plain.clone(),
        factor: 1.0,
        cautions: vec![Caution::LeftUncorrected(needs)],
        scale: 1.0,
    };
    let (Some(fuel), Some(displacement_l)) = (&m.grid.fuel_g_s, engine.displacement_l) else {
        return left(DieselNeeds::FuelFlowAndDisplacement);
    };
    let charge = match (&m.grid.charge_ratio, engine.is_boosted()) {
        (Some(r), _) => Some(r),
        (None, true) => return left(DieselNeeds::PressureRatio),
        (None, false) => None,
    };
    let factors: Option<Vec<f64>> = (0..plain.rpm.len())
        .map(|i| {
            let state = DieselState {
                dry_kpa: air.dry_hpa() / 10.0,
                temp_c: air.temperature_c,
                turbocharged: engine.aspiration == Aspiration::Turbocharged,
                two_stroke: engine.cycle == Cycle::TwoStroke,
                fuel_g_s: fuel[i],
                displacement_l,
                rpm: plain.rpm[i],
                boost_pressure_ratio: charge.map_or(1.0, |r| r[i].max(1.0)),
            };
            iso1585_diesel(&state).ok().map(|f| f.alpha_d)
        })
        .collect();
    let Some(factors) = factors else { return left(DieselNeeds::PositiveFuelFlow) };
    let curve = plain.scaled(|i| factors[i]);
    let at_peak =
        curve.figures(None).peak_power.and_then(|p| index_of(&curve.rpm, p.rpm)).map_or(1.0, |i| factors[i]);
    let cautions = if ci { Vec::new() } else { vec![Caution::DieselOnSpark] };
    Corrected { curve, factor: at_peak, cautions, scale: 1.0 }
}
