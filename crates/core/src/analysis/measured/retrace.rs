//! The samples behind a measured pull, with any smoothing, without measuring its set again.

use super::raw_grid::{Read, said_cuts};
use super::result::Measured;
use super::window::own_parts;
use crate::analysis::given::{PullInput, Settings, Vehicle};
use crate::pull::engine_speed::measured_speed;
use crate::pull::power::{With, derive};
use crate::pull::shaft::PowerError;
use crate::pull::trace::PowerTrace;

/// Power sample by sample under the smoothing of `settings`, and the measurement with its curve made from it.
/// What was found about the pull (span, clocks, limits, flags) stays as it was.
///
/// # Errors
/// [`PowerError`] as when measuring; `Ok(None)` when the recording holds no pull, or no power.
pub fn retrace(
    m: &Measured,
    input: &PullInput,
    vehicle: &Vehicle,
    settings: &Settings,
) -> Result<Option<(PowerTrace, Measured)>, PowerError> {
    let Some(span) = m.span.filter(|_| !m.log_only) else { return Ok(None) };
    let (dyno, ecu) = own_parts(input, m.own_window);
    let engine = (!m.speed_from.is_shaft())
        .then(|| measured_speed(&dyno, ecu.as_deref().zip(m.alignment.usable_lag())))
        .flatten();
    let with = With {
        dyno: &vehicle.dyno,
        ratio: m.ratio,
        coast: input.coast_down.as_ref(),
        smoothing_s: settings.smoothing_s,
        cuts: &said_cuts(&dyno, ecu.as_deref(), &m.alignment),
        engine: engine.as_ref(),
    };
    let trace = derive(&dyno, &span, &with)?;
    let read = Read {
        trace: &trace,
        span: &span,
        dyno: &dyno,
        ecu: ecu.as_deref(),
        alignment: &m.alignment,
        air: m.air,
        speed_from: m.speed_from,
    };
    let (grid, steps) = read.grid(settings.grid_rpm, &mut Vec::new());
    let again = Measured { grid, steps, filter: Some(trace.filter), ..m.clone() };
    Ok(Some((trace, again)))
}
