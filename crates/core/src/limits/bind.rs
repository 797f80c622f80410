//! What the terms of a gate read, and what stands in for what is not there.

use super::extent::{Extent, plateau};
use super::gate::{Bound, Gate, NoGate, OWN_INTERVALS, SHORTEST_HOLE_S, Source};
use super::model::{Clock, GateTerm};
use super::shared::Shared;
use super::sources::{Lookup, Sources};
use super::why::StandIn;
use crate::channel::Channel;
use crate::log::{Samples, View};
use crate::signal::median::median_interval;
use std::sync::Arc;

/// What limits have in common that judge these samples through this gate, `speed` being what shows that the engine
/// moved.
pub(super) fn base<'a>(
    s: &Samples<'a>,
    gate: &[GateTerm],
    sources: &Sources<'a>,
    (clock, speed): (Clock, &'static str),
) -> Result<Arc<Shared<'a>>, NoGate> {
    sources.memo().base(s, gate, (clock, speed), || {
        let speed = sources.found(speed, clock).or_else(|| sources.found("engine_speed", clock));
        Ok(Shared::of(&s.t, Gate::bind(gate, sources, clock)?, speed))
    })
}

impl<'a> Gate<'a> {
    /// Finds what each term reads on a clock. A pedal may stand for a missing throttle, a throttle for a
    /// pedal where no diesel is in question, and the detected sweep for both (domain, section 10).
    fn bind(terms: &[GateTerm], sources: &Sources<'a>, clock: Clock) -> Result<Self, NoGate> {
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
