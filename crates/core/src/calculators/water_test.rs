//! How much ethanol a pump fuel holds, by shaking a sample with water.

use crate::bounds::{Bound, OutOfRange};
use serde::Serialize;
use thiserror::Error;

/// What the reading is worth either way, share of volume (domain, section 6).
pub const HALF_WIDTH: f64 = 0.02;

const VOLUME: Bound = Bound::new("volume in the tube", "mL", 0.1, 100_000.0);

/// What a tube showed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct WaterTest {
    /// Share of ethanol by volume.
    pub ethanol: f64,
    /// Half of its interval: the reading's own, by the method.
    pub half_width: f64,
}

/// Why a tube cannot be read so.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[allow(missing_docs)]
pub enum TubeError {
    #[error(transparent)]
    Range(#[from] OutOfRange),
    #[error(
        "the lower layer of {layer} mL is smaller than the {water} mL of water poured: let it settle and read again"
    )]
    LessThanWater { layer: f64, water: f64 },
    #[error("the lower layer of {layer} mL is larger than sample and water together ({all} mL)")]
    MoreThanAll { layer: f64, all: f64 },
}

/// Ethanol in a sample that was shaken with water: the water takes it along into the lower layer.
///
/// # Formula
/// `e = (L − W)/S`, ± 0.02; reads slightly low, for the layer shrinks as the two mix
///
/// where
/// - `S`: sample, `W`: water, `L`: lower layer after settling, all mL or any one unit of volume (domain, section 6).
///
/// ```
/// use jamjar_core::calculators::water_test::water_test;
/// let t = water_test(80.0, 20.0, 82.4)?;
/// assert!((t.ethanol - 0.78).abs() < 1e-9);
/// assert!(water_test(80.0, 20.0, 15.0).is_err(), "water does not vanish");
/// # Ok::<(), jamjar_core::calculators::water_test::TubeError>(())
/// ```
///
/// # Errors
/// [`TubeError`] for volumes that cannot be.
pub fn water_test(sample: f64, water: f64, lower_layer: f64) -> Result<WaterTest, TubeError> {
    for v in [sample, water, lower_layer] {
        VOLUME.check(v)?;
    }
    if lower_layer < water {
        return Err(TubeError::LessThanWater { layer: lower_layer, water });
    }
    if lower_layer > sample + water {
        return Err(TubeError::MoreThanAll { layer: lower_layer, all: sample + water });
    }
    Ok(WaterTest { ethanol: (lower_layer - water) / sample, half_width: HALF_WIDTH })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn layers_that_cannot_be_are_refused() {
        assert_eq!(water_test(80.0, 20.0, 20.0).unwrap().ethanol, 0.0);
        assert_eq!(water_test(80.0, 20.0, 100.0).unwrap().ethanol, 1.0);
        assert!(matches!(water_test(80.0, 20.0, 19.9), Err(TubeError::LessThanWater { .. })));
        assert!(matches!(water_test(80.0, 20.0, 101.0), Err(TubeError::MoreThanAll { .. })));
        assert!(matches!(water_test(0.0, 20.0, 20.0), Err(TubeError::Range(_))));
        assert!(matches!(water_test(f64::NAN, 20.0, 20.0), Err(TubeError::Range(_))));
    }
}
