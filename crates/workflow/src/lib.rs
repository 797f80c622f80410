//! Use cases over several crates. Pages and commands both call these.

pub mod calc;
pub mod job;
pub mod simulate;
