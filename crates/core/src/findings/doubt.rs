//! Why the unit of a column is not certain.

use crate::channel::Channel;
use crate::units::Unit;
use serde::{Deserialize, Serialize};

/// What makes a person be asked for the unit of a column. Numbers are as they stand in the file unless said.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum UnitDoubt {
    /// It reads like AFR on the gasoline scale.
    Afr { low: f64, high: f64 },
    /// It reads like degrees Fahrenheit.
    Fahrenheit { low: f64, high: f64 },
    /// It never exceeds about one: a fraction?
    Fraction { high: f64 },
    /// A pressure that does not say where its zero lies.
    NoZero { low: f64 },
    /// Its middle, read in the unit stated, would be a value of the channel's unit that cannot be.
    CannotBe { channel: Channel, middle: f64, stated: Unit, would_be: f64 },
    /// It is called torque, and grows with engine speed as power does: its value at half the speed of the highest,
    /// and the highest.
    GrowsLikePower { half: f64, top: f64 },
    /// Asked by an earlier version, which kept only words.
    #[serde(untagged)]
    Earlier(String),
}
