//! What has changed since it was last looked at: for everything an instance keeps in memory.
//!
//! Every change inserts a row into the log within its own transaction. Numbers are given when a row is
//! inserted and seen when it is committed, so a smaller one may come to be seen after a larger one: numbers
//! that are missing are asked for again until they are there, or until no transaction that could hold them
//! can still be running. Nothing depends on anybody's clock but the reader's own.

use crate::boxed;
use crate::db::{IDLE_WRITE_S, Store};
use crate::error::StoreError;
use crate::schema::change_log;
use diesel::dsl::{max, min};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::collections::{BTreeMap, BTreeSet};
use std::time::{Duration, Instant};

/// A missing number is given up after this long: the server ends a statement and a rest of a writing
/// transaction after [`IDLE_WRITE_S`] each, and none of ours has more than a few of either. It was rolled
/// back, or belongs to another node's steps.
const LATEST: Duration = Duration::from_secs(3 * IDLE_WRITE_S as u64);
/// More missing numbers than this at once are not asked for one by one: everything counts as changed.
const MOST_MISSING: usize = 5_000;
/// Rows of the log that are kept when it is pruned.
const KEPT_ROWS: i64 = 200_000;

/// Something that can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Thing {
    /// A day with its sets, pulls, notes and air.
    Day(i64),
    /// What the figures of a day are made from: its pulls, which of them count, their air. A note is none of
    /// it. The day has changed with it.
    Figures(i64),
    /// A vehicle with its limits, build states and maps.
    Vehicle(i64),
    /// Names to choose from: a fuel was added.
    Names,
    /// Everything: names that stand in many places, or bulk data.
    All,
}

impl Thing {
    fn of(kind: &str, id: i64) -> Vec<Self> {
        match kind {
            "d" => vec![Self::Day(id)],
            "f" => vec![Self::Day(id), Self::Figures(id)],
            "v" => vec![Self::Vehicle(id)],
            "n" => vec![Self::Names],
            _ => vec![Self::All],
        }
    }
}

/// How far an instance has read the log.
#[derive(Debug, Clone, Default)]
pub struct Stamps {
    /// Largest number seen; `None` before the first look.
    newest: Option<i64>,
    /// Smaller numbers not seen yet, with the moment they were first missed.
    missing: BTreeMap<i64, Instant>,
}

impl Stamps {
    /// Takes in numbers that were seen, at a moment of the reader's own clock.
    fn take(&mut self, ids: impl Iterator<Item = i64>, now: Instant) {
        for id in ids {
            self.missing.remove(&id);
            let newest = self.newest.unwrap_or(id - 1);
            if id > newest {
                self.missing.extend((newest + 1..id).rev().take(MOST_MISSING + 1).map(|m| (m, now)));
                self.newest = Some(id);
            }
        }
        self.missing.retain(|_, since| now.duration_since(*since) < LATEST);
    }
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = change_log)]
struct Change {
    id: i64,
    kind: String,
    thing: i64,
}

impl Store {
    /// What has changed since the log was last read, which this does. The first time it is [`Thing::All`].
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer; the stamps are then as they were.
    #[boxed]
    pub async fn changes(&self, stamps: &mut Stamps) -> Result<Vec<Thing>, StoreError> {
        let mut c = self.conn().await?;
        let Some(newest) = stamps.newest else {
            // What is under way now is not among the numbers yet; those just before the newest may still come
            // to be seen.
            let newest = change_log::table
                .select(max(change_log::id))
                .first::<Option<i64>>(&mut c)
                .await?
                .unwrap_or(0);
            let near: BTreeSet<i64> = change_log::table
                .filter(change_log::id.gt(newest - 1000))
                .select(change_log::id)
                .load(&mut c)
                .await?
                .into_iter()
                .collect();
            let now = Instant::now();
            stamps.newest = Some(newest);
            stamps.missing =
                ((newest - 999).max(1)..=newest).filter(|i| !near.contains(i)).map(|i| (i, now)).collect();
            return Ok(vec![Thing::All]);
        };
        let missing: Vec<i64> = stamps.missing.keys().copied().collect();
        let mut rows: Vec<Change> = change_log::table
            .filter(change_log::id.gt(newest))
            .select(Change::as_select())
            .load(&mut c)
            .await?;
        for part in missing.chunks(1000) {
            let late = change_log::table
                .filter(change_log::id.eq_any(part))
                .select(Change::as_select())
                .load(&mut c)
                .await?;
            rows.extend(late);
        }
        rows.sort_unstable_by_key(|r| r.id);
        let pruned = rows.is_empty() && self.was_pruned(&mut c, newest).await?;
        stamps.take(rows.iter().map(|r| r.id), Instant::now());
        if pruned || stamps.missing.len() > MOST_MISSING {
            *stamps = Stamps::default();
            return Box::pin(self.changes(stamps)).await;
        }
        let things: BTreeSet<Thing> = rows.iter().flat_map(|r| Thing::of(&r.kind, r.thing)).collect();
        Ok(things.into_iter().collect())
    }

    /// Whether rows behind a number are gone from the log: only a reader that slept through a prune sees
    /// that.
    async fn was_pruned(&self, c: &mut crate::db::Conn, newest: i64) -> Result<bool, StoreError> {
        let oldest: Option<i64> = change_log::table.select(min(change_log::id)).first(c).await?;
        Ok(oldest.is_some_and(|o| o > newest + 1))
    }

    /// Drops the oldest rows of the log, in small batches.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn prune_changes(&self) -> Result<(), StoreError> {
        let newest = {
            let mut c = self.conn().await?;
            change_log::table.select(max(change_log::id)).first::<Option<i64>>(&mut c).await?.unwrap_or(0)
        };
        loop {
            let gone = self
                .transact(async |c| {
                    Ok(diesel::sql_query("DELETE FROM change_log WHERE id < ? ORDER BY id LIMIT 5000")
                        .bind::<diesel::sql_types::BigInt, _>(newest - KEPT_ROWS)
                        .execute(c)
                        .await?)
                })
                .await?;
            if gone == 0 {
                return Ok(());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_seen_late_is_asked_for_until_it_is_there_or_cannot_come() {
        let start = Instant::now();
        let mut s = Stamps { newest: Some(10), ..Stamps::default() };
        s.take([11, 14].into_iter(), start);
        assert_eq!(s.missing.keys().copied().collect::<Vec<_>>(), [12, 13]);
        s.take([13, 15].into_iter(), start + Duration::from_secs(60));
        assert_eq!((s.missing.keys().copied().collect::<Vec<_>>(), s.newest), (vec![12], Some(15)));
        s.take(std::iter::empty(), start + LATEST - Duration::from_secs(1));
        assert_eq!(s.missing.len(), 1, "a long transaction may still hold it");
        s.take(std::iter::empty(), start + LATEST);
        assert!(s.missing.is_empty());
    }
}
