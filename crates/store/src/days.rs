//! Days in the cell.

use crate::boxed;
use crate::cells::{cell_named, sheets_beside};
use crate::claim::{Seen, Touch, claim_day};
use crate::day_air::{air_text, own_air, share_air};
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{cell_day, pull, pull_set, vehicle};
use crate::summaries::{PackedSummary, put_summaries};
use chrono::{NaiveDate, NaiveDateTime};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::air::AirState;
use std::collections::HashMap;

/// A day to be stored.
#[derive(Debug, Clone, PartialEq)]
pub struct NewDay {
    /// Vehicle.
    pub vehicle_id: i64,
    /// Date in the shop's zone.
    pub date: NaiveDate,
    /// Cell.
    pub place: String,
    /// Air, when measured.
    pub air: Option<AirState>,
    /// Note.
    pub note: String,
    /// Belongs to the demo.
    pub demo: bool,
}

/// A stored day.
#[derive(Debug, Clone, PartialEq)]
pub struct Day {
    /// Id.
    pub id: i64,
    /// Vehicle id.
    pub vehicle_id: i64,
    /// Vehicle name.
    pub vehicle: String,
    /// Date.
    pub date: NaiveDate,
    /// Time zone of its clocks, as a person named it; blank: the shop's.
    pub zone: String,
    /// Cell.
    pub place: String,
    /// Air, when complete.
    pub air: Option<AirState>,
    /// Note.
    pub note: String,
    /// Belongs to the demo.
    pub demo: bool,
    /// Counts the changes of what belongs to it.
    pub version: i64,
    /// Counts those of them that its measurements rest on.
    pub measured: i64,
    /// Put away; lists leave it out.
    pub archived: bool,
}

#[derive(Queryable)]
struct Row {
    id: i64,
    vehicle_id: i64,
    vehicle: String,
    date: NaiveDate,
    place: String,
    temperature_c: Option<f64>,
    humidity: Option<f64>,
    pressure_hpa: Option<f64>,
    note: String,
    demo: bool,
    version: i64,
    measured: i64,
    zone: String,
    archived_at: Option<NaiveDateTime>,
}

fn day(r: Row) -> Day {
    Day {
        id: r.id,
        vehicle_id: r.vehicle_id,
        vehicle: r.vehicle,
        date: r.date,
        zone: r.zone,
        place: r.place,
        air: AirState::whole([r.temperature_c, r.humidity, r.pressure_hpa]),
        note: r.note,
        demo: r.demo,
        version: r.version,
        measured: r.measured,
        archived: r.archived_at.is_some(),
    }
}

macro_rules! columns {
    () => {
        (
            cell_day::id,
            cell_day::vehicle_id,
            vehicle::name,
            cell_day::on_date,
            cell_day::place,
            cell_day::temperature_c,
            cell_day::humidity,
            cell_day::pressure_hpa,
            cell_day::note,
            cell_day::demo,
            cell_day::version,
            cell_day::measured,
            cell_day::zone,
            cell_day::archived_at,
        )
    };
}

