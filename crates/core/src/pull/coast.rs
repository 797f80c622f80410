//! The loss of a drum or driveline, from a coast-down with the drive disconnected.

use super::shaft::{PowerError, shaft_speed};
use crate::linalg::polyfit;
use crate::log::Recording;
use crate::signal::savgol::smooth_seconds;
use crate::units::RAD_S_PER_RPM;
use serde::Serialize;

/// Loss torque of a coast-down, `a0 + a1·ω + a2·ω²` in N·m at the shaft, ω in rad/s.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct CoastDown {
    /// Coefficients.
    pub a: [f64; 3],
}

/// Fits the loss of a coast-down recorded with the drive disconnected.
///
/// # Formula
/// `T_loss(ω) = −I·dω/dt`, fitted `a0 + a1·ω + a2·ω²` over the longest stretch of falling speed.
///
/// # Errors
/// [`PowerError::BadCoastDown`] when there is no such stretch of at least 2 s.
pub fn fit_coast_down(log: &Recording, inertia_kg_m2: f64) -> Result<CoastDown, PowerError> {
    let s = shaft_speed(log, None).ok_or(PowerError::MissingSpeed)?;
    let (w, _) = smooth_seconds(&s.t, &s.v, 1.0);
    let mut best = 0..0;
    let mut start = 0;
    for i in 0..=s.len() {
        let falling = i < s.len() && w.derivative[i] < 0.0 && w.smoothed[i] > 0.0;
        if !falling {
            if i - start > best.len() {
                best = start..i;
            }
            start = i + 1;
        }
    }
    if best.len() < 10 || s.t[best.end - 1] - s.t[best.start] < 2.0 {
        return Err(PowerError::BadCoastDown);
    }
    let omega: Vec<f64> = w.smoothed[best.clone()].iter().map(|v| v * RAD_S_PER_RPM).collect();
    let loss: Vec<f64> = w.derivative[best].iter().map(|d| -inertia_kg_m2 * d * RAD_S_PER_RPM).collect();
    let c = polyfit(&omega, &loss, 2).ok_or(PowerError::BadCoastDown)?;
    Ok(CoastDown { a: [c[0], c[1], c[2]] })
}
