//! Limits: what must not be crossed, judged on raw samples, never silently unmeasured.

mod bind;
mod blind;
mod evaluate;
mod extent;
mod gate;
mod holes;
#[cfg(test)]
mod honest_tests;
mod judge;
mod knock;
mod lane;
mod model;
mod parts;
mod shared;
mod sources;
#[cfg(test)]
mod tests;
mod traced;
mod why;
mod windows;

pub use blind::{Blind, blind_spots};
pub(crate) use evaluate::TOGETHER;
pub use evaluate::{evaluate, evaluate_all};
pub use extent::{Extent, Extents};
pub(crate) use knock::{is_live, responds};
pub use model::{
    Clock, Direction, GateTerm, Limit, LimitError, LimitOutcome, Severity, Threshold, Verdict, is_same_value,
    judged,
};
pub use sources::Sources;
pub use traced::{Traced, trace};
pub use why::{Load, Reach, StandIn, Wanted, Why};
pub(crate) use windows::highest_held;
