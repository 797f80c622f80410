//! Putting right what is stored. Nothing is destroyed: what was there before stands in the audit trail, and
//! what is archived can be restored.

mod archive;
mod audit;
mod day;
mod merge;
mod place;
mod samples;
mod set;
mod undo;
mod vehicle;

pub use archive::Archived;
pub use audit::{AuditEntry, By, Subject};
pub(crate) use audit::{Change, keep};
pub use day::DayWords;
pub use place::To;
pub use samples::{FileRef, Reread, SampleFiles};
pub use undo::LastImport;
pub(crate) use vehicle::parts_changed;
