//! A pull as it was found: when it ran, which way, and what ended it.

use serde::{Deserialize, Serialize};

/// What ended a pull.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum EndedBy {
    RevLimiter,
    SpeedLimiter,
    Lift,
    Abort,
    EndOfLog,
}

impl EndedBy {
    /// The words shown.
    pub fn label(self) -> &'static str {
        match self {
            Self::RevLimiter => "rev limiter",
            Self::SpeedLimiter => "speed limiter",
            Self::Lift => "lift",
            Self::Abort => "abort",
            Self::EndOfLog => "end of log",
        }
    }

    /// Whether the engine was cut short, so that no peak beyond can be known.
    pub fn is_limiter(self) -> bool {
        matches!(self, Self::RevLimiter | Self::SpeedLimiter)
    }
}

/// Direction of a pull.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PullKind {
    /// Rising rpm at full throttle.
    SweepUp,
    /// Falling rpm under load.
    LugDown,
    /// Speeds held one after the other under load.
    HeldSteps,
    /// A curve that came finished.
    CurveOnly,
    /// Peaks typed from a print.
    PeaksOnly,
    /// The engine computer's recording alone.
    LogOnly,
}

/// A pull found in a recording, on the recording's own clock.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct PullSpan {
    /// Direction.
    pub kind: PullKind,
    /// Start, s, tip-in trimmed.
    pub from_s: f64,
    /// End, s, before lift or limiter.
    pub to_s: f64,
    /// Engine (or shaft) speed at the start, rpm of the trace given.
    pub from_rpm: f64,
    /// Speed at the end.
    pub to_rpm: f64,
    /// What ended it.
    pub ended_by: EndedBy,
    /// Level of the plateau when a limiter ended it, rpm of the trace given.
    pub plateau_rpm: Option<f64>,
    /// Mean rate, rpm/s of the trace given.
    pub rate: f64,
}
