//! What a print says of the power in it: where it was measured, what correction it carries, what it stands
//! against.

use crate::correction::Correction;
use serde::{Deserialize, Serialize};

/// Where the power of a print was measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Place {
    Wheel,
    Hub,
    Crank,
    /// Brought to the crankshaft by an estimate of the losses.
    Estimated,
}

impl Place {
    /// All of them, in the order offered.
    pub const ALL: [Self; 4] = [Self::Wheel, Self::Hub, Self::Crank, Self::Estimated];

    /// Id in files and forms.
    pub fn id(self) -> &'static str {
        match self {
            Self::Wheel => "wheel",
            Self::Hub => "hub",
            Self::Crank => "crank",
            Self::Estimated => "estimated",
        }
    }

    /// The one with that id.
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|p| p.id() == id)
    }

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Wheel => "at the wheel",
            Self::Hub => "at the hub",
            Self::Crank => "at the crankshaft",
            Self::Estimated => "estimated at the crankshaft",
        }
    }
}

/// The correction that a print carries already.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Applied {
    /// This family; [`Correction::None`] when it was left uncorrected.
    Family(Correction),
    /// Nobody knows.
    #[default]
    Unknown,
}

impl Applied {
    /// Id in files and forms: a family's, or `unknown`.
    pub fn id(self) -> &'static str {
        match self {
            Self::Family(c) => c.id(),
            Self::Unknown => "unknown",
        }
    }

    /// The one with that id.
    pub fn from_id(id: &str) -> Option<Self> {
        if id == "unknown" { Some(Self::Unknown) } else { Correction::from_id(id).map(Self::Family) }
    }
}

/// What a print says of itself.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Print {
    /// The correction in it.
    pub applied: Applied,
    /// Where it was measured; `None`: where the dyno measures.
    pub place: Option<Place>,
    /// Its smoothing, as it was called.
    pub smoothing: String,
}

/// What a printed curve stands against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PrintedAxis {
    /// Engine speed, rpm.
    #[default]
    EngineSpeed,
    /// Road speed, km/h.
    RoadSpeed,
}
