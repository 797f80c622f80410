//! The part of a recording that belongs to one pull, when a file holds several or the engine computer ran on.

use crate::log::Recording;
use crate::pull::detect::PullSpan;
use std::borrow::Cow;

/// Kept before and after a pull, s: tip-in, lift and the cool-down of slow sensors (our choice).
const AROUND_S: f64 = 8.0;
/// An engine-computer recording longer than the pull's window by this much is cut to it, s (our choice).
const MUCH_LONGER_S: f64 = 60.0;

/// Bounds of pull `i` among all pulls of a recording (`[from, to]` each, s): half way to its neighbours at most.
/// `None` when the recording holds one pull: it keeps the whole.
pub fn own_bounds(pulls: &[[f64; 2]], i: usize) -> Option<[f64; 2]> {
    let [from, to] = *pulls.get(i).filter(|_| pulls.len() > 1)?;
    let before = pulls.iter().map(|p| p[1]).filter(|t| *t <= from).reduce(f64::max);
    let after = pulls.iter().map(|p| p[0]).filter(|t| *t >= to).reduce(f64::min);
    let start = before.map_or(from - AROUND_S, |t| (0.5 * (t + from)).max(from - AROUND_S));
    let end = after.map_or(to + AROUND_S, |t| (0.5 * (t + to)).min(to + AROUND_S));
    Some([start, end])
}

/// The part of a recording inside the bounds, or all of it.
pub(super) fn part<'a>(log: &'a Recording, bounds: Option<[f64; 2]>) -> Cow<'a, Recording> {
    match bounds {
        Some([a, b]) => Cow::Owned(log.window(a, b)),
        None => Cow::Borrowed(log),
    }
}

/// Bounds on the engine computer's clock: the dyno's bounds carried over, or a window around the pull when that recording
/// ran on much longer; `None` keeps it whole.
pub(super) fn ecu_bounds(span: &PullSpan, dyno: Option<[f64; 2]>, ecu: &Recording, lag_s: Option<f64>) -> Option<[f64; 2]> {
    let lag = lag_s?;
    let (first, last) = ecu.span()?;
    match dyno {
        Some([a, b]) => Some([a + lag, b + lag]),
        None if last - first > span.to_s - span.from_s + 2.0 * AROUND_S + MUCH_LONGER_S => {
            Some([span.from_s + lag - AROUND_S, span.to_s + lag + AROUND_S])
        }
        None => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pull::detect::{EndedBy, PullKind};

    fn span(from_s: f64, to_s: f64) -> PullSpan {
        PullSpan { kind: PullKind::SweepUp, from_s, to_s, from_rpm: 2000.0, to_rpm: 6500.0, ended_by: EndedBy::Lift, plateau_rpm: None, rate: 500.0 }
    }

    #[test]
    fn a_window_never_reaches_into_a_neighbour() {
        let all = [[10.0, 18.0], [24.0, 32.0], [90.0, 98.0]];
        assert_eq!(own_bounds(&all, 1), Some([21.0, 40.0]));
        assert_eq!(own_bounds(&all, 0), Some([2.0, 21.0]));
        assert_eq!(own_bounds(&all[..1], 0), None);
        assert_eq!(own_bounds(&all, 7), None);
    }

    #[test]
    fn an_engine_log_that_ran_on_is_cut_and_a_short_one_is_whole() {
        let log = |seconds: usize| Recording { t: (0..=seconds).map(|i| i as f64).collect(), ..Recording::default() };
        let s = span(10.0, 18.0);
        assert_eq!(ecu_bounds(&s, None, &log(40), Some(5.0)), None);
        assert_eq!(ecu_bounds(&s, None, &log(900), Some(5.0)), Some([7.0, 31.0]));
        assert_eq!(ecu_bounds(&s, Some([2.0, 21.0]), &log(40), Some(5.0)), Some([7.0, 26.0]));
        assert_eq!(ecu_bounds(&s, Some([2.0, 21.0]), &log(40), None), None);
    }
}
