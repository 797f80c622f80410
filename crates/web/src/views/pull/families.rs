//! One pull under every correction family, side by side.

use crate::prefs::Prefs;
use jamjar_core::words::caution;
use jamjar_workflow::reading::{Family, Reading};

pub(crate) struct FamilyRow {
    pub(crate) label: &'static str,
    pub(crate) factor: String,
    pub(crate) power: String,
    pub(crate) torque: String,
    pub(crate) caution: String,
    pub(crate) on: bool,
}

/// Families with the pull's figures; the one in force is marked.
pub(crate) fn family_rows(r: &Reading, prefs: &Prefs) -> Vec<FamilyRow> {
    let row = |x: &Family| {
        let (c, f, none) = (&x.corrected, &x.figures, || "–".to_owned());
        FamilyRow {
            label: x.family.label(),
            factor: format!("{:.3}", c.factor),
            power: f.peak_power.map_or_else(none, |p| prefs.power.say(p.value)),
            torque: f.peak_torque.map_or_else(none, |p| {
                format!("{:.1} {}", prefs.torque.from_nm(p.value), prefs.torque.label())
            }),
            caution: c.cautions.iter().map(caution).collect::<Vec<_>>().join("; "),
            on: x.family == prefs.correction,
        }
    };
    r.families.iter().map(row).collect()
}
