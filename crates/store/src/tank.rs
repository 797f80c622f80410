//! Deliveries of a fuel, and what was poured into the tank of a vehicle, when.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, FuelWords, Subject, keep};
use crate::schema::{cell_day, fuel, fuel_batch, tank_event};
use chrono::{NaiveDate, NaiveTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::factors::tank::Fill;

/// A fuel with what is known of it.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable)]
#[diesel(table_name = fuel)]
pub struct FuelRecord {
    /// Its id.
    pub id: i64,
    /// What is known of it.
    #[diesel(embed)]
    pub said: FuelWords,
}

/// A delivery.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable)]
#[diesel(table_name = fuel_batch)]
#[allow(missing_docs)]
pub struct FuelBatch {
    pub id: i64,
    pub fuel_id: i64,
    pub name: String,
    pub source: String,
    pub bought_on: Option<NaiveDate>,
    /// Ethanol, share of volume.
    pub ethanol: Option<f64>,
    /// How that was measured: `water test`, `sensor`, `supplier` or blank.
    pub measured_by: String,
    pub note: String,
    pub written_by: String,
}

/// A delivery to be written down.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct NewBatch {
    pub name: String,
    pub source: String,
    pub bought_on: Option<NaiveDate>,
    pub ethanol: Option<f64>,
    pub measured_by: String,
    pub note: String,
}

/// Something to be poured.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct NewPour {
    pub at: NaiveTime,
    pub fuel_id: i64,
    pub batch_id: Option<i64>,
    pub litres: f64,
    /// What was in the tank before; `None` where nobody knows, 0 where it was drained.
    pub left_l: Option<f64>,
}

/// Something that was poured.
#[derive(Debug, Clone, PartialEq, Queryable)]
#[allow(missing_docs)]
pub struct Pour {
    pub id: i64,
    pub day_id: i64,
    pub date: NaiveDate,
    pub at: NaiveTime,
    pub fuel: String,
    pub batch: Option<String>,
    /// Ethanol of the fuel, and of the batch.
    pub fuel_ethanol: Option<f64>,
    pub batch_ethanol: Option<f64>,
    pub litres: f64,
    pub left_l: Option<f64>,
    pub by: String,
}

impl Pour {
    /// Ethanol of what was poured: measured of the batch, else of the fuel.
    pub fn ethanol(&self) -> Option<f64> {
        self.batch_ethanol.or(self.fuel_ethanol)
    }

    /// As a tank is reckoned from, by its fuel.
    pub fn fill(&self) -> Fill {
        Fill {
            at: (self.date, self.at),
            fuel: self.fuel.clone(),
            ethanol: self.ethanol(),
            litres: self.litres,
            left_l: self.left_l,
        }
    }
}

