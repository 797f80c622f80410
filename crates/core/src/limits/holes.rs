//! Time in which the limit should have been measured and was not: blank cells, a log that ends before the
//! lift, a gate nobody logged.

use super::extent::Extent;
use super::gate::OWN_INTERVALS;
use super::traced::Traced;
use super::why::Why;

/// A hole this long, or as long as the sustain time, hides too much, s (domain, section 10).
const LONGEST_S: f64 = 0.2;
/// A recorder's samples come this share of an interval late and stay on time; never less than half of the
/// last digit of its stamps, s (our choice).
const JITTER: f64 = 0.05;
const STAMP_S: f64 = 5e-4;
/// The gate is looked at this often inside a hole, and at most so many times.
const LOOK_S: f64 = 0.01;
const LOOKS: f64 = 2000.0;

impl Traced<'_, '_> {
    /// When the limit should have been measured: the pull, or where the pull is not known the first to the
    /// last sample inside the gate.
    pub(super) fn judged_span(&self) -> Option<[f64; 2]> {
        self.extent.map(Extent::ends).or_else(|| {
            let (first, last) = (self.base.open.first()?, self.base.open.last()?);
            Some([self.s.t[first.0], self.s.t[last.1 - 1]])
        })
    }

    /// Longest hole that hides nothing, s.
    ///
    /// # Formula
    /// `h = max(min(s or 0.2 s, 0.2 s), min(s, 2.5·d)) + max(0.05·d, 0.0005 s)`.
    ///
    /// where
    /// - `s`: sustain time of the limit, s (0.2 s where it has none); `d`: median interval of the channel, s.
    ///
    /// The first term is domain, section 10; the second, a recorder's jitter and the last digit of its
    /// stamps, is our choice.
    fn longest_hole(&self) -> f64 {
        let sustain = self.limit.sustain_s;
        let own = self.base.interval_s;
        let short = if sustain > 0.0 { sustain.min(LONGEST_S) } else { LONGEST_S };
        short.max(sustain.min(OWN_INTERVALS * own)) + (JITTER * own).max(STAMP_S)
    }

    /// Seconds between two times in which the gate is open, or would be by what is known of it.
    fn wanted(&self, from: f64, to: f64) -> f64 {
        if self.limit.gate.is_empty() {
            return to - from;
        }
        let step = LOOK_S.max((to - from) / LOOKS);
        let n = ((to - from) / step).ceil().max(1.0) as usize;
        let mut open = self.base.gate.reader();
        let looks =
            (0..n).filter(|i| open(from + (*i as f64 + 0.5) * (to - from) / n as f64) != Some(false)).count();
        looks as f64 * (to - from) / n as f64
    }
}

/// Where the limit was not measured although the gate held, and how; `None` when nothing is missing.
pub(super) fn hole(traced: &Traced<'_, '_>) -> Option<Why> {
    if traced.unseen {
        return Some(Why::NoWholePull { channel: traced.limit.channel.clone() });
    }
    let [from, to] = traced.judged_span()?;
    let (t, channel) = (&traced.s.t, &traced.limit.channel);
    let longest = traced.longest_hole();
    if let Some(last) = t.last() {
        // A log that ends early is judged by how early it ends, a channel that goes blank by its own
        // interval.
        let ended = to - traced.log.1 > LONGEST_S;
        let allowed = if ended { LONGEST_S } else { longest };
        if to - last > allowed {
            let missing = traced.wanted(last.max(from), to);
            if missing > allowed {
                let channel = channel.clone();
                return Some(Why::EndsEarly {
                    channel,
                    until_s: *last,
                    pull_until_s: to,
                    log_ends: ended,
                    missing_s: missing,
                });
            }
        }
    }
    // Where no two samples lie that far apart, there is only the time before the first.
    let between = if traced.base.widest_s > longest { t.windows(2) } else { [].windows(2) };
    let holes = std::iter::once((from, *t.first()?)).chain(between.map(|w| (w[0], w[1])));
    for (a, b) in holes.filter(|(a, b)| b - a > longest && *b > from && *a < to) {
        let missing = traced.wanted(a.max(from), b.min(to));
        if missing > longest {
            return Some(Why::Hole {
                channel: channel.clone(),
                missing_s: missing,
                from_s: a.max(from),
                longest_s: longest,
            });
        }
    }
    unknown_gate(traced, from, to)
}

/// The longest time in which nobody knows whether the gate was open although the channel was measured.
fn unknown_gate(traced: &Traced<'_, '_>, from: f64, to: f64) -> Option<Why> {
    if !traced.base.unknown {
        return None;
    }
    let (mut open, mut since) = (traced.base.gate.reader(), None);
    for t in traced.s.t.iter().filter(|t| **t >= from && **t <= to) {
        if open(*t).is_some() {
            since = None;
            continue;
        }
        let start = *since.get_or_insert(*t);
        if t - start > LONGEST_S {
            return Some(Why::GateBlank { from_s: start });
        }
    }
    None
}
