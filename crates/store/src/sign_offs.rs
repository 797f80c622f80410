//! What was tried of a map on a fuel before it goes home, and who signed it.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{fuel, map_revision, raw_file, sign_off};
use crate::sheet::{Checklist, answer};
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
    /// SHA-256 of the file of the map when it was signed, in hexadecimal; `None` where none was in custody.
    pub file: Option<String>,
}

/// A sign-off as it stands in its row, with the names of its map and fuel.
#[derive(Queryable, Selectable)]
#[diesel(table_name = sign_off)]
struct Row {
    id: i64,
    map_id: i64,
    #[diesel(select_expression = map_revision::name)]
    map: String,
    fuel_id: i64,
    #[diesel(select_expression = fuel::name)]
    fuel: String,
    on_date: NaiveDate,
    answers: String,
    written_by: String,
    signed_by: Option<String>,
    signed_at: Option<NaiveDateTime>,
    file_sha: Option<String>,
}

impl From<Row> for SignOff {
    fn from(r: Row) -> Self {
        Self {
            id: r.id,
            map_id: r.map_id,
            map: r.map,
            fuel_id: r.fuel_id,
            fuel: r.fuel,
            on: r.on_date,
            answers: serde_json::from_str(&r.answers).unwrap_or_default(),
            written_by: r.written_by,
            signed: r.signed_by.zip(r.signed_at),
            file: r.file_sha,
        }
    }
}

async fn of_vehicle(c: &mut AsyncMysqlConnection, vehicle_id: i64) -> Result<Vec<SignOff>, StoreError> {
    let rows: Vec<Row> = sign_off::table
        .inner_join(map_revision::table)
        .inner_join(fuel::table)
        .filter(sign_off::vehicle_id.eq(vehicle_id))
        .order(sign_off::id.desc())
        .select(Row::as_select())
        .load(c)
        .await?;
    Ok(rows.into_iter().map(SignOff::from).collect())
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
    /// changed: a new sign-off begins with its answers. With `sign` it is signed in the name given, for the file that is in
    /// custody under that map then. Its id.
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
            answer(&mut answers, given);
            let answers = serde_json::to_string(&answers).map_err(|e| StoreError::Other(e.to_string()))?;
            let now = Utc::now().naive_utc();
            let signed = sign.then(|| (by.who.clone(), now));
            let file: Option<Vec<u8>> = map_revision::table
                .inner_join(raw_file::table)
                .filter(map_revision::id.eq(map_id))
                .select(raw_file::sha256)
                .first(c)
                .await
                .optional()?;
            let own = (
                sign_off::on_date.eq(on),
                sign_off::answers.eq(&answers),
                sign_off::written_by.eq(&by.who),
                sign_off::written_at.eq(now),
                sign_off::signed_by.eq(signed.as_ref().map(|s| &s.0)),
                sign_off::signed_at.eq(signed.as_ref().map(|s| s.1)),
                sign_off::file_sha.eq(file.filter(|_| sign).map(hex::encode)),
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