impl Store {
    /// Every fuel, by name.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn fuel_records(&self) -> Result<Vec<FuelRecord>, StoreError> {
        let mut c = self.conn().await?;
        Ok(fuel::table.order(fuel::name).select(FuelRecord::as_select()).load(&mut c).await?)
    }

    /// Deliveries in use, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn batches(&self) -> Result<Vec<FuelBatch>, StoreError> {
        let mut c = self.conn().await?;
        Ok(fuel_batch::table
            .filter(fuel_batch::archived_at.is_null())
            .order((fuel_batch::bought_on.desc(), fuel_batch::id.desc()))
            .select(FuelBatch::as_select())
            .load(&mut c)
            .await?)
    }

    /// Writes a delivery down.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such fuel; [`StoreError::Check`] for ethanol outside 0 to 1.
    #[boxed]
    pub async fn add_batch(&self, fuel_id: i64, new: &NewBatch, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            let _: i64 = fuel::table
                .find(fuel_id)
                .select(fuel::id)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("fuel", fuel_id))?;
            diesel::insert_into(fuel_batch::table)
                .values((
                    fuel_batch::fuel_id.eq(fuel_id),
                    fuel_batch::name.eq(&new.name),
                    fuel_batch::source.eq(&new.source),
                    fuel_batch::bought_on.eq(new.bought_on),
                    fuel_batch::ethanol.eq(new.ethanol),
                    fuel_batch::measured_by.eq(&new.measured_by),
                    fuel_batch::note.eq(&new.note),
                    fuel_batch::written_by.eq(&by.who),
                    fuel_batch::created_at.eq(Utc::now().naive_utc()),
                ))
                .execute(c)
                .await?;
            keep(c, Subject::Fuel(fuel_id), by, &[Change::new("batch", "", &new.name)]).await
        })
        .await
    }

    /// Takes a delivery off the list; what was poured of it keeps its name.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none of that id.
    #[boxed]
    pub async fn archive_batch(&self, id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            let was: FuelBatch = fuel_batch::table
                .find(id)
                .filter(fuel_batch::archived_at.is_null())
                .select(FuelBatch::as_select())
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("batch", id))?;
            diesel::update(fuel_batch::table.find(id))
                .set(fuel_batch::archived_at.eq(Utc::now().naive_utc()))
                .execute(c)
                .await?;
            keep(c, Subject::Fuel(was.fuel_id), by, &[Change::new("batch", &was.name, "")]).await
        })
        .await
    }

    /// Everything that was poured into the tank of a vehicle, oldest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn poured(&self, vehicle_id: i64) -> Result<Vec<Pour>, StoreError> {
        let mut c = self.conn().await?;
        Ok(tank_event::table
            .inner_join(cell_day::table)
            .inner_join(fuel::table)
            .left_join(fuel_batch::table)
            .filter(cell_day::vehicle_id.eq(vehicle_id).and(cell_day::archived_at.is_null()))
            .filter(tank_event::archived_at.is_null())
            .order((cell_day::on_date, tank_event::at_time, tank_event::id))
            .select((
                tank_event::id,
                tank_event::day_id,
                cell_day::on_date,
                tank_event::at_time,
                fuel::name,
                fuel_batch::name.nullable(),
                fuel::ethanol,
                fuel_batch::ethanol.nullable(),
                tank_event::litres,
                tank_event::left_l,
                tank_event::written_by,
            ))
            .load(&mut c)
            .await?)
    }

    /// Writes down what was poured on a day.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day or fuel; [`StoreError::Refused`] for a batch of another fuel.
    #[boxed]
    pub async fn pour(&self, day_id: i64, new: &NewPour, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let name: String = fuel::table
                .find(new.fuel_id)
                .select(fuel::name)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("fuel", new.fuel_id))?;
            if let Some(batch) = new.batch_id {
                let of: Option<i64> =
                    fuel_batch::table.find(batch).select(fuel_batch::fuel_id).first(c).await.optional()?;
                if of != Some(new.fuel_id) {
                    return Err(StoreError::Refused(format!("that batch is none of {name}")));
                }
            }
            diesel::insert_into(tank_event::table)
                .values((
                    tank_event::day_id.eq(day_id),
                    tank_event::at_time.eq(new.at),
                    tank_event::fuel_id.eq(new.fuel_id),
                    tank_event::batch_id.eq(new.batch_id),
                    tank_event::litres.eq(new.litres),
                    tank_event::left_l.eq(new.left_l),
                    tank_event::written_by.eq(&by.who),
                ))
                .execute(c)
                .await?;
            let said = format!("{:.1} L {name}", new.litres);
            keep(c, Subject::Day(day_id), by, &[Change::new("poured into the tank", "", said)]).await
        })
        .await
    }

    /// It was not poured: it counts no more, and stands in the trail.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the day has none of that id.
    #[boxed]
    pub async fn unpour(&self, day_id: i64, id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let own = tank_event::day_id.eq(day_id).and(tank_event::archived_at.is_null());
            let (litres, name): (f64, String) = tank_event::table
                .inner_join(fuel::table)
                .filter(tank_event::id.eq(id).and(own))
                .select((tank_event::litres, fuel::name))
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("fill", id))?;
            diesel::update(tank_event::table.find(id))
                .set(tank_event::archived_at.eq(Utc::now().naive_utc()))
                .execute(c)
                .await?;
            let said = format!("{litres:.1} L {name}");
            keep(c, Subject::Day(day_id), by, &[Change::new("poured into the tank", said, "")]).await
        })
        .await
    }
}
