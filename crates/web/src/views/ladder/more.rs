//! What else each rung did: temperatures, shaft speed, spark, fuel.

use crate::prefs::Prefs;
use crate::views::common::cylinder_words;
use jamjar_core::analysis::Measured;
use jamjar_core::channel::Channel;
use jamjar_core::limits::{Direction, Threshold};
use jamjar_store::VehicleRecord;
use jamjar_workflow::ladder::Rung;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Kinds of channel in their order, and whether the lowest of a pull is what matters.
const KINDS: [(&str, bool); 11] = [
    ("intake_temp", false),
    ("exhaust_temp", false),
    ("turbo_speed", false),
    ("low_stage_speed", false),
    ("back_pressure", false),
    ("spark_advance", true),
    ("knock_retard", false),
    ("injector_duty", false),
    ("fuel_pressure", true),
    ("oil_temp", false),
    ("coolant_temp", false),
];

/// A channel over the rungs.
pub(crate) struct MoreRow {
    pub(crate) label: String,
    /// Whether it is the lowest or the highest of any pull.
    pub(crate) which: &'static str,
    /// A value for each rung; blank where it was not logged in every pull.
    pub(crate) cells: Vec<String>,
}

/// The worst of any pull of a rung; `None` where one of them did not log it.
fn worst(r: &Rung, c: &Channel, lowest: bool) -> Option<f64> {
    let of = |m: &Arc<Measured>| {
        let own = m.channels.iter().find(|s| s.channel == *c)?;
        Some(if lowest { own.min } else { own.max })
    };
    let all: Vec<f64> = r.set.measured.iter().map(of).collect::<Option<_>>()?;
    all.into_iter().filter(|v| v.is_finite()).reduce(if lowest { f64::min } else { f64::max })
}

/// What a speed is rated for, by the vehicle's own limit.
fn rating(c: &Channel, v: &VehicleRecord) -> Option<f64> {
    let speed = c.kind().is_some_and(|k| k.name.ends_with("_speed"));
    let own = v.limits.iter().find(|l| l.channel == *c && l.direction == Direction::Above)?;
    match own.threshold {
        Threshold::Constant(at) if speed && at > 0.0 => Some(at),
        _ => None,
    }
}

/// A row for each channel that any rung logged.
pub(super) fn more_rows(rungs: &[Rung], v: &VehicleRecord, prefs: &Prefs) -> Vec<MoreRow> {
    let logged: BTreeSet<&Channel> = rungs
        .iter()
        .flat_map(|r| &r.set.measured)
        .flat_map(|m| m.channels.iter().map(|c| &c.channel))
        .collect();
    let mut out = Vec::new();
    for (kind, lowest) in KINDS {
        for c in logged.iter().filter(|c| c.kind().is_some_and(|k| k.name == kind)) {
            let unit = prefs.units().shown(c);
            let rated = rating(c, v);
            let cell = |r: &Rung| match worst(r, c, lowest) {
                None => "not measured".to_owned(),
                Some(x) => {
                    let share = rated
                        .map_or_else(String::new, |at| format!(", {:.0} % of its limit", 100.0 * x / at));
                    format!("{:.*}{share}", unit.digits, unit.value(x))
                }
            };
            out.push(MoreRow {
                label: format!("{}, {}", cylinder_words(c, &v.sheet.cylinders), unit.unit()),
                which: if lowest { "lowest" } else { "highest" },
                cells: rungs.iter().map(cell).collect(),
            });
        }
    }
    out
}
