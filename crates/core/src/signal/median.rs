//! The median.

/// Median of a non-empty buffer, reordering it.
pub fn median_in_place(v: &mut [f64]) -> f64 {
    let mid = v.len() / 2;
    let even = v.len().is_multiple_of(2);
    let (low, m, _) = v.select_nth_unstable_by(mid, f64::total_cmp);
    if even { (*m + low.iter().copied().fold(f64::NEG_INFINITY, f64::max)) / 2.0 } else { *m }
}
