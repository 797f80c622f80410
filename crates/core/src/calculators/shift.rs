//! Upshift speeds of equal tractive force.

use crate::signal::interp::Walk;
use serde::Serialize;
use thiserror::Error;

/// Search starts here, rpm.
pub const SEARCH_FROM_RPM: f64 = 3000.0;

/// One upshift.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct Shift {
    pub from_ratio: f64,
    pub to_ratio: f64,
    pub upshift_rpm: f64,
    pub after_rpm: f64,
}

/// Why shift points cannot be computed.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum ShiftError {
    #[error(
        "the torque curve needs at least two finite points with ascending rpm, as many torques as speeds"
    )]
    BadCurve,
    #[error(
        "ratios must be at least two positive numbers, each lower than the one before (ratio {index} is not)"
    )]
    BadRatios { index: usize },
    #[error("limit_rpm must be above {SEARCH_FROM_RPM}, got {value}")]
    BadLimit { value: f64 },
}

/// Checks a torque curve's arrays.
pub(super) fn curve_is_good(rpm: &[f64], torque: &[f64]) -> bool {
    rpm.len() >= 2
        && rpm.len() == torque.len()
        && rpm.iter().chain(torque).all(|v| v.is_finite())
        && rpm.windows(2).all(|w| w[1] > w[0])
}

/// First engine speed from 3000 rpm (1 rpm steps) where the next gear pulls harder, else the limit.
/// The torque curve is held at its end values outside its range.
///
/// # Formula
/// The first `n` with `T(n)·i < T(n·j/i)·j`, else the limit; `n` and `n·j/i` are the speeds before and after
///
/// where
/// - `T`: torque at the engine, N·m, linear between the points of the curve;
/// - `i`, `j`: ratio of the gear and of the next; the common final drive and tyre cancel;
/// - `n`: engine speed, rpm, from 3000 in steps of 1 (domain, section 12).
///
/// ```
/// use jamjar_core::calculators::shift::shift_points;
/// let (rpm, torque) = ([3000.0, 5000.0, 7000.0], [300.0, 300.0, 100.0]);
/// let up = shift_points(&rpm, &torque, &[3.0, 2.0], 7200.0)?[0];
/// // At 6000 rpm 200 N·m · 3 is as much as 300 N·m · 2 at 4000 rpm; above, the next gear pulls harder.
/// assert_eq!(up.upshift_rpm, 6001.0);
/// assert!((up.after_rpm - 6001.0 * 2.0 / 3.0).abs() < 1e-9);
/// # Ok::<(), jamjar_core::calculators::shift::ShiftError>(())
/// ```
///
/// # Errors
/// [`ShiftError`] for a bad curve, bad ratios or a limit below the search range.
pub fn shift_points(
    rpm: &[f64],
    torque_nm: &[f64],
    ratios: &[f64],
    limit_rpm: f64,
) -> Result<Vec<Shift>, ShiftError> {
    if !curve_is_good(rpm, torque_nm) {
        return Err(ShiftError::BadCurve);
    }
    if ratios.len() < 2 {
        return Err(ShiftError::BadRatios { index: ratios.len() });
    }
    if let Some(index) = (0..ratios.len())
        .find(|&i| !(ratios[i].is_finite() && ratios[i] > 0.0) || (i > 0 && ratios[i] >= ratios[i - 1]))
    {
        return Err(ShiftError::BadRatios { index });
    }
    if !limit_rpm.is_finite() || limit_rpm <= SEARCH_FROM_RPM {
        return Err(ShiftError::BadLimit { value: limit_rpm });
    }
    Ok(ratios
        .windows(2)
        .map(|w| {
            let drop = w[1] / w[0];
            let (mut here, mut there) = (Walk::new(rpm), Walk::new(rpm));
            let torque = |walk: &mut Walk<'_>, n: f64| walk.clamped(torque_nm, n).unwrap_or(0.0);
            let mut n = SEARCH_FROM_RPM;
            while n < limit_rpm && torque(&mut here, n) * w[0] >= torque(&mut there, n * drop) * w[1] {
                n += 1.0;
            }
            let upshift_rpm = n.min(limit_rpm);
            Shift { from_ratio: w[0], to_ratio: w[1], upshift_rpm, after_rpm: upshift_rpm * drop }
        })
        .collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn flat_torque_shifts_at_the_limit() {
        let s = shift_points(&[1000.0, 8000.0], &[200.0, 200.0], &[3.0, 2.0], 7000.0).unwrap();
        assert!(
            (s[0].upshift_rpm - 7000.0).abs() < 1e-9 && (s[0].after_rpm - 7000.0 * 2.0 / 3.0).abs() < 1e-6
        );
    }

    #[test]
    fn rising_ratios_are_refused_by_index() {
        assert_eq!(
            shift_points(&[1.0, 2.0], &[1.0, 1.0], &[3.0, 3.5], 7000.0).unwrap_err(),
            ShiftError::BadRatios { index: 1 }
        );
    }
}
