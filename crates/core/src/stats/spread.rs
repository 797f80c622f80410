//! Whether one map scatters more than another.

use super::pooled::Within;
use serde::Serialize;
use statrs::distribution::{ContinuousCDF, FisherSnedecor};

/// How much more one scatters than another.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct SpreadRatio {
    /// Standard deviation of the one, in the unit of the figure, and its degrees of freedom.
    pub one: Within,
    /// The same of the other.
    pub other: Within,
    /// One ÷ other.
    pub ratio: f64,
    /// 95 % interval of the ratio.
    pub ci95: [f64; 2],
}

impl SpreadRatio {
    /// Whether the one scatters more (true) or less (false); `None` where the interval holds 1.
    pub fn more(&self) -> Option<bool> {
        let [low, high] = self.ci95;
        if low > 1.0 {
            Some(true)
        } else if high < 1.0 {
            Some(false)
        } else {
            None
        }
    }
}

/// Ratio of two standard deviations with its interval; `None` without a degree of freedom in either, or where one of
/// them shows no scatter at all (figures that were typed or rounded).
///
/// # Formula
/// `√(s₁²/s₂² / F(0.975; ν₁, ν₂)) ≤ σ₁/σ₂ ≤ √(s₁²/s₂² · F(0.975; ν₂, ν₁))`
///
/// where
/// - `s₁`, `s₂`: pooled standard deviations of pulls within sets, with `ν₁`, `ν₂` degrees of freedom;
/// - `F`: quantile of Fisher's distribution. It holds for figures that scatter normally and says so where it is shown
///   (the interval: Snedecor & Cochran, Statistical Methods, two variances; domain, section 13).
///
/// ```
/// use jamjar_core::stats::{pooled::Within, spread::spread_ratio};
/// let r = spread_ratio(Within { sd: 2.0, df: 4.0 }, Within { sd: 1.0, df: 4.0 }).unwrap();
/// // F(0.975; 4, 4) = 9.6045, so the ratio of variances 4 is 0.4165 to 38.42.
/// assert!((r.ci95[0] - 0.6454).abs() < 1e-3 && (r.ci95[1] - 6.198).abs() < 1e-2);
/// assert_eq!(r.more(), None);
/// ```
pub fn spread_ratio(one: Within, other: Within) -> Option<SpreadRatio> {
    let quantile = |a: f64, b: f64| FisherSnedecor::new(a, b).ok().map(|d| d.inverse_cdf(0.975));
    if !(one.sd > 0.0 && other.sd > 0.0) {
        return None;
    }
    let (down, up) = (quantile(one.df, other.df)?, quantile(other.df, one.df)?);
    let ratio = one.sd / other.sd;
    Some(SpreadRatio { one, other, ratio, ci95: [ratio / down.sqrt(), ratio * up.sqrt()] })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stats::pooled::within;
    use rand_chacha::ChaCha8Rng;
    use rand_chacha::rand_core::SeedableRng;
    use rand_distr::{Distribution, Normal};

    #[test]
    fn swapping_the_two_turns_the_interval_over() {
        let (a, b) = (Within { sd: 1.7, df: 5.0 }, Within { sd: 0.6, df: 9.0 });
        let (there, back) = (spread_ratio(a, b).unwrap(), spread_ratio(b, a).unwrap());
        assert!((there.ratio * back.ratio - 1.0).abs() < 1e-12);
        assert!((there.ci95[0] * back.ci95[1] - 1.0).abs() < 1e-9, "{there:?} {back:?}");
        assert_eq!((there.more(), back.more()), (Some(true), Some(false)));
    }

    #[test]
    fn no_scatter_or_no_second_pull_is_not_told() {
        assert_eq!(spread_ratio(Within { sd: 0.0, df: 2.0 }, Within { sd: 1.0, df: 2.0 }), None);
        assert_eq!(spread_ratio(Within { sd: 1.0, df: 0.0 }, Within { sd: 1.0, df: 2.0 }), None);
    }

    #[test]
    fn the_interval_covers_the_true_ratio_as_often_as_it_says() {
        let mut rng = ChaCha8Rng::seed_from_u64(7);
        let (wide, narrow) = (Normal::new(100.0, 2.4).unwrap(), Normal::new(90.0, 0.8).unwrap());
        let mut draw =
            |of: &Normal<f64>, n: usize| -> Vec<f64> { (0..n).map(|_| of.sample(&mut rng)).collect() };
        let covered = (0..4000).filter(|_| {
            let (a, b, c) = (draw(&wide, 3), draw(&narrow, 3), draw(&narrow, 4));
            let (one, other) = (within(&[&a]).unwrap(), within(&[&b, &c]).unwrap());
            let [low, high] = spread_ratio(one, other).unwrap().ci95;
            (low..=high).contains(&3.0)
        });
        let share = covered.count() as f64 / 4000.0;
        assert!((0.94..0.96).contains(&share), "{share}");
    }
}
