//! Ethanol blends and how much to add.

use crate::bounds::{Bound, ETHANOL, OutOfRange};
use serde::Serialize;
use thiserror::Error;

/// Typical, editable properties of a neat fuel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fuel {
    /// Density, kg/L.
    pub density_kg_l: f64,
    /// Stoichiometric air–fuel ratio by mass.
    pub stoich_afr: f64,
    /// Lower heating value, MJ/kg.
    pub lhv_mj_kg: f64,
}

/// Gasoline, typical.
pub const GASOLINE: Fuel = Fuel { density_kg_l: 0.745, stoich_afr: 14.7, lhv_mj_kg: 43.4 };
/// Ethanol.
pub const ETHANOL_NEAT: Fuel = Fuel { density_kg_l: 0.789, stoich_afr: 9.0, lhv_mj_kg: 26.9 };

const LITRES: Bound = Bound::new("litres in tank", "L", 0.0, 100_000.0);

/// Properties of a gasoline–ethanol blend.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Blend {
    /// Density, kg/L.
    pub density_kg_l: f64,
    /// Mass fraction of ethanol.
    pub ethanol_mass_fraction: f64,
    /// Stoichiometric AFR, mass weighted.
    pub stoich_afr: f64,
    /// Lower heating value, MJ/kg.
    pub lhv_mj_kg: f64,
    /// Fuel volume at equal air and λ, relative to neat gasoline.
    pub volume_flow_ratio: f64,
}

impl From<Blend> for Fuel {
    fn from(b: Blend) -> Self {
        Self { density_kg_l: b.density_kg_l, stoich_afr: b.stoich_afr, lhv_mj_kg: b.lhv_mj_kg }
    }
}

/// Blend of gasoline with a volume fraction of ethanol.
///
/// # Formula
/// `ρ = (1−x)ρg + xρe`; `w = xρe/ρ`; AFR and heating value weighted by mass; volume ratio
/// `(AFRg·ρg)/(AFR·ρ)`.
///
/// where
/// - `x`: volume fraction of ethanol, 0 to 1; `w`: its mass fraction;
/// - `ρg`, `ρe`, `AFRg`: densities in kg/L and stoichiometric air-fuel ratio of neat gasoline and ethanol (domain,
///   section 6).
///
/// ```
/// use jamjar_core::calculators::fuel::ethanol_blend;
/// let (neat, e85) = (ethanol_blend(0.0)?, ethanol_blend(0.85)?);
/// assert_eq!(neat.volume_flow_ratio, 1.0);
/// assert!((1.3..1.5).contains(&e85.volume_flow_ratio), "a third more has to go through the injectors");
/// # Ok::<(), jamjar_core::bounds::OutOfRange>(())
/// ```
///
/// # Errors
/// [`OutOfRange`] unless 0 ≤ x ≤ 1.
pub fn ethanol_blend(x: f64) -> Result<Blend, OutOfRange> {
    ETHANOL.check(x)?;
    let (g, e) = (GASOLINE, ETHANOL_NEAT);
    let density_kg_l = (1.0 - x) * g.density_kg_l + x * e.density_kg_l;
    let w = x * e.density_kg_l / density_kg_l;
    let stoich_afr = (1.0 - w) * g.stoich_afr + w * e.stoich_afr;
    Ok(Blend {
        density_kg_l,
        ethanol_mass_fraction: w,
        stoich_afr,
        lhv_mj_kg: (1.0 - w) * g.lhv_mj_kg + w * e.lhv_mj_kg,
        volume_flow_ratio: g.stoich_afr * g.density_kg_l / (stoich_afr * density_kg_l),
    })
}

/// Why a target cannot be reached by adding.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum BlendError {
    /// An input lies outside its range.
    #[error(transparent)]
    Range(#[from] OutOfRange),
    /// The target is not between tank and can.
    #[error(
        "a target of {target} cannot be reached by adding {added} to {tank}: it must lie strictly between them"
    )]
    NotBetween {
        /// Ethanol fraction wanted.
        target: f64,
        /// Fraction in the tank.
        tank: f64,
        /// Fraction of what is added.
        added: f64,
    },
}

/// Litres of `added` to pour into `litres` at `tank` to reach `target` (volume fractions).
///
/// # Formula
/// `x = V·(et − e0)/(e1 − et)`; `et = e0` gives 0.
///
/// where
/// - `V`: what is in the tank, L; `x` the litres to add;
/// - `e0`, `e1`, `et`: volume fractions of ethanol in the tank, in what is added, and wanted (domain, section 6;
///   volumes taken to add up, our choice: mixing shrinks them by less than 1 %).
///
/// ```
/// use jamjar_core::calculators::fuel::blend_volume;
/// assert!((blend_volume(30.0, 0.10, 0.85, 0.40)? - 20.0).abs() < 1e-9);
/// assert!(blend_volume(30.0, 0.10, 0.85, 0.90).is_err(), "more than what is added holds is never reached");
/// # Ok::<(), jamjar_core::calculators::fuel::BlendError>(())
/// ```
///
/// # Errors
/// [`BlendError`] for a bad input or a target that is not strictly between the two, in either direction.
pub fn blend_volume(litres: f64, tank: f64, added: f64, target: f64) -> Result<f64, BlendError> {
    LITRES.check(litres)?;
    for e in [tank, added, target] {
        ETHANOL.check(e)?;
    }
    let (up, down) = (target > tank && target < added, target < tank && target > added);
    if (target - tank).abs() < f64::EPSILON {
        return Ok(0.0);
    }
    if !up && !down {
        return Err(BlendError::NotBetween { target, tank, added });
    }
    Ok(litres * (target - tank) / (added - target))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn only_targets_in_between_can_be_poured() {
        assert_eq!(blend_volume(40.0, 0.05, 0.85, 0.05).unwrap(), 0.0);
        for (tank, added, target) in
            [(0.05, 0.85, 0.9), (0.05, 0.85, 0.85), (0.5, 0.85, 0.2), (0.3, 0.3, 0.4)]
        {
            assert!(matches!(blend_volume(40.0, tank, added, target), Err(BlendError::NotBetween { .. })));
        }
        assert!(blend_volume(40.0, 0.85, 0.05, 0.3).unwrap() > 0.0);
    }

    proptest! {
        #[test]
        fn pouring_the_answer_gives_the_target(v in 1.0..100.0f64, e0 in 0.0..0.4f64, e1 in 0.6..1.0f64, u in 0.05..0.95f64) {
            let target = e0 + u * (e1 - e0);
            let x = blend_volume(v, e0, e1, target).unwrap();
            prop_assert!(((v * e0 + x * e1) / (v + x) - target).abs() < 1e-12);
        }
    }
}
