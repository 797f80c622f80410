//! Use cases over several crates. Pages and commands both call these.

pub mod calc;
pub mod demo;
mod error;
pub mod import;
pub mod job;
pub mod limits;
pub mod lineup;
pub mod simulate;

pub use error::WorkflowError;
