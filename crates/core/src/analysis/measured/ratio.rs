//! Engine rpm per rpm of the dyno's shaft: where a pull takes it from, and what its recordings say of it.

use super::result::RatioSource;
use crate::analysis::given::{PullInput, Vehicle};
use crate::findings::Finding;
use crate::log::Recording;
use crate::pull::align::Alignment;
use crate::signal::median::median_in_place;

/// Measured and geometric ratio may differ by this share before a person is asked.
pub(super) const RATIO_DOUBT: f64 = 0.01;

pub(super) fn starting_ratio(log: &Recording, geometry: Option<f64>) -> (Option<f64>, RatioSource) {
    if let Some(k) = geometry {
        return (Some(k), RatioSource::Geometry);
    }
    match two_speed_ratio(log) {
        Some(k) => (Some(k), RatioSource::DynoRecording),
        None if !log.has("roller_speed") => (Some(1.0), RatioSource::DynoRecording),
        None => (None, RatioSource::Unknown),
    }
}

/// Median engine ÷ shaft speed when the dyno recording holds both.
fn two_speed_ratio(log: &Recording) -> Option<f64> {
    let (e, s) = (log.column("engine_speed")?, log.column("roller_speed")?);
    let top = s.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
    let mut k: Vec<f64> = e
        .iter()
        .zip(s)
        .filter(|(e, s)| e.is_finite() && **s > 0.5 * top && **s > 0.0)
        .map(|(e, s)| e / s)
        .collect();
    (k.len() >= 10).then(|| median_in_place(&mut k))
}

pub(super) fn doubt_ratio(
    log: &Recording,
    alignment: &Alignment,
    given: Option<f64>,
    flags: &mut Vec<Finding>,
) {
    let Some(k) = given else { return };
    let from_alignment = alignment.measured_ratio.filter(|_| alignment.residual_rpm.is_some());
    if let Some(m) = two_speed_ratio(log).or(from_alignment).filter(|m| (m / k - 1.0).abs() > RATIO_DOUBT) {
        flags.push(Finding::RatioDiffers {
            geometry: k,
            measured: m,
            slip: alignment.slip_share.filter(|_| alignment.usable()),
        });
    }
}

/// A gear that the recordings show and nobody stated.
pub(super) struct AnotherGear {
    stated: Option<String>,
    measured: String,
    pub(super) ratio: f64,
}

impl AnotherGear {
    pub(super) fn finding(&self) -> Finding {
        Finding::AnotherGear {
            stated: self.stated.clone(),
            measured: self.measured.clone(),
            ratio: self.ratio,
        }
    }
}

/// The gear that the measured ratio names, when it is another than the stated one.
pub(super) fn another_gear(
    input: &PullInput,
    vehicle: &Vehicle,
    alignment: &Alignment,
) -> Option<AnotherGear> {
    let gears = Some(&vehicle.gears).filter(|g| !g.is_empty())?;
    let at_reference = vehicle.dyno.overall_ratio;
    let measured = two_speed_ratio(&input.dyno).or(alignment.measured_ratio)?;
    let (gear, ratio) = gears.named(measured, at_reference)?;
    let stated_ratio = input.overall_ratio.or(at_reference)?;
    if (ratio / stated_ratio - 1.0).abs() < RATIO_DOUBT {
        return None;
    }
    let same = |g: &&String| {
        gears.overall_if(g, at_reference).is_some_and(|k| (k / stated_ratio - 1.0).abs() < 1e-9)
    };
    let all = || gears.ratios.keys().chain(gears.learned.keys());
    let stated = input.overall_ratio.and_then(|_| all().find(same)).cloned();
    Some(AnotherGear { stated, measured: gear.to_owned(), ratio })
}
