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

    /// The rows whose value in the column satisfies `holds`.
    pub fn of_column<T: Copy>(column: &[T], holds: impl Fn(T) -> bool) -> Self {
        let mut words = Vec::with_capacity(column.len().div_ceil(64));
        let (whole, rest) = column.as_chunks::<64>();
        words.extend(whole.iter().map(|part| packed(|i| holds(part[i]))));
        if !rest.is_empty() {
            words.push(packed(|i| rest.get(i).is_some_and(|v| holds(*v))));
        }
        Self { words, len: column.len() }
    }

    /// The rows whose values in two columns of the same length satisfy `holds` together.
    pub fn of_columns<T: Copy>(a: &[T], b: &[T], holds: impl Fn(T, T) -> bool) -> Self {
        let n = a.len().min(b.len());
        let mut words = Vec::with_capacity(n.div_ceil(64));
        let ((whole_a, rest_a), (whole_b, rest_b)) = (a[..n].as_chunks::<64>(), b[..n].as_chunks::<64>());
        words.extend(whole_a.iter().zip(whole_b).map(|(a, b)| packed(|i| holds(a[i], b[i]))));
        if !rest_a.is_empty() {
            words.push(packed(|i| i < rest_a.len() && holds(rest_a[i], rest_b[i])));
        }
        Self { words, len: n }
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

    /// The rows, ascending, up to 64 at a time: one decoding serves several looks.
    pub fn each_word(&self, mut look: impl FnMut(&[usize])) {
        let mut some = [0usize; 64];
        for (k, &w) in self.words.iter().enumerate().filter(|(_, w)| **w != 0) {
            let mut n = 0;
            for b in Ones(w) {
                some[n] = k * 64 + b;
                n += 1;
            }
            look(&some[..n]);
        }
    }

    /// Every row of `len`.
    pub fn all(len: usize) -> Self {
        let mut words = vec![u64::MAX; len / 64];
        if !len.is_multiple_of(64) {
            words.push((1 << (len % 64)) - 1);
        }
        Self { words, len }
    }

    /// The rows, ascending.
    pub fn iter(&self) -> impl Iterator<Item = usize> + '_ {
        self.words.iter().enumerate().flat_map(|(k, &w)| Ones(w).map(move |b| k * 64 + b))
    }

    /// The rows by words of 64, the last word first: its number and its rows.
    pub fn each_word_back(&self, mut look: impl FnMut(usize, RowsOfWord)) {
        for (k, &w) in self.words.iter().enumerate().rev().filter(|(_, w)| **w != 0) {
            look(k, RowsOfWord { start: k * 64, left: Ones(w) });
        }
    }
}

/// Rows of one word, ascending.
pub struct RowsOfWord {
    start: usize,
    left: Ones,
}

impl Iterator for RowsOfWord {
    type Item = usize;
    fn next(&mut self) -> Option<usize> {
        self.left.next().map(|b| self.start + b)
    }
}

/// 64 answers as the bits of a word. First as bytes, which the compiler does many at a time; then eight bytes
/// become eight bits by one multiplication that brings each lowest bit to its place in the top byte.
fn packed(holds: impl Fn(usize) -> bool) -> u64 {
    let mut bytes = [0u8; 64];
    for (i, b) in bytes.iter_mut().enumerate() {
        *b = u8::from(holds(i));
    }
    let (eights, _) = bytes.as_chunks::<8>();
    eights.iter().enumerate().fold(0, |w, (k, e)| {
        w | (u64::from_le_bytes(*e).wrapping_mul(0x0102_0408_1020_4080) >> 56) << (8 * k)
    })
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packing_keeps_every_row_at_its_place() {
        let column: Vec<u32> = (0..1000u32).map(|i| i.wrapping_mul(2_654_435_761) % 97).collect();
        let few = Bits::of_column(&column, |v| v < 30);
        let expected: Vec<usize> = (0..1000).filter(|&i| column[i] < 30).collect();
        assert_eq!(few.iter().collect::<Vec<_>>(), expected);
        let mut back = Vec::new();
        few.each_word_back(|word, rows| back.push((word, rows.collect::<Vec<_>>())));
        assert!(
            back.is_sorted_by_key(|w| std::cmp::Reverse(w.0))
                && back.iter().all(|(k, rows)| rows.iter().all(|r| r / 64 == *k))
        );
        assert_eq!(back.iter().rev().flat_map(|w| w.1.clone()).collect::<Vec<_>>(), expected);
        assert_eq!(few.count(), expected.len());
        let mut seen = Vec::new();
        few.each_word(|some| seen.extend_from_slice(some));
        assert_eq!(seen, expected);
        assert_eq!((Bits::all(1000).count(), Bits::all(64).count(), Bits::all(0).count()), (1000, 64, 0));
        let both = Bits::of_columns(&column, &column[..777], |a, b| a + b < 60);
        assert_eq!(
            both.iter().collect::<Vec<_>>(),
            expected.iter().copied().filter(|i| *i < 777).collect::<Vec<_>>()
        );
        assert!(few.contains(expected[5]) && !few.contains(expected[5] + 1) || column[expected[5] + 1] < 30);
    }
}
