//! Ids that survive export and merging: what an address that is kept outside points at.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::Subject;
use crate::schema::{cell, cell_day, fuel, map_revision, merged_id, pull, pull_set, vehicle};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// Characters of a lasting id: 128 bits in hexadecimal.
const UID_CHARS: usize = 32;

/// The lasting id of a row, asked for or followed.
macro_rules! in_tables {
    ($of:expr, |$table:ident| $do:expr) => {
        match $of {
            Subject::Vehicle(_) => {
                use vehicle as $table;
                $do
            }
            Subject::Day(_) => {
                use cell_day as $table;
                $do
            }
            Subject::Set(_) => {
                use pull_set as $table;
                $do
            }
            Subject::Pull(_) => {
                use pull as $table;
                $do
            }
            Subject::Map(_) => {
                use map_revision as $table;
                $do
            }
            Subject::Fuel(_) => {
                use fuel as $table;
                $do
            }
            Subject::Cell(_) => {
                use cell as $table;
                $do
            }
        }
    };
}

async fn uid_of(c: &mut AsyncMysqlConnection, of: Subject) -> Result<Option<String>, StoreError> {
    let found: Option<Option<String>> =
        in_tables!(of, |t| t::table.find(of.id()).select(t::uid).first(c).await.optional()?);
    Ok(found.flatten())
}

/// Keeps that one thing was made one with another of its kind, in the transaction of the caller.
pub(crate) async fn note_merged(
    c: &mut AsyncMysqlConnection,
    from: Subject,
    into: i64,
) -> Result<(), StoreError> {
    let Some(uid) = uid_of(c, from).await? else { return Ok(()) };
    // What was merged into it before goes along.
    diesel::update(
        merged_id::table.filter(merged_id::kind.eq(from.kind()).and(merged_id::into_id.eq(from.id()))),
    )
    .set(merged_id::into_id.eq(into))
    .execute(c)
    .await?;
    diesel::replace_into(merged_id::table)
        .values((merged_id::uid.eq(uid), merged_id::kind.eq(from.kind()), merged_id::into_id.eq(into)))
        .execute(c)
        .await?;
    Ok(())
}

impl Store {
    /// The lasting id of a thing; `None` when there is no such thing.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn lasting_id(&self, of: Subject) -> Result<Option<String>, StoreError> {
        let mut c = self.conn().await?;
        uid_of(&mut c, of).await
    }

    /// What a lasting id points at now: the thing itself, or the one it was made one with.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn by_lasting_id(&self, uid: &str) -> Result<Option<Subject>, StoreError> {
        if uid.len() != UID_CHARS || !uid.bytes().all(|b| b.is_ascii_hexdigit()) {
            return Ok(None);
        }
        let mut c = self.conn().await?;
        let merged: Option<(String, i64)> = merged_id::table
            .find(uid)
            .select((merged_id::kind, merged_id::into_id))
            .first(&mut c)
            .await
            .optional()?;
        if let Some((kind, id)) = merged {
            return Ok(Subject::of(&kind, id));
        }
        for of in Subject::kinds(0) {
            let found: Option<i64> = in_tables!(of, |t| {
                t::table.filter(t::uid.eq(uid)).select(t::id).first(&mut c).await.optional()?
            });
            if let Some(id) = found {
                return Ok(Subject::of(of.kind(), id));
            }
        }
        Ok(None)
    }
}
