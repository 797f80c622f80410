//! Channels of both recordings of a pull on one clock.

use crate::channel::Channel;
use crate::log::{Recording, Series};

/// Recordings beside a curve, on the dyno clock.
#[derive(Debug, Clone, Copy)]
pub struct Beside<'a> {
    /// Dyno recording.
    pub dyno: &'a Recording,
    /// Engine-computer log with its lag, when aligned.
    pub ecu: Option<(&'a Recording, f64)>,
}

impl Beside<'_> {
    /// A channel on the dyno clock: the engine computer's where both have it.
    pub fn series(&self, name: &str) -> Option<Series> {
        let from_ecu = self.ecu.and_then(|(log, lag)| {
            let mut s = log.series(name)?;
            s.t.iter_mut().for_each(|t| *t -= lag);
            Some(s)
        });
        from_ecu.or_else(|| self.dyno.series(name))
    }

    /// Every channel of one kind: λ 1, λ 2.
    pub fn of_kind(&self, kind: &str) -> Vec<(Channel, Series)> {
        let mut names: Vec<&Channel> =
            self.dyno.channels.keys().chain(self.ecu.iter().flat_map(|e| e.0.channels.keys())).collect();
        names.sort();
        names.dedup();
        names
            .into_iter()
            .filter(|c| c.kind().is_some_and(|k| k.name == kind))
            .filter_map(|c| Some((c.clone(), self.series(c.as_str())?)))
            .collect()
    }
}
