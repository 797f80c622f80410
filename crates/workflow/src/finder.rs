//! The index that finds pulls, kept in memory and brought up to date before every answer.

use crate::error::{WorkflowError, blocking};
use crate::fresh::{Freshness, Moment};
use jamjar_core::correction::Correction;
use jamjar_core::find::{Found, Index, OwnChannel, Query, Record};
use jamjar_store::{FindNames, FoundDay, Spark, Store, Thing};
use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};
use tokio::sync::Mutex;

/// Days read in one query.
const DAYS_AT_ONCE: usize = 500;

/// Finds pulls. Every instance keeps its own index; the database says which days have changed.
#[derive(Debug, Clone, Default)]
pub struct Finder {
    index: Arc<RwLock<Index>>,
    known: Arc<Mutex<Known>>,
}

/// What the index was made from.
#[derive(Debug, Default)]
struct Known {
    at: Option<Moment>,
    names: FindNames,
    computed: Vec<OwnChannel>,
}

impl Known {
    async fn read_names(&mut self, store: &Store) -> Result<(), WorkflowError> {
        self.names = store.find_names().await?;
        self.computed = self.names.computed();
        Ok(())
    }
}

/// A question: `limit` pulls from the `skip`-th on.
#[derive(Debug, Clone)]
pub struct Ask {
    /// The conditions.
    pub query: Query,
    /// The correction family of its figures.
    pub family: Correction,
    /// Pulls to pass over.
    pub skip: usize,
    /// Most pulls to answer with.
    pub limit: usize,
}

/// An answer with the small curves of its pulls.
#[derive(Debug, Clone)]
pub struct Answer {
    /// The pulls and what they have in common.
    pub found: Found,
    /// Curves by pull.
    pub sparks: HashMap<i64, Spark>,
    /// Pulls looked through.
    pub of: usize,
}

impl Finder {
    /// Brings the index up to date: reads everything the first time, afterwards the days that have changed.
    ///
    /// # Errors
    /// [`WorkflowError`] when the store cannot answer; the index is then as it was, or partly newer.
    pub async fn refresh(&self, store: &Store, fresh: &Freshness) -> Result<(), WorkflowError> {
        let now = fresh.look(store).await?;
        let mut known = self.known.lock().await;
        if known.at.is_some_and(|at| at >= now) {
            return Ok(());
        }
        let things = known.at.map_or_else(|| vec![Thing::All], |at| fresh.since(at));
        if things.contains(&Thing::All) {
            known.read_names(store).await?;
            let all = store.day_ids().await?;
            let mut index = Index::default();
            for part in all.chunks(DAYS_AT_ONCE) {
                let found = store.found_days(part).await?;
                found.iter().for_each(|(day, d)| put(&mut index, *day, d, &known.names));
            }
            index.describe(known.names.described().iter().cloned());
            *self.index.write().unwrap_or_else(PoisonError::into_inner) = index;
            known.at = Some(now);
            return Ok(());
        }
        if things.iter().any(|t| matches!(t, Thing::Vehicle(_))) {
            // What a sheet says of a vehicle may be asked for too.
            known.read_names(store).await?;
            let mut index = self.index.write().unwrap_or_else(PoisonError::into_inner);
            index.describe(known.names.described().iter().cloned());
        }
        let days: Vec<i64> =
            things.iter().filter_map(|t| if let Thing::Day(d) = t { Some(*d) } else { None }).collect();
        for part in days.chunks(DAYS_AT_ONCE) {
            let mut found = store.found_days(part).await?;
            if found.values().flat_map(|d| &d.pulls).any(|p| p.record(&known.names).is_none()) {
                known.read_names(store).await?;
            }
            let mut index = self.index.write().unwrap_or_else(PoisonError::into_inner);
            for day in part {
                put(&mut index, *day, &found.remove(day).unwrap_or_default(), &known.names);
            }
        }
        known.at = Some(now);
        Ok(())
    }

    /// Channels that vehicles compute, which a question may name, as of the last [`refresh`](Self::refresh).
    pub async fn computed(&self) -> Vec<OwnChannel> {
        self.known.lock().await.computed.clone()
    }

    /// Answers a question as of the last [`refresh`](Self::refresh).
    ///
    /// # Errors
    /// [`WorkflowError`] when the store cannot answer.
    pub async fn find(&self, store: &Store, ask: Ask) -> Result<Answer, WorkflowError> {
        let index = self.index.clone();
        let (found, of) = blocking(move || {
            let index = index.read().unwrap_or_else(PoisonError::into_inner);
            (index.find(&ask.query, ask.family, ask.skip, ask.limit), index.len())
        })
        .await?;
        let ids: Vec<i64> = found.hits.iter().map(|h| h.place.pull).collect();
        let sparks = store.sparks(&ids).await?;
        Ok(Answer { found, sparks, of })
    }
}

fn put(index: &mut Index, day: i64, d: &FoundDay, names: &FindNames) {
    let records: Vec<Record> = d.pulls.iter().filter_map(|p| p.record(names)).collect();
    index.put_day(day, &records, &d.notes);
}
