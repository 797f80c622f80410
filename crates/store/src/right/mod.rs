//! Putting right what is stored. Nothing is destroyed: what was there before stands in the audit trail, and
//! what is archived can be restored.

mod archive;
mod audit;
mod carry;
mod day;
mod erase;
mod follow;
mod merge;
mod place;
mod print;
mod samples;
mod set;
mod undo;
mod vehicle;
mod words;

pub use archive::Archived;
pub(crate) use audit::keep;
pub use audit::{AuditEntry, By, Change, Subject};
pub use day::DayWords;
pub use erase::Erased;
pub(crate) use erase::{clear_days, clear_vehicle};
pub use place::To;
pub use samples::{FileRef, Reread, SampleFiles};
pub use undo::LastImport;
pub(crate) use vehicle::parts_changed;
pub use words::{BuildWords, FuelWords, MapWords, NoteWords};
