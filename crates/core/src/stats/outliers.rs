//! Pulls that do not belong with the others of their set, judged by the day's scatter.

use super::distributions::t_quantile;
use super::two_sets::{mean, sum_of_squares};
use serde::Serialize;

/// Fewer degrees of freedom than this and nothing is called an outlier from its value alone.
pub const MIN_DF: f64 = 4.0;

/// One value flagged.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Outlier {
    /// Index of its set.
    pub set: usize,
    /// Index in the set.
    pub value: usize,
    /// Value − mean of the set's other values.
    pub off: f64,
    /// Deleted residual in units of its own standard error.
    pub t: f64,
    /// What |t| had to exceed.
    pub limit: f64,
}

/// Flags values whose deleted residual is too large for chance at 5 % over all values together (Bonferroni).
///
/// # Formula
/// `t_i = r_i / (s_(i)·√(1−h))`, h = 1/n of its set, `s_(i)² = (SS − r_i²/(1−h))/(ν−1)` pooled over the sets
/// without value i; limit `t(1 − 0.05/(2N), ν−1)` with N values in sets of at least two. Residuals are taken
/// as shares of their set's mean (our choice: scatter grows with power, and a day's pooled scatter in kW
/// flags the strongest set twice as often as chance should). Nothing below ν = 4: two pulls cannot say which
/// is off. In a set of two both values are equally far from each other, so a pair is flagged only by other
/// reasons.
///
/// where
/// - `r_i`: value less the mean of its set, as a share of that mean; `SS` their sum of squares over all sets;
/// - `h = 1/n`, `ν = Σ(n − 1)`, `N` as said (domain, section 4).
///
/// ```
/// use jamjar_core::stats::outliers::outliers;
/// let found = outliers(&[&[200.0, 200.6, 199.7], &[210.0, 209.5, 210.4], &[220.0, 220.5, 209.0]]);
/// assert_eq!(found.iter().map(|o| (o.set, o.value)).collect::<Vec<_>>(), [(2, 2)]);
/// ```
pub fn outliers(sets: &[&[f64]]) -> Vec<Outlier> {
    let level = |s: &[f64]| Some(mean(s)).filter(|m| *m > 0.0).unwrap_or(1.0);
    let (ss, nu) = sets.iter().filter(|s| s.len() > 1).fold((0.0, 0.0), |(ss, nu), s| {
        (ss + sum_of_squares(s) / level(s).powi(2), nu + (s.len() - 1) as f64)
    });
    if nu < MIN_DF {
        return Vec::new();
    }
    let tested: usize = sets.iter().filter(|s| s.len() > 2).map(|s| s.len()).sum();
    let limit = t_quantile(1.0 - 0.05 / (2.0 * tested.max(1) as f64), nu - 1.0);
    let mut out = Vec::new();
    for (k, s) in sets.iter().enumerate().filter(|(_, s)| s.len() > 2) {
        let (m, n) = (mean(s), s.len() as f64);
        let keep = 1.0 - 1.0 / n;
        for (i, v) in s.iter().enumerate() {
            let r = (v - m) / level(s);
            let rest = (ss - r * r / keep).max(0.0) / (nu - 1.0);
            let t = if rest > 0.0 { r / (rest * keep).sqrt() } else { f64::INFINITY * r.signum() };
            if r.abs() > 1e-9 && t.abs() > limit {
                out.push(Outlier { set: k, value: i, off: (v - m) / keep, t, limit });
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn one_pull_far_off_is_flagged_and_its_neighbours_are_not() {
        let sets: [&[f64]; 3] = [&[100.1, 99.8, 100.3], &[110.2, 109.9, 104.0], &[120.0, 120.4, 119.9]];
        let o = outliers(&sets);
        assert_eq!(o.iter().map(|o| (o.set, o.value)).collect::<Vec<_>>(), [(1, 2)]);
        assert!((o[0].off + 6.05).abs() < 0.1, "{o:?}");
    }

    #[test]
    fn ordinary_scatter_few_pulls_and_pairs_are_left_alone() {
        assert!(outliers(&[&[100.0, 100.5, 99.6], &[110.0, 110.4, 109.7]]).is_empty());
        assert!(
            outliers(&[&[100.0, 90.0], &[110.0, 110.1]]).is_empty(),
            "two degrees of freedom decide nothing"
        );
        assert!(
            outliers(&[&[5.0, 5.0, 5.0], &[7.0, 7.0, 7.0]]).is_empty(),
            "no scatter at all is no outlier"
        );
        assert!(outliers(&[]).is_empty());
    }

    #[test]
    fn chance_alone_flags_about_one_day_in_twenty() {
        use rand_chacha::rand_core::SeedableRng;
        use rand_distr::{Distribution, StandardNormal};
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(11);
        let mut flagged = 0;
        for _ in 0..2000 {
            let day: Vec<Vec<f64>> = (0..6)
                .map(|_| {
                    (0..3)
                        .map(|_| {
                            let z: f64 = StandardNormal.sample(&mut rng);
                            100.0 + z
                        })
                        .collect()
                })
                .collect();
            let sets: Vec<&[f64]> = day.iter().map(Vec::as_slice).collect();
            flagged += u32::from(!outliers(&sets).is_empty());
        }
        let share = f64::from(flagged) / 2000.0;
        assert!((0.03..0.065).contains(&share), "{share}");
    }

    proptest! {
        #[test]
        fn a_set_with_another_level_is_judged_alike(factor in 0.2..5.0f64) {
            let base: [&[f64]; 2] = [&[100.1, 99.8, 100.3, 93.0], &[110.2, 109.9, 110.4]];
            let moved: Vec<f64> = base[0].iter().map(|v| v * factor).collect();
            let a: Vec<_> = outliers(&base).iter().map(|o| (o.set, o.value)).collect();
            let b: Vec<_> = outliers(&[&moved, base[1]]).iter().map(|o| (o.set, o.value)).collect();
            prop_assert_eq!(a, b);
        }
    }
}
