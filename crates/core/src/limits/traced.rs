//! A limit laid over the raw samples of one pull, before anything is judged.

use super::bind::base;
use super::extent::Extent;
use super::gate::NoGate;
use super::model::{Clock, Limit, LimitOutcome, Threshold, Verdict};
use super::shared::Shared;
use super::sources::{Home, Lookup, Sources};
use super::why::{Wanted, Why};
use crate::channel::Channel;
use crate::computed::Lacking;
use crate::log::{Samples, View};
use std::sync::Arc;

/// One limit laid over the raw samples of one pull: what is judged, where the gate is open, where the
/// threshold lies.
#[derive(Debug, Clone)]
pub struct Traced<'l, 'a> {
    pub(super) limit: &'l Limit,
    pub(super) clock: Clock,
    pub(super) s: Samples<'a>,
    /// The gate, and what else is the same for every limit on this log through it.
    pub(super) base: Arc<Shared<'a>>,
    pub(super) thresholds: Thresholds,
    /// When the pull ran.
    pub(super) extent: Option<Extent>,
    /// First and last time of the log that holds the channel.
    pub(super) log: (f64, f64),
    /// The dyno saw a pull, and the log that holds the channel shows none although it has the speed to show
    /// it by.
    pub(super) unseen: bool,
}

/// Where the limit lies.
#[derive(Debug, Clone)]
pub(super) enum Thresholds {
    /// The same at every sample.
    One(f64),
    /// At each sample; `None` where the curve does not reach.
    Each(Vec<Option<f64>>),
}

impl Thresholds {
    pub(super) fn at(&self, i: usize) -> Option<f64> {
        match self {
            Self::One(x) => Some(*x),
            Self::Each(all) => all[i],
        }
    }
}

/// Lays a limit over a pull, or says why it cannot be judged.
///
/// # Errors
/// The outcome: not measured when a channel is missing, can't tell when it stands in a log that is not
/// aligned, or has no value in this pull but elsewhere in the recording.
pub fn trace<'l, 'a>(limit: &'l Limit, sources: &Sources<'a>) -> Result<Traced<'l, 'a>, Box<LimitOutcome>> {
    let blank = |verdict, why| Box::new(LimitOutcome::unjudged(limit, verdict, why));
    let absent = |channel: &Channel, wanted| {
        blank(Verdict::NotMeasured, Why::NotLogged { channel: channel.clone(), wanted })
    };
    let misaligned =
        |channel: &Channel| blank(Verdict::CantTell, Why::NotAligned { channel: channel.clone() });
    // What is computed and not there lacks one of its parts: that one is named.
    let computed = |channel: &Channel| sources.formulas.iter().any(|f| f.name == *channel);
    let missing = |channel: &Channel, wanted| match sources.lacking(channel) {
        // All its parts are there, and nowhere has the arithmetic an answer.
        None if computed(channel) => {
            let [from, to] = sources.ran();
            let why = Why::Undefined { channel: channel.clone(), from_s: from, missing_s: to - from };
            blank(Verdict::CantTell, why)
        }
        None => absent(channel, wanted),
        Some(Lacking::NotAligned(part)) => misaligned(part),
        Some(Lacking::Channel(part)) if sources.elsewhere(part) => {
            blank(Verdict::CantTell, Why::NotInPull { channel: part.clone() })
        }
        Some(Lacking::Channel(part)) => absent(part, Wanted::Computed),
        Some(Lacking::Family(kind)) => absent(&Channel::known(kind), Wanted::Computed),
    };
    let (clock, s) = match sources.home(&limit.channel) {
        Home::Found(Clock::Ecu, _) | Home::Elsewhere(Clock::Ecu) if sources.foreign => {
            return Err(blank(Verdict::CantTell, Why::WhichPull));
        }
        Home::Found(clock, s) => (clock, s),
        Home::Elsewhere(_) => {
            return Err(blank(Verdict::CantTell, Why::NotInPull { channel: limit.channel.clone() }));
        }
        Home::Absent => return Err(missing(&limit.channel, Wanted::ItIsJudged)),
    };
    let excitation = if limit.channel.as_str() == "engine_speed" { "roller_speed" } else { "engine_speed" };
    let base = base(&s, &limit.gate, sources, (clock, excitation)).map_err(|e| match e {
        NoGate::Absent(c) => missing(&c, Wanted::Gate),
        NoGate::Misaligned(c) => misaligned(&c),
    })?;
    let thresholds = match &limit.threshold {
        Threshold::Constant(x) => Thresholds::One(*x),
        Threshold::Curve { over, .. } => {
            let axis = match sources.beside(over.as_str(), clock) {
                Lookup::Found(samples) => samples,
                Lookup::Absent => return Err(missing(over, Wanted::Curve)),
                Lookup::Misaligned => return Err(misaligned(over)),
            };
            let mut at = axis.view().reader();
            Thresholds::Each(s.t.iter().map(|t| at.at(*t).and_then(|x| limit.threshold.at(x))).collect())
        }
    };
    let log = sources.log_span(clock).unwrap_or((f64::NEG_INFINITY, f64::INFINITY));
    let unseen = sources.unseen(clock);
    Ok(Traced { limit, clock, base, thresholds, extent: sources.extent(clock), log, unseen, s })
}

impl<'a> Traced<'_, 'a> {
    /// Engine (or shaft) speed on the clock of what is judged.
    pub(super) fn speed(&self) -> Option<View<'_>> {
        self.base.speed.as_ref().map(Samples::view)
    }

    /// Samples inside the gate over another channel: place and value, in order of time.
    pub fn points(&self, over: &str, sources: &Sources<'a>) -> Vec<(f64, f64)> {
        let Some(axis) = sources.found(over, self.clock).or_else(|| self.base.speed.clone()) else {
            return Vec::new();
        };
        let mut at = axis.view().reader();
        let inside = |t: f64| self.extent.is_none_or(|e| t >= e.from && t <= e.to);
        (0..self.s.t.len())
            .filter(|&i| self.base.gated[i] && inside(self.s.t[i]))
            .filter_map(|i| Some((at.at(self.s.t[i])?, self.s.v[i])))
            .collect()
    }

    /// Whether times here are on the engine computer's clock.
    pub fn on_ecu_clock(&self) -> bool {
        self.clock == Clock::Ecu
    }
}
