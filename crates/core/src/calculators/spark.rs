//! Best spark from power at several delivered angles.

use crate::linalg::polyfit;
use serde::Serialize;
use thiserror::Error;

/// Fewest distinct angles that resolve a curve.
pub const MIN_ANGLES: usize = 4;

/// Vertex of the fitted parabola.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Mbt {
    /// Angle of the vertex, ° before TDC.
    pub vertex_deg: f64,
    /// Value there.
    pub vertex_value: f64,
    /// Quadratic coefficient, negative for a maximum.
    pub curvature: f64,
}

/// Why no vertex is given.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum MbtError {
    #[error("{angles} angles and {values} values: give one value for each angle")]
    Lengths { angles: usize, values: usize },
    #[error("angle or value {index} is not a finite number")]
    NotFinite { index: usize },
    #[error("{distinct} distinct angles do not resolve a curve: {MIN_ANGLES} are needed")]
    TooFew { distinct: usize },
    #[error("not resolved: power does not curve downward over these angles")]
    NotConcave,
}

/// Fits `value = c0 + c1·θ + c2·θ²` by least squares and returns its vertex.
///
/// # Errors
/// [`MbtError`] when there are fewer than four distinct angles or the curvature is not negative.
pub fn mbt(spark_deg: &[f64], value: &[f64]) -> Result<Mbt, MbtError> {
    if spark_deg.len() != value.len() {
        return Err(MbtError::Lengths { angles: spark_deg.len(), values: value.len() });
    }
    if let Some(index) = (0..value.len()).find(|&i| !spark_deg[i].is_finite() || !value[i].is_finite()) {
        return Err(MbtError::NotFinite { index });
    }
    let mut sorted = spark_deg.to_vec();
    sorted.sort_by(f64::total_cmp);
    sorted.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
    if sorted.len() < MIN_ANGLES {
        return Err(MbtError::TooFew { distinct: sorted.len() });
    }
    let c = polyfit(spark_deg, value, 2).ok_or(MbtError::TooFew { distinct: sorted.len() })?;
    if c[2] >= 0.0 {
        return Err(MbtError::NotConcave);
    }
    let vertex_deg = -c[1] / (2.0 * c[2]);
    Ok(Mbt { vertex_deg, vertex_value: c[0] + c[1] * vertex_deg + c[2] * vertex_deg * vertex_deg, curvature: c[2] })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_rising_line_or_three_angles_resolve_nothing() {
        assert_eq!(mbt(&[10.0, 12.0, 14.0], &[1.0, 2.0, 1.0]).unwrap_err(), MbtError::TooFew { distinct: 3 });
        assert_eq!(mbt(&[10.0, 12.0, 14.0, 16.0], &[1.0, 2.0, 4.0, 8.0]).unwrap_err(), MbtError::NotConcave);
        assert_eq!(mbt(&[10.0], &[]).unwrap_err(), MbtError::Lengths { angles: 1, values: 0 });
    }
}
