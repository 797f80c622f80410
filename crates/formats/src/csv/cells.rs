//! A delimited text as cells, without asking what its columns are: for tables whose blocks have headers of
//! their own.

use super::cell::{Cell, number};
use super::dialect::{DELIMITERS, is_value, split, text};
use super::reader::decoded;
use crate::error::{FormatError, FormatProblem};
use std::io::Read;

/// Largest table taken as cells, bytes: a log belongs to [`read_table`](super::read_table).
const MOST_BYTES: u64 = 32 << 20;

/// A table as rows of trimmed texts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cells {
    /// Rows, each as long as it is; the row's number in the file is its place counted from 1.
    pub rows: Vec<Vec<String>>,
    /// True when numbers use a comma.
    pub decimal_comma: bool,
}

impl Cells {
    /// A cell as a number; `None` for blanks and text.
    pub fn number(&self, row: usize, column: usize) -> Option<f64> {
        match number(self.rows.get(row)?.get(column)?.as_bytes(), self.decimal_comma) {
            Cell::Number(v) => Some(v),
            _ => None,
        }
    }

    /// Whether a cell is neither blank nor a number.
    pub fn is_text(&self, row: usize, column: usize) -> bool {
        let cell = self.rows.get(row).and_then(|r| r.get(column));
        cell.is_some_and(|c| matches!(number(c.as_bytes(), self.decimal_comma), Cell::Text))
    }
}

/// Reads a text as cells.
///
/// # Errors
/// [`FormatError`] for empty, binary, unreadable and too large input.
pub fn read_cells(input: impl Read, file: &str) -> Result<Cells, FormatError> {
    let whole = |problem| FormatError::whole(file, problem);
    let mut bytes = Vec::new();
    decoded(input, file)?
        .take(MOST_BYTES + 1)
        .read_to_end(&mut bytes)
        .map_err(|e| whole(FormatProblem::Unreadable(e.to_string())))?;
    if bytes.len() as u64 > MOST_BYTES {
        return Err(whole(FormatProblem::TableTooLarge { mib: MOST_BYTES >> 20 }));
    }
    if bytes.trim_ascii().is_empty() {
        return Err(whole(FormatProblem::Empty));
    }
    if bytes.contains(&0) {
        return Err(whole(FormatProblem::NotText));
    }
    let lines: Vec<&[u8]> =
        bytes.split(|b| *b == b'\n').map(|l| l.strip_suffix(b"\r").unwrap_or(l)).collect();
    let numeric = |fields: &[Vec<u8>], comma| {
        fields.len() >= 2 && fields.iter().filter(|f| is_value(f, comma)).count() >= 2
    };
    let ways = [(0, true), (0, false), (1, true), (1, false), (2, false)];
    let split = DELIMITERS.map(|d| split(&lines, d));
    let score = |&(d, comma): &(usize, bool)| {
        split[d].iter().filter(|f| numeric(f, comma)).map(Vec::len).sum::<usize>()
    };
    // Of equal ways the first is taken: a comma inside semicolons is a decimal one.
    let best = ways.iter().rev().max_by_key(|w| score(w)).filter(|w| score(w) > 0);
    let Some((delimiter, comma)) = best else { return Err(whole(FormatProblem::NoColumns)) };
    let rows = split[*delimiter].iter().map(|r| r.iter().map(|f| text(f)).collect()).collect();
    Ok(Cells { rows, decimal_comma: *comma })
}
