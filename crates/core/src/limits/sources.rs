//! What a limit is judged on: one or two logs of a pull, and how a channel is found in them.

use super::extent::{Extent, Extents};
use super::model::Clock;
use super::shared::Memo;
use crate::channel::Channel;
use crate::computed::{Formula, Lacking};
use crate::log::{Recording, Samples};
use crate::pull::align::Alignment;
use crate::pull::span::PullSpan;

/// The logs of one pull. Limits on one log need no alignment.
#[derive(Debug, Clone)]
pub struct Sources<'a> {
    dyno: &'a Recording,
    ecu: Option<&'a Recording>,
    /// What the engine computer's clock is ahead by, s, where the two are aligned well enough.
    lag: Option<f64>,
    extents: Extents,
    pub(super) throttle_for_pedal: bool,
    whole: [Option<&'a Recording>; 2],
    /// Samples of the engine computer's log cannot be given to this pull.
    pub(super) foreign: bool,
    /// How computed channels come about, and what is lacking of those that are not there.
    pub(super) formulas: &'a [Formula],
    lacking: &'a [(Channel, Lacking)],
    memo: Memo<'a>,
}

pub(super) enum Lookup<'a> {
    Found(Samples<'a>),
    Absent,
    Misaligned,
}

/// The channel that is judged.
pub(super) enum Home<'a> {
    Found(Clock, Samples<'a>),
    /// Values stand in the recording, but none in this pull.
    Elsewhere(Clock),
    Absent,
}

impl<'a> Sources<'a> {
    /// `dyno` and `ecu` are the pull's own parts of its recordings, `span` the pull on the dyno's clock.
    pub fn new(
        dyno: &'a Recording,
        ecu: Option<&'a Recording>,
        alignment: &Alignment,
        span: Option<&PullSpan>,
    ) -> Self {
        Self::with_pulls(dyno, ecu, alignment, span, None)
    }

    /// The same where the pulls of the engine computer's part are known already.
    pub(crate) fn with_pulls(
        dyno: &'a Recording,
        ecu: Option<&'a Recording>,
        alignment: &Alignment,
        span: Option<&PullSpan>,
        found: Option<&[PullSpan]>,
    ) -> Self {
        let extents = Extents::of(dyno, ecu, alignment, span, found);
        Self {
            dyno,
            ecu,
            lag: alignment.usable_lag(),
            extents,
            throttle_for_pedal: true,
            whole: [None, None],
            foreign: false,
            formulas: &[],
            lacking: &[],
            memo: Memo::default(),
        }
    }

    /// Beside the parts, the whole recordings: a channel without a value in this pull but elsewhere was
    /// measured, only not here.
    #[must_use]
    pub fn out_of(mut self, dyno: &'a Recording, ecu: Option<&'a Recording>) -> Self {
        self.whole = [Some(dyno), ecu];
        self
    }

    /// On a diesel the plate says nothing about the pedal.
    #[must_use]
    pub fn on_diesel(mut self, diesel: bool) -> Self {
        self.throttle_for_pedal = !diesel;
        self.memo = Memo::default();
        self
    }

    /// The engine computer's log holds several pulls and nobody knows which of them is this one.
    #[must_use]
    pub fn with_foreign_log(mut self, foreign: bool) -> Self {
        self.foreign = foreign;
        self
    }

    /// The recordings carry what a person computes: how, and what is lacking of what they do not carry.
    #[must_use]
    pub fn computed(mut self, formulas: &'a [Formula], lacking: &'a [(Channel, Lacking)]) -> Self {
        (self.formulas, self.lacking) = (formulas, lacking);
        self
    }

