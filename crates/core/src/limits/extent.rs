//! When a pull ran, on the clock of each of its logs: where a limit must have been measured.

use crate::log::{Recording, View};
use crate::pull::align::Alignment;
use crate::pull::detect::pulls_in;
use crate::pull::load::FULL_THROTTLE;
use crate::pull::span::{EndedBy, PullSpan};

/// A plate or pedal that never gets there is full at its own plateau, when that is at least this high, % (our
/// choice).
pub(super) const LOWEST_PLATEAU: f64 = 70.0;
/// A log that breaks off in a pull lacks at least this much of it, s.
const BROKEN_OFF_S: f64 = 0.5;
/// A plateau may wander by this share (our choice).
const STEADY: f64 = 0.04;

/// Start and end of a pull on one clock, s.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Extent {
    /// Full load begins.
    pub from: f64,
    /// Lift, or the end of the log.
    pub to: f64,
    /// True when no log holds the lift.
    pub open: bool,
}

/// The pull on the clocks of both logs; `None` where it cannot be placed.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Extents {
    /// On the dyno's.
    pub dyno: Option<Extent>,
    /// On the engine computer's.
    pub ecu: Option<Extent>,
}

impl Extents {
    /// As the dyno recording and the engine computer's own speed and throttle show it, whichever is longer.
    ///
    /// `span` is the pull on the dyno's clock. Where the clocks are not aligned each log knows only what it
    /// shows itself. `found` are the pulls of the engine computer's log where somebody looked for them before.
    pub fn of(
        dyno: &Recording,
        ecu: Option<&Recording>,
        alignment: &Alignment,
        span: Option<&PullSpan>,
        found: Option<&[PullSpan]>,
    ) -> Self {
        let lag = alignment.usable_lag();
        let shown = span.map(|s| plain(s, dyno));
        let seen = ecu.and_then(|log| {
            let about = shown.zip(lag).map(|(e, lag)| e.shifted(lag));
            match found {
                Some(found) => seen_in(log, found, about),
                None => seen_in(log, &pulls_in(log), about),
            }
        });
        // Not aligned, but the dyno holds the lift and the engine computer's log breaks off in the pull: it
        // ended before the pull did.
        let seen = match (seen, shown, lag) {
            (Some(e), Some(d), None) if e.open && !d.open => {
                Some(Extent { to: (e.from + d.to - d.from).max(e.to + BROKEN_OFF_S), open: false, ..e })
            }
            (e, ..) => e,
        };
        let on_dyno = union(shown, seen.zip(lag).map(|(e, lag)| e.shifted(-lag)));
        let on_ecu = union(seen, shown.zip(lag).map(|(e, lag)| e.shifted(lag)));
        Self { dyno: on_dyno, ecu: on_ecu }
    }
}

impl Extent {
    /// On a clock that is ahead by that much.
    #[must_use]
    pub fn shifted(self, by_s: f64) -> Self {
        Self { from: self.from + by_s, to: self.to + by_s, ..self }
    }

    /// As a pair.
    pub fn ends(self) -> [f64; 2] {
        [self.from, self.to]
    }
}

/// Either log may know the lift; the longer of the two is believed.
fn union(a: Option<Extent>, b: Option<Extent>) -> Option<Extent> {
    match (a, b) {
        (Some(a), Some(b)) => {
            Some(Extent { from: a.from.min(b.from), to: a.to.max(b.to), open: a.open && b.open })
        }
        (one, other) => one.or(other),
    }
}

fn plain(s: &PullSpan, log: &Recording) -> Extent {
    let bare = Extent { from: s.from_s, to: s.to_s, open: s.ended_by == EndedBy::EndOfLog };
    stretched(bare, log)
}

/// The pull in the engine computer's own log: of those found there the one that lies where the dyno says, or the only
/// one.
fn seen_in(log: &Recording, found: &[PullSpan], about: Option<Extent>) -> Option<Extent> {
    let overlap = |s: &PullSpan| about.map_or(0.0, |e| s.to_s.min(e.to) - s.from_s.max(e.from));
    let own = match about {
        Some(_) => found.iter().filter(|s| overlap(s) > 0.0).max_by(|a, b| overlap(a).total_cmp(&overlap(b))),
        None => found.first().filter(|_| found.len() == 1),
    };
    own.map(|s| plain(s, log))
}

/// Drawn out on both sides for as long as the throttle, or the pedal, stays as open as in the pull.
fn stretched(e: Extent, log: &Recording) -> Extent {
    let Some(s) = log.samples("throttle").or_else(|| log.samples("pedal")) else { return e };
    let s = s.view();
    let full = plateau(s, e).map_or(FULL_THROTTLE, |p| p.min(100.0) * FULL_THROTTLE / 100.0);
    let (a, b) = (s.t.partition_point(|t| *t < e.from), s.t.partition_point(|t| *t <= e.to));
    let open = |i: &usize| s.v[*i] >= full;
    let from = (0..a).rev().take_while(open).last().map_or(e.from, |i| s.t[i].min(e.from));
    let to = (b..s.len()).take_while(open).last().map_or(e.to, |i| s.t[i].max(e.to));
    Extent { from, to, ..e }
}

/// Level at which a plate or pedal stayed through a pull; `None` when it did not stay, or low.
pub(super) fn plateau(s: View<'_>, e: Extent) -> Option<f64> {
    let third = (e.to - e.from) / 3.0;
    let mut v = s.between(e.from + 0.2_f64.min(third), e.to - 0.1_f64.min(third)).v.to_vec();
    if v.len() < 3 {
        return None;
    }
    v.sort_by(f64::total_cmp);
    let at = |share: f64| v[((v.len() - 1) as f64 * share) as usize];
    let middle = at(0.5);
    (middle >= LOWEST_PLATEAU && at(0.9) - at(0.1) <= STEADY * middle).then_some(middle)
}
