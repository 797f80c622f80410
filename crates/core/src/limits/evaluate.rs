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

#[derive(Clone, Copy, PartialEq)]
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

/// Judges one limit on the raw samples of one pull.
pub fn evaluate(limit: &Limit, sources: &Sources<'_>) -> LimitOutcome {
    let blank = |verdict, reason: String| LimitOutcome {
        limit: limit.id.clone(),
        verdict,
        worst: None,
        threshold: None,
        margin: None,
        share_used: None,
        from_s: None,
        to_s: None,
        rpm: None,
        clock: None,
        reason: Some(reason),
    };
    let Some((clock, s)) = sources.home(&limit.channel) else {
        return blank(Verdict::NotMeasured, format!("{} was not logged", limit.channel.label()));
    };
    let mut gates = Vec::new();
    for term in &limit.gate {
        match sources.beside(term.channel.as_str(), clock) {
            Lookup::Found(series) => gates.push((term, series)),
            Lookup::Absent => return blank(Verdict::NotMeasured, format!("{} was not logged, so the gate cannot be judged", term.channel.label())),
            Lookup::Misaligned => return blank(Verdict::CantTell, misaligned(&term.channel)),
        }
    }
    let axis = match &limit.threshold {
        Threshold::Constant(_) => None,
        Threshold::Curve { over, .. } => match sources.beside(over.as_str(), clock) {
            Lookup::Found(series) => Some(series),
            Lookup::Absent => return blank(Verdict::NotMeasured, format!("{} was not logged, so the threshold curve cannot be read", over.label())),
            Lookup::Misaligned => return blank(Verdict::CantTell, misaligned(over)),
        },
    };
    let gated: Vec<bool> = s.t.iter().map(|t| gates.iter().all(|(g, x)| x.at(*t).is_some_and(|v| g.holds(v)))).collect();
    let thresholds: Vec<Option<f64>> = match &axis {
        None => vec![limit.threshold.at(0.0); s.len()],
        Some(x) => s.t.iter().map(|t| x.at(*t).and_then(|x| limit.threshold.at(x))).collect(),
    };
    let speed = match sources.beside("engine_speed", clock) {
        Lookup::Found(n) => Some(n),
        _ => None,
    };
    let mut judged = judge(limit, &s, &gated, &thresholds, speed.as_ref());
    if let (Some((a, b)), Some(reason)) = (judged.over_run, &mut judged.reason)
        && lean_by_a_cut(limit, &s, (a, b), sources, clock)
    {
        reason.push_str(", while fuel was cut");
    }
    finish(limit, &s, judged, &thresholds, speed.as_ref(), clock)
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

fn finish(limit: &Limit, s: &Series, j: Judged, thresholds: &[Option<f64>], speed: Option<&Series>, clock: Clock) -> LimitOutcome {
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
        rpm: place.and_then(|(h, ..)| speed.and_then(|n| n.at(s.t[h.at]))),
        clock: Some(if clock == Clock::Ecu { "ecu" } else { "dyno" }.to_owned()),
        reason: j.reason,
    }
}