    pub(super) fn memo(&self) -> &Memo<'a> {
        &self.memo
    }

    /// What is lacking of a computed channel that is not there.
    pub(super) fn lacking(&self, channel: &Channel) -> Option<&'a Lacking> {
        self.lacking.iter().find(|l| l.0 == *channel).map(|l| &l.1)
    }

    /// Whether the whole recordings hold a channel of which this pull has no value.
    pub(super) fn elsewhere(&self, channel: &Channel) -> bool {
        self.whole.iter().flatten().any(|l| l.has(channel.as_str()))
    }

    /// Measured channels behind a computed one, those behind computed parts too; empty for a measured one.
    pub(super) fn parts(&self, channel: &Channel) -> Vec<Channel> {
        let Some(at) = self.formulas.iter().position(|f| f.name == *channel) else { return Vec::new() };
        let logged = self.ecu.iter().flat_map(|e| e.channels.keys()).chain(self.dyno.channels.keys());
        let mut out = Vec::new();
        for c in self.formulas[at].channels(logged) {
            // Each builds on those before it alone, so this ends.
            let below =
                if self.formulas[..at].iter().any(|f| f.name == c) { self.parts(&c) } else { Vec::new() };
            if below.is_empty() { out.push(c) } else { out.extend(below) }
        }
        out
    }

    /// When the pull ran on each clock.
    pub fn extents(&self) -> Extents {
        self.extents
    }

    /// The dyno saw a pull, and the log on this clock shows none although it has the speed to show it by.
    pub(super) fn unseen(&self, clock: Clock) -> bool {
        self.extent(clock).is_none()
            && self.extents.dyno.is_some()
            && self.ecu.is_some_and(|e| e.has("engine_speed"))
    }

    pub(super) fn extent(&self, clock: Clock) -> Option<Extent> {
        match clock {
            Clock::Ecu => self.extents.ecu,
            Clock::Dyno => self.extents.dyno,
        }
    }

    /// When the pull ran, on the clock that knows; the recording of the dyno where neither does.
    pub(super) fn ran(&self) -> [f64; 2] {
        let seen = self.extents.ecu.or(self.extents.dyno).map(Extent::ends);
        seen.or_else(|| self.dyno.span().map(|(a, b)| [a, b])).unwrap_or([0.0, 0.0])
    }

    /// First and last time of the log on a clock, s.
    pub(super) fn log_span(&self, clock: Clock) -> Option<(f64, f64)> {
        match clock {
            Clock::Ecu => self.ecu.and_then(Recording::span),
            Clock::Dyno => self.dyno.span(),
        }
    }

    pub(super) fn home(&self, channel: &Channel) -> Home<'a> {
        let name = channel.as_str();
        if let Some(s) = self.ecu.and_then(|l| l.samples(name)) {
            return Home::Found(Clock::Ecu, s);
        }
        if let Some(s) = self.dyno.samples(name) {
            return Home::Found(Clock::Dyno, s);
        }
        let holds = |log: Option<&Recording>| log.is_some_and(|l| l.has(name));
        match self.whole {
            [_, ecu] if holds(ecu) => Home::Elsewhere(Clock::Ecu),
            [dyno, _] if holds(dyno) => Home::Elsewhere(Clock::Dyno),
            _ => Home::Absent,
        }
    }

    /// A second channel brought to the clock of the first.
    pub(super) fn beside(&self, channel: &str, clock: Clock) -> Lookup<'a> {
        let (same, other) = match clock {
            Clock::Ecu => (self.ecu, Some(self.dyno)),
            Clock::Dyno => (Some(self.dyno), self.ecu),
        };
        if let Some(s) = same.and_then(|l| l.samples(channel)) {
            return Lookup::Found(s);
        }
        let Some(s) = other.and_then(|l| l.samples(channel)) else { return Lookup::Absent };
        let Some(lag) = self.lag else { return Lookup::Misaligned };
        let shift = if clock == Clock::Ecu { lag } else { -lag };
        Lookup::Found(s.shifted(shift))
    }

    /// The same where it is there to be had.
    pub(super) fn found(&self, channel: &str, clock: Clock) -> Option<Samples<'a>> {
        match self.beside(channel, clock) {
            Lookup::Found(s) => Some(s),
            _ => None,
        }
    }
}
