//! What curves are drawn along.

use serde::{Deserialize, Serialize};

/// What the curves of a line-up are drawn along.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Along {
    /// Engine speed, rpm.
    #[default]
    EngineSpeed,
    /// Dyno-shaft speed, rpm.
    ShaftSpeed,
    /// Road speed, km/h.
    RoadSpeed,
    /// Time from tip-in, s.
    Time,
}

impl Along {
    /// All of them, in the order offered.
    pub const ALL: [Self; 4] = [Self::EngineSpeed, Self::ShaftSpeed, Self::RoadSpeed, Self::Time];

    /// Id in links.
    pub fn id(self) -> &'static str {
        match self {
            Self::EngineSpeed => "rpm",
            Self::ShaftSpeed => "shaft",
            Self::RoadSpeed => "road",
            Self::Time => "time",
        }
    }

    /// The one with that id.
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|a| a.id() == id)
    }

    /// Words shown, with the unit.
    pub fn label(self) -> &'static str {
        match self {
            Self::EngineSpeed => "engine rpm",
            Self::ShaftSpeed => "dyno-shaft rpm",
            Self::RoadSpeed => "road km/h",
            Self::Time => "s from tip-in",
        }
    }

    /// Spacing of the grid: absolute multiples of it (our choice: about what 50 rpm of the engine are).
    pub(in crate::analysis) fn step(self) -> f64 {
        match self {
            Self::EngineSpeed => 50.0,
            Self::ShaftSpeed => 10.0,
            Self::RoadSpeed => 1.0,
            Self::Time => 0.1,
        }
    }

    /// Span over which variances along it are smoothed: as many points as 500 rpm have on the usual grid.
    pub(in crate::analysis) fn smooth(self) -> f64 {
        10.0 * self.step()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn axes_come_back_from_their_ids() {
        assert!(Along::ALL.iter().all(|a| Along::from_id(a.id()) == Some(*a)));
        assert_eq!(Along::from_id("gear"), None);
    }
}
