//! One map revision on many vehicles: what it usually gains over stock, and what to expect of the next.

use super::distributions::t_quantile;
use serde::Serialize;

/// Fewest vehicles that say anything of the next (domain, section 5).
pub const FEWEST: usize = 3;
/// Below this many only gross departures show (domain, section 5).
pub const NARROW: usize = 5;

/// What it gained on one vehicle.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct OnVehicle {
    /// Gain over that vehicle's stock, %.
    pub percent: f64,
    /// Variance of that gain from its pulls, %².
    pub variance: f64,
}

/// What it usually gains.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Release {
    /// Vehicles.
    pub n: usize,
    /// Mean gain, %.
    pub mean: f64,
    /// Standard deviation from vehicle to vehicle, %.
    pub sd: f64,
    /// Mean variance of a gain from its pulls, %².
    pub pulls: f64,
    /// Fewer than five: only gross departures show.
    pub wide: bool,
    /// Those that lie outside of what the others let expect, by index; they stay in the pool.
    pub outside: Vec<usize>,
}

/// Gathers gains of one revision at one place of measurement; `None` below three vehicles.
pub fn release(gains: &[OnVehicle]) -> Option<Release> {
    let mut out = pooled(gains)?;
    let others = |i: usize| -> Vec<OnVehicle> {
        gains.iter().enumerate().filter(|(k, _)| *k != i).map(|(_, g)| *g).collect()
    };
    out.outside = (0..gains.len())
        .filter(|&i| {
            let of = pooled(&others(i)).map(|r| r.expected(gains[i].variance));
            of.is_some_and(|[low, high]| !(low..=high).contains(&gains[i].percent))
        })
        .collect();
    Some(out)
}

fn pooled(gains: &[OnVehicle]) -> Option<Release> {
    let n = gains.len();
    if n < FEWEST || gains.iter().any(|g| !g.percent.is_finite() || !g.variance.is_finite()) {
        return None;
    }
    let mean = gains.iter().map(|g| g.percent).sum::<f64>() / n as f64;
    let square = gains.iter().map(|g| (g.percent - mean).powi(2)).sum::<f64>();
    let pulls = gains.iter().map(|g| g.variance).sum::<f64>() / n as f64;
    let sd = (square / (n - 1) as f64).sqrt();
    Some(Release { n, mean, sd, pulls, wide: n < NARROW, outside: Vec::new() })
}

impl Release {
    /// Where the gain of another vehicle is expected, 95 %, if its own pulls give it a variance.
    ///
    /// # Formula
    /// `ḡ ± t(0.975, n − 1)·√(s²·(1 + 1/n) + max(0, v_new − v̄))`
    ///
    /// where
    /// - `ḡ`, `s`: mean and standard deviation of the gains over the vehicles, %;
    /// - `v_new`, `v̄`: variance of the new gain from its pulls, and the mean of those pooled, %² (domain, section 5).
    ///
    /// ```
    /// use jamjar_core::stats::release::{OnVehicle, release};
    /// let of = |percent| OnVehicle { percent, variance: 0.25 };
    /// let r = release(&[of(10.0), of(12.0), of(11.0)]).unwrap();
    /// let [low, high] = r.expected(0.25);
    /// // t(0.975, 2) = 4.3027, s = 1: 4.3027·√(4/3) either way.
    /// assert!((high - 11.0 - 4.3027 * (4.0f64 / 3.0).sqrt()).abs() < 1e-3 && (low + high - 22.0).abs() < 1e-9);
    /// assert!(r.expected(1.25)[1] > high, "a gain that is known less well may lie further off");
    /// ```
    pub fn expected(&self, variance: f64) -> [f64; 2] {
        let n = self.n as f64;
        let extra = (variance - self.pulls).max(0.0);
        let half = t_quantile(0.975, n - 1.0) * (self.sd * self.sd * (1.0 + 1.0 / n) + extra).sqrt();
        [self.mean - half, self.mean + half]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(percent: f64) -> OnVehicle {
        OnVehicle { percent, variance: 0.1 }
    }

    #[test]
    fn two_vehicles_say_nothing_of_a_third_and_four_are_wide() {
        assert_eq!(release(&[of(10.0), of(11.0)]), None);
        assert!(release(&[of(10.0), of(11.0), of(12.0), of(10.5)]).unwrap().wide);
        assert!(!release(&[of(10.0), of(11.0), of(12.0), of(10.5), of(11.2)]).unwrap().wide);
        assert_eq!(release(&[of(10.0), of(f64::NAN), of(12.0)]), None);
    }

    #[test]
    fn one_far_off_is_flagged_and_stays() {
        let gains = [of(10.0), of(10.4), of(9.8), of(10.1), of(3.0)];
        let r = release(&gains).unwrap();
        assert_eq!((r.outside.clone(), r.n), (vec![4], 5));
        assert!(r.mean < 9.0, "it stays in the pool");
        assert!(release(&gains[..4]).unwrap().outside.is_empty());
    }
}
