//! What a person wants to find again or to do next: kept line-ups and planned sets.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::{line_up, plan_item};
use crate::vehicles::{claim_vehicle, damaged};
use chrono::NaiveDateTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::factors::Factors;

/// A line-up kept under a name: the query of its address.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct KeptLineUp {
    pub id: i64,
    pub vehicle_id: i64,
    pub name: String,
    pub query: String,
    pub kept_by: String,
    pub kept_at: NaiveDateTime,
}

/// A set to be pulled.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct PlanItem {
    pub id: i64,
    pub factors: Factors,
    pub pulls: i32,
    pub why: String,
    pub planned_at: NaiveDateTime,
}

impl Store {
    /// Keeps a line-up; one of the same name on the vehicle is replaced.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn keep_line_up(
        &self,
        vehicle_id: i64,
        name: &str,
        query: &str,
        by: &str,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let values = (
                line_up::query.eq(query),
                line_up::kept_by.eq(by),
                line_up::kept_at.eq(chrono::Utc::now().naive_utc()),
            );
            diesel::insert_into(line_up::table)
                .values((line_up::vehicle_id.eq(vehicle_id), line_up::name.eq(name), values))
                .on_conflict(diesel::dsl::DuplicatedKeys)
                .do_update()
                .set(values)
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }

    /// Kept line-ups, newest first; of one vehicle when given.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn kept_line_ups(
        &self,
        vehicle_id: Option<i64>,
        limit: i64,
    ) -> Result<Vec<KeptLineUp>, StoreError> {
        let mut c = self.conn().await?;
        let mut q =
            line_up::table.order((line_up::kept_at.desc(), line_up::id.desc())).limit(limit).into_boxed();
        if let Some(v) = vehicle_id {
            q = q.filter(line_up::vehicle_id.eq(v));
        }
        Ok(q.load(&mut c).await?)
    }

    /// Forgets a kept line-up; its vehicle.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    #[boxed]
    pub async fn forget_line_up(&self, id: i64) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let vehicle: i64 = line_up::table
                .find(id)
                .select(line_up::vehicle_id)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("kept line-up", id))?;
            diesel::delete(line_up::table.find(id)).execute(c).await?;
            Ok(vehicle)
        })
        .await
    }

    /// Plans a set; planning the same configuration again only changes its number of pulls and its reason.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn plan(
        &self,
        vehicle_id: i64,
        factors: &Factors,
        pulls: i32,
        why: &str,
    ) -> Result<i64, StoreError> {
        let json = serde_json::to_value(factors).map_err(damaged)?;
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            if let Some(old) = planned(c, vehicle_id).await?.into_iter().find(|p| p.factors == *factors) {
                diesel::update(plan_item::table.find(old.id))
                    .set((plan_item::pulls.eq(pulls), plan_item::why.eq(why)))
                    .execute(c)
                    .await?;
                return Ok(old.id);
            }
            diesel::insert_into(plan_item::table)
                .values((
                    plan_item::vehicle_id.eq(vehicle_id),
                    plan_item::factors.eq(&json),
                    plan_item::pulls.eq(pulls),
                    plan_item::why.eq(why),
                ))
                .execute(c)
                .await?;
            inserted(c).await
        })
        .await
    }

    /// The plan of a vehicle, oldest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn planned(&self, vehicle_id: i64) -> Result<Vec<PlanItem>, StoreError> {
        planned(&mut *self.conn().await?, vehicle_id).await
    }

    /// Takes something off the plan; its vehicle.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is nothing of that id.
    #[boxed]
    pub async fn unplan(&self, id: i64) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let vehicle: i64 = plan_item::table
                .find(id)
                .select(plan_item::vehicle_id)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("planned set", id))?;
            diesel::delete(plan_item::table.find(id)).execute(c).await?;
            Ok(vehicle)
        })
        .await
    }
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = plan_item)]
struct PlanRow {
    id: i64,
    factors: serde_json::Value,
    pulls: i32,
    why: String,
    planned_at: NaiveDateTime,
}

async fn planned(c: &mut AsyncMysqlConnection, vehicle_id: i64) -> Result<Vec<PlanItem>, StoreError> {
    let rows = plan_item::table
        .filter(plan_item::vehicle_id.eq(vehicle_id))
        .order(plan_item::id)
        .select(PlanRow::as_select())
        .load(c)
        .await?;
    rows.into_iter()
        .map(|r| {
            let factors = serde_json::from_value(r.factors).map_err(damaged)?;
            Ok(PlanItem { id: r.id, factors, pulls: r.pulls, why: r.why, planned_at: r.planned_at })
        })
        .collect()
}
