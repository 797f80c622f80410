//! Time in which the limit should have been measured and was not: blank cells, a log that ends before the lift, a gate nobody logged.

use super::extent::Extent;
use super::gate::{OWN_INTERVALS, own_interval};
use super::traced::Traced;

/// A hole this long, or as long as the sustain time, hides too much, s (domain, section 10).
const LONGEST_S: f64 = 0.2;
/// A recorder's samples come this share of an interval late and stay on time; never less than half of the last digit of its stamps, s
/// (our choice).
const JITTER: f64 = 0.05;
const STAMP_S: f64 = 5e-4;
/// The gate is looked at this often inside a hole, and at most so many times.
const LOOK_S: f64 = 0.01;
const LOOKS: f64 = 2000.0;

impl Traced<'_> {
    /// When the limit should have been measured: the pull, or where the pull is not known the first to the last sample inside the gate.
    pub(super) fn judged_span(&self) -> Option<[f64; 2]> {
        self.extent.map(Extent::ends).or_else(|| {
            let first = self.gated.iter().position(|g| *g)?;
            Some([self.s.t[first], self.s.t[self.gated.iter().rposition(|g| *g)?]])
        })
    }

    /// Longest hole that hides nothing, s.
    ///
    /// # Formula
    /// `max(min(sustain or 0.2 s, 0.2 s), min(sustain, 2.5·own median interval))` (domain, section 10).
    fn longest_hole(&self) -> f64 {
        let sustain = self.limit.sustain_s;
        let own = own_interval(&self.s);
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
        let mut open = self.gate.reader();
        let looks = (0..n).filter(|i| open(from + (*i as f64 + 0.5) * (to - from) / n as f64) != Some(false)).count();
        looks as f64 * (to - from) / n as f64
    }
}

/// Where the limit was not measured although the gate held, in words; `None` when nothing is missing.
pub(super) fn hole(traced: &Traced<'_>) -> Option<String> {
    if traced.unseen {
        return Some(format!("the log that holds {} shows no whole pull and is not aligned with the dyno's", traced.limit.channel.label()));
    }
    let [from, to] = traced.judged_span()?;
    let (t, label) = (&traced.s.t, traced.limit.channel.label());
    let longest = traced.longest_hole();
    if let Some(last) = t.last() {
        // A log that ends early is judged by how early it ends, a channel that goes blank by its own interval.
        let ended = to - traced.log.1 > LONGEST_S;
        let allowed = if ended { LONGEST_S } else { longest };
        if to - last > allowed {
            let missing = traced.wanted(last.max(from), to);
            if missing > allowed {
                let what = if ended { "its log ends" } else { "it has no value from there on" };
                return Some(format!("{label} was measured until {last:.2} s, the pull ran until {to:.2} s: {what}, {missing:.1} s are missing"));
            }
        }
    }
    let holes = std::iter::once((from, *t.first()?)).chain(t.windows(2).map(|w| (w[0], w[1])));
    for (a, b) in holes.filter(|(a, b)| b - a > longest && *b > from && *a < to) {
        let missing = traced.wanted(a.max(from), b.min(to));
        if missing > longest {
            return Some(format!("{label} has no value for {missing:.2} s inside the gate, from {:.2} s: longer than {longest:.2} s", a.max(from)));
        }
    }
    unknown_gate(traced, from, to)
}

/// The longest time in which nobody knows whether the gate was open although the channel was measured.
fn unknown_gate(traced: &Traced<'_>, from: f64, to: f64) -> Option<String> {
    let (mut open, mut since) = (traced.gate.reader(), None);
    for t in traced.s.t.iter().filter(|t| **t >= from && **t <= to) {
        if open(*t).is_some() {
            since = None;
            continue;
        }
        let start = *since.get_or_insert(*t);
        if t - start > LONGEST_S {
            return Some(format!("the gate cannot be judged from {start:.2} s: a channel it needs is blank there"));
        }
    }
    None
}
