//! The median.

/// Median of a non-empty buffer, reordering it.
pub fn median_in_place(v: &mut [f64]) -> f64 {
    let mid = v.len() / 2;
    let even = v.len().is_multiple_of(2);
    let (low, m, _) = v.select_nth_unstable_by(mid, f64::total_cmp);
    if even { (*m + low.iter().copied().fold(f64::NEG_INFINITY, f64::max)) / 2.0 } else { *m }
}

/// Intervals looked at in a long recording (our choice: the median of so many lies within a percent of all of them).
const INTERVALS: usize = 16_384;

/// Median interval of times that ascend, s; 0 below two of them. Of a long recording intervals are looked at that lie
/// evenly over it.
pub(crate) fn median_interval(t: &[f64]) -> f64 {
    let stride = (t.len() / INTERVALS).max(1);
    let mut steps: Vec<f64> = t.windows(2).step_by(stride).map(|w| w[1] - w[0]).collect();
    if steps.is_empty() { 0.0 } else { median_in_place(&mut steps) }
}

/// Medians of what lies within half of `window` on either side of each point; `t` ascends, same length as `v`.
pub fn running_median(t: &[f64], v: &[f64], window: f64) -> Vec<f64> {
    let (mut a, mut b) = (0, 0);
    let mut held = Vec::new();
    t.iter()
        .map(|ti| {
            while t[a] < ti - window / 2.0 {
                a += 1;
            }
            while b < t.len() && t[b] <= ti + window / 2.0 {
                b += 1;
            }
            held.clear();
            held.extend_from_slice(&v[a..b]);
            median_in_place(&mut held)
        })
        .collect()
}
