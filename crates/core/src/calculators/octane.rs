//! Octane of a blend: an estimate that orders fuels and never decides what is safe.

use crate::bounds::{Bound, ETHANOL, OutOfRange};
use crate::calculators::fuel::{ETHANOL_NEAT, GASOLINE};
use serde::{Deserialize, Serialize};

const OCTANE: Bound = Bound::new("octane number", "", 60.0, 130.0);
/// Molar mass, g/mol (domain, section 6).
const MOLAR_MASS: [f64; 2] = [106.0, 46.07];

/// How an octane number was measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Scale {
    Ron,
    Mon,
    /// The mean of both, as some pumps print it.
    Aki,
}

impl Scale {
    /// Every scale.
    pub const ALL: [Self; 3] = [Self::Ron, Self::Mon, Self::Aki];

    /// As it is written in front of a number.
    pub fn label(self) -> &'static str {
        match self {
            Self::Ron => "RON",
            Self::Mon => "MON",
            Self::Aki => "AKI",
        }
    }

    /// The scale of a word.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.label().eq_ignore_ascii_case(word.trim()))
    }

    /// Octane number of ethanol on it, in blends (domain, section 6).
    fn ethanol(self) -> f64 {
        match self {
            Self::Ron => 109.0,
            Self::Mon => 90.0,
            Self::Aki => 0.5 * (109.0 + 90.0),
        }
    }
}

/// Share of molecules that are ethanol.
///
/// # Formula
/// `x = e·ρe/Me / (e·ρe/Me + (1 − e)·ρg/Mg)`
///
/// where
/// - `e`: share of volume; `ρ`: densities, kg/L; `M`: molar masses, 46.07 and 106 g/mol (domain, section 6).
///
/// # Errors
/// [`OutOfRange`] unless 0 ≤ e ≤ 1.
pub fn molar_share(ethanol: f64) -> Result<f64, OutOfRange> {
    let e = ETHANOL.check(ethanol)?;
    let moles =
        [(1.0 - e) * GASOLINE.density_kg_l / MOLAR_MASS[0], e * ETHANOL_NEAT.density_kg_l / MOLAR_MASS[1]];
    Ok(moles[1] / (moles[0] + moles[1]))
}

/// Octane of a blend on the scale of its gasoline: an estimate.
///
/// # Formula
/// `ON = x·ONe + (1 − x)·ONg`, linear in molar share (Anderson et al. 2012)
///
/// where
/// - `x`: molar share of ethanol; `ONg`: octane of the gasoline without it; `ONe`: 109 RON, 90 MON (domain, section 6).
///
/// ```
/// use jamjar_core::calculators::octane::{Scale, of_blend};
/// let e85 = of_blend(0.85, 92.0, Scale::Ron)?;
/// assert!((107.0..109.0).contains(&e85));
/// assert_eq!(of_blend(0.0, 92.0, Scale::Ron)?, 92.0);
/// # Ok::<(), jamjar_core::bounds::OutOfRange>(())
/// ```
///
/// # Errors
/// [`OutOfRange`] for a share outside 0 to 1 or an octane number that cannot be.
pub fn of_blend(ethanol: f64, gasoline: f64, scale: Scale) -> Result<f64, OutOfRange> {
    let (x, g) = (molar_share(ethanol)?, OCTANE.check(gasoline)?);
    Ok(x * scale.ethanol() + (1.0 - x) * g)
}

/// Octane of the gasoline in a pump fuel that holds ethanol already: the way back.
///
/// # Errors
/// [`OutOfRange`] for neat ethanol, in which there is none, and for what cannot be.
pub fn of_its_gasoline(ethanol: f64, fuel: f64, scale: Scale) -> Result<f64, OutOfRange> {
    let x = molar_share(ethanol)?;
    let g = (OCTANE.check(fuel)? - x * scale.ethanol()) / (1.0 - x);
    OCTANE.check(g)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_pump_s_mean_is_the_mean_of_both() {
        let (r, m) = (of_blend(0.3, 95.0, Scale::Ron).unwrap(), of_blend(0.3, 85.0, Scale::Mon).unwrap());
        let aki = of_blend(0.3, 90.0, Scale::Aki).unwrap();
        assert!((aki - 0.5 * (r + m)).abs() < 1e-9);
        assert_eq!(Scale::named(" ron"), Some(Scale::Ron));
        assert_eq!(Scale::named("cetane"), None);
    }

    #[test]
    fn a_tenth_of_the_volume_is_a_fifth_of_the_molecules() {
        assert!((molar_share(0.1).unwrap() - 0.213).abs() < 1e-3);
        assert!(of_its_gasoline(1.0, 109.0, Scale::Ron).is_err());
    }

    proptest! {
        #[test]
        fn there_and_back(e in 0.0..0.6f64, g in 85.0..100.0f64) {
            let blend = of_blend(e, g, Scale::Ron).unwrap();
            prop_assert!((of_its_gasoline(e, blend, Scale::Ron).unwrap() - g).abs() < 1e-6);
        }
    }
}
