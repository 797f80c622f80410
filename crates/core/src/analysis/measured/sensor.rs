//! Which sensor a channel came from, as far as its recording says.

use super::beside::Beside;
use crate::channel::Channel;
use crate::log::Origin;

/// Whose recording it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Recorder {
    /// The dyno's.
    Dyno,
    /// The engine computer's.
    EngineComputer,
}

/// Who recorded a channel and what it was called there. Two that differ may sit in different places, or read in
/// different units; two alike need not be one sensor.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sensor {
    /// Whose recording it is in.
    pub by: Recorder,
    /// Its column.
    pub origin: Origin,
}

impl Beside<'_> {
    /// Where a channel comes from that [`Beside::series`] reads; `None` for one that was computed, and for recordings
    /// stored before this was written down.
    pub fn sensor(&self, channel: &Channel) -> Option<Sensor> {
        let of_ecu = self.ecu.map(|e| e.0).filter(|e| e.has(channel.as_str()));
        let (by, recording) = match of_ecu {
            Some(e) => (Recorder::EngineComputer, e),
            None => (Recorder::Dyno, self.dyno),
        };
        Some(Sensor { by, origin: recording.origins.get(channel)?.clone() })
    }
}
