//! Drift of a day beside its configurations.

use crate::analysis::set::{Figure, SetResult};
use crate::factors::Factors;
use crate::stats::drift::{Drift, Observation, ancova};
use std::collections::BTreeMap;

/// What drift is counted by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Per {
    /// Clock time: every set has one.
    Hour,
    /// Place in the order of running.
    Set,
}

/// Drift of a day beside its configurations.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct DayDrift {
    /// The fit.
    pub fit: Drift,
    /// Number of each configuration in the fit.
    pub configurations: BTreeMap<Factors, usize>,
    /// What one unit of the order is.
    pub per: Per,
}

/// Fits drift over the sets of one day and gear for a figure; the configuration of `first` is number 0.
pub(super) fn day_drift(sets: &[&SetResult], first: &Factors, figure: Figure) -> Option<DayDrift> {
    let clocks = sets.iter().all(|s| s.at_h.is_some());
    let mut numbers = BTreeMap::from([(first, 0)]);
    let mut pulls = Vec::new();
    for s in sets {
        let next = numbers.len();
        let configuration = *numbers.entry(&s.factors).or_insert(next);
        let order = if clocks { s.at_h.unwrap_or(0.0) } else { s.order };
        for (i, value) in s.figure(figure).values.iter().enumerate() {
            pulls.push(Observation {
                configuration,
                order,
                position: s.pull_of_value(i) as f64,
                value: *value,
            });
        }
    }
    if !pulls.iter().any(|p| p.configuration == 0) {
        return None;
    }
    let configurations = numbers.into_iter().map(|(f, i)| (f.clone(), i)).collect();
    Some(DayDrift { fit: ancova(&pulls)?, configurations, per: if clocks { Per::Hour } else { Per::Set } })
}
