//! Steady spots: stretches of a recording at one engine speed and one plate opening below full load, where mixture,
//! spark and fuel can be read together.

use crate::log::Series;
use serde::Serialize;

/// A spot lasts at least so long, s; so much of its begin is left to settle, s (our choice).
const LEAST_S: f64 = 1.0;
const SETTLES_S: f64 = 0.4;
/// Engine speed stays within this share, and plate or pedal within so many points (our choice).
const SPEED_SHARE: f64 = 0.03;
const PLATE_POINTS: f64 = 2.0;
/// Plate or pedal below which it is cruise, %, and engine speed above which it is no idle, rpm (our choice).
const CRUISE_PCT: f64 = 70.0;
const ABOVE_IDLE_RPM: f64 = 1200.0;

/// Where and when.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Spot {
    /// From which time, s, the settling left out.
    pub from_s: f64,
    /// To which time, s.
    pub to_s: f64,
    /// Mean engine speed, rpm.
    pub rpm: f64,
    /// Mean opening of plate or pedal, %.
    pub plate: f64,
}

/// Finds the steady spots of a recording, in order of time.
///
/// # Formula
/// From each sample the longest stretch in which `max n − min n ≤ 3 %` and `max α − min α ≤ 2` points
///
/// where
/// - `n`: engine speed, rpm; `α`: plate or pedal, % (domain, sections 7 and 13; the widths are our choice).
pub fn steady(speed: &Series, plate: &Series) -> Vec<Spot> {
    let mut at = plate.reader();
    let all: Vec<(f64, f64, f64)> =
        speed.t.iter().zip(&speed.v).filter_map(|(t, n)| Some((*t, *n, at.at(*t)?))).collect();
    let mut out = Vec::new();
    let mut first = 0;
    while first < all.len() {
        let (_, n0, a0) = all[first];
        let (mut low, mut high, mut shut, mut open) = (n0, n0, a0, a0);
        let mut last = first;
        for (k, (t, n, a)) in all.iter().enumerate().skip(first) {
            let (l, h, s, o) = (low.min(*n), high.max(*n), shut.min(*a), open.max(*a));
            let gap = k > first && t - all[k - 1].0 > 0.5;
            if gap || h - l > SPEED_SHARE * l || o - s > PLATE_POINTS {
                break;
            }
            (low, high, shut, open, last) = (l, h, s, o, k);
        }
        let (from, to) = (all[first].0 + SETTLES_S, all[last].0);
        if all[last].0 - all[first].0 >= LEAST_S && n0 >= ABOVE_IDLE_RPM && a0 < CRUISE_PCT {
            let inside: Vec<&(f64, f64, f64)> = all[first..=last].iter().filter(|p| p.0 >= from).collect();
            let mean = |of: fn(&(f64, f64, f64)) -> f64| {
                inside.iter().map(|p| of(p)).sum::<f64>() / inside.len().max(1) as f64
            };
            out.push(Spot { from_s: from, to_s: to, rpm: mean(|p| p.1), plate: mean(|p| p.2) });
            first = last + 1;
        } else {
            first += 1;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn series(f: impl Fn(f64) -> f64) -> Series {
        let t: Vec<f64> = (0..400).map(|i| f64::from(i) * 0.025).collect();
        Series { v: t.iter().map(|t| f(*t)).collect(), t }
    }

    #[test]
    fn a_cruise_before_a_sweep_is_a_spot_and_the_sweep_is_none() {
        let speed =
            series(|t| if t < 2.0 { 2000.0 + 8.0 * (9.0 * t).sin() } else { 2000.0 + 500.0 * (t - 2.0) });
        let plate = series(|t| if t < 2.0 { 18.0 } else { 100.0 });
        let [spot] = steady(&speed, &plate)[..] else { panic!("{:?}", steady(&speed, &plate)) };
        assert!((spot.rpm - 2000.0).abs() < 8.0 && spot.plate == 18.0, "{spot:?}");
        assert!((spot.from_s - 0.4).abs() < 0.03 && (1.9..2.2).contains(&spot.to_s), "{spot:?}");
    }

    #[test]
    fn idle_and_full_load_are_no_cruise() {
        assert!(steady(&series(|_| 850.0), &series(|_| 3.0)).is_empty());
        assert!(steady(&series(|_| 3000.0), &series(|_| 99.0)).is_empty());
        assert!(!steady(&series(|_| 3000.0), &series(|_| 30.0)).is_empty());
    }
}
