//! Files dropped on a day sheet, previewed and not yet committed; and mappings remembered per source.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::files::{Received, pack, receive};
use crate::schema::{inbox, pull, pull_set, raw_file, source_mapping};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use std::io::Read;

/// Which recorder a file came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Role {
    Dyno,
    Ecu,
    /// A finished curve, or peaks somebody typed.
    Print,
    Unknown,
}

impl Role {
    fn id(self) -> &'static str {
        match self {
            Self::Dyno => "dyno",
            Self::Ecu => "ecu",
            Self::Print => "print",
            Self::Unknown => "unknown",
        }
    }

    fn from_id(id: &str) -> Self {
        match id {
            "dyno" => Self::Dyno,
            "ecu" => Self::Ecu,
            "print" => Self::Print,
            _ => Self::Unknown,
        }
    }
}

/// A previewed file to be kept.
#[derive(Debug, Clone, PartialEq)]
pub struct NewInboxItem {
    /// Day it was dropped on.
    pub day_id: i64,
    /// File name.
    pub name: String,
    /// Recorder.
    pub role: Role,
    /// Signature of its header: the same source writes the same header.
    pub source: String,
    /// Preview as JSON.
    pub report: String,
}

/// A file in the inbox.
#[derive(Debug, Clone, PartialEq)]
pub struct InboxItem {
    /// Id.
    pub id: i64,
    /// Raw file.
    pub file_id: i64,
    /// File name.
    pub name: String,
    /// Recorder.
    pub role: Role,
    /// Source signature.
    pub source: String,
    /// Preview as JSON.
    pub report: String,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = inbox)]
struct Waiting {
    id: i64,
    file_id: i64,
    name: String,
    role: String,
    source: String,
    report: String,
}

/// Lets a file that is in custody wait on a day, within the caller's transaction.
pub(crate) async fn put_waiting(
    c: &mut AsyncMysqlConnection,
    file_id: i64,
    item: &NewInboxItem,
) -> Result<(), StoreError> {
    diesel::insert_into(inbox::table)
        .values((
            inbox::day_id.eq(item.day_id),
            inbox::file_id.eq(file_id),
            inbox::name.eq(&item.name),
            inbox::role.eq(item.role.id()),
            inbox::source.eq(&item.source),
            inbox::report.eq(&item.report),
        ))
        .execute(c)
        .await?;
    Ok(())
}

