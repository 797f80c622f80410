//! Standing-start estimate: time and speed at 18, 201 and 402 m.

use super::shift::curve_is_good;
use crate::signal::interp::linear_clamped;
use crate::units::RAD_S_PER_RPM;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Integration step, s (explicit).
pub const STEP_S: f64 = 1e-4;
const GRAVITY: f64 = 9.80665;
const MAX_TIME_S: f64 = 300.0;

/// Vehicle, engine and driver for one run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct StripInput {
    pub mass_kg: f64,
    pub tyre_friction: f64,
    pub driven_axle_load_fraction: f64,
    pub drag_area_m2: f64,
    pub rolling_coefficient: f64,
    pub tyre_radius_m: f64,
    pub final_drive: f64,
    pub drivetrain_efficiency: f64,
    pub air_density_kg_m3: f64,
    pub gears: Vec<f64>,
    pub rpm: Vec<f64>,
    pub torque_nm: Vec<f64>,
    pub shift_rpm: f64,
    pub launch_rpm: f64,
    pub shift_pause_s: f64,
}

/// Times from the start of motion and speeds.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct StripRun {
    pub t_18m_s: f64,
    pub t_201m_s: f64,
    pub v_201m_kmh: f64,
    pub t_402m_s: f64,
    pub v_402m_kmh: f64,
}

/// Why a run cannot be estimated.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum StripError {
    #[error("{name} must be a positive number, got {value}")]
    NotPositive { name: &'static str, value: f64 },
    #[error(
        "the torque curve needs at least two finite points with ascending rpm, as many torques as speeds"
    )]
    BadCurve,
    #[error("gears must be positive and descending (gear {index} is not)")]
    BadGears { index: usize },
    #[error("the vehicle does not reach 402 m within {MAX_TIME_S} s")]
    NeverArrives,
}

/// Marks of a strip, m: 60 ft, eighth and quarter mile.
const MARKS: [f64; 3] = [18.288, 201.168, 402.336];

fn validate(i: &StripInput) -> Result<(), StripError> {
    for (name, value, zero_ok) in [
        ("mass_kg", i.mass_kg, false),
        ("tyre_friction", i.tyre_friction, false),
        ("driven_axle_load_fraction", i.driven_axle_load_fraction, false),
        ("drag_area_m2", i.drag_area_m2, true),
        ("rolling_coefficient", i.rolling_coefficient, true),
        ("tyre_radius_m", i.tyre_radius_m, false),
        ("final_drive", i.final_drive, false),
        ("drivetrain_efficiency", i.drivetrain_efficiency, false),
        ("air_density_kg_m3", i.air_density_kg_m3, true),
        ("shift_rpm", i.shift_rpm, false),
        ("launch_rpm", i.launch_rpm, true),
        ("shift_pause_s", i.shift_pause_s, true),
    ] {
        if !value.is_finite() || value < 0.0 || (!zero_ok && value == 0.0) {
            return Err(StripError::NotPositive { name, value });
        }
    }
    if !curve_is_good(&i.rpm, &i.torque_nm) {
        return Err(StripError::BadCurve);
    }
    if i.gears.is_empty() {
        return Err(StripError::BadGears { index: 0 });
    }
    match (0..i.gears.len())
        .find(|&k| !(i.gears[k].is_finite() && i.gears[k] > 0.0) || (k > 0 && i.gears[k] >= i.gears[k - 1]))
    {
        Some(index) => Err(StripError::BadGears { index }),
        None => Ok(()),
    }
}

