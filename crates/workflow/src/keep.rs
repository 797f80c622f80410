//! Results kept in memory until something they rest on changes, or until there is no room.
//!
//! A key holds everything a result depends on beside the store: the settings, the program's algorithm version
//! through the program itself. The things in the store are named when it is kept.

use crate::fresh::{Freshness, Moment};
use jamjar_store::Thing;
use std::collections::HashMap;
use std::hash::Hash;
use std::sync::{Arc, Mutex, PoisonError};

/// Results by key, the least recently used dropped first.
#[derive(Debug, Clone)]
pub struct Keep<K, V>(Arc<Mutex<Shelf<K, V>>>);

#[derive(Debug)]
struct Shelf<K, V> {
    entries: HashMap<K, Entry<V>>,
    room: usize,
    used: usize,
    clock: u64,
}

#[derive(Debug)]
struct Entry<V> {
    value: Arc<V>,
    rests_on: Vec<Thing>,
    since: Moment,
    weight: usize,
    touched: u64,
}

impl<K: Eq + Hash + Clone, V> Keep<K, V> {
    /// `room` is the sum of weights kept, in bytes or whatever unit `put` is given.
    pub fn new(room: usize) -> Self {
        Self(Arc::new(Mutex::new(Shelf { entries: HashMap::new(), room, used: 0, clock: 0 })))
    }

    /// A result that still holds. Call [`Freshness::look`] before.
    pub fn get(&self, key: &K, fresh: &Freshness) -> Option<Arc<V>> {
        let mut shelf = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        shelf.clock += 1;
        let clock = shelf.clock;
        let entry = shelf.entries.get_mut(key)?;
        if fresh.holds(&entry.rests_on, entry.since) {
            entry.touched = clock;
            return Some(entry.value.clone());
        }
        let gone = shelf.entries.remove(key)?;
        shelf.used -= gone.weight;
        None
    }

    /// Keeps a result made from what was there at the moment `since`, which must have been asked for before
    /// anything was read. Something heavier than a quarter of the room is not kept.
    pub fn put(&self, key: K, value: V, rests_on: Vec<Thing>, since: Moment, weight: usize) -> Arc<V> {
        let value = Arc::new(value);
        let mut shelf = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if weight > shelf.room / 4 {
            return value;
        }
        shelf.clock += 1;
        let entry = Entry { value: value.clone(), rests_on, since, weight, touched: shelf.clock };
        if let Some(old) = shelf.entries.insert(key, entry) {
            shelf.used -= old.weight;
        }
        shelf.used += weight;
        while shelf.used > shelf.room {
            let Some(oldest) = shelf.entries.iter().min_by_key(|(_, e)| e.touched).map(|(k, _)| k.clone())
            else {
                break;
            };
            if let Some(gone) = shelf.entries.remove(&oldest) {
                shelf.used -= gone.weight;
            }
        }
        value
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_least_recently_used_goes_first_and_giants_are_not_kept() {
        let (keep, fresh) = (Keep::new(100), Freshness::default());
        for k in 0..4 {
            keep.put(k, k, vec![Thing::Day(1)], 0, 25);
        }
        assert_eq!(keep.get(&0, &fresh).as_deref(), Some(&0));
        keep.put(4, 4, vec![], 0, 20);
        assert_eq!((0..5).filter(|k| keep.get(k, &fresh).is_some()).collect::<Vec<_>>(), [0, 2, 3, 4]);
        assert_eq!(*keep.put(9, 9, vec![], 0, 26), 9);
        assert!(keep.get(&9, &fresh).is_none());
    }
}
