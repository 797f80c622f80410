//! The calibration of a dyno that a set was pulled under: another one is another dyno.

use chrono::NaiveDate;

/// The cell of a set, with the calibration that held on a day. A calibration of the same day was made before its
/// pulls (our choice: a cell is calibrated before it works).
///
/// ```
/// use jamjar_core::factors::calibrated::cell_on;
/// let day = |d| chrono::NaiveDate::from_ymd_opt(2026, 3, d).unwrap();
/// assert_eq!(cell_on("cell 2", &[], day(5)), "cell 2");
/// assert_eq!(cell_on("cell 2", &[day(4), day(9)], day(5)), "cell 2, calibrated 2026-03-04");
/// assert_eq!(cell_on("cell 2", &[day(4), day(9)], day(3)), "cell 2, before its calibration of 2026-03-04");
/// ```
pub fn cell_on(cell: &str, calibrations: &[NaiveDate], on: NaiveDate) -> String {
    match (calibrations.iter().filter(|d| **d <= on).max(), calibrations.iter().min()) {
        (Some(held), _) => format!("{cell}, calibrated {held}"),
        (None, Some(first)) => format!("{cell}, before its calibration of {first}"),
        (None, None) => cell.to_owned(),
    }
}
