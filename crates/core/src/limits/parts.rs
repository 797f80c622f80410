//! What is judged must have been heard: a channel, or a part of a computed one, that sits at the end of its range, stands
//! still or does not listen leaves the verdict open.

use super::knock;
use super::model::Limit;
use super::sources::Sources;
use super::traced::Traced;
use super::why::Why;
use crate::channel::Channel;
use crate::log::{Samples, View};
use crate::signal::stuck::{Still, Watched};

/// A part counts as read where a value of its own is this near, s (our choice, as for the shortest hole).
const NEAR_S: f64 = 0.2;

/// Why what is judged cannot answer within the gate: the channel itself, or the first part of a computed one.
pub(super) fn cannot_answer<'a>(traced: &Traced<'_, 'a>, sources: &Sources<'a>) -> Option<Why> {
    let Limit { channel, direction, .. } = traced.limit;
    // Only the end toward the limit hides a crossing; of a part, either may, as the expression has it.
    let own = || doubt(channel, traced.s.view(), Some(direction.sign() > 0.0), traced, sources);
    let of_part = |c: Channel| {
        let part = sources.found(c.as_str(), traced.clock)?;
        doubt(&c, part.view(), None, traced, sources)
    };
    own().or_else(|| sources.parts(channel).into_iter().find_map(of_part))
}

fn doubt<'a>(
    channel: &Channel,
    part: View<'_>,
    toward: Option<bool>,
    traced: &Traced<'_, 'a>,
    sources: &Sources<'a>,
) -> Option<Why> {
    let kind = channel.kind()?;
    let (s, speed) = (traced.s.view(), traced.speed());
    let touches = |x: &Still| {
        let (from, to) = (part.t[x.from], part.t[x.to - 1]);
        let (a, b) = (s.t.partition_point(|t| *t < from), s.t.partition_point(|t| *t <= to));
        traced.base.gated[a..b].contains(&true)
    };
    let pull = traced.judged_span();
    let watched = Watched { s: part, kind, speed, pull };
    let place = |x: &Still| (channel.clone(), x.value, part.t[x.from], part.t[x.to - 1]);
    let hides = |(x, top): &(Still, bool)| toward.is_none_or(|t| t == *top) && touches(x);
    if let Some((x, _)) = watched.at_end().into_iter().find(hides) {
        let (channel, value, from_s, to_s) = place(&x);
        return Some(Why::EndOfRange { channel, value, from_s, to_s });
    }
    if let Some(x) = watched.frozen().into_iter().find(touches) {
        let (channel, value, from_s, to_s) = place(&x);
        return Some(Why::StoodStill { channel, value, from_s, to_s });
    }
    if !matches!(kind.name, "knock_level" | "knock_retard") {
        return None;
    }
    // Whether knock was listened to: a level that hears the engine, or retard that followed it.
    let level = sources.found("knock_level", traced.clock);
    let span = pull.unwrap_or([f64::NEG_INFINITY, f64::INFINITY]);
    let live = || level.as_ref().zip(speed).is_some_and(|(l, n)| knock::is_live(l.view(), n, span));
    match kind.name {
        "knock_level" if !live() => Some(Why::DeafLevel { channel: channel.clone() }),
        "knock_retard" if !live() && !knock::responds(part, level.as_ref().map(Samples::view)) => {
            Some(Why::DeafRetard { channel: channel.clone() })
        }
        _ => None,
    }
}

/// Whether a hole of a computed channel is none of its parts': the arithmetic has no answer there.
pub(super) fn undefined<'a>(traced: &Traced<'_, 'a>, sources: &Sources<'a>, hole: &Why) -> Option<Why> {
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
