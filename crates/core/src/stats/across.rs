//! Sets of two days compared through each day's own baseline.

use super::distributions::t_quantile;
use serde::Serialize;

/// One set mean with what is known of its scatter, both relative to it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mean {
    /// Mean of the figure.
    pub value: f64,
    /// Pulls.
    pub n: usize,
    /// Relative scatter of one pull on that day (s_w ÷ mean) and its degrees of freedom.
    pub scatter: (f64, f64),
}

/// A relative difference with its interval.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Relative {
    /// `ln` of the ratio of ratios.
    pub log_ratio: f64,
    /// Half-width of its 95 % interval.
    pub half_width: f64,
    /// Degrees of freedom (Satterthwaite).
    pub df: f64,
    /// Whether scatter between mountings is in it.
    pub mounted: bool,
}

impl Relative {
    /// As shares: difference and the two ends.
    pub fn shares(&self) -> [f64; 3] {
        [
            self.log_ratio.exp_m1(),
            (self.log_ratio - self.half_width).exp_m1(),
            (self.log_ratio + self.half_width).exp_m1(),
        ]
    }
}

/// Gain of a candidate over its day's baseline against the gain of `base` over its own: pairs of (set,
/// baseline of its day).
///
/// # Formula
/// `d = ln(candidate/its baseline) − ln(base/its baseline)`; `Var = Σ (s_w/x̄)²/n over the four means +
/// 4·s_b²`, s_b relative, with `df_b` degrees of freedom; without a set run again `between` is `None` and the
/// interval holds within one mounting each only. When the base is its own baseline (`None`), two means remain
/// and 2·s_b². `None` for values that are not positive.
///
/// where
/// - `x̄`, `n`: mean and pulls of each set, `s_w` the scatter of one pull on its day; all relative, so no unit.
///
/// ```
/// use jamjar_core::stats::across::{Mean, difference_in_differences};
/// let set = |value| Mean { value, n: 4, scatter: (0.005, 9.0) };
/// let (today, then) = ((set(220.0), set(200.0)), (set(198.0), set(190.0)));
/// let r = difference_in_differences(Some(then), today, None).unwrap();
/// assert!((r.shares()[0] - (1.10 / (198.0 / 190.0) - 1.0)).abs() < 1e-12);
/// ```
pub fn difference_in_differences(
    base: Option<(Mean, Mean)>,
    candidate: (Mean, Mean),
    between: Option<(f64, f64)>,
) -> Option<Relative> {
    let mut means = vec![candidate.0, candidate.1];
    means.extend(base.iter().flat_map(|b| [b.0, b.1]));
    if means.iter().any(|m| m.n == 0 || m.value <= 0.0 || !m.value.is_finite()) {
        return None;
    }
    let log_ratio = means.iter().zip([1.0, -1.0, -1.0, 1.0]).map(|(m, sign)| sign * m.value.ln()).sum();
    let mut parts: Vec<(f64, f64)> =
        means.iter().map(|m| (m.scatter.0.powi(2) / m.n as f64, m.scatter.1)).collect();
    // The means of one day share its pooled scatter: their parts are one estimate.
    let mut joined: Vec<(f64, f64)> = parts.chunks_mut(2).map(|c| (c[0].0 + c[1].0, c[0].1)).collect();
    joined.extend(between.map(|(s_b, df)| (means.len() as f64 * s_b * s_b, df)));
    let variance: f64 = joined.iter().map(|p| p.0).sum();
    let below: f64 = joined.iter().filter(|p| p.0 > 0.0).map(|p| p.0 * p.0 / p.1).sum();
    if variance <= 0.0 || below <= 0.0 {
        return None;
    }
    let df = variance * variance / below;
    Some(Relative {
        log_ratio,
        half_width: t_quantile(0.975, df) * variance.sqrt(),
        df,
        mounted: between.is_some(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mean(value: f64) -> Mean {
        Mean { value, n: 3, scatter: (0.005, 8.0) }
    }

    #[test]
    fn a_day_that_weakens_every_set_alike_cancels() {
        // The same map gains 10 % on both days; the second day is 6 % weaker throughout.
        let d = difference_in_differences(
            Some((mean(110.0), mean(100.0))),
            (mean(110.0 * 0.94), mean(94.0)),
            None,
        )
        .unwrap();
        assert!(d.log_ratio.abs() < 1e-12);
        let plain = (110.0_f64 * 0.94 / 110.0).ln();
        assert!(
            plain.abs() > d.half_width,
            "the plain difference would have been called a loss: {plain} {}",
            d.half_width
        );
    }

    #[test]
    fn four_means_are_less_certain_than_two() {
        let four =
            difference_in_differences(Some((mean(110.0), mean(100.0))), (mean(105.0), mean(95.0)), None)
                .unwrap();
        let two = difference_in_differences(None, (mean(105.0), mean(95.0)), None).unwrap();
        assert!(four.half_width > two.half_width);
        assert!((two.log_ratio - (105.0_f64 / 95.0).ln()).abs() < 1e-12);
        let mounted = difference_in_differences(
            Some((mean(110.0), mean(100.0))),
            (mean(105.0), mean(95.0)),
            Some((0.004, 2.0)),
        )
        .unwrap();
        assert!(mounted.half_width > four.half_width && mounted.df < four.df);
    }

    #[test]
    fn shares_are_what_a_person_reads() {
        let s = Relative { log_ratio: 1.1_f64.ln(), half_width: 0.01, df: 8.0, mounted: false }.shares();
        assert!((s[0] - 0.1).abs() < 1e-12 && s[1] < s[0] && s[0] < s[2]);
        assert!(difference_in_differences(None, (mean(0.0), mean(1.0)), None).is_none());
    }

    #[test]
    fn coverage_over_days_is_as_stated() {
        use rand_chacha::rand_core::SeedableRng;
        use rand_distr::{Distribution, StandardNormal};
        let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(5);
        let (mut held, all) = (0, 3000);
        for k in 0..all {
            let level = 1.0 + 0.02 * f64::from(k % 7);
            let mut day = |truths: [f64; 2], level: f64| {
                let sets: Vec<Vec<f64>> = truths
                    .iter()
                    .map(|t| {
                        (0..3)
                            .map(|_| {
                                let z: f64 = StandardNormal.sample(&mut rng);
                                t * level * (1.0 + 0.005 * z)
                            })
                            .collect()
                    })
                    .collect();
                let w = crate::stats::pooled::within(&[&sets[0], &sets[1]]).unwrap();
                [0, 1].map(|i| {
                    let value = crate::stats::two_sets::mean(&sets[i]);
                    Mean { value, n: 3, scatter: (w.sd / value, w.df) }
                })
            };
            let [base0, base] = day([100.0, 112.0], 1.0);
            let [cand0, cand] = day([100.0, 118.0], level);
            let d = difference_in_differences(Some((base, base0)), (cand, cand0), None).unwrap();
            held += u32::from((d.log_ratio - (118.0_f64 / 112.0).ln()).abs() <= d.half_width);
        }
        let share = f64::from(held) / f64::from(all);
        assert!((0.935..0.97).contains(&share), "{share}");
    }
}
