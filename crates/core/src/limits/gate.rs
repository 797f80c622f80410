//! Where a gate is open, where it is shut, and where nobody knows: a blank gate channel is no shut gate.

use super::extent::{Extent, plateau};
use super::model::{Clock, GateTerm};
use super::sources::{Lookup, Sources};
use super::why::StandIn;
use crate::channel::Channel;
use crate::log::{Samples, View};
use crate::signal::median::median_interval;

/// A hole longer than this many of a channel's own intervals, and in a gate than this, s, leaves unknown what
/// happened in it (our choice).
pub(super) const OWN_INTERVALS: f64 = 2.5;
const SHORTEST_HOLE_S: f64 = 0.2;

/// What one term reads.
#[derive(Debug, Clone)]
enum Source<'a> {
    Channel {
        s: Samples<'a>,
        scale: f64,
        hole_s: f64,
    },
    /// The full-load sweep itself, where neither plate nor pedal was logged.
    Sweep(Extent),
    /// Not asked for where it was not logged.
    LeftOut,
}

/// One term with what it reads.
#[derive(Debug, Clone)]
struct Bound<'a> {
    term: GateTerm,
    source: Source<'a>,
}

/// A gate on one clock.
#[derive(Debug, Clone)]
pub(super) struct Gate<'a> {
    terms: Vec<Bound<'a>>,
    /// What stands in for what.
    pub(super) stand_ins: Vec<StandIn>,
}

/// Why a gate cannot be read.
#[derive(Debug, Clone)]
pub(super) enum NoGate {
    Absent(Channel),
    Misaligned(Channel),
}

impl<'a> Gate<'a> {
    /// Finds what each term reads on a clock. A pedal may stand for a missing throttle, a throttle for a
    /// pedal where no diesel is in question, and the detected sweep for both (domain, section 10).
    pub(super) fn bind(terms: &[GateTerm], sources: &Sources<'a>, clock: Clock) -> Result<Self, NoGate> {
        let mut out = Self { terms: Vec::new(), stand_ins: Vec::new() };
        for term in terms {
            let source = out.source(term, sources, clock)?;
            out.terms.push(Bound { term: term.clone(), source });
        }
        Ok(out)
    }

    fn source(&mut self, term: &GateTerm, sources: &Sources<'a>, clock: Clock) -> Result<Source<'a>, NoGate> {
        let extent = sources.extent(clock);
        let name = term.channel.as_str();
        match sources.beside(name, clock) {
            Lookup::Found(s) => {
                let scale = if matches!(name, "throttle" | "pedal") {
                    self.scale_of(s.view(), term, extent, false)
                } else {
                    1.0
                };
                return Ok(read(s, scale));
            }
            Lookup::Misaligned => return Err(NoGate::Misaligned(term.channel.clone())),
            Lookup::Absent => {}
        }
        let stand_in = match name {
            "throttle" => Some("pedal"),
            "pedal" if sources.throttle_for_pedal => Some("throttle"),
            "pedal" => None,
            _ if term.if_logged => {
                self.stand_ins.push(StandIn::LeftOut { wanted: term.channel.clone() });
                return Ok(Source::LeftOut);
            }
            _ => return Err(NoGate::Absent(term.channel.clone())),
        };
        if let Some(other) = stand_in {
            match sources.beside(other, clock) {
                Lookup::Found(s) if other == "pedal" || extent.is_none_or(|e| !closes(s.view(), e)) => {
                    self.stand_ins
                        .push(StandIn::Channel { has: Channel::known(other), wanted: term.channel.clone() });
                    let scale = self.scale_of(s.view(), term, extent, true);
                    return Ok(read(s, scale));
                }
                Lookup::Misaligned => return Err(NoGate::Misaligned(term.channel.clone())),
                _ => {}
            }
        }
        let Some(e) = extent.filter(|_| term.above.is_some() && term.below.is_none()) else {
            return Err(NoGate::Absent(term.channel.clone()));
        };
        self.stand_ins.push(StandIn::Sweep { wanted: term.channel.clone() });
        Ok(Source::Sweep(e))
    }

    /// What to multiply a plate or pedal by, so that its plateau at full load is 100 %.
    fn scale_of(&mut self, s: View<'_>, term: &GateTerm, extent: Option<Extent>, stands_in: bool) -> f64 {
        let (Some(above), Some(level)) = (term.above, extent.and_then(|e| plateau(s, e))) else { return 1.0 };
        if above >= 100.0 || level > above && !stands_in || level >= 100.0 {
            return 1.0;
        }
        if level <= above {
            self.stand_ins.push(StandIn::FullLoad { reads: level });
        }
        100.0 / level
    }

    /// For reading at times that ascend: whether the gate is open there, `None` where a channel it needs is
    /// blank.
    pub(super) fn reader(&self) -> impl FnMut(f64) -> Option<bool> + '_ {
        let mut at: Vec<usize> = vec![0; self.terms.len()];
        move |t| {
            let mut known = true;
            for (bound, i) in self.terms.iter().zip(&mut at) {
                match bound.state(t, i) {
                    Some(false) => return Some(false),
                    Some(true) => {}
                    None => known = false,
                }
            }
            known.then_some(true)
        }
    }
}

fn read(s: Samples<'_>, scale: f64) -> Source<'_> {
    Source::Channel { scale, hole_s: (OWN_INTERVALS * median_interval(&s.t)).max(SHORTEST_HOLE_S), s }
}

/// Whether a plate closes by itself within a pull: then it says nothing about the pedal.
fn closes(s: View<'_>, e: Extent) -> bool {
    let inside = s.between(e.from + 0.2, e.to - 0.1);
    let top = inside.v.iter().copied().fold(0.0, f64::max);
    inside.v.iter().any(|v| *v < 0.9 * top)
}

impl Bound<'_> {
    fn state(&self, t: f64, i: &mut usize) -> Option<bool> {
        match &self.source {
            Source::LeftOut => Some(true),
            Source::Sweep(e) => Some(t >= e.from && t <= e.to),
            Source::Channel { s, scale, hole_s } => {
                let s = s.view();
                while *i + 1 < s.len() && s.t[*i + 1] <= t {
                    *i += 1;
                }
                let next = (*i + 1).min(s.len() - 1);
                let (a, b) = (s.t[*i], s.t[next]);
                if (a - t).max(t - b) > hole_s / 2.0 {
                    return None;
                }
                if b - a > *hole_s && t > a && t < b {
                    return None;
                }
                let share = if b > a { ((t - a) / (b - a)).clamp(0.0, 1.0) } else { 0.0 };
                Some(self.term.holds(scale * (s.v[*i] + share * (s.v[next] - s.v[*i]))))
            }
        }
    }
}
