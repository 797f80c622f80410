//! One probe moved from cylinder to cylinder: what each showed, in other pulls under like conditions.

use super::cylinders::range_quantile;
use crate::stats::two_sets::{mean, sum_of_squares};
use serde::Serialize;

/// Cylinders joined across pulls.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Moved {
    /// Place, mean over its pulls, and how many they are.
    pub places: Vec<(String, f64, usize)>,
    /// Highest less lowest mean.
    pub spread: f64,
    /// Spread that equal cylinders show by chance in one of twenty; `None` without repeats.
    pub by_chance: Option<f64>,
    /// Scatter from pull to pull of one place.
    pub sd: Option<f64>,
}

impl Moved {
    /// Whether the spread is more than repeats explain; `None` where nobody knows.
    pub fn is_named(&self) -> Option<bool> {
        self.by_chance.map(|c| self.spread > c)
    }
}

/// Joins places whose pulls are others. `None` below two places.
///
/// # Formula
/// named where `max − min > q·s/√n`, `s² = ΣSS/(N − k)` pooled within the places
///
/// where
/// - `q`: 95 % quantile of the studentised range of `k` means with `N − k` degrees of freedom; `n`: harmonic mean of
///   the pulls of each place (Tukey 1953, Kramer 1956; domain, section 7: never a same-pull spread).
pub fn moved(places: &[(String, Vec<f64>)]) -> Option<Moved> {
    let places: Vec<&(String, Vec<f64>)> = places.iter().filter(|p| !p.1.is_empty()).collect();
    let k = places.len();
    if k < 2 {
        return None;
    }
    let means: Vec<f64> = places.iter().map(|p| mean(&p.1)).collect();
    let (low, high) =
        means.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let total: usize = places.iter().map(|p| p.1.len()).sum();
    let df = (total - k) as f64;
    let sd = (df >= 1.0).then(|| (places.iter().map(|p| sum_of_squares(&p.1)).sum::<f64>() / df).sqrt());
    let n = k as f64 / places.iter().map(|p| 1.0 / p.1.len() as f64).sum::<f64>();
    Some(Moved {
        by_chance: sd.map(|s| range_quantile(k, df) * s / n.sqrt()),
        places: places.iter().zip(&means).map(|(p, m)| (p.0.clone(), *m, p.1.len())).collect(),
        spread: high - low,
        sd,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lean_place_is_named_only_beyond_what_its_repeats_scatter() {
        let of = |v: &[(&str, &[f64])]| {
            moved(&v.iter().map(|(n, x)| ((*n).to_owned(), x.to_vec())).collect::<Vec<_>>())
        };
        let apart =
            of(&[("cylinder 1", &[0.850, 0.854, 0.852]), ("cylinder 2", &[0.890, 0.893, 0.888])]).unwrap();
        assert_eq!(apart.is_named(), Some(true));
        assert!((apart.spread - 0.038_333).abs() < 1e-5, "{apart:?}");
        let alike =
            of(&[("cylinder 1", &[0.850, 0.860, 0.870]), ("cylinder 2", &[0.855, 0.865, 0.875])]).unwrap();
        assert_eq!(alike.is_named(), Some(false));
        assert_eq!(of(&[("1", &[0.85]), ("2", &[0.95])]).unwrap().is_named(), None, "no repeats");
        assert!(of(&[("1", &[0.85, 0.86])]).is_none());
    }
}
