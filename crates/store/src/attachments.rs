//! Pictures, prints and papers beside what they belong to.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::files::{packed, receive};
use crate::right::Subject;
use crate::schema::{attachment, cell_day, change_log, day_note, pull, pull_set, raw_file};
use chrono::{NaiveDateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// What something is attached to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Attached {
    Vehicle(i64),
    Day(i64),
    Set(i64),
    Pull(i64),
    Note(i64),
}

impl Attached {
    /// Kind and id as stored.
    pub fn parts(self) -> (&'static str, i64) {
        match self {
            Self::Vehicle(id) => ("vehicle", id),
            Self::Day(id) => ("day", id),
            Self::Set(id) => ("set", id),
            Self::Pull(id) => ("pull", id),
            Self::Note(id) => ("note", id),
        }
    }

    /// The thing of a kind as stored.
    pub fn of(kind: &str, id: i64) -> Option<Self> {
        [Self::Vehicle(id), Self::Day(id), Self::Set(id), Self::Pull(id), Self::Note(id)]
            .into_iter()
            .find(|a| a.parts().0 == kind)
    }
}

/// Something attached.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
#[allow(missing_docs)]
pub struct Attachment {
    pub id: i64,
    kind: String,
    thing: i64,
    pub file_id: i64,
    pub name: String,
    /// Media type, found in its first bytes.
    pub media: String,
    pub written_by: String,
    pub created_at: NaiveDateTime,
    pub bytes: i64,
}

impl Attachment {
    /// What it is attached to.
    pub fn to(&self) -> Option<Attached> {
        Attached::of(&self.kind, self.thing)
    }
}

/// Something to be attached.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct NewAttachment {
    pub name: String,
    pub media: String,
    pub by: String,
    pub bytes: Vec<u8>,
}

/// The day something stands on, if it stands on one, and its vehicle else.
async fn stamp(c: &mut AsyncMysqlConnection, to: Attached) -> Result<(), StoreError> {
    let (kind, id) = to.parts();
    let missing = |e| StoreError::from(e).about(kind, id);
    let (what, thing): (&str, i64) = match to {
        Attached::Vehicle(id) => {
            let there = crate::schema::vehicle::table.find(id).select(crate::schema::vehicle::id);
            ("v", there.first(c).await.map_err(missing)?)
        }
        Attached::Day(id) => {
            ("d", cell_day::table.find(id).select(cell_day::id).first(c).await.map_err(missing)?)
        }
        Attached::Set(id) => {
            ("d", pull_set::table.find(id).select(pull_set::day_id).first(c).await.map_err(missing)?)
        }
        Attached::Pull(id) => {
            let day =
                pull::table.inner_join(pull_set::table).filter(pull::id.eq(id)).select(pull_set::day_id);
            ("d", day.first(c).await.map_err(missing)?)
        }
        Attached::Note(id) => {
            ("d", day_note::table.find(id).select(day_note::day_id).first(c).await.map_err(missing)?)
        }
    };
    diesel::insert_into(change_log::table)
        .values((change_log::kind.eq(what), change_log::thing.eq(thing)))
        .execute(c)
        .await?;
    Ok(())
}

macro_rules! columns {
    () => {
        attachment::table.inner_join(raw_file::table).filter(attachment::archived_at.is_null()).select((
            attachment::id,
            attachment::kind,
            attachment::thing,
            attachment::file_id,
            attachment::name,
            attachment::media,
            attachment::written_by,
            attachment::created_at,
            raw_file::bytes,
        ))
    };
}

