//! What the binary forms share: columns with names and units, handed on as a table of text would be.

use crate::csv::{Dialect, RawTable, TimeKind};

/// First rows shown to a person.
const SHOWN: usize = 3;

/// Columns that stand in no text: their names and units.
pub(crate) fn dialect(columns: impl Iterator<Item = (String, String)>) -> Dialect {
    let (headers, units) = columns.unzip();
    Dialect {
        delimiter: b',',
        decimal_comma: false,
        header_line: 1,
        units_line: None,
        first_data_line: 1,
        headers,
        units,
        first_rows: Vec::new(),
    }
}

/// The columns that were read, each with its place among all; a row stands for a line.
pub(crate) fn table(mut dialect: Dialect, columns: Vec<(usize, Vec<f64>)>, rows: usize) -> RawTable {
    let shown = |row: usize, column: usize| {
        let v = columns.iter().find(|c| c.0 == column).and_then(|c| c.1.get(row));
        v.filter(|v| v.is_finite()).map_or_else(String::new, f64::to_string)
    };
    dialect.first_rows =
        (0..SHOWN.min(rows)).map(|r| (0..dialect.headers.len()).map(|c| shown(r, c)).collect()).collect();
    let lines = (1..=rows).map(|i| u32::try_from(i).unwrap_or(u32::MAX)).collect();
    RawTable { dialect, columns, lines, time: TimeKind::Numbers, truncated: false }
}
