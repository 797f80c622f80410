//! What a dyno recorded of its shaft: speed, torque, load.

use super::dyno::DynoKind;
use crate::log::{Recording, Series};
use crate::signal::savgol::WindowPlan;
use crate::units::RAD_S_PER_RPM;
use thiserror::Error;

/// Why no power can be derived.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum PowerError {
    #[error("no torque channel: a {kind} dyno recording needs {wanted}")]
    MissingTorque { kind: &'static str, wanted: &'static str },
    #[error(
        "no speed channel: the dyno recording needs roller_speed (shaft, hub or roller rpm) or engine_speed with an overall ratio"
    )]
    MissingSpeed,
    #[error("a roller_inertia dyno needs inertia_kg_m2")]
    MissingInertia,
    #[error("the pull has only {samples} usable samples")]
    TooShort { samples: usize },
    #[error("the coast-down does not slow down enough to fit a loss")]
    BadCoastDown,
}

/// The dyno-shaft speed of a log, rpm: its own channel, else engine speed ÷ ratio.
pub fn shaft_speed(log: &Recording, ratio: Option<f64>) -> Option<Series> {
    log.series("roller_speed").or_else(|| {
        let s = log.series("engine_speed")?;
        let k = ratio.unwrap_or(1.0);
        Some(Series { v: s.v.iter().map(|v| v / k).collect(), t: s.t })
    })
}

/// The torque channel a dyno of that kind records.
///
/// # Errors
/// [`PowerError::MissingTorque`] naming what is wanted.
pub fn torque(log: &Recording, kind: DynoKind) -> Result<Series, PowerError> {
    let (kind, wanted, names) = match kind {
        DynoKind::Hub => ("hub", "hub_torque in N·m", ["hub_torque", "brake_torque"]),
        _ => ("brake", "brake_torque in N·m", ["brake_torque", "hub_torque"]),
    };
    names.iter().find_map(|n| log.series(n)).ok_or(PowerError::MissingTorque { kind, wanted })
}

/// The torque a dyno recorded, or what its power makes of it: `T = P/ω` at the shaft, for a recorder that
/// keeps power alone.
///
/// # Errors
/// [`PowerError::MissingTorque`] when there is neither.
pub fn shaft_torque(log: &Recording, kind: DynoKind, ratio: Option<f64>) -> Result<Series, PowerError> {
    torque(log, kind).or_else(|missing| {
        let (power, speed) = (log.series("power"), shaft_speed(log, ratio));
        let Some((power, speed)) = power.zip(speed) else { return Err(missing) };
        let mut at = speed.reader();
        let of = |(t, p): (&f64, &f64)| {
            let w = at.at(*t)? * RAD_S_PER_RPM;
            (w > 1.0).then(|| (*t, 1000.0 * p / w))
        };
        let (t, v) = power.t.iter().zip(&power.v).filter_map(of).unzip();
        Ok(Series { t, v })
    })
}

/// Load over time, 1 at its highest, where tyres, clutch or converter can slip; `None` on a rigid coupling or
/// without evidence.
///
/// From the torque channel, on an inertia drum from the rate of its speed; smoothed over 0.2 s.
pub fn slip_load(log: &Recording, shaft: &Series, kind: DynoKind) -> Option<Series> {
    if kind.is_rigid() {
        return None;
    }
    let mut out = match kind {
        DynoKind::RollerInertia => {
            Series { v: WindowPlan::new(&shaft.t, 0.3).rates(&shaft.v), t: shaft.t.clone() }
        }
        _ => {
            let q = shaft_torque(log, kind, None).ok()?;
            Series { v: WindowPlan::new(&q.t, 0.2).values(&q.v), t: q.t }
        }
    };
    let mut sorted: Vec<f64> = out.v.iter().copied().filter(|v| v.is_finite()).collect();
    sorted.sort_by(f64::total_cmp);
    let high = *sorted.get(sorted.len().saturating_sub(1) * 98 / 100)?;
    if high <= 0.0 {
        return None;
    }
    out.v.iter_mut().for_each(|v| *v = (*v / high).clamp(0.0, 1.2));
    Some(out)
}