impl Store {
    /// Adds a day; readings of the air that were taken for other vehicles in the same cell that day are its own too.
    ///
    /// # Errors
    /// [`StoreError`] when the vehicle does not exist or a value is refused.
    #[boxed]
    pub async fn add_day(&self, new: &NewDay) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let cell = cell_named(c, &new.place).await?;
            diesel::insert_into(cell_day::table)
                .values((
                    cell_day::cell_id.eq(cell),
                    cell_day::vehicle_id.eq(new.vehicle_id),
                    cell_day::on_date.eq(new.date),
                    cell_day::place.eq(&new.place),
                    own_air(new.air),
                    cell_day::note.eq(&new.note),
                    cell_day::demo.eq(new.demo),
                ))
                .execute(c)
                .await?;
            let id = inserted(c).await?;
            // The air of the cell is the same for whoever stands in it.
            let beside: Vec<i64> = sheets_beside(c, id).await?.into_iter().map(|d| d.0).collect();
            if let (None, Some(a)) = (new.air, share_air(c, &beside, id).await?) {
                diesel::update(cell_day::table.find(id)).set(own_air(Some(a))).execute(c).await?;
            }
            Ok(id)
        })
        .await
    }

    /// One day.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    #[boxed]
    pub async fn day(&self, id: i64) -> Result<Day, StoreError> {
        let mut c = self.conn().await?;
        let row: Row = cell_day::table
            .inner_join(vehicle::table)
            .filter(cell_day::id.eq(id))
            .select(columns!())
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("day", id))?;
        Ok(day(row))
    }

    /// The latest days.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn latest_days(&self, limit: i64) -> Result<Vec<Day>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<Row> = cell_day::table
            .inner_join(vehicle::table)
            .filter(cell_day::archived_at.is_null().and(vehicle::archived_at.is_null()))
            .order((cell_day::on_date.desc(), cell_day::id.desc()))
            .limit(limit)
            .select(columns!())
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().map(day).collect())
    }

    /// Days of a vehicle, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn days_of_vehicle(&self, vehicle_id: i64, limit: i64) -> Result<Vec<Day>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<Row> = cell_day::table
            .inner_join(vehicle::table)
            .filter(cell_day::vehicle_id.eq(vehicle_id).and(cell_day::archived_at.is_null()))
            .order((cell_day::on_date.desc(), cell_day::id.desc()))
            .limit(limit)
            .select(columns!())
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().map(day).collect())
    }

    /// Days of a vehicle on which a pull has samples of its own, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn days_with_samples(&self, vehicle_id: i64) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        let own = pull::table
            .inner_join(pull_set::table)
            .filter(pull_set::day_id.eq(cell_day::id).and(pull::shares_pull_id.is_null()));
        let days = cell_day::table
            .filter(cell_day::vehicle_id.eq(vehicle_id).and(diesel::dsl::exists(own)))
            .order((cell_day::on_date.desc(), cell_day::id.desc()))
            .select(cell_day::id);
        Ok(days.load(&mut c).await?)
    }

    /// How many days each vehicle has, and its newest.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn days_by_vehicle(&self) -> Result<HashMap<i64, (usize, NaiveDate)>, StoreError> {
        #[derive(Queryable)]
        struct Counted {
            vehicle: i64,
            days: i64,
            newest: Option<NaiveDate>,
        }
        let mut c = self.conn().await?;
        let rows: Vec<Counted> = cell_day::table
            .filter(cell_day::archived_at.is_null())
            .group_by(cell_day::vehicle_id)
            .select((cell_day::vehicle_id, diesel::dsl::count_star(), diesel::dsl::max(cell_day::on_date)))
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().filter_map(|r| Some((r.vehicle, (r.days as usize, r.newest?)))).collect())
    }

    /// How often what measurements rest on has changed, of every day of some vehicles: archived ones too.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn measured_of(&self, vehicles: &[i64]) -> Result<HashMap<i64, i64>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, i64)> = cell_day::table
            .filter(cell_day::vehicle_id.eq_any(vehicles))
            .select((cell_day::id, cell_day::measured))
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().collect())
    }

    /// Sets the air and the note of a day as it was last seen, and the measurements that rest on its air, in
    /// one transaction: air, clocks and figures of a day belong together at every moment.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when the day is no longer as it was seen.
    #[boxed]
    pub async fn update_day(
        &self,
        seen: &Day,
        air: Option<AirState>,
        note: &str,
        summaries: &[(i64, PackedSummary)],
        by: &By,
    ) -> Result<(), StoreError> {
        let changes =
            [Change::new("air", air_text(seen.air), air_text(air)), Change::new("note", &seen.note, note)];
        self.transact(async |c| {
            let touched = if air == seen.air { Touch::Words } else { Touch::Measurements };
            claim_day(c, seen.id, touched, Seen::Whole(seen.version)).await?;
            diesel::update(cell_day::table.find(seen.id))
                .set((own_air(air), cell_day::note.eq(note)))
                .execute(c)
                .await?;
            keep(c, Subject::Day(seen.id), by, &changes).await?;
            put_summaries(c, summaries).await
        })
        .await
    }
}
