//! The most adverse level held for a sustain time: maximum over gated windows of the minimum within.

use std::collections::VecDeque;

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
pub(crate) fn highest_held(t: &[f64], excess: &[f64], a: usize, b: usize, sustain: f64) -> Option<Held> {
    let mut best: Option<Held> = None;
    let mut low: VecDeque<usize> = VecDeque::new();
    let mut i = a;
    for j in a..b {
        while low.back().is_some_and(|k| excess[*k] >= excess[j]) {
            low.pop_back();
        }
        low.push_back(j);
        while i < j && support(t, i + 1, j) >= sustain - 1e-9 {
            i += 1;
            while low.front().is_some_and(|k| *k < i) {
                low.pop_front();
            }
        }
        if support(t, i, j) >= sustain - 1e-9
            && let Some(&at) = low.front()
            && best.is_none_or(|h| excess[at] > h.level)
        {
            best = Some(Held { from: i, to: j, at, level: excess[at] });
        }
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
            prop_assert_eq!(highest_held(t, x, 0, x.len(), sustain).map(|h| h.level), oracle(t, x, sustain));
        }
    }
}
