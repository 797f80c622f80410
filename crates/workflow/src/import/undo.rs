//! Taking an import back.

use super::preview::described;
use crate::error::WorkflowError;
use jamjar_store::{By, Store, StoreError};

/// Archives the sets of a day's last import and lets its files wait on the day again, read as they were then
/// remembered to be read.
///
/// # Errors
/// [`StoreError::Changed`] when `run_id` is not what was imported last; [`WorkflowError`] when the store
/// refuses. Then everything is as before.
pub async fn undo(store: &Store, day_id: i64, run_id: i64, by: &By) -> Result<(), WorkflowError> {
    let last = store.last_import(day_id).await?.filter(|l| l.run_id == run_id);
    let last = last.ok_or(StoreError::Changed { what: "what was imported last", now: None })?;
    let day = store.day(day_id).await?;
    let ratio = store.vehicle(day.vehicle_id).await?.vehicle.dyno.overall_ratio;
    let ambient_kpa = day.air.map(|a| a.pressure_hpa / 10.0);
    let mut waiting = Vec::new();
    for (file_id, name) in &last.files {
        let open = || store.open_file(*file_id);
        let thrice = [open().await?, open().await?, open().await?];
        waiting.push((*file_id, described(store, day_id, ratio, ambient_kpa, name, thrice).await?));
    }
    Ok(store.undo_import(day_id, &last, &waiting, by).await?)
}
