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

    /// The column behind [`Self::series`], blanks as NaN, with its times and what they are late by.
    pub fn column(&self, channel: &Channel) -> Option<(&[f64], &[f64], f64)> {
        let of = |log: &'_ Recording| log.has(channel.as_str());
        let (log, late) = match self.ecu.filter(|e| of(e.0)) {
            Some(own) => own,
            None => (Some(self.dyno).filter(|d| of(d))?, 0.0),
        };
        Some((&log.t, log.channels.get(channel)?, late))
    }

    /// Every channel of one kind: λ 1, λ 2.
    pub fn of_kind(&self, kind: &str) -> Vec<(Channel, Series)> {
        let named = self.names().into_iter().filter(|c| c.kind().is_some_and(|k| k.name == kind));
        named.filter_map(|c| Some((c.clone(), self.series(c.as_str())?))).collect()
    }

    /// Channels of both, each once, in the order of their names.
    pub fn names(&self) -> Vec<&Channel> {
        let mut names: Vec<&Channel> =
            self.dyno.channels.keys().chain(self.ecu.iter().flat_map(|e| e.0.channels.keys())).collect();
        names.sort();
        names.dedup();
        names
    }
}
