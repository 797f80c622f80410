//! A set of rows, one bit each.

/// Rows by number; all operations take sets of the same length.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bits {
    words: Vec<u64>,
    len: usize,
}

impl Bits {
    /// No row of `len`.
    pub fn none(len: usize) -> Self {
        Self { words: vec![0; len.div_ceil(64)], len }
    }

    /// The rows for which `holds` is true.
    pub fn of(len: usize, holds: impl Fn(usize) -> bool) -> Self {
        let mut words = Vec::with_capacity(len.div_ceil(64));
        for start in (0..len).step_by(64) {
            let end = (start + 64).min(len);
            let mut w = 0u64;
            for i in start..end {
                w |= u64::from(holds(i)) << (i - start);
            }
            words.push(w);
        }
        Self { words, len }
    }

    /// The rows whose value in the column satisfies `holds`.
    pub fn of_column<T: Copy>(column: &[T], holds: impl Fn(T) -> bool) -> Self {
        let words = column.chunks(64).map(|part| part.iter().enumerate().fold(0u64, |w, (i, v)| w | (u64::from(holds(*v)) << i))).collect();
        Self { words, len: column.len() }
    }

    /// Adds a row.
    pub fn insert(&mut self, i: usize) {
        self.words[i / 64] |= 1 << (i % 64);
    }

    /// Whether a row is in.
    pub fn contains(&self, i: usize) -> bool {
        self.words[i / 64] >> (i % 64) & 1 == 1
    }

    /// Keeps the rows that are in both.
    pub fn and(&mut self, other: &Self) {
        self.words.iter_mut().zip(&other.words).for_each(|(a, b)| *a &= b);
    }

    /// Keeps the rows that are in either.
    pub fn or(&mut self, other: &Self) {
        self.words.iter_mut().zip(&other.words).for_each(|(a, b)| *a |= b);
    }

    /// Keeps the rows that are not in `other`.
    pub fn and_not(&mut self, other: &Self) {
        self.words.iter_mut().zip(&other.words).for_each(|(a, b)| *a &= !b);
    }

    /// How many rows are in.
    pub fn count(&self) -> usize {
        self.words.iter().map(|w| w.count_ones() as usize).sum()
    }

    /// The rows, ascending.
    pub fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.words.iter().enumerate().flat_map(|(k, &w)| Ones(w).map(move |b| k * 64 + b))
    }

    /// The rows, descending.
    pub fn iter_back(&self) -> impl Iterator<Item = usize> + '_ {
        self.words.iter().enumerate().rev().flat_map(|(k, &w)| Ones(w.reverse_bits()).map(move |b| k * 64 + 63 - b))
    }
}

/// Places of the ones of a word.
struct Ones(u64);

impl Iterator for Ones {
    type Item = usize;
    fn next(&mut self) -> Option<usize> {
        if self.0 == 0 {
            return None;
        }
        let b = self.0.trailing_zeros() as usize;
        self.0 &= self.0 - 1;
        Some(b)
    }
}
