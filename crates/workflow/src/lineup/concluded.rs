//! What a line-up lets a person conclude beside its comparisons: what more pulls would show, in what state
//! its sets were pulled, what a gain cost.

use super::LineUp;
use jamjar_core::analysis::{Comparison, Figure, StateDifference, differs};
use jamjar_core::stats::plan::{pulls_needed, smallest_detectable};

/// What the pulls of a comparison can show at 80 % power, in the figure's unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CanShow {
    /// As they are.
    pub now: f64,
    /// With one more pull of each.
    pub next: f64,
    /// Pulls of each that are lacking to see the difference wanted, where these cannot; only of powers.
    pub more: Option<u32>,
}

impl LineUp {
    /// What the pulls behind a comparison can show of a figure; `None` without scatter. `wanted_kw` is the
    /// difference a person wants to see.
    pub fn can_show(&self, c: &Comparison, figure: Figure, wanted_kw: f64) -> Option<CanShow> {
        let f = c.figure(figure)?;
        let (sd, now) = (f.pull_sd?, f.smallest_detectable?);
        let n = self.results[self.base].n().min(self.results[c.candidate].n()) as u32;
        let next = smallest_detectable(sd, n + 1).map_or(now, |d| d.difference);
        let lacking = figure.unit() == "kW" && wanted_kw < now;
        let needed = lacking.then(|| pulls_needed(sd, wanted_kw).ok()).flatten();
        let more = needed.map(|p| p.pulls_per_set.saturating_sub(n)).filter(|more| *more > 1);
        Some(CanShow { now, next, more })
    }

    /// In what state the baseline and another set were pulled.
    pub fn states(&self, set: usize) -> Vec<StateDifference> {
        differs(&self.measured[self.base], &self.measured[set])
    }

    /// What the map of a candidate costs beyond the baseline's, when that is known and the maps differ.
    pub fn price(&self, c: &Comparison) -> Option<f64> {
        let (base, own) = (&self.sets[c.base].set, &self.sets[c.candidate].set);
        own.map_price.map(|p| p - base.map_price.unwrap_or(0.0)).filter(|_| own.config.map != base.config.map)
    }
}
