//! Best spark from power at several delivered angles.

use crate::linalg::{Cholesky, polyfit};
use crate::stats::distributions::t_quantile;
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
    /// 95 % interval of the vertex (Fieller); `None` when it is unbounded: the curvature is not resolved.
    pub vertex_ci95: Option<[f64; 2]>,
    /// Smallest and largest angle tried, ° before TDC.
    pub tested_deg: [f64; 2],
    /// Where the vertex lies.
    pub verdict: Place,
    /// The same in words.
    pub note: &'static str,
}

/// What a vertex and its interval say of the angles that were tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Place {
    /// The whole interval lies inside the tested range.
    AtMbt,
    /// The vertex, or an end of its interval, lies beyond the largest angle tried: still gaining there, or
    /// knock came first.
    BeyondTested,
    /// It lies below the smallest angle tried.
    BelowTested,
    /// The interval is unbounded.
    NotResolved,
}

impl Place {
    fn of(vertex: f64, ci: Option<[f64; 2]>, [low, high]: [f64; 2]) -> Self {
        match ci {
            None => Self::NotResolved,
            Some([_, b]) if vertex > high || b > high => Self::BeyondTested,
            Some([a, _]) if vertex < low || a < low => Self::BelowTested,
            Some(_) => Self::AtMbt,
        }
    }

    fn note(self) -> &'static str {
        match self {
            Self::AtMbt => "at MBT within the angles that were tried",
            Self::BeyondTested => {
                "the vertex or its interval lies beyond the largest angle tried: still gaining there, or knock-limited below MBT"
            }
            Self::BelowTested => {
                "the vertex or its interval lies below the smallest angle tried: less spark was not tried"
            }
            Self::NotResolved => "not resolved: the scatter allows a vertex anywhere",
        }
    }
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
/// # Formula
/// `θ_v = −c1/(2·c2)`, `value_v = c0 + c1·θ_v + c2·θ_v²`, `c` by ordinary least squares
///
/// where
/// - `θ`: spark as delivered, degrees before top dead centre, at least four distinct angles;
/// - `value`: power or torque at that angle, in whichever unit; the vertex has the same;
/// - `c2 < 0` in value per degree²: without it there is no best angle (domain, section 8).
///
/// ```
/// use jamjar_core::calculators::spark::mbt;
/// let spark = [18.0, 20.0, 22.0, 24.0, 26.0];
/// let best = mbt(&spark, &spark.map(|s: f64| 250.0 - 0.4 * (s - 23.0).powi(2)))?;
/// assert!((best.vertex_deg - 23.0).abs() < 1e-6 && (best.vertex_value - 250.0).abs() < 1e-6);
/// assert!(mbt(&spark, &spark).is_err(), "power that still rises has no vertex");
/// # Ok::<(), jamjar_core::calculators::spark::MbtError>(())
/// ```
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
    let tested_deg = [sorted[0], sorted[sorted.len() - 1]];
    let vertex_ci95 = fieller(spark_deg, value);
    let verdict = Place::of(vertex_deg, vertex_ci95, tested_deg);
    Ok(Mbt {
        vertex_deg,
        vertex_value: c[0] + c[1] * vertex_deg + c[2] * vertex_deg * vertex_deg,
        curvature: c[2],
        vertex_ci95,
        tested_deg,
        verdict,
        note: verdict.note(),
    })
}

