//! Cells: each with its dyno, the folder its recordings come from, and when it was calibrated.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::right::{By, Change, Subject, keep};
use crate::schema::{cell, cell_day, vehicle};
use chrono::{NaiveDate, NaiveDateTime};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// A cell.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = cell)]
#[allow(missing_docs)]
pub struct CellRecord {
    pub id: i64,
    pub name: String,
    /// Kind of dyno as in a job file; blank when nobody said.
    pub dyno: String,
    /// Where its recorders put their files, for who looks for them.
    pub folder: String,
    /// Its newest calibration.
    pub calibrated_on: Option<NaiveDate>,
    earlier_calibrations: String,
    pub note: String,
}

impl CellRecord {
    /// Dates of all its calibrations known, newest first.
    pub fn calibrations(&self) -> Vec<NaiveDate> {
        calibrations(self.calibrated_on, &self.earlier_calibrations)
    }
}

/// Dates of calibrations as they are kept, newest first.
pub(crate) fn calibrations(newest: Option<NaiveDate>, earlier: &str) -> Vec<NaiveDate> {
    newest.into_iter().chain(earlier.split(' ').filter_map(|d| d.parse().ok())).collect()
}

/// What is said of a cell.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct CellWords {
    pub name: String,
    pub dyno: String,
    pub folder: String,
    /// Dates of its calibrations, newest first.
    pub calibrations: Vec<NaiveDate>,
    pub note: String,
}

/// A cell whose folder is watched, and the day its recordings go to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Watched {
    /// The cell.
    pub cell: i64,
    /// Where its recorders put their files.
    pub folder: String,
    /// The day on which something runs now.
    pub day: i64,
    /// When that day was begun, UTC: files from before are none of its.
    pub since: NaiveDateTime,
}

/// Id of a cell, made when it is new.
pub(crate) async fn cell_named(c: &mut AsyncMysqlConnection, name: &str) -> Result<Option<i64>, StoreError> {
    if name.trim().is_empty() {
        return Ok(None);
    }
    let found = cell::table.filter(cell::name.eq(name)).select(cell::id).first(c).await.optional()?;
    match found {
        Some(id) => Ok(Some(id)),
        None => {
            let made = diesel::insert_into(cell::table).values(cell::name.eq(name)).execute(c).await;
            // Somebody else has just made it: the transaction runs once more and finds it.
            made.map_err(|e| match e.into() {
                StoreError::Duplicate => StoreError::Conflict,
                other => other,
            })?;
            Ok(Some(inserted(c).await?))
        }
    }
}