impl Store {
    /// Bytes of the files that wait on a day.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn inbox_bytes(&self, day_id: i64) -> Result<u64, StoreError> {
        let mut c = self.conn().await?;
        let sizes: Vec<i64> = inbox::table
            .inner_join(raw_file::table)
            .filter(inbox::day_id.eq(day_id))
            .select(raw_file::bytes)
            .load(&mut c)
            .await?;
        Ok(sizes.iter().sum::<i64>() as u64)
    }

    /// Takes a file into custody and into the inbox, in one transaction.
    ///
    /// `known` in the result is true when the bytes already belong to a pull of this day or wait in this
    /// inbox: then nothing is added. `elsewhere` is true when they belong to a pull of another day: they are
    /// taken in all the same.
    ///
    /// # Errors
    /// [`StoreError`] when the stream or the database fails; then nothing is stored.
    #[boxed]
    pub async fn drop_file(
        &self,
        item: &NewInboxItem,
        input: impl Read + Send + 'static,
    ) -> Result<Received, StoreError> {
        let (sha, chunks, bytes) = tokio::task::spawn_blocking(move || pack(input))
            .await
            .map_err(|e| StoreError::Other(e.to_string()))?
            .map_err(|e| StoreError::Other(e.to_string()))?;
        self.transact(async |c| {
            claim_day(c, item.day_id, Touch::Words, Seen::Nothing).await?;
            let file = receive(c, &item.name, &sha, &chunks, bytes).await?;
            let days: Vec<i64> = pull::table
                .inner_join(pull_set::table)
                .filter(pull::dyno_file_id.eq(file.id).or(pull::ecu_file_id.eq(file.id)))
                .filter(pull::archived_at.is_null().and(pull_set::archived_at.is_null()))
                .select(pull_set::day_id)
                .load(c)
                .await?;
            let waiting: i64 = inbox::table
                .filter(inbox::day_id.eq(item.day_id).and(inbox::file_id.eq(file.id)))
                .count()
                .get_result(c)
                .await?;
            let elsewhere = days.iter().any(|d| *d != item.day_id);
            if waiting > 0 || days.contains(&item.day_id) {
                return Ok(Received { id: file.id, known: true, elsewhere });
            }
            put_waiting(c, file.id, item).await?;
            Ok(Received { id: file.id, known: false, elsewhere })
        })
        .await
    }

    /// Files waiting on a day, by name.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn inbox(&self, day_id: i64) -> Result<Vec<InboxItem>, StoreError> {
        let mut c = self.conn().await?;
        let rows = inbox::table
            .filter(inbox::day_id.eq(day_id))
            .order(inbox::name)
            .select(Waiting::as_select())
            .load(&mut c)
            .await?;
        Ok(rows
            .into_iter()
            .map(|r| InboxItem {
                id: r.id,
                file_id: r.file_id,
                name: r.name,
                role: Role::from_id(&r.role),
                source: r.source,
                report: r.report,
            })
            .collect())
    }

    /// Replaces the preview of a waiting file.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn update_inbox_report(&self, id: i64, report: &str) -> Result<(), StoreError> {
        self.transact(async |c| {
            diesel::update(inbox::table.find(id)).set(inbox::report.eq(report)).execute(c).await?;
            Ok(())
        })
        .await
    }

    /// Takes a file out of the inbox; its bytes stay in custody.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn clear_inbox(&self, day_id: i64, only: Option<i64>) -> Result<(), StoreError> {
        self.transact(async |c| {
            match only {
                Some(id) => {
                    diesel::delete(inbox::table.filter(inbox::day_id.eq(day_id).and(inbox::id.eq(id))))
                        .execute(c)
                        .await?
                }
                None => diesel::delete(inbox::table.filter(inbox::day_id.eq(day_id))).execute(c).await?,
            };
            Ok(())
        })
        .await
    }

    /// The mapping remembered for a source, as JSON.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn remembered_mapping(&self, source: &str) -> Result<Option<String>, StoreError> {
        let mut c = self.conn().await?;
        Ok(source_mapping::table
            .find(source)
            .select(source_mapping::mapping)
            .first(&mut c)
            .await
            .optional()?)
    }

    /// Every source whose mapping is remembered, with that mapping as JSON.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn remembered_sources(&self) -> Result<Vec<(String, String)>, StoreError> {
        let mut c = self.conn().await?;
        let rows = source_mapping::table
            .order(source_mapping::source)
            .select((source_mapping::source, source_mapping::mapping))
            .load(&mut c)
            .await?;
        Ok(rows)
    }

    /// Forgets what was said of a source; what is stored stays as it was read.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when nothing is remembered of it.
    #[boxed]
    pub async fn forget_source(&self, source: &str) -> Result<(), StoreError> {
        self.transact(async |c| match diesel::delete(source_mapping::table.find(source)).execute(c).await? {
            0 => Err(StoreError::NotFound { what: "remembered source", id: 0 }),
            _ => Ok(()),
        })
        .await
    }

    /// Remembers a mapping for a source.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn remember_mapping(&self, source: &str, mapping: &str) -> Result<(), StoreError> {
        self.transact(async |c| {
            diesel::insert_into(source_mapping::table)
                .values((source_mapping::source.eq(source), source_mapping::mapping.eq(mapping)))
                .on_conflict(diesel::dsl::DuplicatedKeys)
                .do_update()
                .set(source_mapping::mapping.eq(mapping))
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }
}
