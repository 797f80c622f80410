//! Whether knock control was listening. Retard that stays at nothing is a measurement only where it could
//! have moved.

use crate::log::View;

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

/// Whether a knock level hears the engine: mechanical noise grows with speed, a counter, a zero and a
/// scattering floor do not.
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
        (v.len() >= ENOUGH).then(|| crate::signal::median::median_in_place(&mut v))
    };
    let (Some(bottom), Some(top)) = (middle(&|rpm| rpm <= low + third), middle(&|rpm| rpm >= high - third))
    else {
        return false;
    };
    // A counter only climbs, and its last digit is a whole one.
    let counts = inside.v.windows(2).all(|w| w[1] >= w[0]) && inside.v.iter().all(|v| v.fract() == 0.0);
    !counts && bottom > 0.0 && top >= GROWS * bottom
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
    let usual = crate::signal::median::median_in_place(&mut v);
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
    fn retard_must_follow_an_event_of_the_level() {
        let retard = series(|t| if (3.0..4.0).contains(&t) { 2.0 } else { 0.0 });
        let knock = |at: f64| series(move |t| if (t - at).abs() < 0.06 { 3.0 } else { 1.0 });
        assert!(responds(retard.view(), Some(knock(2.9).view())));
        assert!(!responds(retard.view(), Some(knock(5.0).view())), "the event came later");
        assert!(!responds(series(|_| 0.0).view(), Some(knock(2.9).view())));
        assert!(responds(retard.view(), None) && !responds(series(|_| 0.0).view(), None));
    }
}
