//! The samples behind a measured pull, with any smoothing, without measuring its set again.

use super::beside::Beside;
use super::drawn::{Drawing, is_of_drawing};
use super::result::Measured;
use super::tells::tells;
use super::window::own_parts;
use crate::analysis::given::{PullInput, Settings, Vehicle};
use crate::pull::engine_speed::measured_speed;
use crate::pull::shaft::PowerError;
use crate::pull::trace::PowerTrace;

/// Power sample by sample under the smoothing of `settings`, and the measurement with its curve and what is found of
/// it made from it, as measuring anew gives them. What does not go by the filter (span, clocks, limits) stays; the
/// lane of a limit stays blank where the curve reaches further than it did.
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
    let drawing = Drawing {
        dyno: &dyno,
        ecu: ecu.as_deref(),
        span: &span,
        alignment: &m.alignment,
        on: &vehicle.dyno,
        ratio: m.ratio,
        air: m.air,
        coast: input.coast_down.as_ref(),
        speed_from: m.speed_from,
        engine: engine.as_ref(),
    };
    let drawn = drawing.drawn(settings)?;
    let mut again = m.clone();
    let (trace, flags) = drawn.put(&mut again);
    // Where the first stood; those before it stay.
    let at = again.flags.iter().take_while(|f| !is_of_drawing(f)).count();
    again.flags.retain(|f| !is_of_drawing(f));
    again.flags.splice(at..at, flags);
    for lane in &mut again.lanes {
        if let Some(share) = &mut lane.share {
            *share = on_another_grid(share, &m.grid.rpm, &again.grid.rpm, settings.grid_rpm);
        }
    }
    let whole = Beside { dyno: &input.dyno, ecu: input.ecu.as_deref().zip(m.alignment.usable_lag()) };
    again.tells = tells(&whole, &again.grid, &span, &vehicle.dyno, input.air);
    Ok(Some((trace, again)))
}

/// Values of one grid at the speeds of another of the same step; nothing where the first has none.
fn on_another_grid(of: &[Option<f64>], was: &[f64], now: &[f64], step: f64) -> Vec<Option<f64>> {
    let (Some(old), Some(first), Some(last)) = (was.first(), now.first(), now.last()) else {
        return Vec::new();
    };
    let cells = |from: f64, to: f64| ((to - from) / step).round() as i64;
    let ahead = cells(*old, *first);
    (0..=cells(*first, *last))
        .map(|i| usize::try_from(i + ahead).ok().and_then(|k| of.get(k).copied().flatten()))
        .collect()
}
