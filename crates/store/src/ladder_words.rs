//! A ladder that was stopped on purpose, and a forecast that was overridden: where, why, by whom.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::ladder_word;
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// What a person said of a ladder.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, Insertable)]
#[diesel(table_name = ladder_word)]
#[allow(missing_docs)]
pub struct LadderWord {
    #[diesel(deserialize_as = i64)]
    pub id: Option<i64>,
    /// `stop` or `override`.
    pub kind: String,
    pub map: String,
    pub fuel: String,
    pub build: String,
    pub gear: String,
    /// The factor whose values are the rungs.
    pub rungs: String,
    /// The rung it stops at, or goes on to.
    pub at_rung: String,
    pub reason: String,
    /// What the forecast said then.
    pub forecast: String,
    pub written_by: String,
    pub written_at: NaiveDateTime,
}

impl LadderWord {
    /// Blank but for when it is written.
    pub fn now() -> Self {
        Self {
            id: None,
            kind: String::new(),
            map: String::new(),
            fuel: String::new(),
            build: String::new(),
            gear: String::new(),
            rungs: String::new(),
            at_rung: String::new(),
            reason: String::new(),
            forecast: String::new(),
            written_by: String::new(),
            written_at: Utc::now().naive_utc(),
        }
    }

    fn said(&self) -> String {
        format!("{} {} on {}: {}", self.at_rung, self.map, self.fuel, self.reason)
    }

    fn field(&self) -> &'static str {
        if self.kind == "stop" { "ladder stopped at" } else { "ladder goes on to, against its forecast" }
    }
}

impl Store {
    /// What was said of the ladders of a vehicle, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn ladder_words(&self, vehicle_id: i64) -> Result<Vec<LadderWord>, StoreError> {
        let mut c = self.conn().await?;
        Ok(ladder_word::table
            .filter(ladder_word::vehicle_id.eq(vehicle_id).and(ladder_word::archived_at.is_null()))
            .order(ladder_word::id.desc())
            .select(LadderWord::as_select())
            .load(&mut c)
            .await?)
    }

    /// Writes down what a person says of a ladder.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle.
    #[boxed]
    pub async fn say_of_ladder(&self, vehicle_id: i64, word: &LadderWord) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            diesel::insert_into(ladder_word::table)
                .values((ladder_word::vehicle_id.eq(vehicle_id), word))
                .execute(c)
                .await?;
            let by = By::new(&word.written_by, &word.reason);
            keep(c, Subject::Vehicle(vehicle_id), &by, &[Change::new(word.field(), "", word.said())]).await
        })
        .await
    }

    /// Takes it back: it holds no more, and stands in the trail.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the vehicle has none of that id.
    #[boxed]
    pub async fn unsay_of_ladder(&self, vehicle_id: i64, id: i64, by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let own = ladder_word::vehicle_id.eq(vehicle_id).and(ladder_word::archived_at.is_null());
            let was: LadderWord = ladder_word::table
                .find(id)
                .filter(own)
                .select(LadderWord::as_select())
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("word of a ladder", id))?;
            diesel::update(ladder_word::table.find(id))
                .set(ladder_word::archived_at.eq(Utc::now().naive_utc()))
                .execute(c)
                .await?;
            keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new(was.field(), was.said(), "")]).await
        })
        .await
    }
}
