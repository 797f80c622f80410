//! Recording hygiene: time repair, spikes, saturation, frozen sensors. Nothing is deleted silently; limits
//! keep their raw samples.
// Repeats and rests are meant to the bit here: a sensor that stands still repeats its value exactly.
#![allow(clippy::float_cmp)]

use super::median::median_in_place;
use super::stuck::extremes;
use crate::findings::{Finding, TimeFault};
use std::ops::Range;
use thiserror::Error;

/// Time that cannot be repaired.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("time runs backward at sample {}: {before} s is followed by {after} s", index + 1)]
pub struct TimeError {
    /// Sample where it first happens.
    pub index: usize,
    /// Time before.
    pub before: f64,
    /// Time after.
    pub after: f64,
}

/// Share of samples that may be dropped to make time ascend.
pub const REPAIRABLE_SHARE: f64 = 0.02;

/// Which samples to keep so that time strictly ascends, with the findings in words.
///
/// Repeated stamps and isolated steps back are dropped and said. A log that restarts, or needs more than 2 %
/// dropped (our choice), is refused: two recordings may have been glued together.
///
/// # Errors
/// [`TimeError`] at the first backward step of a log that cannot be repaired.
pub fn repair_time(t: &[f64]) -> Result<(Vec<bool>, Vec<Finding>), TimeError> {
    let mut keep = vec![true; t.len()];
    let (mut last, mut repeats, mut back, mut blank) = (f64::NEG_INFINITY, 0usize, 0usize, 0usize);
    let mut first: Option<TimeError> = None;
    for (index, &now) in t.iter().enumerate() {
        if !now.is_finite() {
            (keep[index], blank) = (false, blank + 1);
        } else if now > last {
            last = now;
        } else if now == last {
            (keep[index], repeats) = (false, repeats + 1);
        } else {
            (keep[index], back) = (false, back + 1);
            first.get_or_insert(TimeError { index, before: last, after: now });
        }
    }
    if let Some(e) = first
        && back as f64 > (REPAIRABLE_SHARE * t.len() as f64).max(1.0)
    {
        return Err(e);
    }
    let mut flags = Vec::new();
    for (n, fault) in [(repeats, TimeFault::Repeated), (back, TimeFault::Back), (blank, TimeFault::Blank)] {
        if n > 0 {
            flags.push(Finding::TimeRepaired { n, of: t.len(), fault });
        }
    }
    Ok((keep, flags))
}

/// Marks spikes with a Hampel test: further from the median of a moving window than `threshold` robust
/// deviations.
///
/// `floor` is the smallest deviation considered (sensor resolution); NaN is never a spike. Window ± `half`
/// samples.
///
/// # Formula
/// Spike where `|v_i − med| > max(threshold·1.4826·MAD, floor)`
///
/// where
/// - `med`, `MAD`: median of the window and median absolute deviation from it, unit of `v`;
/// - `1.4826 = 1/Φ⁻¹(3/4)`: makes the MAD a standard deviation for normal scatter (Hampel 1974);
/// - `floor`: unit of `v`.
///
/// ```
/// use jamjar_core::signal::hygiene::spikes;
/// let mut v = vec![10.0, 10.1, 9.9, 10.0, 10.1, 9.9, 10.0, 10.1, 9.9];
/// v[4] = 14.0;
/// assert_eq!(spikes(&v, 3, 5.0, 0.05).iter().position(|s| *s), Some(4));
/// ```
pub fn spikes(v: &[f64], half: usize, threshold: f64, floor: f64) -> Vec<bool> {
    let n = v.len();
    let mut out = vec![false; n];
    let (mut window, mut deviation) = (Vec::with_capacity(2 * half + 1), Vec::with_capacity(2 * half + 1));
    for i in (0..n).step_by(BLOCK).flat_map(|a| doubtful(v, a..(a + BLOCK).min(n), half, floor)) {
        if !v[i].is_finite() {
            continue;
        }
        let range = i.saturating_sub(half)..(i + half + 1).min(n);
        if mostly_near(&v[range.clone()], v[i], floor) {
            continue;
        }
        window.clear();
        window.extend(v[range].iter().copied().filter(|x| x.is_finite()));
        if window.len() < 4 {
            continue;
        }
        let median = median_in_place(&mut window);
        if (v[i] - median).abs() <= floor {
            continue;
        }
        deviation.clear();
        deviation.extend(window.iter().map(|x| (x - median).abs()));
        let sigma = 1.4826 * median_in_place(&mut deviation);
        out[i] = (v[i] - median).abs() > (threshold * sigma).max(floor);
    }
    out
}

