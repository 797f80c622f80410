//! One pull under every correction family, side by side.

use crate::prefs::Prefs;
use jamjar_core::analysis::{Engine, Measured, corrected};
use jamjar_core::correction::Correction;
use jamjar_core::words::caution;

pub(crate) struct FamilyRow {
    pub(crate) label: &'static str,
    pub(crate) factor: String,
    pub(crate) power: String,
    pub(crate) torque: String,
    pub(crate) caution: String,
    pub(crate) on: bool,
}

/// Families with the pull's figures; the one in force is marked.
pub(crate) fn family_rows(m: &Measured, engine: &Engine, prefs: &Prefs) -> Vec<FamilyRow> {
    let row = |family: Correction| {
        let c = corrected(m, engine, family);
        let f = c.curve.figures(None);
        FamilyRow {
            label: family.label(),
            factor: format!("{:.3}", c.factor),
            power: f.peak_power.map_or_else(
                || "–".into(),
                |p| format!("{:.1} {}", prefs.power.from_kw(p.value), prefs.power.label()),
            ),
            torque: f.peak_torque.map_or_else(
                || "–".into(),
                |p| format!("{:.1} {}", prefs.torque.from_nm(p.value), prefs.torque.label()),
            ),
            caution: c.cautions.iter().map(caution).collect::<Vec<_>>().join("; "),
            on: family == prefs.correction,
        }
    };
    Correction::ALL.into_iter().map(row).collect()
}
