//! What is known about the pulls behind a comparison, noted beside it.

use super::caveats::Caveat;
use super::comparison::Comparison;
use super::injection::injection;
use super::repeats::find_days;
use crate::analysis::measured::Measured;
use crate::analysis::set::{Figure, SetResult, Settled};
use std::borrow::Borrow;

/// Adds to each comparison what is known about its two sets' pulls, and whether they have settled.
pub fn note_pulls<M: Borrow<Measured>>(
    comparisons: &mut [Comparison],
    sets: &[SetResult],
    measured: &[Vec<M>],
) {
    let found = find_days(sets, measured);
    for c in comparisons {
        let says = injection([c.base, c.candidate], &c.confounding.factors_differ, sets, measured);
        c.notes.extend(says.map(Caveat::Injection));
        for set in [c.base, c.candidate] {
            let id = || sets[set].id.clone();
            let own = found.iter().filter(|f| f.set == set && sets[set].included.get(f.pull) == Some(&true));
            c.notes.extend(own.map(|f| Caveat::Flagged { set: id(), found: f.clone() }));
            let settled = Settled::of(&sets[set].figure(Figure::PeakPower).values);
            if let Settled::NotYet(_) = settled {
                c.notes.push(Caveat::Unsettled { set: id(), settled });
            }
        }
    }
}
