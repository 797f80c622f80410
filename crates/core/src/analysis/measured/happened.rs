//! What can happen during a pull, as data; `words` says it.

use crate::channel::Channel;
use crate::pull::span::EndedBy;
use serde::{Deserialize, Serialize};

/// What was cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Cut {
    Fuel,
    Spark,
}

impl Cut {
    /// The channel that tells of it.
    pub fn channel(self) -> &'static str {
        match self {
            Self::Fuel => "fuel_cut",
            Self::Spark => "spark_cut",
        }
    }
}

/// What moved at the moment of a dip, with how far.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Cause {
    Cut(Cut),
    ThrottleClosed { by_pct: f64 },
    TargetFell { by_kpa: f64 },
    Retard { channel: Channel, by_deg: f64 },
    Lean { channel: Channel, by: f64 },
    Rich { channel: Channel, by: f64 },
    PressureFell { by_kpa: f64 },
    BeltSlipped { share: f64 },
    DriveSlipped { share: f64 },
}

/// One thing that happened.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Happened {
    /// Full load had settled.
    TipIn,
    /// A speed was held: seconds that counted, and by what share torque still moved where it had not settled.
    Held {
        counted_s: f64,
        moving: Option<f64>,
    },
    /// 90 % of the boost target, or of the highest boost where no target was logged; seconds after tip-in,
    /// `None` at its very start.
    SpoolEnd {
        of_target: bool,
        after_s: Option<f64>,
    },
    /// Boost stayed off its target up to that engine speed; the wastegate's mean duty, and whether it had no
    /// more to give.
    OffBoostTarget {
        over: bool,
        kpa: f64,
        to_rpm: Option<f64>,
        gate_pct: Option<f64>,
        gate_spent: bool,
    },
    PeakTorque,
    PeakPower,
    /// Torque dips by a share of the level around it.
    Dip {
        share: f64,
        width_rpm: f64,
        causes: Vec<Cause>,
    },
    /// Knock control took out so much at most.
    Knock {
        channel: Channel,
        most_deg: f64,
        to_rpm: Option<f64>,
    },
    Cut {
        what: Cut,
        for_s: f64,
    },
    End {
        by: EndedBy,
    },
}

/// Something that happened, and when.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Event {
    /// What.
    pub what: Happened,
    /// Time on the dyno clock, s.
    pub at_s: f64,
    /// Engine speed there, rpm, when it lies on the curve.
    pub rpm: Option<f64>,
}

impl Event {
    /// What moved with it, when it is a dip.
    pub fn dip(&self) -> Option<&[Cause]> {
        match &self.what {
            Happened::Dip { causes, .. } => Some(causes),
            _ => None,
        }
    }
}
