//! Columns that are counted together.

use super::bits::Bits;
use std::collections::HashMap;
use std::hash::Hash;

/// Values of several columns together, each combination with a number: rows are counted by that, once for all
/// its columns.
#[derive(Debug, Clone)]
pub(in crate::find) struct Groups<T> {
    all: Vec<T>,
    of: HashMap<T, u32>,
}

impl<T> Default for Groups<T> {
    fn default() -> Self {
        Self { all: Vec::new(), of: HashMap::new() }
    }
}

impl<T: Copy + Eq + Hash> Groups<T> {
    /// The number of a combination.
    pub(in crate::find) fn number(&mut self, values: T) -> u32 {
        *self.of.entry(values).or_insert_with(|| {
            self.all.push(values);
            (self.all.len() - 1) as u32
        })
    }

    /// Rows of each combination that has any. Neighbours often have the same one: it is counted in a register
    /// until it changes.
    pub(in crate::find) fn counted(&self, rows: &Bits, column: &[u32]) -> Vec<(T, usize)> {
        let mut counts = vec![0usize; self.all.len()];
        let (mut last, mut run) = (0usize, 0usize);
        rows.each_word(|some| {
            for &i in some {
                let now = column[i] as usize;
                if now == last {
                    run += 1;
                } else {
                    counts[last] += run;
                    (last, run) = (now, 1);
                }
            }
        });
        if let Some(c) = counts.get_mut(last) {
            *c += run;
        }
        self.all.iter().copied().zip(counts).filter(|c| c.1 > 0).collect()
    }
}

/// What all pulls of a set share: vehicle, map, fuel, gear and year.
pub(in crate::find) type SetValues = [u16; 5];
/// What each pull has of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(in crate::find) struct OwnValues {
    pub(in crate::find) worst_limit: u16,
    pub(in crate::find) ended_by: u16,
    pub(in crate::find) flags: u64,
}
