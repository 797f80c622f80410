//! The most adverse level held for a sustain time: maximum over gated windows of the minimum within.

/// A window of samples `from..=to` and the sample of its minimum.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Held {
    pub(crate) from: usize,
    pub(crate) to: usize,
    pub(crate) at: usize,
    pub(crate) level: f64,
}

/// Longest time a window `i..=j` stands for: a sample counts from its predecessor to its successor.
pub(super) fn support(t: &[f64], i: usize, j: usize) -> f64 {
    t[(j + 1).min(t.len() - 1)] - t[i.saturating_sub(1)]
}

/// Highest level of `excess` held for `sustain` within `a..b` (a gated run); `None` when the run is shorter
/// than that.
///
/// # Formula
/// `worst = max over windows W with support(W) ≥ sustain of min over i ∈ W of e_i`
///
/// where
/// - `e`: excess over the threshold, channel units, positive on the wrong side;
/// - `W`: neighbouring samples inside the gate; `support(W)` reaches from the predecessor of its first to the
///   successor of its last, s;
/// - `sustain`: s (domain, section 10). Raw samples: nothing is filtered before.
///
/// Only shortest windows are looked at. The highest sample is in none that is much worse than the best, so those around
/// it are measured first; then each window is read from its end, and the first sample in it that is lower than that rules
/// out every window that holds it.
pub(crate) fn highest_held(
    t: &[f64],
    excess: impl Fn(usize) -> f64,
    a: usize,
    b: usize,
    sustain: f64,
) -> Option<Held> {
    let peak = highest(a, b, &excess)?;
    let span = |i: usize| (t[i] - t[peak]).abs() <= sustain;
    let from = (a..peak).rev().take_while(|&i| span(i)).last().unwrap_or(peak);
    let mut floor = f64::NEG_INFINITY;
    for i in (from..=peak).step_by((peak - from) / 8 + 1) {
        let to = (i..b).find(|&j| support(t, i, j) >= sustain - 1e-9);
        let lowest = to.map(|to| (i..=to).map(&excess).fold(f64::INFINITY, f64::min));
        floor = floor.max(lowest.unwrap_or(floor));
    }
    first_highest(t, &excess, (a, b), sustain, floor)
}

/// The first of the highest samples. Four are looked at at once.
fn highest(a: usize, b: usize, excess: &impl Fn(usize) -> f64) -> Option<usize> {
    let mut tops = [f64::NEG_INFINITY; 4];
    let mut i = a;
    while i + 4 <= b {
        for (k, top) in tops.iter_mut().enumerate() {
            let x = excess(i + k);
            *top = if x > *top { x } else { *top };
        }
        i += 4;
    }
    let top = (i..b).map(excess).chain(tops).fold(f64::NEG_INFINITY, f64::max);
    (a..b).find(|&i| excess(i) >= top)
}

/// The first of the highest windows that is not lower than `floor`.
fn first_highest(
    t: &[f64],
    excess: &impl Fn(usize) -> f64,
    (a, b): (usize, usize),
    sustain: f64,
    floor: f64,
) -> Option<Held> {
    let long = |i: usize, j: usize| support(t, i, j) >= sustain - 1e-9;
    let mut best: Option<Held> = None;
    let (mut from, mut width) = (a, 0);
    while from < b {
        let mut to = (from + width).min(b - 1);
        while to > from && long(from, to - 1) {
            to -= 1;
        }
        while !long(from, to) {
            to += 1;
            if to == b {
                return best;
            }
        }
        width = to - from;
        let first = (from..to).take_while(|&i| long(i + 1, to)).last().map_or(from, |i| i + 1);
        let window = || (first..=to).rev();
        let lower = |k: usize| excess(k) < floor || best.is_some_and(|h| excess(k) <= h.level);
        let at = match window().find(|&k| lower(k)) {
            Some(at) => at,
            None => {
                let at = window().min_by(|&i, &j| excess(i).total_cmp(&excess(j))).unwrap_or(to);
                best = Some(Held { from: first, to, at, level: excess(at) });
                at
            }
        };
        from = at + 1;
    }
    best
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The slow obvious form.
    fn oracle(t: &[f64], x: &[f64], sustain: f64) -> Option<f64> {
        let mut best: Option<f64> = None;
        for i in 0..x.len() {
            for j in i..x.len() {
                if support(t, i, j) >= sustain - 1e-9 {
                    let m = x[i..=j].iter().copied().fold(f64::INFINITY, f64::min);
                    best = Some(best.map_or(m, |b: f64| b.max(m)));
                }
            }
        }
        best
    }

    #[test]
    fn the_oracle_on_a_case_known_by_hand() {
        let t = [0.0, 0.1, 0.2, 0.3, 0.4];
        assert_eq!(oracle(&t, &[0.0, 5.0, 1.0, 4.0, 4.0], 0.3), Some(1.0));
        assert_eq!(oracle(&t, &[0.0, 3.0, 3.5, 4.0, 1.0], 0.3), Some(3.5));
        assert_eq!(oracle(&t, &[0.0, 5.0, 1.0, 4.0, 0.0], 0.15), Some(5.0));
        assert_eq!(oracle(&t, &[1.0; 5], 9.0), None);
    }

    proptest! {
        #[test]
        fn the_fast_form_agrees_with_the_oracle(steps in prop::collection::vec(0.01..0.3f64, 2..40), seed in prop::collection::vec(-5.0..5.0f64, 40), sustain in 0.0..1.5f64) {
            let mut t = vec![0.0];
            for s in &steps { t.push(t[t.len() - 1] + s); }
            let x = &seed[..t.len().min(40)];
            let t = &t[..x.len()];
            prop_assert_eq!(highest_held(t, |i| x[i], 0, x.len(), sustain).map(|h| h.level), oracle(t, x, sustain));
        }
    }
}
