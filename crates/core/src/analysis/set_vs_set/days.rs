//! Sets of different days.

use crate::analysis::set::SetResult;

/// Half-width added per unit of correction-factor difference between days, as a share of power (our choice,
/// stated in the notes).
pub(in crate::analysis) const CROSS_DAY_SHARE: f64 = 0.25;

/// Share of power added to half-widths when the two sets stand on different days.
pub(in crate::analysis) fn cross_day_share(a: &SetResult, b: &SetResult) -> f64 {
    if a.day == b.day { 0.0 } else { CROSS_DAY_SHARE * (a.factor - b.factor).abs() }
}
