//! Scatter pooled over a day: within sets (s_w) and between mountings (s_b), and the interval of a difference
//! that uses both.

use super::distributions::{t_quantile, t_two_sided_p};
use super::two_sets::{mean, sum_of_squares};
use serde::Serialize;

/// Pull-to-pull scatter pooled over sets of the same vehicle, day and gear.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Within {
    /// Standard deviation of one pull.
    pub sd: f64,
    /// Degrees of freedom Σ(n − 1).
    pub df: f64,
}

/// Pools `s_w² = ΣSS/Σ(n−1)`; `None` when no set has two values.
///
/// # Formula
/// `s_w² = Σ_sets Σ_i (x_i − x̄)² / Σ_sets (n − 1)`
///
/// where
/// - `x`: a figure of single pulls, usually kW; `s_w` in its unit;
/// - `n`: pulls of a set; a single pull carries nothing (domain, section 4).
///
/// ```
/// use jamjar_core::stats::pooled::within;
/// let w = within(&[&[100.0, 102.0], &[110.0, 112.0], &[150.0]]).unwrap();
/// assert_eq!((w.sd, w.df), (2.0_f64.sqrt(), 2.0));
/// ```
pub fn within(sets: &[&[f64]]) -> Option<Within> {
    let (mut ss, mut df) = (0.0, 0.0);
    for s in sets.iter().filter(|s| s.len() > 1) {
        ss += sum_of_squares(s);
        df += (s.len() - 1) as f64;
    }
    (df > 0.0).then(|| Within { sd: (ss / df).sqrt(), df })
}

/// From this many re-run degrees of freedom the set means are enough (domain, section 4).
const EXACT_DF: f64 = 3.0;

/// Scatter between mountings, from configurations that were run again.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Between {
    /// Variance of a mounting effect, never below 0.
    pub variance: f64,
    /// Mean square between the repeated sets.
    pub ms_between: f64,
    /// Its degrees of freedom.
    pub df: f64,
    /// Harmonic pulls per set used in the estimate.
    pub n: f64,
}

/// Estimates `s_b² = max(0, (MS_between − s_w²)/n)` from groups of sets that share one configuration.
/// `None` when no configuration was mounted twice.
///
/// # Formula
/// `s_b² = max(0, (MS_between − s_w²)/n)`, `MS_between = Σ n_g·Σ (x̄_j − x̄_g)² / Σ (m_g − 1)`
///
/// where
/// - `x̄_j`: means of the sets of configuration g that was mounted `m_g` times; `x̄_g` their mean;
/// - `n_g`: harmonic mean of their pulls, `n` the same over all of them;
/// - `s_w²`: scatter within sets; a negative difference is scatter by chance and counts as none (domain,
///   section 4).
///
/// ```
/// use jamjar_core::stats::pooled::{between, within};
/// let (first, again): (&[f64], &[f64]) = (&[100.0, 102.0], &[106.0, 108.0]);
/// let w = within(&[first, again]).unwrap();
/// let b = between(&[vec![first, again]], &w).unwrap();
/// // Means 101 and 107: MS_between = 2·18, less s_w² = 2, over 2 pulls.
/// assert_eq!((b.ms_between, b.variance, b.df), (36.0, 17.0, 1.0));
/// ```
pub fn between(groups: &[Vec<&[f64]>], w: &Within) -> Option<Between> {
    let (mut ss, mut df, mut inverse, mut count) = (0.0, 0.0, 0.0, 0.0);
    for g in
        groups.iter().map(|g| g.iter().filter(|s| !s.is_empty()).collect::<Vec<_>>()).filter(|g| g.len() > 1)
    {
        let means: Vec<f64> = g.iter().map(|s| mean(s)).collect();
        let n = g.len() as f64 / g.iter().map(|s| 1.0 / s.len() as f64).sum::<f64>();
        ss += n * sum_of_squares(&means);
        df += (g.len() - 1) as f64;
        inverse += g.iter().map(|s| 1.0 / s.len() as f64).sum::<f64>();
        count += g.len() as f64;
    }
    if df <= 0.0 {
        return None;
    }
    let (ms, n) = (ss / df, count / inverse);
    Some(Between { variance: ((ms - w.sd * w.sd) / n).max(0.0), ms_between: ms, df, n })
}

