//! What was tried of a map on a fuel before it goes home, and who signed it.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{fuel, map_revision, sign_off};
use crate::sheet::Checklist;
use crate::vehicles::claim_vehicle;
use chrono::{NaiveDate, NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// A sign-off; once signed it stands as it is.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct SignOff {
    pub id: i64,
    pub map_id: i64,
    pub map: String,
    pub fuel_id: i64,
    pub fuel: String,
    pub on: NaiveDate,
    /// Item to `yes`, `no` or `na`, and what was said of it.
    pub answers: Checklist,
    pub written_by: String,
    /// Who signed it, and when; `None` while it is open.
    pub signed: Option<(String, NaiveDateTime)>,
}

type Row = (i64, i64, String, i64, String, NaiveDate, String, String, Option<String>, Option<NaiveDateTime>);

fn read((id, map_id, map, fuel_id, fuel, on, answers, written_by, by, at): Row) -> SignOff {
    let answers = serde_json::from_str(&answers).unwrap_or_default();
    SignOff { id, map_id, map, fuel_id, fuel, on, answers, written_by, signed: by.zip(at) }
}

async fn of_vehicle(c: &mut AsyncMysqlConnection, vehicle_id: i64) -> Result<Vec<SignOff>, StoreError> {
    let rows: Vec<Row> = sign_off::table
        .inner_join(map_revision::table)
        .inner_join(fuel::table)
        .filter(sign_off::vehicle_id.eq(vehicle_id))
        .order(sign_off::id.desc())
        .select((
            sign_off::id,
            sign_off::map_id,
            map_revision::name,
            sign_off::fuel_id,
            fuel::name,
            sign_off::on_date,
            sign_off::answers,
            sign_off::written_by,
            sign_off::signed_by,
            sign_off::signed_at,
        ))
        .load(c)
        .await?;
    Ok(rows.into_iter().map(read).collect())
}

impl Store {
    /// Sign-offs of a vehicle, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sign_offs(&self, vehicle_id: i64) -> Result<Vec<SignOff>, StoreError> {
        of_vehicle(&mut *self.conn().await?, vehicle_id).await
    }

    /// Gives or takes back some answers on a map and a fuel; the others stay as they are. What was signed is not
    /// changed: a new sign-off begins with its answers. With `sign` it is signed in the name given. Its id.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle, map or fuel; [`StoreError::Refused`] when the map does
    /// not serve it.
    #[boxed]
    pub async fn answer_sign_off(
        &self,
        vehicle_id: i64,
        (map_id, fuel_id): (i64, i64),
        given: &[(&str, Option<&str>)],
        sign: bool,
        (on, by): (NaiveDate, &By),
    ) -> Result<i64, StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let map = crate::flashes::serving(c, map_id, vehicle_id).await?;
            let on_fuel: String = fuel::table
                .find(fuel_id)
                .select(fuel::name)
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("fuel", fuel_id))?;
            let newest = of_vehicle(c, vehicle_id)
                .await?
                .into_iter()
                .find(|s| (s.map_id, s.fuel_id) == (map_id, fuel_id));
            let mut answers = newest.as_ref().map(|s| s.answers.clone()).unwrap_or_default();
            for (item, answer) in given {
                match answer {
                    Some(a) => answers.insert((*item).to_owned(), (*a).to_owned()),
                    None => answers.remove(*item),
                };
            }
            let answers = serde_json::to_string(&answers).map_err(|e| StoreError::Other(e.to_string()))?;
            let now = Utc::now().naive_utc();
            let signed = sign.then(|| (by.who.clone(), now));
            let own = (
                sign_off::on_date.eq(on),
                sign_off::answers.eq(&answers),
                sign_off::written_by.eq(&by.who),
                sign_off::written_at.eq(now),
                sign_off::signed_by.eq(signed.as_ref().map(|s| &s.0)),
                sign_off::signed_at.eq(signed.as_ref().map(|s| s.1)),
            );
            let id = match newest.filter(|s| s.signed.is_none()) {
                Some(open) => {
                    diesel::update(sign_off::table.find(open.id)).set(own).execute(c).await?;
                    open.id
                }
                None => {
                    let of = (
                        sign_off::vehicle_id.eq(vehicle_id),
                        sign_off::map_id.eq(map_id),
                        sign_off::fuel_id.eq(fuel_id),
                    );
                    diesel::insert_into(sign_off::table).values((of, own)).execute(c).await?;
                    inserted(c).await?
                }
            };
            if sign {
                let said = format!("{map} on {on_fuel}, signed");
                keep(c, Subject::Vehicle(vehicle_id), by, &[Change::new("sign-off", "", said)]).await?;
            }
            Ok(id)
        })
        .await
    }
}
