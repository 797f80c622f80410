//! Cylinders against each other: a spread is named only where repeats do not explain it.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{ChiSquared, Distribution, StandardNormal};
use serde::Serialize;

/// Draws behind the quantile of a range, with a fixed seed: accurate to about 1 % (our choice).
const DRAWS: usize = 20_000;
const SEED: u64 = 0x63_79_6c;

/// Cylinders of repeated pulls.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Cylinders {
    /// Mean of each, in the order given.
    pub means: Vec<f64>,
    /// Highest less lowest.
    pub spread: f64,
    /// Spread that equal cylinders show by chance in one of twenty sets like this; `None` below two pulls.
    pub by_chance: Option<f64>,
    /// Scatter of one cylinder from pull to pull beside the others.
    pub sd: Option<f64>,
    /// Pulls in which all were measured together.
    pub pulls: usize,
}

impl Cylinders {
    /// Whether the spread is more than repeats explain; `None` where nobody knows.
    pub fn is_named(&self) -> Option<bool> {
        self.by_chance.map(|c| self.spread > c)
    }
}

/// Spread of cylinders that were measured together, from a value of each in each pull. Pulls that lack one are left
/// out; `None` below two cylinders or without a whole pull.
///
/// # Formula
/// named where `max − min > q·s/√n`
///
/// where
/// - `s²`: residual variance of cylinder × pull after both means, `(k − 1)(n − 1)` degrees of freedom: what all
///   cylinders share from pull to pull is none of their spread;
/// - `q`: 95 % quantile of the studentised range of `k` means with those degrees of freedom, by seeded draws (Tukey
///   1953; domain, section 7: four equal cylinders show 2.1 s by chance).
pub fn cylinders(pulls: &[Vec<Option<f64>>]) -> Option<Cylinders> {
    let k = pulls.iter().map(Vec::len).max().filter(|k| *k >= 2)?;
    let whole: Vec<Vec<f64>> =
        pulls.iter().filter(|p| p.len() == k).filter_map(|p| p.iter().copied().collect()).collect();
    let n = whole.len();
    if n == 0 {
        return None;
    }
    let means: Vec<f64> = (0..k).map(|c| whole.iter().map(|p| p[c]).sum::<f64>() / n as f64).collect();
    let (low, high) =
        means.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let all = means.iter().sum::<f64>() / k as f64;
    let df = ((k - 1) * (n - 1)) as f64;
    let rss: f64 = whole
        .iter()
        .flat_map(|p| {
            let own = p.iter().sum::<f64>() / k as f64;
            p.iter().zip(&means).map(move |(v, m)| (v - own - m + all).powi(2)).collect::<Vec<_>>()
        })
        .sum();
    let sd = (n >= 2).then(|| (rss / df).sqrt());
    let by_chance = sd.map(|s| range_quantile(k, df) * s / (n as f64).sqrt());
    Some(Cylinders { means, spread: high - low, by_chance, sd, pulls: n })
}

/// 95 % quantile of the studentised range of `k` means.
pub(super) fn range_quantile(k: usize, df: f64) -> f64 {
    let mut rng = ChaCha8Rng::seed_from_u64(SEED);
    let Ok(chi) = ChiSquared::new(df) else { return f64::INFINITY };
    let mut drawn: Vec<f64> = (0..DRAWS)
        .map(|_| {
            let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
            for _ in 0..k {
                let z: f64 = StandardNormal.sample(&mut rng);
                (low, high) = (low.min(z), high.max(z));
            }
            let s: f64 = chi.sample(&mut rng);
            (high - low) / (s / df).sqrt()
        })
        .collect();
    drawn.sort_by(f64::total_cmp);
    drawn[(0.95 * DRAWS as f64) as usize]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_quantile_is_that_of_the_tables() {
        for (k, df, q) in [(3, 10.0, 3.88), (4, 20.0, 3.96), (2, 8.0, 3.26)] {
            let got = range_quantile(k, df);
            assert!((got / q - 1.0).abs() < 0.02, "{k} {df}: {got}");
        }
    }

    #[test]
    fn equal_cylinders_are_called_unequal_one_time_in_twenty_and_a_lean_one_is_found() {
        let mut rng = ChaCha8Rng::seed_from_u64(9);
        let mut day = |lean: f64| -> Vec<Vec<Option<f64>>> {
            (0..4)
                .map(|_| {
                    let shared: f64 = StandardNormal.sample(&mut rng);
                    (0..4)
                        .map(|c| {
                            let z: f64 = StandardNormal.sample(&mut rng);
                            Some(0.85 + 0.02 * shared + 0.004 * z + if c == 2 { lean } else { 0.0 })
                        })
                        .collect()
                })
                .collect()
        };
        let named = (0..400).filter(|_| cylinders(&day(0.0)).unwrap().is_named() == Some(true)).count();
        assert!((8..=36).contains(&named), "{named} of 400");
        let found = (0..50).filter(|_| cylinders(&day(0.02)).unwrap().is_named() == Some(true)).count();
        assert!(found >= 48, "{found} of 50, whatever all of them did from pull to pull");
    }

    #[test]
    fn without_repeats_or_a_second_probe_nothing_is_named() {
        assert_eq!(cylinders(&[vec![Some(0.85)]]), None);
        assert_eq!(cylinders(&[vec![Some(0.85), None]]), None, "measured in different pulls");
        let once = cylinders(&[vec![Some(0.85), Some(0.90)]]).unwrap();
        assert_eq!((once.is_named(), once.pulls), (None, 1));
    }
}
