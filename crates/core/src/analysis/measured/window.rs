//! The part of a recording that belongs to one pull, when a file holds several or the engine computer ran on.

use crate::analysis::given::PullInput;
use crate::log::Recording;
use crate::pull::span::PullSpan;
use std::borrow::Cow;

/// Kept before and after a pull, s: tip-in, lift and the cool-down of slow sensors (our choice).
const AROUND_S: f64 = 8.0;
/// An engine-computer recording longer than the pull's window by this much is cut to it, s (our choice).
const MUCH_LONGER_S: f64 = 60.0;

/// Bounds of pull `i` among all pulls of a recording (`[from, to]` each, s): half way to its neighbours at
/// most. `None` when the recording holds one pull: it keeps the whole.
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

/// The recordings of a pull cut to its own windows.
pub(super) fn own_parts(
    input: &PullInput,
    own: [Option<[f64; 2]>; 2],
) -> (Cow<'_, Recording>, Option<Cow<'_, Recording>>) {
    (part(&input.dyno, own[0]), input.ecu.as_deref().map(|e| part(e, own[1])))
}

/// The pull's own part of the engine computer's recording.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct EcuPart {
    /// Bounds on its clock; `None` keeps it whole.
    pub(super) bounds: Option<[f64; 2]>,
    /// It holds several pulls and nobody knows which of them is this one.
    pub(super) foreign: bool,
}

/// Bounds on the engine computer's clock: what lies between the neighbours of the pull, in either recording,
/// and a window around it when that recording ran on much longer. `seen` are the pulls in the engine
/// computer's own recording.
pub(super) fn ecu_part(
    span: &PullSpan,
    dyno: Option<[f64; 2]>,
    ecu: &Recording,
    seen: &[PullSpan],
    lag_s: Option<f64>,
) -> EcuPart {
    let whole = EcuPart { bounds: None, foreign: false };
    let Some(lag) = lag_s else { return EcuPart { foreign: seen.len() > 1, ..whole } };
    let Some((first, last)) = ecu.span() else { return whole };
    let (from, to) = (span.from_s + lag, span.to_s + lag);
    let overlap = |s: &PullSpan| s.to_s.min(to) - s.from_s.max(from);
    let own = (0..seen.len())
        .filter(|&i| overlap(&seen[i]) > 0.0)
        .max_by(|&i, &j| overlap(&seen[i]).total_cmp(&overlap(&seen[j])));
    let all: Vec<[f64; 2]> = seen
        .iter()
        .enumerate()
        .map(|(i, s)| if Some(i) == own { [from, to] } else { [s.from_s, s.to_s] })
        .collect();
    let between = own.and_then(|i| own_bounds(&all, i));
    let ran_on = last - first > span.to_s - span.from_s + 2.0 * AROUND_S + MUCH_LONGER_S;
    let about = ran_on.then_some([from - AROUND_S, to + AROUND_S]);
    let bounds = [dyno.map(|[a, b]| [a + lag, b + lag]), between, about].into_iter().flatten();
    EcuPart { bounds: bounds.reduce(|x, y| [x[0].max(y[0]), x[1].min(y[1])]), foreign: false }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pull::span::{EndedBy, PullKind};

    fn span(from_s: f64, to_s: f64) -> PullSpan {
        PullSpan {
            kind: PullKind::SweepUp,
            from_s,
            to_s,
            from_rpm: 2000.0,
            to_rpm: 6500.0,
            ended_by: EndedBy::Lift,
            plateau_rpm: None,
            rate: 500.0,
        }
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
        let lasting = |seconds: usize| Recording {
            t: (0..=seconds).map(|i| i as f64).collect(),
            ..Recording::default()
        };
        let s = span(10.0, 18.0);
        let bounds =
            |dyno, seconds, seen: &[PullSpan], lag| ecu_part(&s, dyno, &lasting(seconds), seen, lag).bounds;
        assert_eq!(bounds(None, 40, &[], Some(5.0)), None);
        assert_eq!(bounds(None, 900, &[], Some(5.0)), Some([7.0, 31.0]));
        assert_eq!(bounds(Some([2.0, 21.0]), 40, &[], Some(5.0)), Some([7.0, 26.0]));
        assert_eq!(bounds(Some([2.0, 21.0]), 40, &[], None), None);
        let seen = [span(15.2, 23.0), span(29.0, 37.0)];
        assert_eq!(
            bounds(None, 45, &seen, Some(5.0)),
            Some([7.0, 26.0]),
            "a neighbour that only the engine computer saw"
        );
        assert!(ecu_part(&s, None, &lasting(45), &seen, None).foreign, "which of the two is not known");
        assert!(!ecu_part(&s, None, &lasting(45), &seen[..1], None).foreign);
    }
}
