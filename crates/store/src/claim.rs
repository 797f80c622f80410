//! Taking a day for a change: who comes second is told, and what rests on it knows.

use crate::error::StoreError;
use crate::schema::cell_day;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// What a writer changes of a day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Touch {
    /// Words, and which pulls count.
    Words,
    /// What measurements rest on.
    Measurements,
}

/// What a writer has seen of a day and relies on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Seen {
    /// Nothing.
    Nothing,
    /// What measurements rest on, in a version.
    Measurements(i64),
    /// All of it, in a version.
    Whole(i64),
}

/// Takes a day for a change within the caller's transaction, and counts it. Writers of one day come one after
/// the other. Says how often its measurements had changed until then.
///
/// # Errors
/// [`StoreError::NotFound`], or [`StoreError::Changed`] when it is no longer as it was seen.
pub(crate) async fn claim_day(
    c: &mut AsyncMysqlConnection,
    id: i64,
    touched: Touch,
    seen: Seen,
) -> Result<i64, StoreError> {
    let now =
        cell_day::table.find(id).select((cell_day::version, cell_day::measured)).for_update().first(c).await;
    let (version, measured): (i64, i64) = now.map_err(|e| StoreError::from(e).about("day", id))?;
    let changed = match seen {
        Seen::Nothing => false,
        Seen::Measurements(v) => v != measured,
        Seen::Whole(v) => v != version,
    };
    if changed {
        return Err(StoreError::Changed { what: "the day", now: None });
    }
    let counted = (
        cell_day::version.eq(version + 1),
        cell_day::measured.eq(measured + i64::from(touched == Touch::Measurements)),
    );
    diesel::update(cell_day::table.find(id)).set(counted).execute(c).await?;
    Ok(measured)
}