impl Store {
    /// Cells by name.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn cells(&self) -> Result<Vec<CellRecord>, StoreError> {
        let mut c = self.conn().await?;
        Ok(cell::table.order(cell::name).select(CellRecord::as_select()).load(&mut c).await?)
    }

    /// One cell.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn cell(&self, id: i64) -> Result<CellRecord, StoreError> {
        let mut c = self.conn().await?;
        let row = cell::table.find(id).select(CellRecord::as_select()).first(&mut c).await;
        row.map_err(|e| StoreError::from(e).about("cell", id))
    }

    /// The cell a day stands in.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn cell_of_day(&self, day_id: i64) -> Result<Option<CellRecord>, StoreError> {
        let mut c = self.conn().await?;
        let id: Option<Option<i64>> =
            cell_day::table.find(day_id).select(cell_day::cell_id).first(&mut c).await.optional()?;
        match id.flatten() {
            Some(id) => {
                Ok(cell::table.find(id).select(CellRecord::as_select()).first(&mut c).await.optional()?)
            }
            None => Ok(None),
        }
    }

    /// Puts right what is said of a cell; its days carry its new name, and their sets its calibrations.
    ///
    /// # Errors
    /// [`StoreError::Duplicate`] when another cell has the name; [`StoreError::Changed`] when it is no longer as it
    /// was seen; [`StoreError::NotFound`].
    #[boxed]
    pub async fn edit_cell(&self, seen: &CellRecord, now: &CellWords, by: &By) -> Result<(), StoreError> {
        let id = seen.id;
        self.transact(async |c| {
            let was: CellRecord = cell::table
                .find(id)
                .select(CellRecord::as_select())
                .for_update()
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("cell", id))?;
            if was != *seen {
                return Err(StoreError::Changed { what: "the cell", now: None });
            }
            let dates = |all: &[NaiveDate]| all.iter().map(ToString::to_string).collect::<Vec<_>>();
            let (old, new) = (was.calibrations(), &now.calibrations);
            let (newest, earlier) = match new.as_slice() {
                [newest, earlier @ ..] => (Some(*newest), dates(earlier).join(" ")),
                [] => (None, String::new()),
            };
            let changes = [
                Change::new("name", &was.name, &now.name),
                Change::new("dyno", &was.dyno, &now.dyno),
                Change::new("folder", &was.folder, &now.folder),
                Change::new("calibrated", dates(&old).join(", "), dates(new).join(", ")),
                Change::new("note", &was.note, &now.note),
            ];
            keep(c, Subject::Cell(id), by, &changes).await?;
            diesel::update(cell::table.find(id))
                .set((
                    cell::name.eq(&now.name),
                    cell::dyno.eq(&now.dyno),
                    cell::folder.eq(&now.folder),
                    cell::calibrated_on.eq(newest),
                    cell::earlier_calibrations.eq(earlier),
                    cell::note.eq(&now.note),
                ))
                .execute(c)
                .await?;
            if was.name != now.name || old != *new {
                diesel::update(cell_day::table.filter(cell_day::cell_id.eq(id)))
                    .set((
                        cell_day::place.eq(&now.name),
                        cell_day::version.eq(cell_day::version + 1),
                        // Which dyno figures were made on is a factor of every comparison.
                        cell_day::measured.eq(cell_day::measured + 1),
                    ))
                    .execute(c)
                    .await?;
            }
            Ok(())
        })
        .await
    }

    /// Cells that name a folder and have a day on which something runs now: the newest such day of each.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn watched(&self) -> Result<Vec<Watched>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, String, i64, NaiveDateTime)> = cell_day::table
            .inner_join(cell::table)
            .filter(cell::folder.ne("").and(cell_day::running.ne("")))
            .filter(cell_day::archived_at.is_null())
            .order((cell::id, cell_day::id.desc()))
            .select((cell::id, cell::folder, cell_day::id, cell_day::created_at))
            .load(&mut c)
            .await?;
        let mut out: Vec<Watched> = Vec::new();
        for (cell, folder, day, since) in rows {
            if out.last().is_none_or(|w| w.cell != cell) {
                out.push(Watched { cell, folder, day, since });
            }
        }
        Ok(out)
    }

    /// The day that a cell's view shows: the newest on which something runs now, else its newest.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn day_now(&self, cell_id: i64) -> Result<Option<i64>, StoreError> {
        let mut c = self.conn().await?;
        let runs: Option<i64> = cell_day::table
            .filter(cell_day::cell_id.eq(cell_id).and(cell_day::running.ne("")))
            .filter(cell_day::archived_at.is_null())
            .order(cell_day::id.desc())
            .select(cell_day::id)
            .first(&mut c)
            .await
            .optional()?;
        drop(c);
        match runs {
            Some(day) => Ok(Some(day)),
            None => Ok(self.days_of_cell(cell_id, 1).await?.into_iter().next().map(|d| d.0)),
        }
    }

    /// Newest days of a cell: id, date and vehicle.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn days_of_cell(
        &self,
        id: i64,
        limit: i64,
    ) -> Result<Vec<(i64, NaiveDate, String)>, StoreError> {
        let mut c = self.conn().await?;
        Ok(cell_day::table
            .inner_join(vehicle::table)
            .filter(cell_day::cell_id.eq(id))
            .filter(cell_day::archived_at.is_null().and(vehicle::archived_at.is_null()))
            .order((cell_day::on_date.desc(), cell_day::id))
            .limit(limit)
            .select((cell_day::id, cell_day::on_date, vehicle::name))
            .load(&mut c)
            .await?)
    }

    /// Days in a cell before a date, newest first, with the vehicle of each.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn earlier_in_cell(
        &self,
        cell: &str,
        before: NaiveDate,
        limit: i64,
    ) -> Result<Vec<(i64, i64)>, StoreError> {
        let mut c = self.conn().await?;
        Ok(cell_day::table
            .inner_join(vehicle::table)
            .inner_join(cell::table)
            .filter(cell::name.eq(cell).and(cell_day::on_date.lt(before)))
            .filter(cell_day::archived_at.is_null().and(vehicle::archived_at.is_null()))
            .order((cell_day::on_date.desc(), cell_day::id.desc()))
            .limit(limit)
            .select((cell_day::id, cell_day::vehicle_id))
            .load(&mut c)
            .await?)
    }

    /// The newest day of a vehicle on a date.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn day_on(&self, vehicle_id: i64, date: NaiveDate) -> Result<Option<i64>, StoreError> {
        let mut c = self.conn().await?;
        Ok(cell_day::table
            .filter(cell_day::vehicle_id.eq(vehicle_id).and(cell_day::on_date.eq(date)))
            .filter(cell_day::archived_at.is_null())
            .order(cell_day::id.desc())
            .select(cell_day::id)
            .first(&mut c)
            .await
            .optional()?)
    }

    /// Other vehicles of the same date in the same cell: their days' ids and the vehicles' names.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn beside_day(&self, day_id: i64) -> Result<Vec<(i64, String)>, StoreError> {
        let mut c = self.conn().await?;
        sheets_beside(&mut c, day_id).await
    }

    /// Sheets of a cell on a date, one for each vehicle that stood in it, in the order they were begun.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sheets_of_cell(&self, cell_id: i64, date: NaiveDate) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        Ok(cell_day::table
            .inner_join(vehicle::table)
            .filter(cell_day::cell_id.eq(cell_id).and(cell_day::on_date.eq(date)))
            .filter(cell_day::archived_at.is_null().and(vehicle::archived_at.is_null()))
            .order(cell_day::id)
            .select(cell_day::id)
            .load(&mut c)
            .await?)
    }
}

diesel::alias!(cell_day as own: OwnDay);

/// Days of other vehicles on the same date in the same cell: their ids and the vehicles' names.
pub(crate) async fn sheets_beside(
    c: &mut AsyncMysqlConnection,
    day_id: i64,
) -> Result<Vec<(i64, String)>, StoreError> {
    let same = own
        .field(cell_day::cell_id)
        .eq(cell_day::cell_id)
        .and(own.field(cell_day::on_date).eq(cell_day::on_date));
    Ok(cell_day::table
        .inner_join(vehicle::table)
        .inner_join(own.on(same))
        .filter(own.field(cell_day::id).eq(day_id).and(cell_day::id.ne(day_id)))
        .filter(cell_day::archived_at.is_null().and(vehicle::archived_at.is_null()))
        .order(cell_day::id)
        .select((cell_day::id, vehicle::name))
        .load(c)
        .await?)
}
