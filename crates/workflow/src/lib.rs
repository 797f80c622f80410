//! Use cases over several crates. Pages and commands both call these.

pub mod archive;
pub mod calc;
pub mod checklist;
pub mod demo;
mod draw;
mod error;
pub mod evidence;
pub mod finder;
pub mod follow;
pub mod fresh;
pub mod fuelling;
pub mod fuzz;
pub mod import;
mod input;
pub mod job;
pub mod keep;
pub mod limits;
pub mod lineup;
pub mod margins;
pub mod moment;
pub mod printed;
pub mod reading;
pub mod remeasure;
pub mod road;
mod samples;
pub mod scenarios;
pub mod sets;
pub mod simulate;
pub mod spark_sweep;
pub mod spool;
pub mod under_limit;
pub mod validate;
pub mod verify;
pub mod watch;

pub use error::WorkflowError;
