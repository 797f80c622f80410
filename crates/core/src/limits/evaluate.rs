//! Gathering what a limit needs from one or two logs, then judging it.

use super::extent::{Extent, Extents};
use super::gate::{Gate, NoGate};
use super::judge::{Judged, judge};
use super::model::{Limit, LimitOutcome, Threshold, Verdict};
use crate::channel::Channel;
use crate::log::{Recording, Series};
use crate::pull::align::Alignment;
use crate::pull::detect::PullSpan;

/// The logs of one pull. Limits on one log need no alignment.
#[derive(Debug, Clone, Copy)]
pub struct Sources<'a> {
    dyno: &'a Recording,
    ecu: Option<&'a Recording>,
    alignment: &'a Alignment,
    extents: Extents,
    pub(super) throttle_for_pedal: bool,
    whole: [Option<&'a Recording>; 2],
    /// Why samples of the engine computer's log cannot be given to this pull, when they cannot.
    foreign: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Clock {
    Ecu,
    Dyno,
}

pub(super) enum Lookup {
    Found(Series),
    Absent,
    Misaligned,
}

/// The channel that is judged.
enum Home {
    Found(Clock, Series),
    /// Values stand in the recording, but none in this pull.
    Elsewhere(Clock),
    Absent,
}

impl<'a> Sources<'a> {
    /// `dyno` and `ecu` are the pull's own parts of its recordings, `span` the pull on the dyno's clock.
    pub fn new(dyno: &'a Recording, ecu: Option<&'a Recording>, alignment: &'a Alignment, span: Option<&PullSpan>) -> Self {
        let extents = Extents::of(dyno, ecu, alignment, span);
        Self { dyno, ecu, alignment, extents, throttle_for_pedal: true, whole: [None, None], foreign: false }
    }

    /// Beside the parts, the whole recordings: a channel without a value in this pull but elsewhere was measured, only not here.
    #[must_use]
    pub fn out_of(mut self, dyno: &'a Recording, ecu: Option<&'a Recording>) -> Self {
        self.whole = [Some(dyno), ecu];
        self
    }

    /// On a diesel the plate says nothing about the pedal.
    #[must_use]
    pub fn on_diesel(mut self, diesel: bool) -> Self {
        self.throttle_for_pedal = !diesel;
        self
    }

    /// The engine computer's log holds several pulls and nobody knows which of them is this one.
    #[must_use]
    pub fn with_foreign_log(mut self, foreign: bool) -> Self {
        self.foreign = foreign;
        self
    }

    /// When the pull ran on each clock.
    pub fn extents(&self) -> Extents {
        self.extents
    }

    pub(super) fn extent(&self, clock: Clock) -> Option<Extent> {
        match clock {
            Clock::Ecu => self.extents.ecu,
            Clock::Dyno => self.extents.dyno,
        }
    }

    /// End of the log on a clock, s.
    pub(super) fn log_span(&self, clock: Clock) -> Option<(f64, f64)> {
        match clock {
            Clock::Ecu => self.ecu.and_then(Recording::span),
            Clock::Dyno => self.dyno.span(),
        }
    }

    fn home(&self, channel: &Channel) -> Home {
        let name = channel.as_str();
        if let Some(s) = self.ecu.and_then(|l| l.series(name)) {
            return Home::Found(Clock::Ecu, s);
        }
        if let Some(s) = self.dyno.series(name) {
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
    pub(super) fn beside(&self, channel: &str, clock: Clock) -> Lookup {
        let (same, other) = match clock {
            Clock::Ecu => (self.ecu, Some(self.dyno)),
            Clock::Dyno => (Some(self.dyno), self.ecu),
        };
        if let Some(s) = same.and_then(|l| l.series(channel)) {
            return Lookup::Found(s);
        }
        let Some(mut s) = other.and_then(|l| l.series(channel)) else { return Lookup::Absent };
        let Some(lag) = self.alignment.usable_lag() else { return Lookup::Misaligned };
        let shift = if clock == Clock::Ecu { lag } else { -lag };
        s.t.iter_mut().for_each(|t| *t += shift);
        Lookup::Found(s)
    }

    /// The same where it is there to be had.
    pub(super) fn found(&self, channel: &str, clock: Clock) -> Option<Series> {
        match self.beside(channel, clock) {
            Lookup::Found(s) => Some(s),
            _ => None,
        }
    }
}

/// One limit laid over the raw samples of one pull: what is judged, where the gate is open, where the threshold lies.
#[derive(Debug, Clone)]
pub struct Traced<'l> {
    pub(super) limit: &'l Limit,
    pub(super) clock: Clock,
    pub(super) s: Series,
    pub(super) gate: Gate,
    /// Whether the gate was open at each sample.
    pub(super) gated: Vec<bool>,
    pub(super) thresholds: Vec<Option<f64>>,
    pub(super) speed: Option<Series>,
    /// When the pull ran.
    pub(super) extent: Option<Extent>,
    /// First and last time of the log that holds the channel.
    pub(super) log: (f64, f64),
    /// The dyno saw a pull, and the log that holds the channel shows none although it has the speed to show it by.
    pub(super) unseen: bool,
}

/// Judges one limit on the raw samples of one pull.
pub fn evaluate(limit: &Limit, sources: &Sources<'_>) -> LimitOutcome {
    match trace(limit, sources) {
        Ok(t) => t.outcome(sources),
        Err(o) => *o,
    }
}

/// Lays a limit over a pull, or says why it cannot be judged.
///
/// # Errors
/// The outcome: not measured when a channel is missing, can't tell when it stands in a log that is not aligned, or has no value in this
/// pull but elsewhere in the recording.
pub fn trace<'l>(limit: &'l Limit, sources: &Sources<'_>) -> Result<Traced<'l>, Box<LimitOutcome>> {
    let blank = |verdict, reason: String| Box::new(LimitOutcome::unjudged(limit, verdict, reason));
    let absent = |channel: &Channel, so: &str| blank(Verdict::NotMeasured, format!("{} was not logged{so}", channel.label()));
    let (clock, s) = match sources.home(&limit.channel) {
        Home::Found(Clock::Ecu, _) | Home::Elsewhere(Clock::Ecu) if sources.foreign => {
            let text = "the engine computer's log holds several pulls and is not aligned: which of them is this one is not known";
            return Err(blank(Verdict::CantTell, text.into()));
        }
        Home::Found(clock, s) => (clock, s),
        Home::Elsewhere(_) => return Err(blank(Verdict::CantTell, format!("{} has no value in this pull", limit.channel.label()))),
        Home::Absent => return Err(absent(&limit.channel, "")),
    };
    let gate = Gate::bind(limit, sources, clock).map_err(|e| match e {
        NoGate::Absent(c) => absent(&c, ", so the gate cannot be judged"),
        NoGate::Misaligned(c) => blank(Verdict::CantTell, misaligned(&c)),
    })?;
    let mut open = gate.reader();
    let gated: Vec<bool> = s.t.iter().map(|t| open(*t) == Some(true)).collect();
    drop(open);
    let thresholds = match &limit.threshold {
        Threshold::Constant(_) => vec![limit.threshold.at(0.0); s.len()],
        Threshold::Curve { over, .. } => {
            let axis = match sources.beside(over.as_str(), clock) {
                Lookup::Found(series) => series,
                Lookup::Absent => return Err(absent(over, ", so the threshold curve cannot be read")),
                Lookup::Misaligned => return Err(blank(Verdict::CantTell, misaligned(over))),
            };
            let mut at = axis.reader();
            s.t.iter().map(|t| at.at(*t).and_then(|x| limit.threshold.at(x))).collect()
        }
    };
    let excitation = if limit.channel.as_str() == "engine_speed" { "roller_speed" } else { "engine_speed" };
    let speed = sources.found(excitation, clock).or_else(|| sources.found("engine_speed", clock));
    let log = sources.log_span(clock).unwrap_or((f64::NEG_INFINITY, f64::INFINITY));
    let unseen = sources.extent(clock).is_none() && sources.extents.dyno.is_some() && sources.ecu.is_some_and(|e| e.has("engine_speed"));
    Ok(Traced { limit, clock, gate, gated, thresholds, speed, extent: sources.extent(clock), log, unseen, s })
}

impl Traced<'_> {
    /// Whether times here are on the engine computer's clock.
    pub fn on_ecu_clock(&self) -> bool {
        self.clock == Clock::Ecu
    }

    /// The verdict.
    pub fn outcome(&self, sources: &Sources<'_>) -> LimitOutcome {
        let mut judged = judge(self, sources);
        if let (Some(run), Some(reason)) = (judged.over_run, &mut judged.reason)
            && lean_by_a_cut(self.limit, &self.s, run, sources, self.clock)
        {
            reason.push_str(", while fuel was cut");
        }
        finish(self, judged)
    }
}

/// Whether a lean stretch is the leanness of a fuel cut: it is labelled as such, never dropped.
fn lean_by_a_cut(limit: &Limit, s: &Series, run: (usize, usize), sources: &Sources<'_>, clock: Clock) -> bool {
    let lambda = limit.channel.kind().is_some_and(|k| k.name == "lambda") && limit.direction == super::model::Direction::Above;
    let Some(cut) = sources.found("fuel_cut", clock) else { return false };
    let share = |v: &[f64]| v.iter().filter(|v| **v > 0.5).count() as f64 / v.len().max(1) as f64;
    lambda && share(&cut.between(s.t[run.0] - 0.1, s.t[run.1] + 0.1).v) > 0.2
}

fn misaligned(channel: &Channel) -> String {
    format!("needs {} from the other log, and the two logs are not aligned", channel.label())
}

fn finish(traced: &Traced<'_>, j: Judged) -> LimitOutcome {
    let Traced { limit, clock, s, thresholds, speed, .. } = traced;
    let place = j.held.and_then(|h| thresholds[h.at].map(|threshold| (h, s.v[h.at], threshold)));
    let over = j.verdict == Verdict::Over;
    LimitOutcome {
        limit: limit.id.clone(),
        verdict: j.verdict,
        worst: place.map(|p| p.1),
        threshold: place.map(|p| p.2),
        margin: place.map(|(_, worst, threshold)| limit.direction.sign() * (threshold - worst)),
        share_used: place.and_then(|(_, worst, threshold)| limit.share_used(worst, threshold)),
        from_s: place.map(|(h, ..)| if over { j.over_run.map_or(s.t[h.from], |r| s.t[r.0]) } else { s.t[h.from] }),
        to_s: place.map(|(h, ..)| if over { j.over_run.map_or(s.t[h.to], |r| s.t[r.1]) } else { s.t[h.to] }),
        rpm: place.and_then(|(h, ..)| speed.as_ref().and_then(|n| n.at(s.t[h.at]))),
        clock: Some(if *clock == Clock::Ecu { "ecu" } else { "dyno" }.to_owned()),
        reason: j.reason,
    }
}
