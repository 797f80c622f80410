//! The moment after a pull: the newest pull of a day, its set, and the baseline it is held against.

use crate::error::WorkflowError;
use crate::lineup::{LineUp, line_up};
use crate::sets::baseline_of;
use jamjar_core::analysis::{Now, Settings, now};
use jamjar_store::{Store, StoreError};

/// The newest pull of a day.
#[derive(Debug, Clone)]
pub struct Moment {
    /// Its set, after the day's baseline in the same gear where there is one.
    pub lineup: LineUp,
    /// Index of its set in the line-up.
    pub set: usize,
    /// Index of the pull in its set.
    pub pull: usize,
    /// Its id.
    pub pull_id: i64,
    /// What it asks for.
    pub now: Now,
}

/// The newest pull of a day that came into the store, with what it asks for; `None` on a day without pulls.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or its set cannot be measured.
pub async fn moment(
    store: &Store,
    day_id: i64,
    settings: &Settings,
) -> Result<Option<Moment>, WorkflowError> {
    let sets = store.sets_of_day(day_id).await?;
    let newest = sets
        .iter()
        .flat_map(|s| s.pulls.iter().enumerate().map(move |(k, p)| (p.0.id, s, k)))
        .max_by_key(|p| p.0);
    let Some((pull_id, own, pull)) = newest else { return Ok(None) };
    let baseline = baseline_of(&sets, &own.set.config.gear);
    let base = baseline.map_or(own.set.id, |b| b.set.id);
    let mut ids = vec![base];
    ids.extend((base != own.set.id).then_some(own.set.id));
    let lineup = line_up(store, &ids, Some(base), settings).await?;
    let found = lineup.sets.iter().position(|s| s.set.id == own.set.id);
    let set = found.ok_or(StoreError::NotFound { what: "set", id: own.set.id })?;
    let now = now(&lineup.results[set], &lineup.measured[set][pull], pull, &lineup.vehicle.limits);
    Ok(Some(Moment { lineup, set, pull, pull_id, now }))
}
