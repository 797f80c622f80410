//! Stored sets as the analysis takes them.

use chrono::Timelike;
use jamjar_core::analysis::{SetInput, Vehicle};
use jamjar_core::factors::calibrated::cell_on;
use jamjar_core::factors::crossed::crossed;
use jamjar_store::SetWithPulls;
use std::collections::BTreeSet;

/// Engine rpm ÷ dyno-shaft rpm in a gear, when the vehicle's gears say it.
pub(crate) fn ratio_in(vehicle: &Vehicle, gear: &str) -> Option<f64> {
    vehicle.gears.overall_if(gear, vehicle.dyno.overall_ratio)
}

/// A stored set as the analysis takes it, without samples.
pub(crate) fn input_of(s: &SetWithPulls) -> SetInput {
    let began = s.pulls.iter().find_map(|p| p.0.started_at);
    let (states, unsure) = crossed(&s.set.interventions, (s.set.date, began));
    let mut factors = s.set.config.factors();
    let mut in_time: BTreeSet<String> = states.keys().cloned().collect();
    // Another cell, or another calibration of it, is another dyno: what differs with it is confounded, as with
    // any factor.
    if !s.set.cell.is_empty() {
        in_time.insert("cell".to_owned());
        let cell = || cell_on(&s.set.cell, &s.set.calibrations, s.set.date);
        factors.entry("cell".to_owned()).or_insert_with(cell);
    }
    for (what, state) in states {
        // On one day without times nobody knows which of the two it was.
        let open = unsure.iter().find(|u| u.same_day && u.what == what);
        let state = open.map_or(state, |u| format!("{} or {}", u.states[0], u.states[1]));
        factors.entry(what).or_insert(state);
    }
    SetInput {
        id: s.set.id.to_string(),
        day: s.set.date.to_string(),
        at_h: began.map(|t| f64::from(t.num_seconds_from_midnight()) / 3600.0),
        order: f64::from(s.set.position),
        factors,
        in_time,
        mounting: None,
        map_fuels: s.set.map_fuel.clone(),
        pulls: Vec::new(),
    }
}
