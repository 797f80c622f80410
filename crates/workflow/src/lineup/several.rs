//! Sets of several vehicles: each vehicle's against its own baseline, for kilowatts of two vehicles are never compared.

use super::{LineUp, MAX_SETS, line_up};
use crate::error::WorkflowError;
use crate::sets::baseline_of;
use jamjar_core::analysis::Settings;
use jamjar_store::{Set, Store};

/// Sets by vehicle, in the order in which their vehicles were asked for; unknown ids are left out.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn by_vehicle(store: &Store, ids: &[i64]) -> Result<Vec<Vec<Set>>, WorkflowError> {
    let mut out: Vec<Vec<Set>> = Vec::new();
    for set in store.sets_alone(ids).await? {
        match out.iter_mut().find(|v| v[0].vehicle_id == set.vehicle_id) {
            Some(own) => own.push(set),
            None => out.push(vec![set]),
        }
    }
    Ok(out)
}

/// A line-up for each vehicle. Its baseline is the first of its sets with the stock map; where none was asked for, the
/// stock set of the first one's day and gear; else the first set.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or there are too many sets.
pub async fn several(
    store: &Store,
    vehicles: &[Vec<Set>],
    settings: &Settings,
) -> Result<Vec<LineUp>, WorkflowError> {
    let all: usize = vehicles.iter().map(Vec::len).sum();
    if all > MAX_SETS {
        return Err(WorkflowError::Bad(format!(
            "{all} sets of several vehicles are too many to read at once; {MAX_SETS} fit"
        )));
    }
    let mut out = Vec::new();
    for own in vehicles {
        let mut ids: Vec<i64> = own.iter().map(|s| s.id).collect();
        let stock = own.iter().find(|s| s.config.map_kind == "stock").map(|s| s.id);
        let base = match stock {
            Some(id) => Some(id),
            None => {
                let day = store.sets_of_day(own[0].day_id).await?;
                baseline_of(&day, &own[0].config.gear).map(|s| s.set.id)
            }
        };
        if let Some(b) = base.filter(|b| !ids.contains(b)) {
            ids.insert(0, b);
        }
        out.push(line_up(store, &ids, base, settings).await?);
    }
    Ok(out)
}
