//! The samples behind a measured pull, with any smoothing, without measuring its set again.

use super::measure::own_parts;
use super::raw_grid::{Read, said_cuts};
use super::result::Measured;
use crate::analysis::given::{PullInput, Settings, Vehicle};
use crate::pull::power::{PowerError, PowerTrace, derive};

/// Power sample by sample under the smoothing of `settings`, and the measurement with its curve made from it.
/// What was found about the pull (span, clocks, limits, flags) stays as it was.
///
/// # Errors
/// [`PowerError`] as when measuring; `Ok(None)` when the recording holds no pull.
pub fn retrace(
    m: &Measured,
    input: &PullInput,
    vehicle: &Vehicle,
    settings: &Settings,
) -> Result<Option<(PowerTrace, Measured)>, PowerError> {
    let Some(span) = m.span else { return Ok(None) };
    let (dyno, ecu) = own_parts(input, m.own_window);
    let trace = derive(
        &dyno,
        &span,
        &vehicle.dyno,
        m.ratio,
        input.coast_down.as_ref(),
        settings.smoothing_s,
        &said_cuts(&dyno, ecu.as_ref().map(AsRef::as_ref), &m.alignment),
    )?;
    let read = Read {
        trace: &trace,
        span: &span,
        dyno: &dyno,
        ecu: ecu.as_deref(),
        alignment: &m.alignment,
        air: m.air,
    };
    let (grid, steps) = read.grid(settings.grid_rpm, &mut Vec::new());
    let again = Measured { grid, steps, filter: Some(trace.filter), ..m.clone() };
    Ok(Some((trace, again)))
}
