//! Why a verdict on a limit is what it is, and how far it reaches.

use crate::channel::Channel;
use serde::{Deserialize, Serialize};

/// What a missing channel was wanted for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Wanted {
    /// It is what the limit judges.
    ItIsJudged,
    /// The gate reads it.
    Gate,
    /// The threshold curve lies over it.
    Curve,
    /// What the limit judges is computed from it.
    Computed,
}

/// How long a slow sensor was given.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Load {
    /// A sweep.
    Sweep,
    /// One speed was held for so long at most, s.
    Held(f64),
}

/// What a gate was read by where what it asks for was not logged, or never gets to its end.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum StandIn {
    /// One channel for another.
    Channel { has: Channel, wanted: Channel },
    /// The detected sweep.
    Sweep { wanted: Channel },
    /// Full load reads so much, %, and is taken as 100 %.
    FullLoad { reads: f64 },
    /// Not logged, and only asked for where it is: left out.
    LeftOut { wanted: Channel },
}

/// How far a verdict reaches.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Reach {
    /// Highest engine speed at which it was measured, rpm.
    pub top_rpm: Option<f64>,
    /// True when the log ends within the pull.
    pub log_ends: bool,
    /// What a slow sensor saw.
    pub load: Option<Load>,
    /// What its gate was read by.
    pub stand_ins: Vec<StandIn>,
}

/// Why, with what was read. Times are on the clock of the log that holds the channel, values in the channel's
/// unit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Why {
    /// Over, for so long in one piece.
    Crossed { channel: Channel, above: bool, for_s: f64, fuel_was_cut: bool },
    /// Measured so far.
    Reaches(Reach),
    /// A channel was not logged.
    NotLogged { channel: Channel, wanted: Wanted },
    /// It has no value in this pull.
    NotInPull { channel: Channel },
    /// A channel of the other log is needed, and the two are not aligned.
    NotAligned { channel: Channel },
    /// The log holds several pulls, and which of them is this one is not known.
    WhichPull,
    /// The log shows no whole pull and is not aligned.
    NoWholePull { channel: Channel },
    /// It ends before the pull: the log itself, or the channel's values.
    EndsEarly { channel: Channel, until_s: f64, pull_until_s: f64, log_ends: bool, missing_s: f64 },
    /// What is computed has no value while the gate held, although all its parts do: a division by nothing.
    Undefined { channel: Channel, from_s: f64, missing_s: f64 },
    /// It has a hole while the gate held.
    Hole { channel: Channel, missing_s: f64, from_s: f64, longest_s: f64 },
    /// A channel of the gate is blank.
    GateBlank { from_s: f64 },
    /// The gate was never true.
    NeverGated,
    /// The gate never held long enough.
    NeverHeld { sustain_s: f64 },
    /// The threshold curve does not reach over the whole gated range.
    CurveEnds,
    /// The sensor sat at the end of its range, short of the limit.
    EndOfRange { channel: Channel, value: f64, from_s: f64, to_s: f64 },
    /// The sensor stood still.
    StoodStill { channel: Channel, value: f64, from_s: f64, to_s: f64 },
    /// It stood still through this pull and moved in the job's others.
    StoodStillHere { channel: Channel, value: f64 },
    /// The knock level does not grow with engine speed.
    DeafLevel { channel: Channel },
    /// Retard stayed at nothing and no live level stands beside it.
    DeafRetard { channel: Channel },
}