/// A difference with its 95 % interval.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Interval {
    /// The difference of means.
    pub difference: f64,
    /// Half-width of the 95 % interval.
    pub half_width: f64,
    /// Standard error behind it.
    pub se: f64,
    /// Degrees of freedom (Satterthwaite when s_b takes part).
    pub df: f64,
    /// Two-sided p value of "no difference".
    pub p: f64,
}

impl Interval {
    /// A 95 % t interval from a standard error and its degrees of freedom.
    pub fn new(difference: f64, se: f64, df: f64) -> Self {
        let p = if se > 0.0 { t_two_sided_p(difference / se, df) } else { f64::NAN };
        Self { difference, half_width: t_quantile(0.975, df) * se, se, df, p }
    }

    /// From the variance that scatter within sets leaves and, where it is known, that between mountings; each
    /// with its degrees of freedom, joined by Satterthwaite over the two components.
    pub(super) fn of_components(
        difference: f64,
        (within, df_w): (f64, f64),
        between: Option<(f64, f64)>,
    ) -> Self {
        let (variance, df) = match between {
            Some((b, df_b)) if b > 0.0 => {
                let v = within + b;
                (v, v * v / (within * within / df_w + b * b / df_b))
            }
            _ => (within, df_w),
        };
        Self::new(difference, variance.sqrt(), df)
    }

    /// The two ends.
    pub fn ci95(&self) -> [f64; 2] {
        [self.difference - self.half_width, self.difference + self.half_width]
    }

    /// The same interval widened linearly by `extra` on each side.
    #[must_use]
    pub fn widened(mut self, extra: f64) -> Self {
        self.half_width += extra;
        self
    }
}

/// Interval of `difference` between set means of `n1` and `n2` pulls.
///
/// # Formula
/// `Var = s_w²(1/n1 + 1/n2) + 2·s_b²`; degrees of freedom by Satterthwaite over the two components,
/// `Var²/((s_w²·k)²/df_w + (2·s_b²)²/df_b)`.
///
/// Over the mean squares instead of the components, a scatter between mountings barely above nothing would
/// throw the degrees of freedom from fourteen to one, and the interval from ± 1 to ± 6: coverage is no better
/// for it (`docs/validation.md`).
///
/// From three degrees of freedom of sets run again, and where both sets and those have equally many pulls,
/// the set means themselves are the observations: `Var = 2·MS_between/n` with the degrees of freedom of
/// `MS_between`, exact at any `s_b`.
///
/// where
/// - `s_w`, `df_w`: [`within`]; `s_b`, `df_b`: [`between`], unit of the figure;
/// - `n1`, `n2`: pulls of the two sets; `k = 1/n1 + 1/n2`; `n`: harmonic pulls of the sets run again.
///
/// ```
/// use jamjar_core::stats::pooled::{Within, difference};
/// let i = difference(5.0, 3, 3, &Within { sd: 1.5, df: 12.0 }, None);
/// assert!((i.half_width - 2.178_813 * 1.5 * (2.0_f64 / 3.0).sqrt()).abs() < 1e-5);
/// assert!(i.ci95()[0] > 0.0);
/// ```
pub fn difference(difference: f64, n1: usize, n2: usize, w: &Within, b: Option<&Between>) -> Interval {
    if let Some(b) = b.filter(|b| b.df >= EXACT_DF && n1 == n2 && (b.n - n1 as f64).abs() < 1e-9) {
        return Interval::new(difference, (2.0 * b.ms_between / b.n).sqrt(), b.df);
    }
    let k = 1.0 / n1 as f64 + 1.0 / n2 as f64;
    Interval::of_components(difference, (w.sd * w.sd * k, w.df), b.map(|b| (2.0 * b.variance, b.df)))
}

/// One set mean in a linear contrast.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Term {
    /// Coefficient.
    pub weight: f64,
    /// Mean of the set.
    pub mean: f64,
    /// Its pulls.
    pub n: usize,
}

