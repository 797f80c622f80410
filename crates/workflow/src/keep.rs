//! Results kept in memory for as long as what they rest on stays as it is, within a fixed room; whoever asks
//! for one that is being made waits for it.

use crate::fresh::{Freshness, Moment};
use jamjar_store::Thing;
use moka::future::Cache;
use moka::policy::EvictionPolicy;
use std::fmt;
use std::future::Future;
use std::hash::Hash;
use std::sync::Arc;

/// Something made, and what it rests on.
#[derive(Debug)]
pub struct Made<V> {
    /// It.
    pub value: V,
    /// What must not change while it is kept.
    pub rests_on: Vec<Thing>,
    /// Room it takes, in the unit of the keep.
    pub weight: usize,
    /// False when the next who asks must have it made anew.
    pub lasts: bool,
}

#[derive(Debug)]
struct Entry<V> {
    value: Arc<V>,
    rests_on: Vec<Thing>,
    since: Moment,
    weight: u32,
}

/// A bounded store of results; cheap to clone.
pub struct Keep<K, V> {
    kept: Cache<K, Arc<Entry<V>>>,
    giant: usize,
}

impl<K, V> fmt::Debug for Keep<K, V> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Keep").field("giant", &self.giant).finish_non_exhaustive()
    }
}

impl<K, V> Clone for Keep<K, V> {
    fn clone(&self) -> Self {
        Self { kept: self.kept.clone(), giant: self.giant }
    }
}

impl<K, V> Keep<K, V>
where
    K: Eq + Hash + Clone + Send + Sync + 'static,
    V: Send + Sync + 'static,
{
    /// `room` is the sum of weights kept, in bytes or whatever unit is used. Something heavier than a quarter
    /// of it is not kept; otherwise the least recently used goes first.
    pub fn new(room: usize) -> Self {
        let kept = Cache::builder()
            .weigher(|_, e: &Arc<Entry<V>>| e.weight)
            .max_capacity(room as u64)
            .eviction_policy(EvictionPolicy::lru())
            .build();
        Self { kept, giant: room / 4 }
    }

    /// A result that still holds: kept, or made now. `since` is a moment asked for before the call; whatever
    /// was committed before it is in the result, also where another had begun to make it earlier.
    ///
    /// # Errors
    /// That of `make`; those who waited for it get it too.
    pub async fn get_or_make<E, F>(
        &self,
        key: K,
        fresh: &Freshness,
        since: Moment,
        make: impl Fn() -> F,
    ) -> Result<Arc<V>, E>
    where
        E: Clone + Send + Sync + 'static,
        F: Future<Output = Result<Made<V>, E>>,
    {
        let entry = |m: Made<V>| Entry {
            value: Arc::new(m.value),
            rests_on: m.rests_on,
            since,
            weight: m.weight.try_into().unwrap_or(u32::MAX),
        };
        loop {
            let mut passing = false;
            let found = self.kept.try_get_with(key.clone(), async {
                let m = make().await?;
                passing = !m.lasts || m.weight > self.giant;
                Ok(Arc::new(entry(m)))
            });
            let found = found.await.map_err(|e: Arc<E>| Arc::unwrap_or_clone(e))?;
            let holds = fresh.holds(&found.rests_on, found.since);
            // What was made here is from after `since`, and no later change is asked of it.
            if passing || !holds {
                self.kept.invalidate(&key).await;
            }
            if holds || found.since >= since {
                return Ok(found.value.clone());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::convert::Infallible;
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::time::Duration;

    fn made(value: usize, weight: usize, lasts: bool) -> Result<Made<usize>, Infallible> {
        Ok(Made { value, rests_on: vec![Thing::Day(1)], weight, lasts })
    }

    /// Asks for a key; how often it had to be made.
    async fn ask(keep: &Keep<usize, usize>, key: usize, weight: usize, lasts: bool) -> usize {
        let (fresh, times) = (Freshness::default(), AtomicUsize::new(0));
        let make = || async {
            times.fetch_add(1, Ordering::Relaxed);
            made(key, weight, lasts)
        };
        assert_eq!(*keep.get_or_make(key, &fresh, 0, make).await.unwrap(), key);
        keep.kept.run_pending_tasks().await;
        times.load(Ordering::Relaxed)
    }

    #[tokio::test]
    async fn the_least_recently_used_goes_first_and_giants_are_not_kept() {
        let keep = Keep::new(100);
        for k in 0..4 {
            assert_eq!(ask(&keep, k, 25, true).await, 1);
        }
        assert_eq!(ask(&keep, 0, 25, true).await, 0, "kept, and used last");
        assert_eq!(ask(&keep, 4, 20, true).await, 1);
        assert!(!keep.kept.contains_key(&1) && keep.kept.contains_key(&0) && keep.kept.contains_key(&4));
        assert_eq!(ask(&keep, 9, 26, true).await + ask(&keep, 9, 26, true).await, 2, "a giant");
        assert_eq!(
            ask(&keep, 8, 1, false).await + ask(&keep, 8, 1, false).await,
            2,
            "one that does not last"
        );
    }

    #[tokio::test]
    async fn many_who_ask_at_once_have_it_made_once() {
        let (keep, fresh, times) = (Keep::new(100), Freshness::default(), AtomicUsize::new(0));
        let make = || async {
            times.fetch_add(1, Ordering::Relaxed);
            tokio::time::sleep(Duration::from_millis(20)).await;
            made(7, 1, true)
        };
        let ask = || keep.get_or_make(7, &fresh, 0, make);
        let (a, b, c) = tokio::join!(ask(), ask(), ask());
        assert_eq!([a, b, c].map(|v| *v.unwrap()), [7, 7, 7]);
        assert_eq!(times.load(Ordering::Relaxed), 1);
    }
}
