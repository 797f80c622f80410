//! What has changed since it was last looked at: for everything an instance keeps in memory.

use crate::db::Store;
use crate::error::StoreError;
use crate::schema::change_stamp;
use chrono::{NaiveDateTime, TimeDelta};
use diesel::dsl::max;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::collections::HashMap;

/// A change is stamped when it is made but seen when it is committed: stamps this much older than the newest are looked at again.
const LATE_S: i64 = 120;

/// Something that can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Thing {
    /// A day with its sets, pulls, notes and air.
    Day(i64),
    /// A vehicle with its limits, build states and maps.
    Vehicle(i64),
    /// Everything: names that stand in many places, or bulk data.
    All,
}

impl Thing {
    fn of(kind: &str, id: i64) -> Self {
        match kind {
            "d" => Self::Day(id),
            "v" => Self::Vehicle(id),
            _ => Self::All,
        }
    }
}

/// Stamps an instance has seen.
#[derive(Debug, Clone, Default)]
pub struct Stamps {
    newest: Option<NaiveDateTime>,
    seen: HashMap<Thing, NaiveDateTime>,
}

impl Store {
    /// What has changed since the stamps were last brought up to date, which this does. The first time it is [`Thing::All`].
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer; the stamps are then as they were.
    pub async fn changes(&self, stamps: &mut Stamps) -> Result<Vec<Thing>, StoreError> {
        let mut c = self.conn().await?;
        let first = stamps.newest.is_none();
        let newest = match stamps.newest {
            Some(t) => t,
            None => change_stamp::table.select(max(change_stamp::at)).first::<Option<NaiveDateTime>>(&mut c).await?.unwrap_or_default(),
        };
        let from = newest - TimeDelta::seconds(LATE_S);
        let rows: Vec<(String, i64, NaiveDateTime)> = change_stamp::table.filter(change_stamp::at.ge(from)).load(&mut c).await?;
        let mut out = Vec::new();
        let mut newest = newest;
        for (kind, id, at) in rows {
            newest = newest.max(at);
            let thing = Thing::of(&kind, id);
            if stamps.seen.insert(thing, at) != Some(at) {
                out.push(thing);
            }
        }
        stamps.seen.retain(|_, at| *at >= from);
        stamps.newest = Some(newest);
        Ok(if first { vec![Thing::All] } else { out })
    }
}
