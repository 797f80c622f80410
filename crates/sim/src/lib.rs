//! A simulated cell whose true answers are known: engines, fuels, weather, a dyno, two recorders, and faults
//! to find.
//!
//! Mean-value models stepped at 2 ms (see each module for its equations and sources): torque comes from air,
//! fuel and spark, so a change of map, fuel or weather acts through physics and not through a drawn curve. An
//! engine computer's stand-in reads calibration maps and asks for plate, boost, λ and spark; recorders sample
//! what happened with noise, clocks and dialects of their own. The same seed gives the same bytes.
//!
//! Simplified, and what that could flatter: `docs/validation.md`.

mod burn;
mod charge;
mod computer;
mod day;
mod dialect;
mod driveline;
mod engine;
mod engines;
mod fault;
mod fuel;
mod instant;
mod instruments;
mod noise;
mod pull;
mod rig;
#[cfg(test)]
mod rig_test;
mod scenario;
mod supply;
mod sweep;
#[cfg(test)]
mod tests;
mod thermal;

pub use computer::MapProblem;
pub use day::{PullTruth, SimDay, SimFile, SimPull, SimSet, Simulated, TrueCurve, one_pull, simulate};
pub use dialect::Dialect;
pub use driveline::{CellSpec, SimDyno};
pub use engine::{EngineSpec, Ignition};
pub use fault::{FaultKind, FaultSpec, Planted};
pub use fuel::SimFuel;
pub use instruments::{RecorderSpec, SensorSpec};
pub use noise::Noise;
pub use scenario::{DaySpec, FuelSpec, MapRef, NoteSpec, SCENARIO_VERSION, Scenario, ScenarioError, SetSpec};
pub use sweep::{Held, Sweep};
