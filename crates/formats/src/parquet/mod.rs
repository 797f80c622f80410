//! Parquet (an open columnar format): numbers of flat columns in and out. Units stand in the file's metadata under
//! `units`, as a JSON object of column and unit; in files of others also in brackets behind the name.

mod read;
#[cfg(test)]
mod tests;
mod write;

pub(crate) use read::{MAGIC, headers, table};
pub use write::{ParquetColumn, write_parquet};

/// Key of the metadata under which units stand.
const UNITS: &str = "units";
