//! What a set's figure rests on: every pull of the set, its own value, where it was read, and what was left
//! out by whom and why.

use crate::error::WorkflowError;
use crate::reading::Reading;
use crate::sets::fresh_sets;
use jamjar_core::analysis::{Figure, Settings, corrected};
use jamjar_core::curve::Curve;
use jamjar_core::figures::Looks;
use jamjar_core::stats::two_sets::mean;
use jamjar_store::Store;

/// One pull behind a figure.
#[derive(Debug, Clone, PartialEq)]
pub struct Evidence {
    /// The pull.
    pub pull_id: i64,
    /// Its place in the set, from 1.
    pub position: usize,
    /// Its own value, in the figure's unit; `None` when its curve does not reach there.
    pub value: Option<f64>,
    /// Stretch of engine speed it was read from, rpm; both ends alike for a single speed.
    pub read_at: Option<[f64; 2]>,
    /// Why it does not count.
    pub excluded: Option<String>,
}

/// Mean of the values that count, and how many they are; `None` when none does.
pub fn mean_of(all: &[Evidence]) -> Option<(f64, usize)> {
    let counted: Vec<f64> = all.iter().filter(|e| e.excluded.is_none()).filter_map(|e| e.value).collect();
    (!counted.is_empty()).then(|| (mean(&counted), counted.len()))
}

/// Where on a curve a figure is read, rpm.
pub fn read_at(figure: Figure, curve: &Curve, looks: &Looks) -> Option<[f64; 2]> {
    let f = curve.figures(None);
    match figure {
        Figure::PeakPower => f.peak_power.map(|p| [p.rpm; 2]),
        Figure::PeakTorque => f.peak_torque.map(|p| [p.rpm; 2]),
        Figure::BandMeanPower | Figure::BandMeanTorque => looks.band_rpm,
        Figure::PowerAt | Figure::TorqueAt => looks.at_rpm.map(|r| [r; 2]),
        Figure::DrivenPower => looks.driven.map(|d| d.span()),
        Figure::ShiftPower => looks.shift_rpm,
        Figure::PlateauRpm => f.peak_power.map(|p| curve.plateau(p)),
        Figure::FallOffPct => f.peak_power.map(|p| [p.rpm, p.rpm + jamjar_core::figures::FALL_OFF_RPM]),
    }
}

/// The pulls of the reading's set with their values of one figure, in order of running.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn evidence(
    store: &Store,
    r: &Reading,
    figure: Figure,
    looks: &Looks,
    settings: &Settings,
) -> Result<Vec<Evidence>, WorkflowError> {
    let sets = fresh_sets(store, store.sets_by_id(&[r.set.id]).await?, &r.vehicle).await?;
    let all = sets.into_iter().flat_map(|s| s.pulls).enumerate();
    let each = all.map(|(i, (pull, summary))| {
        let m = &summary.measured;
        let curve =
            corrected(m, &r.vehicle.vehicle.engine, settings.correction_of(&r.vehicle.vehicle.engine)).curve;
        Evidence {
            pull_id: pull.id,
            position: i + 1,
            value: figure.of(&curve.looked_at(looks)),
            read_at: read_at(figure, &curve, looks),
            excluded: m.excluded.clone(),
        }
    });
    Ok(each.collect())
}
