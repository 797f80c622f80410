//! Extremes of every 64 rows: the first of an order are found without looking at rows that cannot be among
//! them.

use super::table::{Columns, FAMILIES};
use std::ops::RangeInclusive;

/// Lowest and highest of each 64 rows; values that are missing do not count, so rows without any are an empty
/// range.
#[derive(Debug, Clone, Default)]
pub(in crate::find) struct Zones {
    date: Vec<(i32, i32)>,
    power: Vec<(f32, f32)>,
    torque: Vec<(f32, f32)>,
    factor: [Vec<(f32, f32)>; FAMILIES],
}

fn extremes(v: &[f32]) -> Vec<(f32, f32)> {
    v.chunks(64)
        .map(|c| c.iter().fold((f32::INFINITY, f32::NEG_INFINITY), |(a, b), x| (a.min(*x), b.max(*x))))
        .collect()
}

/// Bounds of a product of two ranges, the second positive; everything when the first reaches below nothing.
fn product(v: (f32, f32), k: (f32, f32)) -> RangeInclusive<f32> {
    if v.0 < 0.0 { f32::NEG_INFINITY..=f32::INFINITY } else { v.0 * k.0..=v.1 * k.1 }
}

impl Zones {
    pub(in crate::find) fn new(c: &Columns) -> Self {
        Self {
            date: c
                .date
                .chunks(64)
                .map(|d| d.iter().fold((i32::MAX, i32::MIN), |(a, b), x| (a.min(*x), b.max(*x))))
                .collect(),
            power: extremes(&c.power),
            torque: extremes(&c.torque),
            factor: std::array::from_fn(|f| extremes(&c.factor[f])),
        }
    }

    /// Whether rows of that word reach a date or later.
    pub(in crate::find) fn since(&self, word: usize, date: i32) -> bool {
        self.date[word].1 >= date
    }

    /// Whether rows of that word reach a date or earlier.
    pub(in crate::find) fn until(&self, word: usize, date: i32) -> bool {
        self.date[word].0 <= date
    }

    /// Range of corrected power in that word.
    pub(in crate::find) fn power(&self, word: usize, f: usize) -> RangeInclusive<f32> {
        product(self.power[word], self.factor[f][word])
    }

    /// Range of corrected torque in that word.
    pub(in crate::find) fn torque(&self, word: usize, f: usize) -> RangeInclusive<f32> {
        product(self.torque[word], self.factor[f][word])
    }
}

/// How far a value is from a range, 0 inside.
pub(in crate::find) fn distance(range: &RangeInclusive<f32>, value: f32) -> f32 {
    (range.start() - value).max(value - range.end()).max(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn missing_values_do_not_count_and_nothing_is_cut_below_nothing() {
        let mut c = Columns {
            date: (0..130).collect(),
            power: vec![f32::NAN; 130],
            torque: vec![10.0; 130],
            ..Columns::default()
        };
        c.power[70] = 100.0;
        c.power[71] = 120.0;
        c.torque[129] = -1.0;
        c.factor.iter_mut().for_each(|f| *f = vec![1.02; 130]);
        c.factor[1][64] = 0.98;
        let z = Zones::new(&c);
        assert_eq!(z.power(1, 1), 98.0..=120.0 * 1.02);
        assert!(z.power(0, 0).is_empty() && distance(&z.power(0, 0), 50.0) == f32::INFINITY);
        assert_eq!((distance(&z.power(1, 1), 90.0), distance(&z.power(1, 1), 110.0)), (8.0, 0.0));
        assert_eq!(distance(&z.torque(2, 0), 5000.0), 0.0);
        assert!(z.since(1, 127) && !z.since(1, 128) && z.until(1, 64) && !z.until(1, 63));
    }
}
