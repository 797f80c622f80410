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
use std::collections::BTreeSet;

/// The import that a day can be freed of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LastImport {
    /// The run that stored it.
    pub run_id: i64,
    /// Sets all of whose pulls came with it.
    pub sets: Vec<i64>,
    /// Its pulls in sets that hold others too.
    pub pulls: Vec<i64>,
    /// Files of its pulls, each once: id and name.
    pub files: Vec<(i64, String)>,
}

/// A pull in use with the imports it and its set came with.
#[derive(Queryable)]
struct Stored {
    id: i64,
    set: i64,
    own: Option<i64>,
    of_set: Option<i64>,
    dyno_file: i64,
    ecu_file: Option<i64>,
}

impl Stored {
    /// The import it came with: its own where it stands in a set of another.
    fn run(&self) -> Option<i64> {
        self.own.or(self.of_set)
    }
}

/// Pulls of a day in use.
async fn on_day(c: &mut AsyncMysqlConnection, day_id: i64) -> Result<Vec<Stored>, StoreError> {
    Ok(pull::table
        .inner_join(pull_set::table)
        .filter(pull_set::day_id.eq(day_id))
        .filter(pull::archived_at.is_null().and(pull_set::archived_at.is_null()))
        .order((pull_set::id, pull::id))
        .select((
            pull::id,
            pull_set::id,
            pull::run_id,
            pull_set::run_id,
            pull::dyno_file_id,
            pull::ecu_file_id,
        ))
        .load(c)
        .await?)
}

/// Sets all of whose pulls came with a run, and pulls of it in sets that hold others too.
fn stored_by(all: &[Stored], run_id: i64) -> (Vec<i64>, Vec<i64>) {
    let own = |s: &Stored| s.run() == Some(run_id);
    let mixed: BTreeSet<i64> = all.iter().filter(|s| !own(s)).map(|s| s.set).collect();
    let whole: BTreeSet<i64> = all.iter().map(|s| s.set).filter(|s| !mixed.contains(s)).collect();
    let single = all.iter().filter(|s| own(s) && mixed.contains(&s.set)).map(|s| s.id).collect();
    (whole.into_iter().collect(), single)
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
        let all = on_day(&mut c, day_id).await?;
        let Some(run_id) = all.iter().filter_map(Stored::run).max().filter(|run| *run > 0) else {
            return Ok(None);
        };
        let (sets, pulls) = stored_by(&all, run_id);
        let own = all.iter().filter(|s| s.run() == Some(run_id));
        let ids: BTreeSet<i64> = own.flat_map(|s| std::iter::once(s.dyno_file).chain(s.ecu_file)).collect();
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
            if stored_by(&on_day(c, day_id).await?, seen.run_id) != (seen.sets.clone(), seen.pulls.clone()) {
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
