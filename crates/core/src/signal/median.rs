//! The median.

/// Median of a non-empty buffer, reordering it.
pub fn median_in_place(v: &mut [f64]) -> f64 {
    let mid = v.len() / 2;
    let even = v.len().is_multiple_of(2);
    let (low, m, _) = v.select_nth_unstable_by(mid, f64::total_cmp);
    if even { (*m + low.iter().copied().fold(f64::NEG_INFINITY, f64::max)) / 2.0 } else { *m }
}

/// A number as its place among all of them, in the order of [`f64::total_cmp`]: whole numbers are compared sooner.
fn key(x: f64) -> u64 {
    let bits = x.to_bits();
    if bits >> 63 == 0 { bits | 1 << 63 } else { !bits }
}

/// The number at a place.
fn value(key: u64) -> f64 {
    f64::from_bits(if key >> 63 == 1 { key & !(1 << 63) } else { !key })
}

/// Numbers in ascending order.
pub(crate) fn in_order(v: impl Iterator<Item = f64>) -> Vec<f64> {
    let mut keys: Vec<u64> = v.map(key).collect();
    keys.sort_unstable();
    keys.into_iter().map(value).collect()
}

/// Median of the sizes of a non-empty list, whatever their signs; `room` is there to be used again. Sizes are in the
/// order of their bits, which are compared sooner than they are.
pub(crate) fn median_size(v: &[f64], room: &mut Vec<u64>) -> f64 {
    let mid = v.len() / 2;
    let m = size_at(v.iter().copied(), room, mid);
    let below = || room[..mid].iter().max().map_or(m, |l| f64::from_bits(*l));
    if v.len().is_multiple_of(2) { (m + below()) / 2.0 } else { m }
}

/// The size that stands at a place among all of them in order; those before it come to lie before it in `room`.
pub(crate) fn size_at(v: impl Iterator<Item = f64>, room: &mut Vec<u64>, at: usize) -> f64 {
    room.clear();
    room.extend(v.map(|x| x.abs().to_bits()));
    f64::from_bits(*room.select_nth_unstable(at).1)
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
    // In order at all times: one value comes or goes at a step, all others stay.
    let mut held: Vec<f64> = Vec::new();
    t.iter()
        .map(|ti| {
            while b < t.len() && t[b] <= ti + window / 2.0 {
                let at = held.partition_point(|x| x.total_cmp(&v[b]).is_lt());
                held.insert(at, v[b]);
                b += 1;
            }
            while t[a] < ti - window / 2.0 {
                let at = held.partition_point(|x| x.total_cmp(&v[a]).is_lt());
                held.remove(at);
                a += 1;
            }
            let mid = held.len() / 2;
            if held.len().is_multiple_of(2) { (held[mid] + held[mid - 1]) / 2.0 } else { held[mid] }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Numbers of either sign, noughts and what is none come in the order they have.
        #[test]
        fn keys_keep_the_order(
            v in prop::collection::vec(prop_oneof![4 => -3.0..3.0_f64, 1 => Just(0.0), 1 => Just(-0.0), 1 => Just(f64::NAN), 1 => Just(f64::NEG_INFINITY)], 1..60),
        ) {
            let mut want = v.clone();
            want.sort_by(f64::total_cmp);
            let bits = |v: &[f64]| v.iter().map(|x| x.to_bits()).collect::<Vec<_>>();
            prop_assert_eq!(bits(&in_order(v.iter().copied())), bits(&want));
            let finite: Vec<f64> = v.iter().copied().filter(|x| !x.is_nan()).collect();
            if !finite.is_empty() {
                let mut sizes: Vec<f64> = finite.iter().map(|x| x.abs()).collect();
                let want = median_in_place(&mut sizes);
                prop_assert!(median_size(&finite, &mut Vec::new()) == want);
            }
        }

        /// Whatever the times and the values, it is the median of what lies in each window.
        #[test]
        fn a_running_median_is_the_median_of_each_window(
            steps in prop::collection::vec(0.0..0.08_f64, 1..150),
            values in prop::collection::vec(prop_oneof![4 => -3.0..3.0_f64, 1 => Just(1.0), 1 => Just(f64::NAN)], 150),
            window in 0.0..0.6_f64,
        ) {
            let t: Vec<f64> = steps.iter().scan(0.0, |t, s| { *t += s; Some(*t) }).collect();
            let v = &values[..t.len()];
            let got = running_median(&t, v, window);
            for (i, ti) in t.iter().enumerate() {
                let mut own: Vec<f64> = t
                    .iter()
                    .zip(v)
                    .filter(|(x, _)| **x >= ti - window / 2.0 && **x <= ti + window / 2.0)
                    .map(|(_, v)| *v)
                    .collect();
                let want = median_in_place(&mut own);
                prop_assert!(got[i] == want || (got[i].is_nan() && want.is_nan()), "{} at {i}, not {want}", got[i]);
            }
        }
    }
}
