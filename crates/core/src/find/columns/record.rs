//! What a search knows of a pull.

use crate::air::AirState;
use crate::find::asked::Extreme;
use chrono::NaiveDate;

/// Where a pull belongs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Place {
    /// The pull.
    pub pull: i64,
    /// Its set.
    pub set: i64,
    /// Its day.
    pub day: i64,
}

/// What a computed channel did over a pull.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Own<'a> {
    /// Its name as a channel.
    pub name: &'a str,
    /// Unit of its values.
    pub unit: &'a str,
    /// The least and the most it was.
    pub ends: [f32; 2],
}

/// What a search knows of one pull.
#[derive(Debug, Clone, PartialEq)]
pub struct Record<'a> {
    /// Where it belongs.
    pub place: Place,
    /// Position in its set, from 1.
    pub position: u16,
    /// The day's date.
    pub date: NaiveDate,
    /// Vehicle, build state, map, fuel, boost target and gear, by name.
    pub names: [&'a str; 6],
    /// Ethanol in the fuel, 0 to 1.
    pub ethanol: Option<f64>,
    /// Highest power before correction, kW, and where, rpm.
    pub power: Option<(f64, f64)>,
    /// Highest torque before correction, N·m.
    pub torque_nm: Option<f64>,
    /// Air of the pull; without it figures stay uncorrected.
    pub air: Option<AirState>,
    /// Share of the tightest limit's margin used.
    pub used: Option<f64>,
    /// Stored words for the worst limit verdict, what ended the pull, and how its clocks were aligned.
    pub states: [&'a str; 3],
    /// Kinds of its flags.
    pub flags: Vec<&'a str>,
    /// Whether it is left out of figures.
    pub left_out: bool,
    /// What its channels reached; NaN where nothing was logged.
    pub reached: [f32; Extreme::ALL.len()],
    /// What the vehicle's computed channels did.
    pub own: Vec<Own<'a>>,
    /// Whether its map is the stock one.
    pub stock: bool,
    /// Whether it is archived.
    pub archived: bool,
}

/// What a note belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// Every pull of the day.
    Day,
    /// Every pull of a set.
    Set(i64),
    /// One pull.
    Pull(i64),
}

/// Text on a day, a set or a pull.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Note {
    /// What it belongs to.
    pub scope: Scope,
    /// The text.
    pub text: String,
    /// Its tag, empty when it has none.
    pub tag: String,
    /// Who wrote it, empty when not known.
    pub by: String,
}
