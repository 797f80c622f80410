//! A measured pull judged by a limit that is being thought about: its clocks and its span stay as they were measured.

use super::measure::limit_sources;
use super::result::Measured;
use super::window::own_parts;
use crate::analysis::given::{PullInput, Vehicle};
use crate::computed::with_computed;
use crate::limits::{Limit, LimitOutcome, Threshold, trace};
use crate::pull::align::Alignment;
use crate::pull::detect::pulls_in;

/// What a limit says of a pull, with the samples it looked at.
#[derive(Debug, Clone, PartialEq)]
pub struct JudgedAgain {
    /// The verdict.
    pub outcome: LimitOutcome,
    /// Samples inside the gate: place on the threshold's axis (engine speed for a constant one) and value, in the
    /// order of time.
    pub points: Vec<(f64, f64)>,
}

/// Judges a pull anew by one limit; a print has nothing to be judged.
pub fn judge_again(m: &Measured, input: &PullInput, vehicle: &Vehicle, limit: &Limit) -> JudgedAgain {
    let alone = Alignment::single_log();
    // A log that stands alone is its own clock.
    let (parts, alignment) = match (m.log_only, input.ecu.as_deref()) {
        (true, Some(log)) => {
            let own = m.own_window[1].map_or_else(|| log.clone(), |[a, b]| log.window(a, b));
            ((std::borrow::Cow::Owned(own), None), &alone)
        }
        _ => (own_parts(input, m.own_window), &m.alignment),
    };
    let formulas = vehicle.formulas();
    let lag = if m.log_only { Some(0.0) } else { alignment.usable_lag() };
    let (dyno, ecu, lacking) = with_computed(&formulas, parts.0, parts.1, lag);
    let foreign = !m.log_only && lag.is_none() && input.ecu.as_deref().is_some_and(|e| pulls_in(e).len() > 1);
    let sources = limit_sources(input, (&dyno, ecu.as_deref()), alignment, m.span.as_ref(), vehicle, None)
        .with_foreign_log(foreign)
        .computed(&formulas, &lacking);
    match trace(limit, &sources) {
        Err(outcome) => JudgedAgain { outcome: *outcome, points: Vec::new() },
        Ok(t) => {
            let over = match &limit.threshold {
                Threshold::Constant(_) => "engine_speed",
                Threshold::Curve { over, .. } => over.as_str(),
            };
            JudgedAgain { points: t.points(over, &sources), outcome: t.outcome(&sources) }
        }
    }
}