/// Interval of a linear contrast of set means.
///
/// # Formula
/// `Σ c_j·mean_j` with `Var = s_w²·Σ c_j²/n_j + s_b²·Σ c_j²`, degrees of freedom as for [`difference`].
///
/// where
/// - `c_j`: weights, adding to 0 for a difference; `mean_j`, `n_j`: mean and pulls of set j;
/// - `s_w`, `s_b`: as in [`difference`].
///
/// ```
/// use jamjar_core::stats::pooled::{Term, Within, contrast, difference};
/// let term = |weight, mean| Term { weight, mean, n: 3 };
/// let w = Within { sd: 1.5, df: 12.0 };
/// assert_eq!(contrast(&[term(1.0, 205.0), term(-1.0, 200.0)], &w, None).se, difference(5.0, 3, 3, &w, None).se);
/// ```
pub fn contrast(terms: &[Term], w: &Within, b: Option<&Between>) -> Interval {
    let sum = |f: fn(&Term) -> f64| terms.iter().map(f).sum::<f64>();
    let (value, k, squares) =
        (sum(|t| t.weight * t.mean), sum(|t| t.weight * t.weight / t.n as f64), sum(|t| t.weight * t.weight));
    Interval::of_components(value, (w.sd * w.sd * k, w.df), b.map(|b| (squares * b.variance, b.df)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn with_two_sets_only_it_is_the_pooled_t_interval() {
        let (a, b) = ([150.6, 150.48, 150.59, 150.97], [153.35, 153.08]);
        let w = within(&[&a, &b]).unwrap();
        let i = difference(mean(&b) - mean(&a), 4, 2, &w, None);
        let r = super::super::two_sets::compare(&a, &b).unwrap();
        assert!((i.ci95()[0] - r.ci95[0]).abs() < 1e-12 && (i.p - r.p).abs() < 1e-12);
    }

    #[test]
    fn a_set_run_again_widens_the_interval() {
        let (a, again, c) = ([100.0, 100.4, 99.8], [102.0, 102.3, 101.9], [110.0, 110.2, 109.9]);
        let w = within(&[&a, &again, &c]).unwrap();
        let b = between(&[vec![&a[..], &again[..]], vec![&c[..]]], &w).unwrap();
        assert!(b.variance > 1.0);
        let narrow = difference(10.0, 3, 3, &w, None);
        let wide = difference(10.0, 3, 3, &w, Some(&b));
        assert!(wide.half_width > 3.0 * narrow.half_width && wide.df < narrow.df);
    }

    #[test]
    fn a_breath_of_scatter_between_mountings_widens_by_a_breath() {
        let w = Within { sd: 1.0, df: 14.0 };
        let plain = difference(5.0, 3, 3, &w, None);
        let b = Between { variance: 0.001, ms_between: 1.003, df: 1.0, n: 3.0 };
        let breath = difference(5.0, 3, 3, &w, Some(&b));
        assert!(
            breath.half_width > plain.half_width && breath.half_width < 1.01 * plain.half_width,
            "{breath:?}"
        );
        let large = difference(5.0, 3, 3, &w, Some(&Between { variance: 100.0, ms_between: 301.0, ..b }));
        assert!((large.df - 1.0).abs() < 0.02, "all of it from one degree of freedom: {large:?}");
    }

    #[test]
    fn a_difference_is_the_contrast_of_two() {
        let w = Within { sd: 0.8, df: 9.0 };
        let b = Between { variance: 0.3, ms_between: 1.2, df: 2.0, n: 3.0 };
        for b in [None, Some(&b)] {
            let terms = [Term { weight: -1.0, mean: 100.0, n: 3 }, Term { weight: 1.0, mean: 104.0, n: 2 }];
            assert_eq!(contrast(&terms, &w, b), difference(4.0, 3, 2, &w, b));
        }
    }

    #[test]
    fn with_enough_sets_run_again_the_set_means_are_the_observations() {
        let w = Within { sd: 0.5, df: 12.0 };
        let b = Between { variance: 1.0, ms_between: 3.25, df: 3.0, n: 3.0 };
        let i = difference(5.0, 3, 3, &w, Some(&b));
        assert!((i.se - (2.0 * 3.25_f64 / 3.0).sqrt()).abs() < 1e-12 && (i.df - 3.0).abs() < 1e-12);
        assert!(difference(5.0, 3, 2, &w, Some(&b)).df > 3.0, "unequal sets: components");
    }

    #[test]
    fn no_repeats_no_scatter() {
        assert!(within(&[&[1.0], &[2.0]]).is_none());
        let w = Within { sd: 1.0, df: 4.0 };
        assert!(between(&[vec![&[1.0, 2.0][..]]], &w).is_none());
    }
}
