//! One pull: found in a log, aligned with the engine computer, turned into power.

pub mod align;
pub mod coast;
pub mod cuts;
pub mod detect;
pub mod dyno;
pub mod engine_speed;
pub mod held;
pub mod load;
mod passages;
pub mod power;
pub mod shaft;
pub mod shifts;
pub mod span;
pub mod trace;
