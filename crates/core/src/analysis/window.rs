//! The part of a recording that belongs to one pull, when a file holds several or the engine computer ran on.

use crate::log::Recording;
use crate::pull::detect::PullSpan;

/// Kept before and after a pull, s: tip-in, lift and the cool-down of slow sensors (our choice).
const AROUND_S: f64 = 8.0;
/// An engine-computer recording longer than the pull's window by this much is cut to it, s (our choice).
const MUCH_LONGER_S: f64 = 60.0;

/// Bounds of a pull's own window on the dyno clock: half way to its neighbours at most. `None` when the file holds one pull.
pub(super) fn dyno_bounds(span: &PullSpan, found: &[PullSpan]) -> Option<[f64; 2]> {
    if found.len() < 2 {
        return None;
    }
    let before = found.iter().map(|p| p.to_s).filter(|t| *t <= span.from_s).fold(f64::NEG_INFINITY, f64::max);
    let after = found.iter().map(|p| p.from_s).filter(|t| *t >= span.to_s).fold(f64::INFINITY, f64::min);
    let half_way = |a: f64, b: f64| 0.5 * (a + b);
    let from = if before.is_finite() { half_way(before, span.from_s).max(span.from_s - AROUND_S) } else { span.from_s - AROUND_S };
    let to = if after.is_finite() { half_way(after, span.to_s).min(span.to_s + AROUND_S) } else { span.to_s + AROUND_S };
    Some([from, to])
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
        let all = [span(10.0, 18.0), span(24.0, 32.0), span(90.0, 98.0)];
        assert_eq!(dyno_bounds(&all[1], &all), Some([21.0, 40.0]));
        assert_eq!(dyno_bounds(&all[0], &all), Some([2.0, 21.0]));
        assert_eq!(dyno_bounds(&all[0], &all[..1]), None);
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
