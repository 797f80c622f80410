//! What ran in a cell on a day, for the shop lead at the desk: one air, one line a set, whose it was.

use super::page::{SetCard, card};
use super::sheet::{AirRow, air_row};
use crate::prefs::Prefs;
use crate::views::Shell;
use crate::views::common::{Encoding, count};
use askama::Template;
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::air::AirState;
use jamjar_store::{CellRecord, Day, Running, VehicleRecord};
use jamjar_workflow::sets::SetRead;

/// A vehicle with its sets of that day.
pub(crate) struct VehicleOfDay {
    pub(crate) day_id: i64,
    pub(crate) name: String,
    /// “4 sets, 12 pulls”.
    pub(crate) counts: String,
    pub(crate) place: &'static str,
    /// What runs now of it; blank when nothing does.
    pub(crate) runs: String,
    pub(crate) sets: Vec<SetCard>,
}

#[derive(Template)]
#[template(path = "cell_day.html")]
pub(crate) struct CellDayPage {
    pub(crate) shell: Shell,
    pub(crate) cell: CellRecord,
    pub(crate) date: String,
    /// The sheet on which readings are written: they go to all of them.
    pub(crate) first: i64,
    pub(crate) vehicles: Vec<VehicleOfDay>,
    pub(crate) air: Vec<AirRow>,
    pub(crate) correction: &'static str,
}

impl CellDayPage {
    /// Whether anything was pulled.
    pub(crate) fn has_sets(&self) -> bool {
        self.vehicles.iter().any(|v| !v.sets.is_empty())
    }
}

pub(crate) fn vehicle_of_day(
    day: &Day,
    vehicle: &VehicleRecord,
    sets: &[SetRead],
    e: &Encoding,
    runs: Option<&Running>,
    prefs: &Prefs,
) -> VehicleOfDay {
    let prefs = &prefs.fitting(&vehicle.vehicle.engine);
    let pulls = sets.iter().map(|s| s.stored.pulls.len()).sum();
    VehicleOfDay {
        day_id: day.id,
        name: day.vehicle.clone(),
        counts: format!("{}, {}", count(sets.len(), "set"), count(pulls, "pull")),
        place: vehicle.vehicle.dyno.kind.place(),
        runs: runs.map_or_else(String::new, |r| format!("{} on {}", r.config.map, r.config.fuel)),
        sets: sets.iter().map(|s| card(s, vehicle, e, prefs)).collect(),
    }
}

pub(crate) fn cell_day_page(
    cell: &CellRecord,
    date: NaiveDate,
    vehicles: Vec<VehicleOfDay>,
    mut air: Vec<(NaiveTime, AirState)>,
    prefs: &Prefs,
) -> CellDayPage {
    air.sort_by_key(|a| a.0);
    air.dedup();
    CellDayPage {
        shell: Shell::new(format!("{}, {}", cell.name, prefs.written.date(date)), &prefs.theme, "day"),
        cell: cell.clone(),
        date: prefs.written.date(date),
        first: vehicles.first().map_or(0, |v| v.day_id),
        vehicles,
        air: air.iter().map(|a| air_row(a, prefs)).collect(),
        correction: prefs.correction.label(),
    }
}
