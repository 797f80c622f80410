//! Bytes to logs: CSV dialects, channel and unit recognition with the questions to ask. No files are opened
//! here.
#![cfg_attr(test, allow(clippy::float_cmp))]

mod assign;
mod columns;
pub mod csv;
mod error;
pub mod finished;
mod flow_sheet;
mod maptext;
mod members;
mod packed;
mod power_like;
mod recognise;
mod unit_of;
mod units;

pub use assign::read_log;
pub use columns::{ColumnReport, Confidence, Mapping, Question, ReadLog, Rule, conversion};
pub use error::{FormatError, FormatProblem, MapProblem};
pub use flow_sheet::read_flow_sheet;
pub use maptext::{MAP_VERSION, read_map, write_map};
pub use members::{Members, members};
pub use units::parse_unit;