/// Integrates one run.
///
/// # Formula
/// `a = (min(T·i·i_f·η/r, μ·m·g·f) − ½ρ·CdA·v² − c_r·m·g)/m`; in first gear the engine never turns below the
/// launch speed (slipping clutch); upshift at the shift speed; no drive during the pause; explicit steps of
/// 0.1 ms.
///
/// where
/// - `T`: engine torque, N·m, held at the ends of the curve; `i`, `i_f`: gear and final drive; `η`: efficiency;
/// - `r`: tyre radius, m; `m`: mass, kg; `g`: 9.80665 m/s²; `μ`, `f`: grip and share of the weight on driven wheels;
/// - `ρ`: density of the air, kg/m³; `CdA`: drag area, m²; `v`: speed, m/s; `c_r`: rolling coefficient (domain,
///   section 12).
///
/// ```
/// use jamjar_core::calculators::strip::{StripInput, strip};
/// let car = StripInput {
///     mass_kg: 1400.0, tyre_friction: 1.1, driven_axle_load_fraction: 0.6, drag_area_m2: 0.65,
///     rolling_coefficient: 0.015, tyre_radius_m: 0.31, final_drive: 3.9, drivetrain_efficiency: 0.88,
///     air_density_kg_m3: 1.2, gears: vec![3.4, 2.0, 1.4, 1.0], rpm: vec![1000.0, 7000.0],
///     torque_nm: vec![260.0, 260.0], shift_rpm: 6500.0, launch_rpm: 2500.0, shift_pause_s: 0.2,
/// };
/// let (plain, strong) = (strip(&car)?, strip(&StripInput { torque_nm: vec![320.0, 320.0], ..car.clone() })?);
/// assert!(strong.t_402m_s < plain.t_402m_s && strong.v_402m_kmh > plain.v_402m_kmh);
/// # Ok::<(), jamjar_core::calculators::strip::StripError>(())
/// ```
///
/// # Errors
/// [`StripError`] for bad input or a vehicle that never arrives.
pub fn strip(i: &StripInput) -> Result<StripRun, StripError> {
    strip_in_steps(i, STEP_S)
}

/// The same in steps of another length: where many runs are made, a millisecond moves a time by less than 2 ms.
pub(super) fn strip_in_steps(i: &StripInput, step_s: f64) -> Result<StripRun, StripError> {
    let passed = run(i, &MARKS, step_s)?;
    Ok(StripRun {
        t_18m_s: passed[0].0,
        t_201m_s: passed[1].0,
        v_201m_kmh: passed[1].1,
        t_402m_s: passed[2].0,
        v_402m_kmh: passed[2].1,
    })
}

/// Time, s, and speed, km/h, at each of some distances, m, which ascend.
pub(super) fn passes(i: &StripInput, marks: &[f64]) -> Result<Vec<(f64, f64)>, StripError> {
    run(i, marks, STEP_S)
}

fn run(i: &StripInput, marks: &[f64], step_s: f64) -> Result<Vec<(f64, f64)>, StripError> {
    validate(i)?;
    let grip = i.tyre_friction * i.mass_kg * GRAVITY * i.driven_axle_load_fraction;
    let roll = i.rolling_coefficient * i.mass_kg * GRAVITY;
    let (mut t, mut x, mut v) = (0.0_f64, 0.0_f64, 0.0_f64);
    let (mut gear, mut pause) = (0usize, 0.0_f64);
    let mut passed: Vec<(f64, f64)> = Vec::new();
    while passed.len() < marks.len() {
        if t > MAX_TIME_S {
            return Err(StripError::NeverArrives);
        }
        let ratio = i.gears[gear] * i.final_drive;
        let turning = v / i.tyre_radius_m * ratio / RAD_S_PER_RPM;
        let rpm = if gear == 0 { turning.max(i.launch_rpm) } else { turning };
        if pause <= 0.0 && rpm >= i.shift_rpm && gear + 1 < i.gears.len() {
            gear += 1;
            pause = i.shift_pause_s;
            continue;
        }
        let drive = if pause > 0.0 {
            0.0
        } else {
            (linear_clamped(&i.rpm, &i.torque_nm, rpm).unwrap_or(0.0) * ratio * i.drivetrain_efficiency
                / i.tyre_radius_m)
                .min(grip)
        };
        pause -= step_s;
        let a = (drive - 0.5 * i.air_density_kg_m3 * i.drag_area_m2 * v * v - roll) / i.mass_kg;
        x += v * step_s;
        v = (v + a * step_s).max(0.0);
        t += step_s;
        while passed.len() < marks.len() && x >= marks[passed.len()] {
            passed.push((t, v * 3.6));
        }
    }
    Ok(passed)
}

/// A road car whose torque is the same at every speed, for tests.
#[cfg(test)]
pub(super) fn car(torque: f64, grip: f64) -> StripInput {
    StripInput {
        mass_kg: 1400.0,
        tyre_friction: grip,
        driven_axle_load_fraction: 0.6,
        drag_area_m2: 0.65,
        rolling_coefficient: 0.015,
        tyre_radius_m: 0.31,
        final_drive: 3.9,
        drivetrain_efficiency: 0.88,
        air_density_kg_m3: 1.2,
        gears: vec![3.4, 2.0, 1.4, 1.0],
        rpm: vec![1000.0, 7000.0],
        torque_nm: vec![torque; 2],
        shift_rpm: 6500.0,
        launch_rpm: 2500.0,
        shift_pause_s: 0.2,
    }
}
