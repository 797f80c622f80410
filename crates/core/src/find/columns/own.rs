//! What computed channels reached, kept for the pulls that have them alone: few vehicles compute any.

use super::bits::Bits;
use super::record::Own;
use crate::find::asked::{End, OwnChannel};
use std::collections::HashMap;
use std::ops::RangeInclusive;

/// Lowest and highest of each channel, by its name and unit, by row.
#[derive(Debug, Clone, Default)]
pub(in crate::find) struct OwnColumns(HashMap<(String, String), HashMap<usize, [f32; 2]>>);

impl OwnColumns {
    /// Puts what is known of a row in place of what was.
    pub(super) fn put(&mut self, row: usize, own: &[Own<'_>]) {
        self.0.values_mut().for_each(|rows| {
            rows.remove(&row);
        });
        for o in own {
            self.0.entry((o.name.to_owned(), o.unit.to_owned())).or_default().insert(row, o.ends);
        }
    }

    /// Keeps some rows, which take new numbers in that order.
    pub(super) fn thin(&mut self, keep: &[usize]) {
        for rows in self.0.values_mut() {
            *rows = keep.iter().enumerate().filter_map(|(new, old)| Some((new, *rows.get(old)?))).collect();
        }
    }

    /// The rows in which an end of a channel lies within a range.
    pub(in crate::find) fn within(
        &self,
        of: &OwnChannel,
        end: End,
        range: RangeInclusive<f32>,
        rows: usize,
    ) -> Bits {
        let mut out = Bits::none(rows);
        let place = usize::from(end == End::Highest);
        let known = self.0.iter().find(|((name, unit), _)| *name == of.name && *unit == of.unit);
        for (row, ends) in known.into_iter().flat_map(|k| k.1) {
            if range.contains(&ends[place]) {
                out.insert(*row);
            }
        }
        out
    }
}