/// Samples looked at at once.
const BLOCK: usize = 8;

/// Of a block those samples that may be spikes: none where all around it lies within `floor`.
fn doubtful(v: &[f64], block: Range<usize>, half: usize, floor: f64) -> Range<usize> {
    let around = &v[block.start.saturating_sub(half)..(block.end + half).min(v.len())];
    let (low, high) = extremes(around);
    if high - low <= floor { block.end..block.end } else { block }
}

/// Whether more than half of the window lies within `floor` of `x`: then its median does too, and `x` is no
/// spike. The rule on nearly every sample of a ramp.
fn mostly_near(window: &[f64], x: f64, floor: f64) -> bool {
    let mut near = 0;
    window.iter().any(|w| {
        near += usize::from((w - x).abs() <= floor);
        2 * near > window.len()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// What is passed over in blocks and at a glance holds no spike: each sample against the whole of its window.
        #[test]
        fn spikes_are_those_of_each_window_by_itself(
            base in prop::collection::vec(-1.0..1.0_f64, 1..90),
            odd in prop::collection::vec((0_usize..90, prop_oneof![3 => -40.0..40.0_f64, 1 => Just(f64::NAN)]), 0..6),
            rise in 0.0..3.0_f64,
            half in 1_usize..10,
            floor in 0.1..12.0_f64,
        ) {
            let mut v: Vec<f64> = base.iter().enumerate().map(|(i, x)| x + rise * i as f64).collect();
            for (i, by) in odd.into_iter().filter(|o| o.0 < base.len()) {
                v[i] += by;
            }
            for (i, found) in spikes(&v, half, 5.0, floor).into_iter().enumerate() {
                let around = &v[i.saturating_sub(half)..(i + half + 1).min(v.len())];
                let mut window: Vec<f64> = around.iter().copied().filter(|x| x.is_finite()).collect();
                let is_spike = v[i].is_finite() && window.len() >= 4 && {
                    let median = median_in_place(&mut window);
                    let mut off: Vec<f64> = window.iter().map(|x| (x - median).abs()).collect();
                    (v[i] - median).abs() > (5.0 * 1.4826 * median_in_place(&mut off)).max(floor)
                };
                prop_assert_eq!(found, is_spike, "sample {} of {:?}", i, v);
            }
        }
    }

    #[test]
    fn one_repeated_and_one_backward_stamp_are_repaired_and_said() {
        let mut t: Vec<f64> = (0..100).map(|i| f64::from(i) * 0.1).collect();
        t[40] = t[39];
        t[60] = 1.0;
        let (keep, flags) = repair_time(&t).unwrap();
        assert_eq!(keep.iter().filter(|k| !**k).count(), 2);
        assert_eq!(flags.len(), 2);
    }

    #[test]
    fn a_restarted_clock_is_refused_where_it_happens() {
        let mut t: Vec<f64> = (0..50).map(f64::from).collect();
        t.extend((0..50).map(f64::from));
        let e = repair_time(&t).unwrap_err();
        assert_eq!((e.index, e.before, e.after), (50, 49.0, 0.0));
    }

    #[test]
    fn a_spike_is_marked_and_a_step_is_not() {
        let mut v: Vec<f64> = (0..60).map(|i| 100.0 + f64::from(i % 3)).collect();
        v[20] = 400.0;
        v.iter_mut().skip(40).for_each(|x| *x += 50.0);
        let s = spikes(&v, 5, 6.0, 2.0);
        assert_eq!(s.iter().enumerate().filter(|(_, s)| **s).map(|(i, _)| i).collect::<Vec<_>>(), vec![20]);
    }
}
