//! Date, zone, place and vehicle of a day, put right.

use super::audit::{By, Change, Subject, keep};
use super::set::measure_again;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::days::Day;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::{build_state, cell_day, map_revision, pull_set, vehicle};
use crate::vehicles::{build_named, map_named};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// What is said of a day beside its air and note.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DayWords {
    /// Date in the shop's zone.
    pub date: NaiveDate,
    /// Time zone of its clocks, as a person names it; blank: the shop's.
    pub zone: String,
    /// Cell.
    pub place: String,
    /// Vehicle.
    pub vehicle_id: i64,
}

/// Finds the builds and maps of a day's sets again by their names at another vehicle.
async fn carry_over(c: &mut AsyncMysqlConnection, day_id: i64, to: i64) -> Result<(), StoreError> {
    #[derive(Queryable)]
    struct Named {
        set: i64,
        build: String,
        map: String,
        kind: String,
    }
    let sets: Vec<Named> = pull_set::table
        .inner_join(build_state::table)
        .inner_join(map_revision::table)
        .filter(pull_set::day_id.eq(day_id))
        .select((pull_set::id, build_state::name, map_revision::name, map_revision::kind))
        .load(c)
        .await?;
    for s in sets {
        let build = build_named(c, to, &s.build).await?;
        let map = map_named(c, to, &s.map, &s.kind).await?;
        diesel::update(pull_set::table.find(s.set))
            .set((pull_set::build_id.eq(build), pull_set::map_id.eq(map)))
            .execute(c)
            .await?;
    }
    Ok(())
}

/// Moves a day to another vehicle within the caller's transaction.
pub(super) async fn move_day(c: &mut AsyncMysqlConnection, day_id: i64, to: i64) -> Result<(), StoreError> {
    carry_over(c, day_id, to).await?;
    diesel::update(cell_day::table.find(day_id)).set(cell_day::vehicle_id.eq(to)).execute(c).await?;
    measure_again(c, day_id).await
}

impl Store {
    /// Puts date, zone, place and vehicle of a day right, as it was last seen. Maps and builds of its sets
    /// are found by name at the new vehicle, or made there.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when the day is no longer as it was seen; [`StoreError::NotFound`] when there
    /// is no such vehicle.
    #[boxed]
    pub async fn edit_day(&self, seen: &Day, now: &DayWords, by: &By) -> Result<usize, StoreError> {
        self.transact(async |c| {
            let other = now.vehicle_id != seen.vehicle_id;
            let touch = if other { Touch::Measurements } else { Touch::Words };
            claim_day(c, seen.id, touch, Seen::Whole(seen.version)).await?;
            let name: String = vehicle::table
                .find(now.vehicle_id)
                .select(vehicle::name)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("vehicle", now.vehicle_id))?;
            let mut changes = vec![
                Change::new("date", seen.date, now.date),
                Change::new("time zone", &seen.zone, &now.zone),
                Change::new("place", &seen.place, &now.place),
                Change::new("vehicle", &seen.vehicle, name),
            ];
            changes.retain(Change::differs);
            let cell = crate::cells::cell_named(c, &now.place).await?;
            diesel::update(cell_day::table.find(seen.id))
                .set((
                    cell_day::cell_id.eq(cell),
                    cell_day::on_date.eq(now.date),
                    cell_day::zone.eq(&now.zone),
                    cell_day::place.eq(&now.place),
                ))
                .execute(c)
                .await?;
            if other {
                move_day(c, seen.id, now.vehicle_id).await?;
            }
            keep(c, Subject::Day(seen.id), by, &changes).await?;
            Ok(changes.len())
        })
        .await
    }
}
