//! A simulated cell whose true answers are known: engine, fuels, weather, two recorders and their quirks.
//!
//! The model is simple on purpose (see each module for its equations and what they leave out); it computes torque from
//! air, fuel and spark, so that a change of map, fuel or weather acts through physics and not through a drawn curve.

mod engine;
mod fuel;
mod instruments;
mod run;
mod scenario;
#[cfg(test)]
mod tests;

pub use engine::{EngineModel, Map, OperatingPoint};
pub use fuel::SimFuel;
pub use run::{PullTruth, Recorded, simulate_pull};
pub use scenario::{Day, SimFile, SimPull, SimSet, first_light, truth_grid};
