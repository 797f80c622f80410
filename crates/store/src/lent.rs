//! Map revisions that serve vehicles beside the one they were made for.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{map_revision, map_use, vehicle};
use crate::vehicles::{claim_vehicle, lent_to};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// A map of another vehicle that may serve here.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct LentMap {
    pub id: i64,
    pub name: String,
    /// The vehicle it was made for.
    pub vehicle: String,
}

/// Vehicles a map serves, archived ones too: the one it was made for, then those it is lent to.
pub(crate) async fn served_by(
    c: &mut AsyncMysqlConnection,
    map: i64,
    home: i64,
) -> Result<Vec<i64>, StoreError> {
    let lent: Vec<i64> =
        map_use::table.filter(map_use::map_id.eq(map)).select(map_use::vehicle_id).load(c).await?;
    Ok(std::iter::once(home).chain(lent).collect())
}

impl Store {
    /// Maps of other vehicles that could serve one, by vehicle and name: none whose name it has already.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn maps_elsewhere(&self, vehicle_id: i64) -> Result<Vec<LentMap>, StoreError> {
        let mut c = self.conn().await?;
        let (own, _) = self.known_names(vehicle_id).await?;
        Ok(map_revision::table
            .inner_join(vehicle::table.on(vehicle::id.eq(map_revision::vehicle_id)))
            .filter(map_revision::vehicle_id.ne(vehicle_id).and(map_revision::archived_at.is_null()))
            .filter(vehicle::archived_at.is_null().and(map_revision::name.ne_all(own)))
            .order((vehicle::name, map_revision::id))
            .limit(500)
            .select((map_revision::id, map_revision::name, vehicle::name))
            .load(&mut c)
            .await?)
    }

    /// Lets a revision made for another vehicle serve this one: the same revision, with the same file.
    ///
    /// # Errors
    /// [`StoreError::Duplicate`] when the vehicle has a map of that name; [`StoreError::NotFound`].
    #[boxed]
    pub async fn lend_map(&self, map_id: i64, vehicle_id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let (name, home): (String, i64) = map_revision::table
                .find(map_id)
                .select((map_revision::name, map_revision::vehicle_id))
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("map", map_id))?;
            let lent = lent_to(c, vehicle_id).await?;
            let taken: i64 = map_revision::table
                .filter(map_revision::vehicle_id.eq(vehicle_id).or(map_revision::id.eq_any(lent)))
                .filter(map_revision::name.eq(&name))
                .count()
                .get_result(c)
                .await?;
            if taken > 0 || home == vehicle_id {
                return Err(StoreError::Duplicate);
            }
            diesel::insert_into(map_use::table)
                .values((map_use::map_id.eq(map_id), map_use::vehicle_id.eq(vehicle_id)))
                .execute(c)
                .await?;
            let from: String = vehicle::table.find(home).select(vehicle::name).first(c).await?;
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("map", "", format!("{name} of {from}"))])
                .await
        })
        .await
    }

    /// Vehicles a revision serves: the one it was made for, then those it is lent to. Archived ones are none.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such map.
    #[boxed]
    pub async fn vehicles_of_revision(&self, map_id: i64) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        let home: i64 = map_revision::table
            .find(map_id)
            .select(map_revision::vehicle_id)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("map", map_id))?;
        let all = served_by(&mut c, map_id, home).await?;
        let used: Vec<i64> = vehicle::table
            .filter(vehicle::id.eq_any(&all).and(vehicle::archived_at.is_null()))
            .select(vehicle::id)
            .load(&mut c)
            .await?;
        Ok(all.into_iter().filter(|v| used.contains(v)).collect())
    }
}
