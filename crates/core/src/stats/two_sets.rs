//! Two sets compared on their own scatter: pooled Student and Welch intervals.

use super::distributions::{t_quantile, t_two_sided_p};
use serde::Serialize;
use thiserror::Error;

/// Mean of a non-empty slice.
pub fn mean(x: &[f64]) -> f64 {
    x.iter().sum::<f64>() / x.len() as f64
}

/// Mean; `None` of nothing.
pub fn mean_of(x: &[f64]) -> Option<f64> {
    (!x.is_empty()).then(|| mean(x))
}

/// Sum of squared deviations from the mean.
pub fn sum_of_squares(x: &[f64]) -> f64 {
    let m = mean(x);
    x.iter().map(|v| (v - m) * (v - m)).sum()
}

/// Sample standard deviation (n − 1); `None` below two values.
pub fn sample_sd(x: &[f64]) -> Option<f64> {
    (x.len() > 1).then(|| (sum_of_squares(x) / (x.len() - 1) as f64).sqrt())
}

/// 95 % interval of a mean; `None` below two values.
///
/// # Formula
/// `x̄ ± t(0.975, n − 1)·s/√n`, where `x̄`, `s`: mean and standard deviation of `n` values (Student).
pub fn mean_ci95(x: &[f64]) -> Option<[f64; 2]> {
    let half = sample_sd(x)? * t_quantile(0.975, (x.len() - 1) as f64) / (x.len() as f64).sqrt();
    Some([mean(x) - half, mean(x) + half])
}

/// Welch's interval, for those who choose it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Welch {
    /// 95 % interval of the difference.
    pub ci95: [f64; 2],
    /// Welch–Satterthwaite degrees of freedom.
    pub df: f64,
    /// Two-sided p value.
    pub p: f64,
}

/// Difference of two set means with its pooled 95 % interval.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Repeats {
    /// Candidate mean − base mean.
    pub difference: f64,
    /// Pooled standard deviation of one pull.
    pub pooled_sd: f64,
    /// Degrees of freedom n1 + n2 − 2.
    pub df: f64,
    /// 95 % interval of the difference.
    pub ci95: [f64; 2],
    /// Two-sided p value.
    pub p: f64,
    /// Welch's form; absent when a set has a single pull.
    pub welch: Option<Welch>,
}

/// Why two sets cannot be compared.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[allow(missing_docs)]
pub enum RepeatsError {
    #[error("{which} has no values")]
    Empty { which: &'static str },
    #[error("{which}[{index}] is not a finite number")]
    NotFinite { which: &'static str, index: usize },
    #[error("one value in each set: no scatter can be measured; pull at least one of them again")]
    NoScatter,
}

/// Compares two sets of repeated values.
///
/// # Formula
/// `s² = (SS1 + SS2)/(n1 + n2 − 2)`, `d ± t(0.975, n1+n2−2)·s·√(1/n1 + 1/n2)`;
/// Welch: `se² = s1²/n1 + s2²/n2` with Satterthwaite degrees of freedom.
///
/// where
/// - `SS`, `s1`, `s2`, `n`: sum of squares about the mean, standard deviations and pulls of each set, unit of the
///   figure;
/// - `d`: candidate less base (domain, section 4; Welch 1947, Biometrika 34, p. 28).
///
/// ```
/// use jamjar_core::stats::two_sets::compare;
/// let r = compare(&[200.0, 201.0, 202.0], &[205.0, 206.0, 207.0])?;
/// assert_eq!((r.difference, r.pooled_sd, r.df), (5.0, 1.0, 4.0));
/// assert!((r.ci95[0] - (5.0 - 2.776_445 * (2.0_f64 / 3.0).sqrt())).abs() < 1e-5);
/// # Ok::<(), jamjar_core::stats::two_sets::RepeatsError>(())
/// ```
///
/// # Errors
/// [`RepeatsError`] for empty or non-finite input, or one value in each.
pub fn compare(base: &[f64], candidate: &[f64]) -> Result<Repeats, RepeatsError> {
    for (which, set) in [("base", base), ("candidate", candidate)] {
        if set.is_empty() {
            return Err(RepeatsError::Empty { which });
        }
        if let Some(index) = set.iter().position(|v| !v.is_finite()) {
            return Err(RepeatsError::NotFinite { which, index });
        }
    }
    let (n1, n2) = (base.len() as f64, candidate.len() as f64);
    let df = n1 + n2 - 2.0;
    if df < 1.0 {
        return Err(RepeatsError::NoScatter);
    }
    let difference = mean(candidate) - mean(base);
    let pooled_sd = ((sum_of_squares(base) + sum_of_squares(candidate)) / df).sqrt();
    let (ci95, p) = interval(difference, pooled_sd * (1.0 / n1 + 1.0 / n2).sqrt(), df);
    let welch = sample_sd(base).zip(sample_sd(candidate)).map(|(s1, s2)| {
        let (v1, v2) = (s1 * s1 / n1, s2 * s2 / n2);
        let df = (v1 + v2).powi(2) / (v1 * v1 / (n1 - 1.0) + v2 * v2 / (n2 - 1.0));
        let (ci95, p) = interval(difference, (v1 + v2).sqrt(), df);
        Welch { ci95, df, p }
    });
    Ok(Repeats { difference, pooled_sd, df, ci95, p, welch })
}

fn interval(difference: f64, se: f64, df: f64) -> ([f64; 2], f64) {
    let half = t_quantile(0.975, df) * se;
    let p = if se > 0.0 { t_two_sided_p(difference / se, df) } else { f64::NAN };
    ([difference - half, difference + half], p)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn one_against_one_has_no_scatter() {
        assert_eq!(compare(&[1.0], &[2.0]).unwrap_err(), RepeatsError::NoScatter);
        assert_eq!(compare(&[], &[2.0]).unwrap_err(), RepeatsError::Empty { which: "base" });
        assert_eq!(
            compare(&[1.0, f64::NAN], &[2.0]).unwrap_err(),
            RepeatsError::NotFinite { which: "base", index: 1 }
        );
    }

    proptest! {
        #[test]
        fn swapping_the_sets_mirrors_the_interval(a in prop::collection::vec(100.0..200.0f64, 2..6), b in prop::collection::vec(100.0..200.0f64, 2..6)) {
            let (x, y) = (compare(&a, &b).unwrap(), compare(&b, &a).unwrap());
            prop_assert!((x.difference + y.difference).abs() < 1e-9);
            prop_assert!((x.ci95[0] + y.ci95[1]).abs() < 1e-9);
            prop_assert!(x.ci95[0] <= x.difference && x.difference <= x.ci95[1]);
        }

        #[test]
        fn scaling_the_values_scales_the_interval(a in prop::collection::vec(100.0..200.0f64, 2..6), b in prop::collection::vec(100.0..200.0f64, 2..6), k in 0.1..10.0f64) {
            let scale = |v: &[f64]| v.iter().map(|x| x * k).collect::<Vec<_>>();
            let (x, y) = (compare(&a, &b).unwrap(), compare(&scale(&a), &scale(&b)).unwrap());
            prop_assert!((x.ci95[0] * k - y.ci95[0]).abs() < 1e-6 * (1.0 + y.ci95[0].abs()));
        }
    }
}
