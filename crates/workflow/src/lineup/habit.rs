//! The cell's habit for a day of single pulls: what its earlier days say of their scatter.

use crate::error::{WorkflowError, blocking};
use crate::input::input_of;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::analysis::{Comparison, Figure, Measured, SetResult, Settings, analyse_sets, habit_of};
use jamjar_core::stats::habit::Habit;
use jamjar_store::{Set, SetWithPulls, Store, VehicleRecord};
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::Arc;

/// Newest earlier days of a cell that are looked at (our choice: a season of a busy cell; what lies further back is
/// another dyno).
const DAYS: i64 = 40;

/// The habit, and the days it was gathered from.
#[derive(Debug, Clone, Default)]
pub(super) struct Gathered {
    pub(super) habit: Option<Habit>,
    pub(super) days: Vec<i64>,
}

/// Whether a comparison of recorded pulls has no scatter of its own to stand on.
pub(super) fn is_wanted(comparisons: &[Comparison], results: &[SetResult]) -> bool {
    comparisons.iter().any(|c| {
        let alone = |i: usize| results[i].n() == 1 && results[i].places.iter().all(Option::is_none);
        let told = c.figure(Figure::PeakPower).is_some_and(|f| f.ci95.is_some());
        !told && alone(c.base) && alone(c.candidate)
    })
}

/// Gathers from earlier days in the cell of a set those of vehicles with the same kind of engine on the same kind of
/// dyno. What was measured by another version of the program is left out.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub(super) async fn gather(
    store: &Store,
    of: &Set,
    (vehicle, like): (&VehicleRecord, &SetResult),
    settings: &Settings,
) -> Result<Gathered, WorkflowError> {
    let alike = |v: &VehicleRecord| {
        let (a, b) = (&v.vehicle.engine, &vehicle.vehicle.engine);
        (a.ignition, a.aspiration, a.cycle) == (b.ignition, b.aspiration, b.cycle)
            && v.vehicle.dyno.kind == vehicle.vehicle.dyno.kind
    };
    let mut vehicles: HashMap<i64, VehicleRecord> = HashMap::new();
    let (mut days, mut known) = (Vec::new(), Vec::new());
    for (day, vehicle_id) in store.earlier_in_cell(&of.cell, of.date, DAYS).await? {
        let v = match vehicles.entry(vehicle_id) {
            Entry::Occupied(known) => known.into_mut(),
            Entry::Vacant(new) => new.insert(store.vehicle(vehicle_id).await?),
        };
        if !alike(v) {
            continue;
        }
        let sets = store.sets_of_day(day).await?;
        let fresh = sets.iter().flat_map(|s| &s.pulls).all(|(_, m)| m.algorithm == ALGORITHM_VERSION);
        if fresh && !sets.is_empty() {
            known.push(day);
            days.push((sets, v.vehicle.engine.clone()));
        }
    }
    let (settings, kinds) = (Settings { habit: None, ..*settings }, like.kinds.clone());
    let read = move || {
        let each: Vec<Vec<SetResult>> = days
            .iter()
            .map(|(sets, engine)| {
                let inputs: Vec<_> = sets.iter().map(input_of).collect();
                let measured: Vec<Vec<Arc<Measured>>> = sets.iter().map(SetWithPulls::measured).collect();
                analyse_sets(&inputs, &measured, engine, &settings)
            })
            .collect();
        habit_of(&each, &kinds)
    };
    let habit = blocking(read).await?.filter(Habit::holds);
    Ok(Gathered { days: if habit.is_some() { known } else { Vec::new() }, habit })
}
