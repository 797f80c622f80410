//! Bytes to logs: CSV dialects, channel and unit recognition with the questions to ask. No files are opened
//! here.
#![cfg_attr(test, allow(clippy::float_cmp))]

mod assign;
mod binary;
mod columns;
pub mod csv;
mod error;
pub mod finished;
mod flow_sheet;
mod mdf;
mod members;
mod out;
mod packed;
mod parquet;
mod power_like;
mod recognise;
mod recorded;
mod tables;
mod unit_of;
mod units;

pub use assign::read_log;
pub use columns::{ColumnReport, Confidence, Mapping, Question, ReadLog, Rule, conversion};
pub use error::{FormatError, FormatProblem, MapProblem};
pub use flow_sheet::read_flow_sheet;
pub use mdf::{Master, OutChannel, OutGroup, write_mdf};
pub use members::{Members, members};
pub use out::{LogForm, OutLog, write_recordings, written_unit};
pub use parquet::{ParquetColumn, write_parquet};
pub use recognise::bare;
pub use recorded::dialect_of;
pub use tables::{
    MAP_VERSION, TableForm, read_map, read_map_csv, read_map_json, write_map, write_map_csv, write_map_json,
};
pub use units::parse_unit;
