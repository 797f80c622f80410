//! The order of a day's sets: baseline first and last, few flashes and drains, no rung before the lower one is clear.

mod bound;
mod model;
mod schedule;
mod search;
mod short;
#[cfg(test)]
mod tests;

pub use model::{Baseline, Day, FuelOnHand, MOST, Now, Pace, PlanError, Ran, Wanted, Why, Withheld};
pub use schedule::{Known, Plan, Step, Stop, plan};
pub use short::{Drop, Short, to_fit};
