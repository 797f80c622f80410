//! Whether the same change did the same in several rows: Welch's F over differences of unequal certainty.

use super::distributions::f_upper_p;
use serde::Serialize;

/// The difference of one row.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Row {
    /// Difference, per cent or any unit that all rows share.
    pub difference: f64,
    /// Its variance, the same unit squared.
    pub variance: f64,
    /// Degrees of freedom behind that.
    pub df: f64,
}

/// What Welch's F says of rows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct RowsApart {
    /// Mean of the rows, weighted by their certainty.
    pub mean: f64,
    /// The statistic.
    pub f: f64,
    /// Its degrees of freedom.
    pub df: [f64; 2],
    /// Probability of rows as far apart as these where the change does the same in all.
    pub p: f64,
}

/// Compares rows; `None` with fewer than two, or where one has no variance.
///
/// # Formula
/// `F = Σ wᵢ(dᵢ − d̄)²/(k − 1) / (1 + 2(k − 2)/(k² − 1)·Λ)`, `Λ = Σ (1 − wᵢ/W)²/νᵢ`,
/// degrees of freedom `k − 1` and `(k² − 1)/(3Λ)`
///
/// where
/// - `dᵢ`, `wᵢ = 1/vᵢ`, `νᵢ`: difference of row i, weight, degrees of freedom of its variance `vᵢ`;
/// - `W = Σ wᵢ`, `d̄ = Σ wᵢdᵢ/W`; `k`: rows (Welch 1951, Biometrika 38, p. 330).
///
/// ```
/// use jamjar_core::stats::rows::{Row, rows_apart};
/// let row = |difference| Row { difference, variance: 0.25, df: 8.0 };
/// // Two rows: F is the square of Welch's t.
/// let r = rows_apart(&[row(5.0), row(2.0)]).unwrap();
/// assert!((r.f - (3.0_f64 / 0.5_f64.sqrt()).powi(2)).abs() < 1e-9 && (r.df[1] - 16.0).abs() < 1e-9);
/// assert!(r.p < 0.01);
/// ```
pub fn rows_apart(rows: &[Row]) -> Option<RowsApart> {
    let k = rows.len() as f64;
    if rows.len() < 2 || rows.iter().any(|r| r.variance.is_nan() || r.variance <= 0.0) {
        return None;
    }
    let weight = |r: &Row| 1.0 / r.variance;
    let total: f64 = rows.iter().map(weight).sum();
    let mean = rows.iter().map(|r| weight(r) * r.difference).sum::<f64>() / total;
    let lambda: f64 = rows.iter().map(|r| (1.0 - weight(r) / total).powi(2) / r.df).sum();
    let spread = rows.iter().map(|r| weight(r) * (r.difference - mean).powi(2)).sum::<f64>() / (k - 1.0);
    let f = spread / (1.0 + 2.0 * (k - 2.0) / (k * k - 1.0) * lambda);
    let df = [k - 1.0, (k * k - 1.0) / (3.0 * lambda)];
    Some(RowsApart { mean, f, df, p: f_upper_p(f, df[0], df[1]) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand_chacha::ChaCha8Rng;
    use rand_chacha::rand_core::SeedableRng;
    use rand_distr::{Distribution, StandardNormal};

    #[test]
    fn rows_without_variance_or_alone_tell_nothing() {
        let row = |variance| Row { difference: 1.0, variance, df: 4.0 };
        assert_eq!(rows_apart(&[row(1.0)]), None);
        assert_eq!(rows_apart(&[row(1.0), row(0.0)]), None);
        assert_eq!(rows_apart(&[row(1.0), row(f64::NAN)]), None);
    }

    #[test]
    fn rows_that_are_the_same_are_called_apart_one_time_in_twenty() {
        let mut rng = ChaCha8Rng::seed_from_u64(11);
        let mut normal = || -> f64 { StandardNormal.sample(&mut rng) };
        let (mut apart, rounds, n) = (0_u32, 4000, 3);
        for _ in 0..rounds {
            let rows: Vec<Row> = [0.5, 1.0, 2.0]
                .iter()
                .map(|sd| {
                    let pulls: Vec<f64> = (0..2 * n).map(|_| sd * normal()).collect();
                    let mean = |p: &[f64]| p.iter().sum::<f64>() / n as f64;
                    let ss = |p: &[f64]| p.iter().map(|x| (x - mean(p)).powi(2)).sum::<f64>();
                    let (a, b) = pulls.split_at(n);
                    let df = 2.0 * (n as f64 - 1.0);
                    let s2 = (ss(a) + ss(b)) / df;
                    Row { difference: mean(b) - mean(a), variance: s2 * 2.0 / n as f64, df }
                })
                .collect();
            apart += u32::from(rows_apart(&rows).unwrap().p < 0.05);
        }
        let share = f64::from(apart) / f64::from(rounds);
        assert!((0.03..0.075).contains(&share), "{share}");
    }
}
