//! Samples of stored pulls, replaced by what reading their files again gives.

use super::audit::{By, Change, Subject, keep};
use super::set::measure_again;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::days::Day;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::{pull, pull_set, raw_file, sample_block};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::collections::HashMap;

/// A raw file with how it was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileRef {
    /// Id.
    pub id: i64,
    /// Name.
    pub name: String,
    /// Mapping as JSON.
    pub mapping: String,
}

/// The files behind a pull.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SampleFiles {
    /// The pull.
    pub pull_id: i64,
    /// Dyno recording.
    pub dyno: FileRef,
    /// Engine-computer log.
    pub ecu: Option<FileRef>,
}

/// A pull read again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reread {
    /// The pull.
    pub pull_id: i64,
    /// Its samples.
    pub block: Vec<u8>,
    /// How its dyno file is read by now; `None` when that did not change.
    pub dyno_mapping: Option<String>,
    /// Likewise for the engine computer's.
    pub ecu_mapping: Option<String>,
    /// The column that was corrected.
    pub column: String,
    /// What it was taken for.
    pub was: String,
    /// What it is taken for.
    pub now: String,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = pull)]
struct Row {
    id: i64,
    dyno_file_id: i64,
    ecu_file_id: Option<i64>,
    dyno_mapping: String,
    ecu_mapping: Option<String>,
}

impl Store {
    /// Files of the pulls of a day that have samples of their own, archived ones too.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sample_files(&self, day_id: i64) -> Result<Vec<SampleFiles>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<Row> = pull::table
            .inner_join(pull_set::table)
            .filter(pull_set::day_id.eq(day_id).and(pull::shares_pull_id.is_null()))
            .order((pull_set::position, pull::position))
            .select(Row::as_select())
            .load(&mut c)
            .await?;
        let ids: Vec<i64> =
            rows.iter().flat_map(|r| std::iter::once(r.dyno_file_id).chain(r.ecu_file_id)).collect();
        let names: HashMap<i64, String> = raw_file::table
            .filter(raw_file::id.eq_any(ids))
            .select((raw_file::id, raw_file::name))
            .load::<(i64, String)>(&mut c)
            .await?
            .into_iter()
            .collect();
        let name = |id: i64| names.get(&id).cloned().unwrap_or_default();
        Ok(rows
            .into_iter()
            .map(|r| SampleFiles {
                pull_id: r.id,
                dyno: FileRef { id: r.dyno_file_id, name: name(r.dyno_file_id), mapping: r.dyno_mapping },
                ecu: r.ecu_file_id.map(|id| FileRef {
                    id,
                    name: name(id),
                    mapping: r.ecu_mapping.unwrap_or_else(|| "{}".into()),
                }),
            })
            .collect())
    }

    /// Replaces the samples of pulls of a day as it was last seen; they are measured again at the next look.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when what its measurements rest on is no longer as it was seen.
    #[boxed]
    pub async fn replace_samples(&self, seen: &Day, made: &[Reread], by: &By) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, seen.id, Touch::Measurements, Seen::Measurements(seen.measured)).await?;
            for r in made {
                diesel::update(sample_block::table.find(r.pull_id))
                    .set(sample_block::data.eq(&r.block))
                    .execute(c)
                    .await?;
                if let Some(m) = &r.dyno_mapping {
                    diesel::update(pull::table.find(r.pull_id))
                        .set(pull::dyno_mapping.eq(m))
                        .execute(c)
                        .await?;
                }
                if let Some(m) = &r.ecu_mapping {
                    diesel::update(pull::table.find(r.pull_id))
                        .set(pull::ecu_mapping.eq(m))
                        .execute(c)
                        .await?;
                }
                let change = Change::new(
                    format!("column {}", r.column.chars().take(45).collect::<String>()),
                    &r.was,
                    &r.now,
                );
                keep(c, Subject::Pull(r.pull_id), by, &[change]).await?;
            }
            measure_again(c, seen.id).await
        })
        .await
    }
}
