//! The rows of blocks, put together.

use super::rows::{Rows, TimeKind, Wanted, saturated};
use rayon::prelude::*;

/// Rows of blocks in their order, each with the line they count from.
#[derive(Default)]
pub(super) struct Parts {
    all: Vec<(Rows, u64)>,
    rows: usize,
}

impl Parts {
    pub(super) fn put(&mut self, rows: Rows, base: u64) {
        self.rows += rows.lines.len();
        self.all.push((rows, base));
    }

    /// How many rows there are.
    pub(super) fn rows(&self) -> usize {
        self.rows
    }

    /// The line of a row, by its place from 0.
    pub(super) fn line_of(&self, row: usize) -> Option<u32> {
        let mut before = 0;
        self.all.iter().find_map(|(rows, base)| {
            let line = rows.lines.get(row.checked_sub(before)?);
            before += rows.lines.len();
            Some(saturated(base + u64::from(*line?)))
        })
    }

    /// One table: columns are put together by all threads, each letting its pieces go.
    pub(super) fn together(self, wanted: &Wanted) -> Rows {
        let n = self.rows;
        let mut out = Rows::new(wanted);
        let mut pieces: Vec<Vec<Vec<f64>>> = wanted.iter().map(|_| Vec::new()).collect();
        out.lines.reserve(n);
        for (rows, base) in self.all {
            out.lines.extend(rows.lines.iter().map(|l| saturated(base + u64::from(*l))));
            if rows.time == TimeKind::Clock {
                out.time = TimeKind::Clock;
            }
            pieces.iter_mut().zip(rows.columns).for_each(|(all, column)| all.push(column));
        }
        let whole = |mut of: Vec<Vec<f64>>| match of.len() {
            1 => of.remove(0),
            _ => {
                let mut all = Vec::with_capacity(n);
                of.into_iter().for_each(|piece| all.extend_from_slice(&piece));
                all
            }
        };
        out.columns = pieces.into_par_iter().map(whole).collect();
        out
    }
}
