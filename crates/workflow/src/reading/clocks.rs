//! Both speeds of a pull on one clock: the evidence for the lag that was found.

use super::Reading;
use jamjar_core::pull::shaft::shaft_speed;

/// Both speeds over time from tip-in, s and engine rpm.
#[derive(Debug, Clone, PartialEq)]
pub struct Clocks {
    /// The dyno's, times the ratio.
    pub dyno: Vec<(f64, f64)>,
    /// The engine computer's, shifted by the lag.
    pub ecu: Vec<(f64, f64)>,
    /// How long the pull lasts, s.
    pub lasts_s: f64,
}

impl Clocks {
    pub(super) fn of(r: &Reading) -> Option<Self> {
        let shaft = shaft_speed(&r.dyno, r.vehicle.vehicle.dyno.overall_ratio)?;
        let engine = r.ecu.as_ref()?.series("engine_speed")?;
        let (from, to) =
            r.measured.span.map_or((*shaft.t.first()?, *shaft.t.last()?), |s| (s.from_s, s.to_s));
        let lag = r.measured.alignment.lag_s.unwrap_or(engine.t[0] - shaft.t[0]);
        let ratio = r.measured.ratio;
        Some(Self {
            dyno: shaft.t.iter().zip(&shaft.v).map(|(t, v)| (t - from, v * ratio)).collect(),
            ecu: engine.t.iter().zip(&engine.v).map(|(t, v)| (t - lag - from, *v)).collect(),
            lasts_s: to - from,
        })
    }
}
