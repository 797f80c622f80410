//! One pull: found in a log, aligned with the engine computer, turned into power.

pub mod align;
pub mod cuts;
pub mod detect;
pub mod held;
pub mod load;
pub mod power;
pub mod span;
