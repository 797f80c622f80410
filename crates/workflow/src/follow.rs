//! Figures follow a change of a vehicle's limits, dyno or engine without anybody looking at its pulls.

use crate::error::WorkflowError;
use crate::sets::day_sets;
use jamjar_store::Store;
use tokio::sync::Mutex;

/// One vehicle is measured anew at a time, whoever asks.
static TURN: Mutex<()> = Mutex::const_new(());

/// Makes the measurements of a vehicle's pulls fit what it says by now, day by day, the newest first; says
/// how many days were looked at. What fits already costs one look. Another change on the way is followed too:
/// the vehicle is read again for every day.
///
/// # Errors
/// [`WorkflowError`] when the store refuses; days that were done stay done, the others are measured when
/// somebody looks at them.
pub async fn follow(store: &Store, vehicle_id: i64) -> Result<usize, WorkflowError> {
    let _turn = TURN.lock().await;
    let days = store.days_with_samples(vehicle_id).await?;
    for day in &days {
        day_sets(store, *day, &store.vehicle(vehicle_id).await?).await?;
    }
    Ok(days.len())
}
