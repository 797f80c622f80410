//! Limits: what must not be crossed, judged on raw samples, never silently unmeasured.

mod evaluate;
mod judge;
mod lane;
mod model;
#[cfg(test)]
mod tests;
mod windows;

pub use evaluate::{Sources, Traced, evaluate, trace};
pub use model::{Direction, GateTerm, Limit, LimitError, LimitOutcome, Severity, Threshold, Verdict};
