//! Equivalence by two one-sided tests, and best-of-n made fair between sets of unequal size.

use super::distributions::t_quantile;
use super::pooled::Interval;
use serde::Serialize;

/// What two one-sided tests say.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Equivalence {
    /// The margin, set beforehand.
    pub margin: f64,
    /// 90 % interval of the difference.
    pub ci90: [f64; 2],
    /// True when the interval lies inside ± margin: equivalent within it at 5 %.
    pub within: bool,
}

/// Two one-sided tests at 5 % (Schuirmann 1987): the 90 % interval against ± `margin`. A linear widening of
/// the interval counts too.
///
/// # Formula
/// Within ± m when `|d| + t(0.95, ν)·se + e < m`
///
/// where
/// - `d`, `se`, `ν`: difference, its standard error and degrees of freedom, unit of the figure;
/// - `e`: what the interval was widened by beyond `t(0.975, ν)·se`, same unit;
/// - `m`: margin set beforehand, same unit (Schuirmann 1987, J. Pharmacokin. Biopharm. 15, p. 657).
///
/// ```
/// use jamjar_core::stats::equivalence::equivalence;
/// use jamjar_core::stats::pooled::Interval;
/// let i = Interval::new(0.2, 0.5, 10.0);
/// assert!(equivalence(&i, 1.5).within && !equivalence(&i, 1.0).within);
/// ```
pub fn equivalence(i: &Interval, margin: f64) -> Equivalence {
    let extra = (i.half_width - t_quantile(0.975, i.df) * i.se).max(0.0);
    let half = t_quantile(0.95, i.df) * i.se + extra;
    let ci90 = [i.difference - half, i.difference + half];
    Equivalence { margin, ci90, within: ci90[0] > -margin && ci90[1] < margin }
}

/// Expected best of `k` values drawn without replacement: the mean of the maximum over all subsets of that
/// size. `None` unless 1 ≤ k ≤ n.
///
/// # Formula
/// `Σ x_(i)·C(i−1, k−1)/C(n, k)` over the ascending order statistics.
///
/// where
/// - `x_(i)`: the values in ascending order, i from 1 to n; `C`: binomial coefficients; `k`: size of the subsets.
///
/// ```
/// use jamjar_core::stats::equivalence::expected_best;
/// assert!((expected_best(&[201.0, 204.0, 199.0], 1).unwrap() - 604.0 / 3.0).abs() < 1e-9);
/// assert_eq!(expected_best(&[201.0, 204.0, 199.0], 3), Some(204.0));
/// assert_eq!(expected_best(&[201.0], 2), None);
/// ```
pub fn expected_best(values: &[f64], k: usize) -> Option<f64> {
    let n = values.len();
    if k == 0 || k > n {
        return None;
    }
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    // Weights from the top down: the highest is the best of k/n of the subsets, the next of
    // (k/n)·(n−k)/(n−1), …
    let (mut weight, mut out) = (k as f64 / n as f64, 0.0);
    for (down, v) in sorted.iter().rev().enumerate() {
        out += weight * v;
        if n - down <= k {
            break;
        }
        weight *= (n - down - k) as f64 / (n - down - 1) as f64;
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn interval(difference: f64, se: f64, df: f64) -> Interval {
        Interval { difference, half_width: t_quantile(0.975, df) * se, se, df, p: 0.5 }
    }

    #[test]
    fn inside_the_margin_only_with_the_whole_interval() {
        assert!(equivalence(&interval(0.1, 0.2, 10.0), 1.0).within);
        assert!(!equivalence(&interval(0.9, 0.2, 10.0), 1.0).within);
        assert!(
            !equivalence(&interval(0.0, 1.0, 10.0), 1.0).within,
            "a wide interval shows nothing, not even sameness"
        );
        let wide = interval(0.1, 0.2, 10.0).widened(1.0);
        assert!(!equivalence(&wide, 1.0).within, "what was added for different days counts");
    }

    #[test]
    fn the_best_of_k_is_the_mean_over_all_subsets() {
        let v = [3.0, 1.0, 7.0, 4.0, 9.0];
        for k in 1..=5 {
            let (mut sum, mut count) = (0.0, 0.0);
            for mask in 0u32..32 {
                if mask.count_ones() as usize == k {
                    sum += (0..5)
                        .filter(|i| mask & (1 << i) != 0)
                        .map(|i| v[i])
                        .fold(f64::NEG_INFINITY, f64::max);
                    count += 1.0;
                }
            }
            assert!((expected_best(&v, k).unwrap() - sum / count).abs() < 1e-12, "{k}");
        }
        assert_eq!((expected_best(&v, 0), expected_best(&v, 6), expected_best(&[], 1)), (None, None, None));
    }

    proptest! {
        #[test]
        fn more_pulls_never_lower_the_expected_best(v in prop::collection::vec(90.0..110.0f64, 1..9)) {
            let all: Vec<f64> = (1..=v.len()).filter_map(|k| expected_best(&v, k)).collect();
            prop_assert!(all.windows(2).all(|w| w[1] >= w[0] - 1e-9));
        }
    }
}
