//! Whether knock control was listening. Retard that stays at nothing is a measurement only where it could
//! have moved.

use crate::log::View;
use crate::signal::median::median_in_place;

/// A live level's median in the top third of the sweep's speed is at least this many times that in the bottom
/// third (domain, section 8).
const GROWS: f64 = 1.2;
/// Retard that comes within this time of a level event follows it, s (our choice).
const FOLLOWS_S: f64 = 0.5;
/// A level this many times its own median is an event (our choice).
const EVENT: f64 = 1.5;
/// Retard below this is the last digit's own, degrees (our choice).
const MOVED_DEG: f64 = 0.25;
/// Readings needed in each third.
const ENOUGH: usize = 5;
/// The growth is so many times its own standard error, or it may be the floor's own scatter (our choice: once in thirty
/// thousand sweeps of a deaf sensor).
const BEYOND_SCATTER: f64 = 4.0;
/// Standard error of a median over σ/√n, σ as 1.4826 times the median absolute deviation (normal scatter).
const OF_MEDIAN: f64 = 1.2533 * 1.4826;

/// Whether a knock level hears the engine: mechanical noise grows with speed, a counter, a zero and a
/// scattering floor do not.
///
/// # Formula
/// `m_t ≥ 1.2·m_b` and `m_t − m_b > 4·1.2533·1.4826·√(d_t²/n_t + d_b²/n_b)`
///
/// where
/// - `m`, `d`, `n`: median, median absolute deviation and number of readings of the top and the bottom third of the
///   sweep's speed (the first part: domain, section 8; the second: our choice).
pub(crate) fn is_live(level: View<'_>, speed: View<'_>, [from, to]: [f64; 2]) -> bool {
    let inside = level.between(from, to);
    let mut at = speed.reader();
    let pairs: Vec<(f64, f64)> =
        inside.t.iter().zip(inside.v).filter_map(|(t, v)| Some((at.at(*t)?, *v))).collect();
    let (low, high) =
        pairs.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| (a.min(p.0), b.max(p.0)));
    let third = (high - low) / 3.0;
    let middle = |keep: &dyn Fn(f64) -> bool| {
        let mut v: Vec<f64> = pairs.iter().filter(|p| keep(p.0)).map(|p| p.1).collect();
        (v.len() >= ENOUGH).then(|| {
            let m = median_in_place(&mut v);
            let mut off: Vec<f64> = v.iter().map(|x| (x - m).abs()).collect();
            (m, median_in_place(&mut off).powi(2) / v.len() as f64)
        })
    };
    let (Some((bottom, of_bottom)), Some((top, of_top))) =
        (middle(&|rpm| rpm <= low + third), middle(&|rpm| rpm >= high - third))
    else {
        return false;
    };
    // A counter only climbs, and its last digit is a whole one.
    let counts = inside.v.windows(2).all(|w| w[1] >= w[0]) && inside.v.iter().all(|v| v.fract() == 0.0);
    let error = OF_MEDIAN * (of_bottom + of_top).sqrt();
    !counts && bottom > 0.0 && top >= GROWS * bottom && top - bottom > BEYOND_SCATTER * error
}

/// Whether retard was seen to come with an event of the level anywhere in the recording, or, without a level,
/// to move by itself.
pub(crate) fn responds(retard: View<'_>, level: Option<View<'_>>) -> bool {
    let steps: Vec<f64> = (1..retard.len())
        .filter(|&i| retard.v[i].abs() >= retard.v[i - 1].abs() + MOVED_DEG)
        .map(|i| retard.t[i])
        .collect();
    let Some(level) = level else { return !steps.is_empty() };
    let mut v = level.v.to_vec();
    if v.is_empty() {
        return false;
    }
    let usual = median_in_place(&mut v);
    usual > 0.0
        && steps.iter().any(|t| {
            let before = level.between(t - FOLLOWS_S, t + 0.05);
            before.v.iter().any(|x| *x >= EVENT * usual)
        })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::log::Series;
    use rand_chacha::ChaCha8Rng;
    use rand_chacha::rand_core::{Rng, SeedableRng};

    fn series(f: impl Fn(f64) -> f64) -> Series {
        let t: Vec<f64> = (0..120).map(|i| f64::from(i) * 0.05).collect();
        Series { v: t.iter().map(|t| f(*t)).collect(), t }
    }

    #[test]
    fn only_a_level_that_grows_with_speed_is_live() {
        let speed = series(|t| 2000.0 + 700.0 * t);
        let noise = |t: f64| ((t * 977.0).sin() * 43758.5).fract().abs();
        for (name, level, live) in [
            ("mechanical noise", series(|t| 0.9 + 0.2 * t + 0.1 * noise(t)), true),
            ("zeros", series(|_| 0.0), false),
            ("a scattering floor", series(|t| 0.5 + 0.2 * noise(t)), false),
            ("a counter", series(|t| (t * 1.5).floor()), false),
            ("a flat line", series(|_| 1.3), false),
        ] {
            assert_eq!(is_live(level.view(), speed.view(), [0.0, 6.0]), live, "{name}");
        }
    }

    #[test]
    fn the_scatter_of_a_deaf_sensor_near_zero_is_never_taken_for_hearing() {
        let speed = series(|t| 2000.0 + 700.0 * t);
        let mut dice = ChaCha8Rng::seed_from_u64(1);
        let mut even = || (dice.next_u64() >> 11) as f64 / (1u64 << 53) as f64;
        let heard = (0..2000).filter(|_| {
            let mut floor = series(|_| 0.0);
            for v in &mut floor.v {
                let normal = (-2.0 * even().max(1e-12).ln()).sqrt() * (std::f64::consts::TAU * even()).cos();
                *v = (0.07 * normal).max(0.0);
            }
            is_live(floor.view(), speed.view(), [0.0, 6.0])
        });
        assert_eq!(heard.count(), 0);
    }

    #[test]
    fn retard_must_follow_an_event_of_the_level() {
        let retard = series(|t| if (3.0..4.0).contains(&t) { 2.0 } else { 0.0 });
        let knock = |at: f64| series(move |t| if (t - at).abs() < 0.06 { 3.0 } else { 1.0 });
        assert!(responds(retard.view(), Some(knock(2.9).view())));
        assert!(!responds(retard.view(), Some(knock(5.0).view())), "the event came later");
        assert!(!responds(series(|_| 0.0).view(), Some(knock(2.9).view())));
        assert!(responds(retard.view(), None) && !responds(series(|_| 0.0).view(), None));
    }
}
