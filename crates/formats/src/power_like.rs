//! Power in a column called torque: no engine's torque keeps growing with its speed up to the very top, and
//! every engine's power does.

use jamjar_core::signal::median::median_in_place;

/// A torque that grows as power does: its value at about half the highest speed, and near the highest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct GrowsLikePower {
    pub(crate) half: f64,
    pub(crate) top: f64,
}

/// Shares of the highest speed between which values are taken: about half, about three quarters, the top.
const HALF: [f64; 2] = [0.45, 0.60];
const MIDDLE: [f64; 2] = [0.70, 0.80];
const TOP: [f64; 2] = [0.92, 1.0];
/// Power at half the speed is at most this share of what it is at the top, and at three quarters at most that
/// (our choice: constant torque gives 0.53 and 0.78, torque that falls to the top somewhat more; the torque of
/// engines that draw breath late has reached its height by three quarters).
const AT_HALF: f64 = 0.70;
const AT_MIDDLE: f64 = 0.93;
/// Fewer values at a place tell nothing.
const FEWEST: usize = 3;

/// Judges values under load over a sweep; `None` also where the sweep is too short to tell.
pub(crate) fn grows_like_power(torque: &[f64], speed: &[f64]) -> Option<GrowsLikePower> {
    let most = torque.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
    let loaded: Vec<(f64, f64)> = torque
        .iter()
        .zip(speed)
        .map(|(t, n)| (*n, *t))
        .filter(|(n, t)| n.is_finite() && *t > 0.2 * most)
        .collect();
    let fastest = loaded.iter().map(|p| p.0).fold(0.0, f64::max);
    let at = |[from, to]: [f64; 2]| {
        let here = |p: &&(f64, f64)| (from * fastest..=to * fastest).contains(&p.0);
        let mut values: Vec<f64> = loaded.iter().filter(here).map(|p| p.1).collect();
        (values.len() >= FEWEST).then(|| median_in_place(&mut values))
    };
    let (half, middle, top) = (at(HALF)?, at(MIDDLE)?, at(TOP)?);
    let grows = half <= AT_HALF * top && middle <= AT_MIDDLE * top && half < middle;
    grows.then_some(GrowsLikePower { half, top })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sweep(of: impl Fn(f64) -> f64) -> Option<GrowsLikePower> {
        let speed: Vec<f64> = (0..200).map(|i| 1800.0 + 24.0 * f64::from(i)).collect();
        grows_like_power(&speed.iter().map(|n| of(*n)).collect::<Vec<_>>(), &speed)
    }

    #[test]
    fn power_is_told_from_torque_whatever_its_unit_and_torque_is_left_alone() {
        let humped = |n: f64| 230.0 - ((n - 4200.0) / 260.0).powi(2);
        let flat = |_: f64| 300.0;
        let late = |n: f64| 120.0 + 130.0 / (1.0 + (-(n - 3600.0) / 250.0).exp());
        for torque in [&humped as &dyn Fn(f64) -> f64, &flat, &late] {
            assert_eq!(sweep(torque), None);
            for unit in [1.0, 1.341] {
                let power = |n: f64| torque(n) * n / 9549.3 * unit;
                let told = sweep(power).unwrap();
                assert!(told.half < 0.7 * told.top);
            }
        }
        assert_eq!(
            grows_like_power(&[10.0, 20.0, 30.0], &[1000.0, 2000.0, 3000.0]),
            None,
            "three points tell nothing"
        );
    }
}
