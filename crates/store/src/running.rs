//! The set that runs now: new recordings go to it.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::configuration::Configuration;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::{cell_day, pull_set};
use crate::vehicles::damaged;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use serde::{Deserialize, Serialize};

/// What runs now on a day.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Running {
    /// The set, once its first pulls are stored.
    pub set: Option<i64>,
    /// What it is pulled with.
    pub config: Configuration,
}

/// What is to run now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RunsNow {
    /// A set of the day that is stored.
    Set(i64),
    /// One that its first pulls will make.
    New(Configuration),
}

/// As it is kept.
#[derive(Serialize, Deserialize)]
enum Kept {
    #[serde(rename = "set")]
    Set(i64),
    #[serde(rename = "new")]
    New(Words),
}

#[derive(Serialize, Deserialize)]
struct Words {
    map: String,
    map_kind: String,
    fuel: String,
    boost: String,
    gear: String,
    build: String,
}

/// Whether a set is one of a day and not archived.
pub(crate) async fn stands_on(
    c: &mut AsyncMysqlConnection,
    day_id: i64,
    set_id: i64,
) -> Result<bool, StoreError> {
    let there: i64 = pull_set::table
        .filter(pull_set::id.eq(set_id).and(pull_set::day_id.eq(day_id)).and(pull_set::archived_at.is_null()))
        .count()
        .get_result(c)
        .await?;
    Ok(there > 0)
}

/// Makes a stored set the one that runs, in the transaction of the caller.
pub(crate) async fn set_runs(
    c: &mut AsyncMysqlConnection,
    day_id: i64,
    set_id: i64,
) -> Result<(), StoreError> {
    let text = serde_json::to_string(&Kept::Set(set_id)).map_err(damaged)?;
    diesel::update(cell_day::table.find(day_id)).set(cell_day::running.eq(text)).execute(c).await?;
    Ok(())
}

impl Store {
    /// What runs now on a day; `None` when nothing was said, or what was said is archived or gone.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day.
    #[boxed]
    pub async fn running(&self, day_id: i64) -> Result<Option<Running>, StoreError> {
        let mut c = self.conn().await?;
        let text: String = cell_day::table
            .find(day_id)
            .select(cell_day::running)
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("day", day_id))?;
        drop(c);
        match serde_json::from_str(&text) {
            Ok(Kept::New(w)) => {
                let config = Configuration {
                    map: w.map,
                    map_kind: w.map_kind,
                    fuel: w.fuel,
                    boost: w.boost,
                    gear: w.gear,
                    build: w.build,
                    ..Configuration::default()
                };
                Ok(Some(Running { set: None, config }))
            }
            Ok(Kept::Set(id)) => match self.set(id).await {
                Ok(s) if s.day_id == day_id && !s.archived => {
                    Ok(Some(Running { set: Some(id), config: s.config }))
                }
                Ok(_) | Err(StoreError::NotFound { .. }) => Ok(None),
                Err(e) => Err(e),
            },
            Err(_) => Ok(None),
        }
    }

    /// Says what runs now, or that nothing does.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such day, or no such set of it in use.
    #[boxed]
    pub async fn run_now(&self, day_id: i64, what: Option<RunsNow>) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let kept = match &what {
                None => String::new(),
                Some(RunsNow::Set(id)) => {
                    if !stands_on(c, day_id, *id).await? {
                        return Err(StoreError::NotFound { what: "set", id: *id });
                    }
                    return set_runs(c, day_id, *id).await;
                }
                Some(RunsNow::New(x)) => serde_json::to_string(&Kept::New(Words {
                    map: x.map.clone(),
                    map_kind: x.map_kind.clone(),
                    fuel: x.fuel.clone(),
                    boost: x.boost.clone(),
                    gear: x.gear.clone(),
                    build: x.build.clone(),
                }))
                .map_err(damaged)?,
            };
            diesel::update(cell_day::table.find(day_id)).set(cell_day::running.eq(kept)).execute(c).await?;
            Ok(())
        })
        .await
    }
}
