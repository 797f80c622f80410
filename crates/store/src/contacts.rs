//! Whose vehicle it is, and how they are reached.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::contact;
use crate::vehicles::claim_vehicle;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// The customer of a vehicle; blank where nobody said. It stays in the shop: no report and no thread carries it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Queryable, Selectable, Insertable)]
#[diesel(table_name = contact)]
#[allow(missing_docs)]
pub struct Contact {
    pub name: String,
    /// Telephone, mail or street, in words.
    pub reached: String,
    pub note: String,
}

impl Contact {
    fn said(&self) -> String {
        [&self.name, &self.reached, &self.note]
            .into_iter()
            .filter(|s| !s.is_empty())
            .map(String::as_str)
            .collect::<Vec<_>>()
            .join("; ")
    }
}

async fn of(c: &mut AsyncMysqlConnection, vehicle_id: i64) -> Result<Contact, StoreError> {
    let own = contact::table.filter(contact::vehicle_id.eq(vehicle_id)).select(Contact::as_select());
    Ok(own.first(c).await.optional()?.unwrap_or_default())
}

impl Store {
    /// The customer of a vehicle.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn contact(&self, vehicle_id: i64) -> Result<Contact, StoreError> {
        of(&mut *self.conn().await?, vehicle_id).await
    }

    /// Says whose a vehicle is; with nothing in it, nobody's.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle.
    #[boxed]
    pub async fn set_contact(&self, vehicle_id: i64, now: &Contact, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let was = of(c, vehicle_id).await?;
            if was == *now {
                return Ok(());
            }
            diesel::delete(contact::table.filter(contact::vehicle_id.eq(vehicle_id))).execute(c).await?;
            if *now != Contact::default() {
                diesel::insert_into(contact::table)
                    .values((contact::vehicle_id.eq(vehicle_id), now))
                    .execute(c)
                    .await?;
            }
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("customer", was.said(), now.said())])
                .await
        })
        .await
    }
}