/// 95 % interval of the vertex of a fitted parabola; `None` when it has no end.
///
/// # Formula
/// With `y = c0 + c1·u + c2·u²`, the vertex v solves `c1 + 2·c2·v = 0`. All v with
/// `(c1 + 2·c2·v)² ≤ t²·(V11 + 4v·V12 + 4v²·V22)` belong to the interval (Fieller 1954), V the covariance
/// `s²·(XᵀX)⁻¹`, s with n − 3 degrees of freedom.
fn fieller(x: &[f64], y: &[f64]) -> Option<[f64; 2]> {
    let n = x.len() as f64;
    let centre = x.iter().sum::<f64>() / n;
    let scale = x.iter().map(|v| (v - centre).abs()).fold(0.0, f64::max);
    let rows: Vec<[f64; 3]> = x.iter().map(|v| (v - centre) / scale).map(|u| [1.0, u, u * u]).collect();
    let (mut a, mut b) = ([0.0; 9], [0.0; 3]);
    for (r, y) in rows.iter().zip(y) {
        for i in 0..3 {
            b[i] += r[i] * y;
            (0..3).for_each(|j| a[3 * i + j] += r[i] * r[j]);
        }
    }
    let normal = Cholesky::new(&a, 3)?;
    let c = normal.solve(&b);
    let rss: f64 = rows
        .iter()
        .zip(y)
        .map(|(r, y)| (y - r.iter().zip(&c).map(|(x, c)| x * c).sum::<f64>()).powi(2))
        .sum();
    let df = n - 3.0;
    if df < 1.0 {
        return None;
    }
    let (v1, v2) = (normal.solve(&[0.0, 1.0, 0.0]), normal.solve(&[0.0, 0.0, 1.0]));
    let t2s2 = t_quantile(0.975, df).powi(2) * rss / df;
    let qa = 4.0 * (c[2] * c[2] - t2s2 * v2[2]);
    let qb = 4.0 * (c[1] * c[2] - t2s2 * v1[2]);
    let qc = c[1] * c[1] - t2s2 * v1[1];
    let root = qb * qb - 4.0 * qa * qc;
    (qa > 0.0 && root >= 0.0)
        .then(|| [-1.0, 1.0].map(|sign| centre + scale * (-qb + sign * root.sqrt()) / (2.0 * qa)))
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

    #[test]
    fn a_vertex_has_an_interval_and_says_where_it_lies() {
        let noise = [0.05, -0.04, 0.02, 0.03, -0.06, 0.01, -0.02];
        let of = |centre: f64, size: f64| {
            let x: Vec<f64> = (0..7).map(|i| 10.0 + 2.0 * f64::from(i)).collect();
            let y: Vec<f64> =
                x.iter().zip(noise).map(|(x, e)| 100.0 - 0.05 * (x - centre).powi(2) + size * e).collect();
            mbt(&x, &y).unwrap()
        };
        let inside = of(16.0, 1.0);
        let [low, high] = inside.vertex_ci95.unwrap();
        assert!(low < 16.0 && high > 16.0 && high - low < 2.0, "{inside:?}");
        assert_eq!(inside.verdict, Place::AtMbt);
        assert_eq!(of(23.0, 1.0).verdict, Place::BeyondTested, "the vertex of an extrapolation is no MBT");
        assert_eq!(of(8.0, 1.0).verdict, Place::BelowTested);
        let near = of(21.8, 1.0);
        assert!(
            near.vertex_deg < 22.0 && near.verdict == Place::BeyondTested,
            "an interval that reaches beyond: {near:?}"
        );
        let noisy = of(16.0, 60.0);
        assert_eq!((noisy.vertex_ci95, noisy.verdict), (None, Place::NotResolved));
    }

    #[test]
    fn the_interval_of_a_vertex_holds_it_as_often_as_it_says() {
        use rand_chacha::rand_core::SeedableRng;
        use rand_distr::{Distribution, StandardNormal};
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(8);
        let x = [12.0, 14.0, 16.0, 18.0, 20.0, 22.0];
        let (mut held, n) = (0, 4000);
        for _ in 0..n {
            let y: Vec<f64> = x
                .iter()
                .map(|x| {
                    let z: f64 = StandardNormal.sample(&mut rng);
                    100.0 - 0.06 * (x - 17.3_f64).powi(2) + 0.15 * z
                })
                .collect();
            held += u32::from(
                mbt(&x, &y).is_ok_and(|m| m.vertex_ci95.is_none_or(|[a, b]| a <= 17.3 && 17.3 <= b)),
            );
        }
        let share = f64::from(held) / f64::from(n);
        assert!((0.94..0.96).contains(&share), "{share}");
    }
}
