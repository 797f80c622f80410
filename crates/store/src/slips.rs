//! Timing slips of standing starts.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::slip;
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDate, NaiveTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// A slip as it is written down; at least one of its times and speeds is there.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable, Insertable)]
#[diesel(table_name = slip)]
#[allow(missing_docs)]
pub struct SlipRecord {
    #[diesel(deserialize_as = i64)]
    pub id: Option<i64>,
    pub on_date: NaiveDate,
    pub at_time: Option<NaiveTime>,
    /// Strip or road, in words.
    pub place: String,
    pub map: String,
    pub fuel: String,
    pub t18_s: Option<f64>,
    pub t201_s: Option<f64>,
    pub v201_kmh: Option<f64>,
    pub t402_s: Option<f64>,
    pub v402_kmh: Option<f64>,
    /// Rolled before its clock began.
    pub rollout_m: f64,
    pub launch_rpm: Option<f64>,
    pub temperature_c: Option<f64>,
    pub pressure_hpa: Option<f64>,
    pub note: String,
    pub written_by: String,
}

impl SlipRecord {
    /// Whether each time and speed it gives can be one.
    fn is_possible(&self) -> bool {
        let given = [self.t18_s, self.t201_s, self.v201_kmh, self.t402_s, self.v402_kmh, self.launch_rpm];
        given.into_iter().flatten().all(|v| v.is_finite() && v > 0.0) && self.rollout_m >= 0.0
    }

    fn said(&self) -> String {
        let time = self.t402_s.map_or_else(String::new, |t| format!(", {t:.2} s over 402 m"));
        format!("{} on {}, {}{time}", self.map, self.fuel, self.on_date)
    }
}

impl Store {
    /// Slips of a vehicle, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn slips(&self, vehicle_id: i64) -> Result<Vec<SlipRecord>, StoreError> {
        let mut c = self.conn().await?;
        Ok(slip::table
            .filter(slip::vehicle_id.eq(vehicle_id).and(slip::archived_at.is_null()))
            .order((slip::on_date.desc(), slip::at_time.desc(), slip::id.desc()))
            .select(SlipRecord::as_select())
            .load(&mut c)
            .await?)
    }

    /// Writes a slip down.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle; [`StoreError::Check`] for one that says nothing, or a time
    /// or speed that cannot be.
    #[boxed]
    pub async fn add_slip(&self, vehicle_id: i64, new: &SlipRecord, by: &By) -> Result<(), StoreError> {
        if !new.is_possible() {
            return Err(StoreError::Check);
        }
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            diesel::insert_into(slip::table)
                .values((slip::vehicle_id.eq(vehicle_id), slip::created_at.eq(Utc::now().naive_utc()), new))
                .execute(c)
                .await?;
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("slip", "", new.said())]).await
        })
        .await
    }

    /// Takes a slip off the list; it stands in the trail.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the vehicle has none of that id.
    #[boxed]
    pub async fn take_slip_off(&self, vehicle_id: i64, id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let was: SlipRecord = slip::table
                .find(id)
                .filter(slip::vehicle_id.eq(vehicle_id).and(slip::archived_at.is_null()))
                .select(SlipRecord::as_select())
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("slip", id))?;
            diesel::update(slip::table.find(id))
                .set(slip::archived_at.eq(Utc::now().naive_utc()))
                .execute(c)
                .await?;
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("slip", was.said(), "")]).await
        })
        .await
    }
}
