//! The verdict on one limit, with its place and its margin.

use super::judge::{Judged, judge};
use super::model::{Clock, Direction, Limit, LimitOutcome, Verdict};
use super::sources::Sources;
use super::traced::{Traced, trace};
use super::why::Why;
use crate::log::View;
use rayon::prelude::*;

/// Judges one limit on the raw samples of one pull.
pub fn evaluate(limit: &Limit, sources: &Sources<'_>) -> LimitOutcome {
    match trace(limit, sources) {
        Ok(t) => t.outcome(sources),
        Err(o) => *o,
    }
}

/// So many limits are one thread's (our choice: a usual pull has no more, and pulls are measured side by side).
pub(crate) const TOGETHER: usize = 8;

/// Judges all limits of a pull, many of them by all threads.
pub fn evaluate_all(limits: &[Limit], sources: &Sources<'_>) -> Vec<LimitOutcome> {
    limits.par_iter().with_min_len(TOGETHER).map(|l| evaluate(l, sources)).collect()
}

impl<'a> Traced<'_, 'a> {
    /// The verdict.
    pub fn outcome(&self, sources: &Sources<'a>) -> LimitOutcome {
        let mut judged = judge(self, sources);
        if let (Some(run), Some(Why::Crossed { fuel_was_cut, .. })) = (judged.over_run, &mut judged.why) {
            *fuel_was_cut = lean_by_a_cut(self.limit, self.s.view(), run, sources, self.clock);
        }
        finish(self, judged)
    }
}

/// Whether a lean stretch is the leanness of a fuel cut: it is labelled as such, never dropped.
fn lean_by_a_cut(
    limit: &Limit,
    s: View<'_>,
    run: (usize, usize),
    sources: &Sources<'_>,
    clock: Clock,
) -> bool {
    let lambda =
        limit.channel.kind().is_some_and(|k| k.name == "lambda") && limit.direction == Direction::Above;
    let Some(cut) = sources.found("fuel_cut", clock) else { return false };
    let share = |v: &[f64]| v.iter().filter(|v| **v > 0.5).count() as f64 / v.len().max(1) as f64;
    lambda && share(cut.view().between(s.t[run.0] - 0.1, s.t[run.1] + 0.1).v) > 0.2
}

fn finish(traced: &Traced<'_, '_>, j: Judged) -> LimitOutcome {
    let Traced { limit, clock, s, thresholds, .. } = traced;
    let speed = traced.speed();
    let place = j.held.and_then(|h| thresholds.at(h.at).map(|threshold| (h, s.v[h.at], threshold)));
    let over = j.verdict == Verdict::Over;
    LimitOutcome {
        limit: limit.id.clone(),
        verdict: j.verdict,
        worst: place.map(|p| p.1),
        threshold: place.map(|p| p.2),
        margin: place.map(|(_, worst, threshold)| limit.direction.sign() * (threshold - worst)),
        share_used: place.and_then(|(_, worst, threshold)| limit.share_used(worst, threshold)),
        from_s: place
            .map(|(h, ..)| if over { j.over_run.map_or(s.t[h.from], |r| s.t[r.0]) } else { s.t[h.from] }),
        to_s: place.map(|(h, ..)| if over { j.over_run.map_or(s.t[h.to], |r| s.t[r.1]) } else { s.t[h.to] }),
        rpm: place.and_then(|(h, ..)| speed.and_then(|n| n.at(s.t[h.at]))),
        clock: Some(*clock),
        why: j.why,
    }
}
