//! Undoing an import: its sets are archived, and their files wait on the day again.

use super::archive::archive_one;
use super::audit::{By, Subject};
use super::set::measure_again;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::inbox::{NewInboxItem, put_waiting};
use crate::schema::{inbox, pull, pull_set, raw_file};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// The import that a day can be freed of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LastImport {
    /// The run that stored it.
    pub run_id: i64,
    /// Its sets.
    pub sets: Vec<i64>,
    /// Its pulls that went to sets which were there already.
    pub pulls: Vec<i64>,
    /// Files of its pulls, each once: id and name.
    pub files: Vec<(i64, String)>,
}

/// Sets of a run that are still there, and pulls of it in sets that were there before.
async fn stored_by(c: &mut AsyncMysqlConnection, run_id: i64) -> Result<(Vec<i64>, Vec<i64>), StoreError> {
    let sets = pull_set::table
        .filter(pull_set::run_id.eq(run_id).and(pull_set::archived_at.is_null()))
        .select(pull_set::id)
        .load(c)
        .await?;
    let pulls = pull::table
        .filter(pull::run_id.eq(run_id).and(pull::archived_at.is_null()))
        .select(pull::id)
        .load(c)
        .await?;
    Ok((sets, pulls))
}

impl Store {
    /// What was stored last on a day and is still there; `None` when nothing is, or when it came with the
    /// demo.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn last_import(&self, day_id: i64) -> Result<Option<LastImport>, StoreError> {
        let mut c = self.conn().await?;
        let alive = pull_set::day_id.eq(day_id).and(pull_set::archived_at.is_null());
        let newest: Option<i64> =
            pull_set::table.filter(alive).select(diesel::dsl::max(pull_set::run_id)).first(&mut c).await?;
        let own = pull_set::day_id.eq(day_id).and(pull::archived_at.is_null());
        let appended: Option<i64> = pull::table
            .inner_join(pull_set::table)
            .filter(own)
            .select(diesel::dsl::max(pull::run_id))
            .first(&mut c)
            .await?;
        let Some(run_id) = newest.max(appended) else { return Ok(None) };
        let (sets, pulls) = stored_by(&mut c, run_id).await?;
        let pairs: Vec<(i64, Option<i64>)> = pull::table
            .filter(pull::set_id.eq_any(&sets).or(pull::id.eq_any(&pulls)))
            .select((pull::dyno_file_id, pull::ecu_file_id))
            .load(&mut c)
            .await?;
        let ids: Vec<i64> =
            pairs.into_iter().flat_map(|(dyno, ecu)| std::iter::once(dyno).chain(ecu)).collect();
        let files = raw_file::table
            .filter(raw_file::id.eq_any(ids))
            .select((raw_file::id, raw_file::name))
            .load(&mut c)
            .await?;
        Ok(Some(LastImport { run_id, sets, pulls, files }))
    }

    /// Archives the sets of an import and puts its files back into the inbox of their day, in one
    /// transaction.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when its sets are no longer those that were seen.
    #[boxed]
    pub async fn undo_import(
        &self,
        day_id: i64,
        seen: &LastImport,
        waiting: &[(i64, NewInboxItem)],
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Measurements, Seen::Nothing).await?;
            if stored_by(c, seen.run_id).await? != (seen.sets.clone(), seen.pulls.clone()) {
                return Err(StoreError::Changed { what: "what was imported last", now: None });
            }
            for set in &seen.sets {
                archive_one(c, Subject::Set(*set), by).await?;
            }
            for pull in &seen.pulls {
                archive_one(c, Subject::Pull(*pull), by).await?;
            }
            for (file_id, item) in waiting {
                let there: i64 = inbox::table
                    .filter(inbox::day_id.eq(day_id).and(inbox::file_id.eq(file_id)))
                    .count()
                    .get_result(c)
                    .await?;
                if there == 0 {
                    put_waiting(c, *file_id, item).await?;
                }
            }
            measure_again(c, day_id).await
        })
        .await
    }
}
