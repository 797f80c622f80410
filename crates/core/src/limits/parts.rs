//! A computed channel is as good as its parts: one that sits at the end of its range, stands still or does not listen
//! leaves what is computed from it unknown.

use super::knock;
use super::sources::Sources;
use super::traced::Traced;
use super::why::Why;
use crate::channel::Channel;
use crate::log::Series;
use crate::signal::stuck::{Still, Watched};

/// A part counts as read where a value of its own is this near, s (our choice, as for the shortest hole).
const NEAR_S: f64 = 0.2;

/// The first part that cannot answer within the gate, and why; nothing for a measured channel.
pub(super) fn cannot_answer(traced: &Traced<'_>, sources: &Sources<'_>) -> Option<Why> {
    sources.parts(&traced.limit.channel).into_iter().find_map(|c| {
        let part = sources.found(c.as_str(), traced.clock)?;
        doubt(&c, &part, traced, sources)
    })
}

fn doubt(channel: &Channel, part: &Series, traced: &Traced<'_>, sources: &Sources<'_>) -> Option<Why> {
    let kind = channel.kind()?;
    let Traced { s, gated, speed, .. } = traced;
    let touches = |x: &Still| {
        let (from, to) = (part.t[x.from], part.t[x.to - 1]);
        (0..s.len()).any(|i| gated[i] && s.t[i] >= from && s.t[i] <= to)
    };
    let pull = traced.judged_span();
    let watched = Watched { s: part, kind, speed: speed.as_ref(), pull };
    let place = |x: &Still| (channel.clone(), x.value, part.t[x.from], part.t[x.to - 1]);
    // Which end matters depends on the expression: either is unknown beyond.
    if let Some((x, _)) = watched.at_end().into_iter().find(|(x, _)| touches(x)) {
        let (channel, value, from_s, to_s) = place(&x);
        return Some(Why::EndOfRange { channel, value, from_s, to_s });
    }
    if let Some(x) = watched.frozen().into_iter().find(touches) {
        let (channel, value, from_s, to_s) = place(&x);
        return Some(Why::StoodStill { channel, value, from_s, to_s });
    }
    let level = sources.found("knock_level", traced.clock);
    let span = pull.unwrap_or([f64::NEG_INFINITY, f64::INFINITY]);
    let live = || level.as_ref().zip(speed.as_ref()).is_some_and(|(l, n)| knock::is_live(l, n, span));
    match kind.name {
        "knock_level" if !live() => Some(Why::DeafLevel { channel: channel.clone() }),
        "knock_retard" if !live() && !knock::responds(part, level.as_ref()) => {
            Some(Why::DeafRetard { channel: channel.clone() })
        }
        _ => None,
    }
}

/// Whether a hole of a computed channel is none of its parts': the arithmetic has no answer there.
pub(super) fn undefined(traced: &Traced<'_>, sources: &Sources<'_>, hole: &Why) -> Option<Why> {
    let (from_s, missing_s) = match hole {
        Why::Hole { from_s, missing_s, .. } => (*from_s, *missing_s),
        Why::EndsEarly { until_s, missing_s, .. } => (*until_s, *missing_s),
        _ => return None,
    };
    let parts = sources.parts(&traced.limit.channel);
    let middle = from_s + missing_s / 2.0;
    let there = |c: &Channel| {
        let Some(s) = sources.found(c.as_str(), traced.clock) else { return false };
        let i = s.t.partition_point(|t| *t < middle);
        [i.checked_sub(1), Some(i)]
            .into_iter()
            .flatten()
            .any(|k| s.t.get(k).is_some_and(|t| (t - middle).abs() <= NEAR_S))
    };
    (!parts.is_empty() && parts.iter().all(there)).then(|| Why::Undefined {
        channel: traced.limit.channel.clone(),
        from_s,
        missing_s,
    })
}
