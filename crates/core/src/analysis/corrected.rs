//! A measured pull under a correction family: the factor is applied on the way out, never stored.

use super::input::{Cycle, Engine, Ignition};
use super::measure::Measured;
use super::sets::index_of;
use crate::correction::{Correction, DieselState, iso1585_diesel};
use crate::figures::Curve;

/// A curve with the factor that made it.
#[derive(Debug, Clone, PartialEq)]
pub struct Corrected {
    /// Corrected curve.
    pub curve: Curve,
    /// The factor; at peak power where it varies along the curve.
    pub factor: f64,
    /// Cautions in words; says so when the curve was left uncorrected.
    pub cautions: Vec<String>,
}

/// Applies a correction family to a measured pull.
///
/// Without air conditions, or without fuel flow for the diesel form, the curve stays as measured and says so.
pub fn corrected(m: &Measured, engine: &Engine, family: Correction) -> Corrected {
    let plain = m.grid.curve();
    if family == Correction::None {
        return Corrected { curve: plain, factor: 1.0, cautions: Vec::new() };
    }
    let Some(air) = m.air else {
        return Corrected { curve: plain, factor: 1.0, cautions: vec!["no air conditions were given: left uncorrected".into()] };
    };
    let ci = engine.ignition == Ignition::Compression;
    if let Some(factor) = family.air_factor(&air) {
        return Corrected { curve: plain.scaled(|_| factor), factor, cautions: family.cautions(factor, ci, engine.is_boosted()) };
    }
    let left = |why: &str| Corrected { curve: plain.clone(), factor: 1.0, cautions: vec![format!("ISO 1585 diesel needs {why}: left uncorrected")] };
    let (Some(fuel), Some(displacement_l)) = (&m.grid.fuel_g_s, engine.displacement_l) else {
        return left("fuel flow and displacement");
    };
    let charge = match (&m.grid.charge_ratio, engine.is_boosted()) {
        (Some(r), _) => Some(r),
        (None, true) => return left("the charger's pressure ratio (manifold and ambient pressure)"),
        (None, false) => None,
    };
    let factors: Option<Vec<f64>> = (0..plain.rpm.len())
        .map(|i| {
            let state = DieselState {
                dry_kpa: air.dry_hpa() / 10.0,
                temp_c: air.temperature_c,
                turbocharged: engine.aspiration == super::Aspiration::Turbocharged,
                two_stroke: engine.cycle == Cycle::TwoStroke,
                fuel_g_s: fuel[i],
                displacement_l,
                rpm: plain.rpm[i],
                boost_pressure_ratio: charge.map_or(1.0, |r| r[i].max(1.0)),
            };
            iso1585_diesel(&state).ok().map(|f| f.alpha_d)
        })
        .collect();
    let Some(factors) = factors else { return left("a positive fuel flow along the whole pull") };
    let curve = plain.scaled(|i| factors[i]);
    let at_peak = curve.figures(None).peak_power.and_then(|p| index_of(&curve.rpm, p.rpm)).map_or(1.0, |i| factors[i]);
    let cautions = if ci { Vec::new() } else { vec!["ISO 1585 diesel on spark ignition: not per standard".into()] };
    Corrected { curve, factor: at_peak, cautions }
}
