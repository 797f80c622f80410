//! Which map revision went into the unit of a vehicle, when.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{flash, map_revision, map_use};
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDate, NaiveTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// A flash to be written down.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct NewFlash {
    pub map_id: i64,
    pub on: NaiveDate,
    pub at: Option<NaiveTime>,
    pub note: String,
}

/// A flash.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct Flash {
    pub id: i64,
    pub map_id: i64,
    pub map: String,
    pub on: NaiveDate,
    pub at: Option<NaiveTime>,
    pub note: String,
    pub by: String,
}

/// The name of a map that serves a vehicle: its own, or one lent to it.
///
/// # Errors
/// [`StoreError::NotFound`] when there is no such map; [`StoreError::Refused`] when it does not serve the vehicle.
pub(crate) async fn serving(
    c: &mut AsyncMysqlConnection,
    map_id: i64,
    vehicle_id: i64,
) -> Result<String, StoreError> {
    let (home, name): (i64, String) = map_revision::table
        .find(map_id)
        .select((map_revision::vehicle_id, map_revision::name))
        .first(c)
        .await
        .map_err(|e| StoreError::from(e).about("map", map_id))?;
    let lent: i64 = map_use::table.find((map_id, vehicle_id)).count().get_result(c).await?;
    if home != vehicle_id && lent == 0 {
        return Err(StoreError::Refused(format!("{name} does not serve this vehicle")));
    }
    Ok(name)
}

impl Store {
    /// What went into the unit of a vehicle, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn flashes(&self, vehicle_id: i64) -> Result<Vec<Flash>, StoreError> {
        let mut c = self.conn().await?;
        Ok(flash::table
            .inner_join(map_revision::table)
            .filter(flash::vehicle_id.eq(vehicle_id).and(flash::archived_at.is_null()))
            // Without a time it was before what has one that day.
            .order((flash::on_date.desc(), flash::at_time.desc(), flash::id.desc()))
            .select((
                flash::id,
                flash::map_id,
                map_revision::name,
                flash::on_date,
                flash::at_time,
                flash::note,
                flash::written_by,
            ))
            .load(&mut c)
            .await?)
    }

    /// Writes a flash down.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle; [`StoreError::Refused`] when the map does not serve it.
    #[boxed]
    pub async fn add_flash(&self, vehicle_id: i64, new: &NewFlash, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let name = serving(c, new.map_id, vehicle_id).await?;
            diesel::insert_into(flash::table)
                .values((
                    flash::vehicle_id.eq(vehicle_id),
                    flash::map_id.eq(new.map_id),
                    flash::on_date.eq(new.on),
                    flash::at_time.eq(new.at),
                    flash::note.eq(&new.note),
                    flash::written_by.eq(&by.who),
                ))
                .execute(c)
                .await?;
            let said = format!("{name} on {}", new.on);
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("flashed", "", said)]).await
        })
        .await
    }

    /// It was not flashed: it counts no more, and stands in the trail.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the vehicle has none of that id.
    #[boxed]
    pub async fn take_flash_back(&self, vehicle_id: i64, id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let own = flash::vehicle_id.eq(vehicle_id).and(flash::archived_at.is_null());
            let (on, name): (NaiveDate, String) = flash::table
                .inner_join(map_revision::table)
                .filter(flash::id.eq(id).and(own))
                .select((flash::on_date, map_revision::name))
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("flash", id))?;
            diesel::update(flash::table.find(id))
                .set(flash::archived_at.eq(Utc::now().naive_utc()))
                .execute(c)
                .await?;
            let said = format!("{name} on {on}");
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("flashed", said, "")]).await
        })
        .await
    }
}
