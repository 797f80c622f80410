//! The moment after a pull: what is to be done next, worst first.

use crate::analysis::measured::Measured;
use crate::analysis::set::{Figure, SetResult, Settled};
use crate::limits::{Limit, LimitOutcome, Verdict};
use crate::pull::align::Status;
use crate::pull::span::EndedBy;

/// What the newest pull of a set asks for.
#[derive(Debug, Clone, PartialEq)]
pub enum Now {
    /// A limit that somebody stands behind was crossed: these, worst first.
    Stop(Vec<LimitOutcome>),
    /// It was given up, or no pull was found in it: it is proposed to be left out.
    LeaveOut,
    /// Its clocks were refused: power stands, limits of the engine computer cannot be told.
    ClocksRefused,
    /// It is left out already.
    LeftOut,
    /// The set has not come to rest; the last two differ by this share, where two are there.
    PullAgain(Option<f64>),
    /// The set has settled from this pull on, counted from 0.
    Settled(usize),
}

/// Judges pull `k` of a set. `limits` are the vehicle's; a starting point never stops a day by itself.
pub fn now(set: &SetResult, m: &Measured, k: usize, limits: &[Limit]) -> Now {
    let stands = |o: &&LimitOutcome| limits.iter().any(|l| l.id == o.limit && !l.starting_point);
    let mut over: Vec<LimitOutcome> =
        m.limits.iter().filter(|o| o.verdict == Verdict::Over).filter(stands).cloned().collect();
    over.sort_by(|a, b| b.share_used.unwrap_or(0.0).total_cmp(&a.share_used.unwrap_or(0.0)));
    let finished = m.printed.is_some();
    if !over.is_empty() {
        Now::Stop(over)
    } else if !set.included.get(k).copied().unwrap_or(true) {
        Now::LeftOut
    } else if !finished && !m.log_only && m.span.is_none_or(|s| s.ended_by == EndedBy::Abort) {
        Now::LeaveOut
    } else if m.alignment.status == Status::Refused {
        Now::ClocksRefused
    } else {
        match Settled::of(&set.figure(Figure::PeakPower).values) {
            Settled::From(at) => Now::Settled(at),
            Settled::NotYet(share) => Now::PullAgain(Some(share)),
            Settled::Unknown => Now::PullAgain(None),
        }
    }
}
