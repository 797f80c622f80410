//! What was seen, heard or smelt: notes of a day, some of them of one pull, over engine speeds and loads.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::pulls::place_of as set_and_day_of;
use crate::schema::{cell_day, day_note};
use chrono::{NaiveDate, NaiveTime};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// Where in a pull something was observed; what is not known is `None`.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct ObservedAt {
    /// The pull.
    pub pull_id: Option<i64>,
    /// Engine speeds, rpm, from the lower.
    pub rpm: Option<[f64; 2]>,
    /// Loads, % of full, from the lower.
    pub load: Option<[f64; 2]>,
}

/// A note that is to be written.
#[derive(Debug, Clone, Default)]
#[allow(missing_docs)]
pub struct NewNote {
    pub at: Option<NaiveTime>,
    /// What kind of thing: smoke, rattle, fuel.
    pub tag: String,
    pub text: String,
    pub by: String,
    pub place: ObservedAt,
}

/// An observation with the day it was made on.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Observation {
    pub id: i64,
    pub day_id: i64,
    pub date: NaiveDate,
    pub tag: String,
    pub text: String,
    pub by: String,
    pub place: ObservedAt,
}

/// Columns of a place as they are stored.
pub(crate) type PlaceRow = (Option<i64>, Option<f64>, Option<f64>, Option<f64>, Option<f64>);

/// A place from its columns.
pub(crate) fn observed_at((pull_id, rpm_from, rpm_to, load_from, load_to): PlaceRow) -> ObservedAt {
    let pair = |a: Option<f64>, b: Option<f64>| Some([a?, b.or(a)?]);
    ObservedAt { pull_id, rpm: pair(rpm_from, rpm_to), load: pair(load_from, load_to) }
}

type Row = (i64, i64, NaiveDate, String, String, String, PlaceRow);

fn observation((id, day_id, date, tag, text, by, place): Row) -> Observation {
    Observation { id, day_id, date, tag, text, by, place: observed_at(place) }
}

pub(crate) type PlaceColumns =
    (day_note::pull_id, day_note::rpm_from, day_note::rpm_to, day_note::load_from, day_note::load_to);
/// Columns of a place.
pub(crate) const PLACE: PlaceColumns =
    (day_note::pull_id, day_note::rpm_from, day_note::rpm_to, day_note::load_from, day_note::load_to);
type Columns = (
    day_note::id,
    day_note::day_id,
    cell_day::on_date,
    day_note::tag,
    day_note::text,
    day_note::written_by,
    PlaceColumns,
);

/// Columns of an observation.
const COLUMNS: Columns = (
    day_note::id,
    day_note::day_id,
    cell_day::on_date,
    day_note::tag,
    day_note::text,
    day_note::written_by,
    PLACE,
);

impl Store {
    /// Adds a note.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when its pull is not one of the day; [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn add_note(&self, day_id: i64, note: &NewNote) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            if let Some(id) = note.place.pull_id {
                let (_, own) = set_and_day_of(c, id).await?;
                if own != day_id {
                    return Err(StoreError::NotFound { what: "pull", id });
                }
            }
            let ends = |p: Option<[f64; 2]>| (p.map(|p| p[0]), p.map(|p| p[1]));
            let (rpm, load) = (ends(note.place.rpm), ends(note.place.load));
            diesel::insert_into(day_note::table)
                .values((
                    day_note::day_id.eq(day_id),
                    day_note::at_time.eq(note.at),
                    day_note::tag.eq(&note.tag),
                    day_note::text.eq(&note.text),
                    day_note::written_by.eq(&note.by),
                    day_note::pull_id.eq(note.place.pull_id),
                    day_note::rpm_from.eq(rpm.0),
                    day_note::rpm_to.eq(rpm.1),
                    day_note::load_from.eq(load.0),
                    day_note::load_to.eq(load.1),
                ))
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }

    /// The day a pull was made on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such pull.
    #[boxed]
    pub async fn day_of_pull(&self, pull_id: i64) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        Ok(set_and_day_of(&mut c, pull_id).await?.1)
    }

    /// What was observed in a pull, in the order it was written.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot be read.
    #[boxed]
    pub async fn observed_in(&self, pull_id: i64) -> Result<Vec<Observation>, StoreError> {
        let mut c = self.conn().await?;
        let rows = day_note::table
            .inner_join(cell_day::table)
            .filter(day_note::pull_id.eq(pull_id))
            .order(day_note::id)
            .select(COLUMNS)
            .load::<Row>(&mut c)
            .await?;
        Ok(rows.into_iter().map(observation).collect())
    }

    /// What was observed at an engine speed, a load or in a pull of a vehicle, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot be read.
    #[boxed]
    pub async fn observed_of(&self, vehicle_id: i64, limit: i64) -> Result<Vec<Observation>, StoreError> {
        let mut c = self.conn().await?;
        let rows = day_note::table
            .inner_join(cell_day::table)
            .filter(cell_day::vehicle_id.eq(vehicle_id))
            .filter(cell_day::archived_at.is_null())
            .filter(
                day_note::pull_id
                    .is_not_null()
                    .or(day_note::rpm_from.is_not_null())
                    .or(day_note::load_from.is_not_null()),
            )
            .order((cell_day::on_date.desc(), day_note::id.desc()))
            .limit(limit)
            .select(COLUMNS)
            .load::<Row>(&mut c)
            .await?;
        Ok(rows.into_iter().map(observation).collect())
    }
}
