//! Two sets held against each other in some value of their pulls, with the sets that lend them their scatter.

use super::comparable::not_comparable;
use super::figure::{copied, one_curve};
use crate::analysis::set::SetResult;
use crate::analysis::set_vs_set::{Alike, Scatter};
use crate::stats::pooled::Interval;

/// A pair and its lenders.
pub(super) struct Pair<'a> {
    a: &'a SetResult,
    b: &'a SetResult,
    /// `None` where no interval can be given whatever the scatter.
    lenders: Option<Vec<&'a SetResult>>,
}

impl<'a> Pair<'a> {
    /// Base and candidate among all sets that may lend.
    pub(super) fn new(
        [a, b]: [&'a SetResult; 2],
        all: impl Iterator<Item = &'a SetResult>,
        across_gears: bool,
    ) -> Self {
        let refused = not_comparable(a, b, across_gears).is_some() || one_curve(a, b) || copied(a, b);
        Self { a, b, lenders: (!refused).then(|| Alike::new(a, b, across_gears).lenders(all)) }
    }

    /// Scatter of a value of single pulls; `None` where none is known, or the two cannot be compared.
    pub(super) fn scatter(&self, values: impl Fn(&SetResult) -> Vec<f64>) -> Option<Scatter> {
        Scatter::of(self.lenders.as_ref()?, values)
    }

    /// The interval of a difference of their means, at a level of the base.
    pub(super) fn interval(&self, s: &Scatter, d: f64, level: f64) -> Interval {
        s.interval(d, [self.a, self.b], [self.a.n(), self.b.n()], level)
    }
}
