//! Units at the edge: what columns are read in, and what a person reads.

mod reader;
mod unit;

pub use reader::{Here, Mixture, PressureUnit, Shown, SpeedUnit, TemperatureUnit, Units, VolumeUnit};
pub use unit::*;
