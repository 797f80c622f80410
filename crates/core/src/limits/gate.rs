//! Where a gate is open, where it is shut, and where nobody knows: a blank gate channel is no shut gate.

use super::extent::Extent;
use super::model::GateTerm;
use super::why::StandIn;
use crate::channel::Channel;
use crate::log::Samples;

/// A hole longer than this many of a channel's own intervals, and in a gate than this, s, leaves unknown what
/// happened in it (our choice).
pub(super) const OWN_INTERVALS: f64 = 2.5;
pub(super) const SHORTEST_HOLE_S: f64 = 0.2;

/// What one term reads.
#[derive(Debug, Clone)]
pub(super) enum Source<'a> {
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
pub(super) struct Bound<'a> {
    pub(super) term: GateTerm,
    pub(super) source: Source<'a>,
}

/// A gate on one clock.
#[derive(Debug, Clone)]
pub(super) struct Gate<'a> {
    pub(super) terms: Vec<Bound<'a>>,
    /// What stands in for what.
    pub(super) stand_ins: Vec<StandIn>,
}

/// Why a gate cannot be read.
#[derive(Debug, Clone)]
pub(super) enum NoGate {
    Absent(Channel),
    Misaligned(Channel),
}

impl Gate<'_> {
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
