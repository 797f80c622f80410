//! Units at the edge: what columns are read in, and what a person reads.

mod reader;
mod unit;

pub use reader::{Mixture, PressureUnit, Shown, SpeedUnit, TemperatureUnit, Units};
pub use unit::*;