impl Store {
    /// Attaches something; its bytes go into custody.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such thing to attach it to.
    #[boxed]
    pub async fn attach(&self, to: Attached, new: &NewAttachment) -> Result<i64, StoreError> {
        let (sha, chunks, size) = packed(std::io::Cursor::new(new.bytes.clone())).await?;
        self.transact(async |c| {
            stamp(c, to).await?;
            let file = receive(c, &new.name, &sha, &chunks, size).await?;
            let (kind, thing) = to.parts();
            diesel::insert_into(attachment::table)
                .values((
                    attachment::kind.eq(kind),
                    attachment::thing.eq(thing),
                    attachment::file_id.eq(file.id),
                    attachment::name.eq(&new.name),
                    attachment::media.eq(&new.media),
                    attachment::written_by.eq(&new.by),
                ))
                .execute(c)
                .await?;
            inserted(c).await
        })
        .await
    }

    /// One attachment in use.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn attachment(&self, id: i64) -> Result<Attachment, StoreError> {
        let mut c = self.conn().await?;
        let row = columns!().filter(attachment::id.eq(id)).first(&mut c).await;
        row.map_err(|e| StoreError::from(e).about("attachment", id))
    }

    /// What is attached to a thing, oldest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn attached(&self, to: Attached) -> Result<Vec<Attachment>, StoreError> {
        let (kind, thing) = to.parts();
        let mut c = self.conn().await?;
        Ok(columns!()
            .filter(attachment::kind.eq(kind).and(attachment::thing.eq(thing)))
            .order(attachment::id)
            .load(&mut c)
            .await?)
    }

    /// What is attached to a day, its notes, its sets and their pulls, oldest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn attached_on_day(&self, day_id: i64) -> Result<Vec<Attachment>, StoreError> {
        let mut c = self.conn().await?;
        let notes = day_note::table.filter(day_note::day_id.eq(day_id)).select(day_note::id);
        let notes: Vec<i64> = notes.load(&mut c).await?;
        let sets: Vec<i64> =
            pull_set::table.filter(pull_set::day_id.eq(day_id)).select(pull_set::id).load(&mut c).await?;
        let pulls: Vec<i64> =
            pull::table.filter(pull::set_id.eq_any(&sets)).select(pull::id).load(&mut c).await?;
        let mut out: Vec<Attachment> = Vec::new();
        for (kind, things) in [("day", vec![day_id]), ("note", notes), ("set", sets), ("pull", pulls)] {
            let rows = columns!()
                .filter(attachment::kind.eq(kind).and(attachment::thing.eq_any(things)))
                .order(attachment::id)
                .load(&mut c)
                .await?;
            out.extend(rows);
        }
        Ok(out)
    }

    /// The day a note stands on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn day_of_note(&self, id: i64) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        let day = day_note::table.find(id).select(day_note::day_id).first(&mut c).await;
        day.map_err(|e| StoreError::from(e).about("note", id))
    }

    /// Takes an attachment off its thing; its bytes stay in custody and it stands in the trail of the thing.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn detach(&self, id: i64, by: &crate::right::By) -> Result<Option<Attached>, StoreError> {
        self.transact(async |c| {
            let row: Attachment = columns!()
                .filter(attachment::id.eq(id))
                .first(c)
                .await
                .map_err(|e| StoreError::from(e).about("attachment", id))?;
            diesel::update(attachment::table.find(id))
                .set(attachment::archived_at.eq(Utc::now().naive_utc()))
                .execute(c)
                .await?;
            let Some(to) = row.to() else { return Ok(None) };
            stamp(c, to).await?;
            let subject = match to {
                Attached::Vehicle(id) => Some(Subject::Vehicle(id)),
                Attached::Day(id) => Some(Subject::Day(id)),
                Attached::Set(id) => Some(Subject::Set(id)),
                Attached::Pull(id) => Some(Subject::Pull(id)),
                Attached::Note(id) => {
                    let day = day_note::table.find(id).select(day_note::day_id).first(c).await.optional()?;
                    day.map(Subject::Day)
                }
            };
            if let Some(of) = subject {
                crate::right::keep(c, of, by, &[crate::right::Change::new("attached", &row.name, "")])
                    .await?;
            }
            Ok(Some(to))
        })
        .await
    }
}
