//! Whether what is kept in memory still holds: the database says what has changed, one question serving all
//! who wait for the answer.

use jamjar_store::{Stamps, Store, StoreError, Thing};
use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, PoisonError, RwLock};
use tokio::sync::Mutex;

/// Moments are counted: every time something has changed is a later one.
pub type Moment = u64;

/// What has changed since this instance began, and when.
#[derive(Debug, Clone, Default)]
pub struct Freshness(Arc<Shared>);

#[derive(Debug, Default)]
struct Shared {
    /// Questions asked so far.
    asked: AtomicU64,
    /// The newest question that an answer has served, and the stamps seen.
    asking: Mutex<(u64, Stamps)>,
    known: RwLock<Known>,
}

#[derive(Debug, Default)]
struct Known {
    now: Moment,
    changed: HashMap<Thing, Moment>,
}

impl Freshness {
    /// Asks what has changed. Whatever was committed before the call is known after it; callers that come
    /// while a question is under way share the next one.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    pub async fn look(&self, store: &Store) -> Result<Moment, StoreError> {
        let ticket = self.0.asked.fetch_add(1, Ordering::SeqCst) + 1;
        let mut asking = self.0.asking.lock().await;
        if asking.0 < ticket {
            let serves = self.0.asked.load(Ordering::SeqCst);
            let things = store.changes(&mut asking.1).await?;
            if !things.is_empty() {
                let mut known = self.0.known.write().unwrap_or_else(PoisonError::into_inner);
                known.now += 1;
                let now = known.now;
                known.changed.extend(things.into_iter().map(|t| (t, now)));
            }
            asking.0 = serves;
        }
        Ok(self.now())
    }

    fn now(&self) -> Moment {
        self.0.known.read().unwrap_or_else(PoisonError::into_inner).now
    }

    /// Whether none of the things has changed since a moment.
    pub fn holds(&self, things: &[Thing], since: Moment) -> bool {
        let known = self.0.known.read().unwrap_or_else(PoisonError::into_inner);
        things.iter().chain(&[Thing::All]).all(|t| known.changed.get(t).is_none_or(|m| *m <= since))
    }

    /// What has changed since a moment.
    pub fn since(&self, moment: Moment) -> Vec<Thing> {
        let known = self.0.known.read().unwrap_or_else(PoisonError::into_inner);
        known.changed.iter().filter(|(_, m)| **m > moment).map(|(t, _)| *t).collect()
    }
}
