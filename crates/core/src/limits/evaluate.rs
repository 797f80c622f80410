//! Gathering what a limit needs from one or two logs, then judging it.

use super::judge::{Judged, judge};
use super::model::{Limit, LimitOutcome, Threshold, Verdict};
use crate::channel::Channel;
use crate::log::{Recording, Series};
use crate::pull::align::Alignment;

/// The logs of one pull. Limits on one log need no alignment.
#[derive(Debug, Clone, Copy)]
pub struct Sources<'a> {
    /// Dyno recording.
    pub dyno: &'a Recording,
    /// Engine-computer log.
    pub ecu: Option<&'a Recording>,
    /// How their clocks relate.
    pub alignment: &'a Alignment,
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

impl<'a> Sources<'a> {
    pub(super) fn home(&self, channel: &Channel) -> Option<(Clock, Series)> {
        let name = channel.as_str();
        if let Some(s) = self.ecu.and_then(|l| l.series(name)) {
            return Some((Clock::Ecu, s));
        }
        self.dyno.series(name).map(|s| (Clock::Dyno, s))
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
}

/// One limit laid over the raw samples of one pull: what is judged, where the gate is open, where the threshold lies.
#[derive(Debug, Clone)]
pub struct Traced<'l> {
    pub(super) limit: &'l Limit,
    pub(super) clock: Clock,
    pub(super) s: Series,
    pub(super) gated: Vec<bool>,
    pub(super) thresholds: Vec<Option<f64>>,
    pub(super) speed: Option<Series>,
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
/// The outcome: not measured when a channel is missing, can't tell when it stands in a log that is not aligned.
pub fn trace<'l>(limit: &'l Limit, sources: &Sources<'_>) -> Result<Traced<'l>, Box<LimitOutcome>> {
    let blank = |verdict, reason: String| Box::new(LimitOutcome::unjudged(limit, verdict, reason));
    let absent = |channel: &Channel, so: &str| blank(Verdict::NotMeasured, format!("{} was not logged{so}", channel.label()));
    let (clock, s) = sources.home(&limit.channel).ok_or_else(|| absent(&limit.channel, ""))?;
    let beside = |channel: &Channel, so: &str| match sources.beside(channel.as_str(), clock) {
        Lookup::Found(series) => Ok(series),
        Lookup::Absent => Err(absent(channel, so)),
        Lookup::Misaligned => Err(blank(Verdict::CantTell, misaligned(channel))),
    };
    let mut gated = vec![true; s.len()];
    for term in &limit.gate {
        let gate = beside(&term.channel, ", so the gate cannot be judged")?;
        let mut at = gate.reader();
        s.t.iter().zip(&mut gated).for_each(|(t, open)| *open &= at.at(*t).is_some_and(|v| term.holds(v)));
    }
    let thresholds = match &limit.threshold {
        Threshold::Constant(_) => vec![limit.threshold.at(0.0); s.len()],
        Threshold::Curve { over, .. } => {
            let axis = beside(over, ", so the threshold curve cannot be read")?;
            let mut at = axis.reader();
            s.t.iter().map(|t| at.at(*t).and_then(|x| limit.threshold.at(x))).collect()
        }
    };
    let speed = match sources.beside("engine_speed", clock) {
        Lookup::Found(n) => Some(n),
        _ => None,
    };
    Ok(Traced { limit, clock, s, gated, thresholds, speed })
}

impl Traced<'_> {
    /// Whether times here are on the engine computer's clock.
    pub fn on_ecu_clock(&self) -> bool {
        self.clock == Clock::Ecu
    }

    /// The verdict.
    pub fn outcome(&self, sources: &Sources<'_>) -> LimitOutcome {
        let mut judged = judge(self.limit, &self.s, &self.gated, &self.thresholds, self.speed.as_ref());
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
    let Lookup::Found(cut) = sources.beside("fuel_cut", clock) else { return false };
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
