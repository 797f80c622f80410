//! Curves that come finished: tables of speed with power, torque or both, and no time; one run or several,
//! below each other or side by side.

mod header;
mod table;
#[cfg(test)]
mod tests;

pub use table::{
    ColumnSaid, Doubted, FinishedColumn, FinishedColumns, FinishedRun, FinishedTable, read_finished,
};
