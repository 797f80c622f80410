//! Power in a column called torque: no engine's torque keeps growing with its speed up to the very top, and
//! every engine's power does.

use jamjar_core::signal::interp::linear_clamped;
use jamjar_core::signal::median::median_in_place;

/// A torque that grows as power does: its value at half the speed of the highest, and the highest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct GrowsLikePower {
    pub(crate) half: f64,
    pub(crate) top: f64,
}

/// The highest value of power lies at this share of the highest speed or above.
const HIGH: f64 = 0.8;
/// Shares of the speed of the highest value between which values are taken: about half, about three quarters,
/// the highest itself.
const HALF: [f64; 2] = [0.45, 0.58];
const MIDDLE: [f64; 2] = [0.70, 0.80];
const TOP: [f64; 2] = [0.96, 1.04];
/// Power at half the speed is at most this share of the highest, and at three quarters at most that (our choice:
/// constant torque gives 0.52 and 0.75, torque that falls towards the highest power somewhat more; the torque of
/// engines that draw breath late has reached its height by three quarters).
const AT_HALF: f64 = 0.70;
const AT_MIDDLE: f64 = 0.93;
/// Fewer values at a place tell nothing.
const FEWEST: usize = 3;
/// Parts of the speeds in which the highest value is looked for, so that no single sample is it.
const PARTS: usize = 24;

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
    let at = |[from, to]: [f64; 2], of: f64| {
        let here = |p: &&(f64, f64)| (from * of..=to * of).contains(&p.0);
        let mut values: Vec<f64> = loaded.iter().filter(here).map(|p| p.1).collect();
        (values.len() >= FEWEST).then(|| median_in_place(&mut values))
    };
    let part = |k: usize| [k as f64 / PARTS as f64, (k + 1) as f64 / PARTS as f64];
    let highest =
        (0..PARTS).filter_map(|k| Some((k, at(part(k), fastest)?))).max_by(|a, b| a.1.total_cmp(&b.1))?;
    let peak = fastest * (highest.0 as f64 + 0.5) / PARTS as f64;
    let (half, middle, top) = (at(HALF, peak)?, at(MIDDLE, peak)?, at(TOP, peak)?);
    let grows = peak >= HIGH * fastest && half <= AT_HALF * top && middle <= AT_MIDDLE * top && half < middle;
    grows.then_some(GrowsLikePower { half, top })
}

/// Fewest points of a curve that tell its shape.
const FEWEST_POINTS: usize = 8;
/// Values that a curve is drawn with before it is judged.
const DRAWN: usize = 400;

/// The same of a finished curve: its points, joined by lines. Speeds ascend.
pub(crate) fn curve_grows_like_power(torque: &[f64], speed: &[f64]) -> Option<GrowsLikePower> {
    let (n, t): (Vec<f64>, Vec<f64>) = speed.iter().zip(torque).filter(|(_, t)| t.is_finite()).unzip();
    let (first, last) = (*n.first()?, *n.last()?);
    if n.len() < FEWEST_POINTS {
        return None;
    }
    let at: Vec<f64> = (0..DRAWN).map(|i| first + (last - first) * i as f64 / (DRAWN - 1) as f64).collect();
    let drawn: Vec<f64> = at.iter().filter_map(|x| linear_clamped(&n, &t, *x)).collect();
    grows_like_power(&drawn, &at)
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
