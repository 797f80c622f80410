//! CSV dialects: delimiter, decimal comma, preamble, units row, encoding and clock formats are found, not
//! asked.

mod batch;
mod blocks;
mod cell;
mod cells;
mod decimal;
mod dialect;
#[cfg(test)]
mod large;
mod parts;
mod reader;
mod rows;
#[cfg(test)]
mod tests;

pub use cells::{Cells, read_cells};
pub use dialect::{Dialect, sniff};
pub use reader::{RawTable, dialect_of, read_table};
pub use rows::TimeKind;
