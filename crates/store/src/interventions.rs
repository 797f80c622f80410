//! What was changed on a vehicle, when: written on a day, taken back without being destroyed.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{cell_day, intervention};
use chrono::{NaiveDate, NaiveDateTime, NaiveTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::factors::crossed::Crossing;
use std::collections::HashMap;

/// Something to be written down as changed.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct NewIntervention {
    pub at: Option<NaiveTime>,
    pub what: String,
    pub from: String,
    pub to: String,
}

/// An intervention of a day.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = intervention)]
#[allow(missing_docs)]
pub struct Intervention {
    pub id: i64,
    pub at_time: Option<NaiveTime>,
    pub what: String,
    pub from_state: String,
    pub to_state: String,
    pub written_by: String,
}

/// “gearbox software: A14 → A17”.
fn said(what: &str, from: &str, to: &str) -> String {
    format!("{what}: {from} → {to}")
}

impl Intervention {
    /// “gearbox software: A14 → A17”.
    pub fn words(&self) -> String {
        said(&self.what, &self.from_state, &self.to_state)
    }
}

#[derive(Queryable)]
struct Row {
    vehicle: i64,
    date: NaiveDate,
    time: Option<NaiveTime>,
    what: String,
    from: String,
    to: String,
}

/// Interventions of some vehicles, by vehicle.
pub(crate) async fn crossings(
    c: &mut AsyncMysqlConnection,
    vehicles: &[i64],
) -> Result<HashMap<i64, Vec<Crossing>>, StoreError> {
    let rows: Vec<Row> = intervention::table
        .inner_join(cell_day::table)
        .filter(cell_day::vehicle_id.eq_any(vehicles))
        .filter(intervention::archived_at.is_null().and(cell_day::archived_at.is_null()))
        .order(intervention::id)
        .select((
            cell_day::vehicle_id,
            cell_day::on_date,
            intervention::at_time,
            intervention::what,
            intervention::from_state,
            intervention::to_state,
        ))
        .load(c)
        .await?;
    let mut out: HashMap<i64, Vec<Crossing>> = HashMap::new();
    for r in rows {
        let crossing = Crossing { at: (r.date, r.time), what: r.what, from: r.from, to: r.to };
        out.entry(r.vehicle).or_default().push(crossing);
    }
    Ok(out)
}

impl Store {
    /// What was changed on a vehicle, on any day in use.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn changed_on(&self, vehicle_id: i64) -> Result<Vec<Crossing>, StoreError> {
        let mut c = self.conn().await?;
        Ok(crossings(&mut c, &[vehicle_id]).await?.remove(&vehicle_id).unwrap_or_default())
    }

    /// Interventions of a day, in order of time.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn interventions(&self, day_id: i64) -> Result<Vec<Intervention>, StoreError> {
        let mut c = self.conn().await?;
        Ok(intervention::table
            .filter(intervention::day_id.eq(day_id).and(intervention::archived_at.is_null()))
            .order((intervention::at_time, intervention::id))
            .select(Intervention::as_select())
            .load(&mut c)
            .await?)
    }

    /// Writes down what was changed on a day.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn intervene(&self, day_id: i64, new: &NewIntervention, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            diesel::insert_into(intervention::table)
                .values((
                    intervention::day_id.eq(day_id),
                    intervention::at_time.eq(new.at),
                    intervention::what.eq(&new.what),
                    intervention::from_state.eq(&new.from),
                    intervention::to_state.eq(&new.to),
                    intervention::written_by.eq(&by.who),
                ))
                .execute(c)
                .await?;
            let change = Change::new("changed on the vehicle", "", said(&new.what, &new.from, &new.to));
            keep(c, Subject::Day(day_id), by, &[change]).await
        })
        .await
    }

    /// Takes an intervention of a day back: it counts no more, and stands in the trail.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the day has none of that id.
    #[boxed]
    pub async fn take_back(&self, day_id: i64, id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let of_day = intervention::day_id.eq(day_id).and(intervention::archived_at.is_null());
            let was: Intervention = intervention::table
                .find(id)
                .filter(of_day)
                .select(Intervention::as_select())
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("intervention", id))?;
            let now: NaiveDateTime = Utc::now().naive_utc();
            diesel::update(intervention::table.find(id))
                .set(intervention::archived_at.eq(now))
                .execute(c)
                .await?;
            keep(c, Subject::Day(day_id), by, &[Change::new("changed on the vehicle", was.words(), "")]).await
        })
        .await
    }
}
