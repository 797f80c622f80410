//! The band of the mean until a person chooses one.

use jamjar_core::analysis::SetResult;
use jamjar_core::driven::Driven;

/// Band of the mean until a person chooses one, rpm.
const BAND: [f64; 2] = [3000.0, 6500.0];

/// A band that the baseline covers: the usual one, else where the vehicle is driven, else the middle of its
/// curve; the usual one where nothing is covered.
pub(crate) fn usual_band(base: &SetResult, driven: Option<Driven>) -> [f64; 2] {
    let curve = &base.mean_curve;
    let covered = |b: &[f64; 2]| curve.band_mean(*b).is_some();
    let middle = || {
        let [a, b] = curve.span_rpm()?;
        let tenth = 0.1 * (b - a);
        Some([((a + tenth) / 50.0).ceil() * 50.0, ((b - tenth) / 50.0).floor() * 50.0])
    };
    Some(BAND)
        .filter(covered)
        .or_else(|| driven.map(|d| d.span()).filter(covered))
        .or_else(|| middle().filter(covered))
        .unwrap_or(BAND)
}
