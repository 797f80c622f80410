//! Sets: committed whole with their pulls, in one transaction that is run again after a conflict.

use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::configuration::Configuration;
use crate::days::Day;
use crate::db::{Store, inserted};
use crate::decoded::Decoded;
use crate::error::StoreError;
use crate::interventions::crossings;
use crate::pulls::{NewPull, PackedPull, Pull, insert_pull, note_as_seen, pulls_of};
use crate::right::{By, Change, Subject, keep};
use crate::running::{set_runs, stands_on};
use crate::runs::finish_run;
use crate::schema::{cell_day, inbox, map_revision, pull, pull_set, pull_summary, vehicle};
use crate::set_rows::{Set, in_use, row, rows};
use crate::summaries::Summary;
use crate::vehicles::{build_named, fuel_named, map_named};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::analysis::Measured;
use std::collections::HashMap;
use std::sync::Arc;

/// Newest days that the workshop looks at.
pub const LOOKED_AT_DAYS: i64 = 60;

/// A set to be committed.
#[derive(Debug, Clone, PartialEq)]
pub struct NewSet {
    /// What it was pulled with.
    pub config: Configuration,
    /// Its pulls in order of running.
    pub pulls: Vec<NewPull>,
    /// The set of the day its pulls go to, behind those it has; one of their own where there is none.
    pub into: Option<i64>,
    /// It is the set that runs now.
    pub runs: bool,
}

/// A set with its pulls and their cached summaries.
#[derive(Debug, Clone, PartialEq)]
pub struct SetWithPulls {
    /// The set.
    pub set: Set,
    /// Pulls in order of running.
    pub pulls: Vec<(Pull, Summary)>,
}

impl SetWithPulls {
    /// What was measured of its pulls, as it is kept.
    pub fn measured(&self) -> Vec<Arc<Measured>> {
        self.pulls.iter().map(|(_, summary)| summary.measured.clone()).collect()
    }
}

async fn insert_set(
    c: &mut AsyncMysqlConnection,
    day_id: i64,
    vehicle_id: i64,
    config: &Configuration,
    pulls: &[PackedPull<'_>],
    run: Option<i64>,
) -> Result<i64, StoreError> {
    let build_id = build_named(c, vehicle_id, &config.build).await?;
    let map_id = map_named(c, vehicle_id, &config.map, &config.map_kind).await?;
    let fuel_id = fuel_named(c, &config.fuel).await?;
    let last: Option<i32> = pull_set::table
        .filter(pull_set::day_id.eq(day_id))
        .select(diesel::dsl::max(pull_set::position))
        .first(c)
        .await?;
    let extras = serde_json::to_string(&config.extras).map_err(|e| StoreError::Other(e.to_string()))?;
    diesel::insert_into(pull_set::table)
        .values((
            pull_set::day_id.eq(day_id),
            pull_set::build_id.eq(build_id),
            pull_set::map_id.eq(map_id),
            pull_set::fuel_id.eq(fuel_id),
            pull_set::position.eq(last.unwrap_or(0) + 1),
            pull_set::boost.eq(&config.boost),
            pull_set::gear.eq(&config.gear),
            pull_set::extras.eq(extras),
            pull_set::note.eq(&config.note),
            pull_set::run_id.eq(run),
        ))
        .execute(c)
        .await?;
    let id = inserted(c).await?;
    for (i, p) in pulls.iter().enumerate() {
        insert_pull(c, id, i as i32 + 1, p).await?;
    }
    Ok(id)
}

/// Puts pulls behind those a set has; they know the import they came with.
async fn append(
    c: &mut AsyncMysqlConnection,
    day_id: i64,
    set_id: i64,
    pulls: &[PackedPull<'_>],
    run: Option<i64>,
) -> Result<i64, StoreError> {
    if !stands_on(c, day_id, set_id).await? {
        return Err(StoreError::Refused(
            "the set these pulls were to go to is archived or gone: choose another".into(),
        ));
    }
    let last: Option<i32> =
        pull::table.filter(pull::set_id.eq(set_id)).select(diesel::dsl::max(pull::position)).first(c).await?;
    for (i, p) in pulls.iter().enumerate() {
        let id = insert_pull(c, set_id, last.unwrap_or(0) + i as i32 + 1, p).await?;
        diesel::update(pull::table.find(id)).set(pull::run_id.eq(run)).execute(c).await?;
    }
    Ok(set_id)
}

impl Store {
    /// Commits sets with all their pulls, takes exactly the named files out of the inbox and ends the run:
    /// all of it or nothing.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when one of the files is no longer in the inbox: another request stored it.
    /// [`StoreError::Changed`] when the air of the day or its pulls are no longer as they were seen.
    /// [`StoreError`] when the day does not exist or the database refuses; then nothing of it is there.
    #[boxed]
    pub async fn commit_sets(
        &self,
        day: &Day,
        sets: &[NewSet],
        from_inbox: &[i64],
        run: Option<i64>,
    ) -> Result<Vec<i64>, StoreError> {
        let mut packed: Vec<(&NewSet, Vec<PackedPull<'_>>)> = Vec::new();
        for s in sets {
            packed.push((s, s.pulls.iter().map(PackedPull::new).collect::<Result<_, _>>()?));
        }
        let mut wanted = from_inbox.to_vec();
        wanted.sort_unstable();
        wanted.dedup();
        let (day_id, vehicle_id) = (day.id, day.vehicle_id);
        self.transact(async |c| {
            let measured = claim_day(c, day_id, Touch::Measurements, Seen::Nothing).await?;
            let taken =
                diesel::delete(inbox::table.filter(inbox::day_id.eq(day_id).and(inbox::id.eq_any(&wanted))))
                    .execute(c)
                    .await?;
            if taken != wanted.len() {
                return Err(StoreError::Taken);
            }
            if measured != day.measured {
                return Err(StoreError::Changed { what: "the day", now: None });
            }
            let mut ids = Vec::new();
            for (new, pulls) in &packed {
                let id = match new.into {
                    Some(set) => append(c, day_id, set, pulls, run).await?,
                    None => insert_set(c, day_id, vehicle_id, &new.config, pulls, run).await?,
                };
                if new.runs {
                    set_runs(c, day_id, id).await?;
                }
                ids.push(id);
            }
            if let Some(run) = run {
                finish_run(c, run, "stored").await?;
            }
            Ok(ids)
        })
        .await
    }

    /// One set.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    #[boxed]
    pub async fn set(&self, id: i64) -> Result<Set, StoreError> {
        let mut c = self.conn().await?;
        Ok(row(&mut c, id).await?.into())
    }

    /// Sets with their pulls, in the order of the ids given; unknown ids are left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sets_by_id(&self, ids: &[i64]) -> Result<Vec<SetWithPulls>, StoreError> {
        let mut c = self.conn().await?;
        let sets = in_use(&mut c, ids).await?;
        with_pulls(&mut c, &self.decoded, sets).await
    }

    /// Sets without their pulls, in the order of the ids given; unknown and archived ones are left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sets_alone(&self, ids: &[i64]) -> Result<Vec<Set>, StoreError> {
        let mut c = self.conn().await?;
        in_use(&mut c, ids).await
    }

    /// Sets of a day in order of running, with their pulls.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sets_of_day(&self, day_id: i64) -> Result<Vec<SetWithPulls>, StoreError> {
        let mut c = self.conn().await?;
        let ids: Vec<i64> = pull_set::table
            .filter(pull_set::day_id.eq(day_id).and(pull_set::archived_at.is_null()))
            .order(pull_set::position)
            .select(pull_set::id)
            .load(&mut c)
            .await?;
        let sets = rows(&mut c, &ids).await?.into_iter().map(Into::into).collect();
        with_pulls(&mut c, &self.decoded, sets).await
    }

    /// The newest valid set of a vehicle on its stock map that was recorded, with its pulls.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn newest_stock_set(&self, vehicle_id: i64) -> Result<Option<SetWithPulls>, StoreError> {
        let mut c = self.conn().await?;
        let id: Option<i64> = pull_set::table
            .inner_join(cell_day::table.inner_join(vehicle::table))
            .inner_join(map_revision::table)
            .filter(pull_set::archived_at.is_null().and(cell_day::archived_at.is_null()))
            .filter(vehicle::archived_at.is_null())
            .filter(
                cell_day::vehicle_id
                    .eq(vehicle_id)
                    .and(map_revision::kind.eq("stock"))
                    .and(pull_set::invalid_reason.is_null()),
            )
            // A print is no measurement of the shop's own.
            .filter(diesel::dsl::exists(pull::table.filter(
                pull::set_id.eq(pull_set::id).and(pull::finished.is_null()).and(pull::archived_at.is_null()),
            )))
            .order((cell_day::on_date.desc(), pull_set::position))
            .select(pull_set::id)
            .first(&mut c)
            .await
            .optional()?;
        match id {
            Some(id) => {
                let set = row(&mut c, id).await?.into();
                Ok(with_pulls(&mut c, &self.decoded, vec![set]).await?.pop())
            }
            None => Ok(None),
        }
    }

    /// The newest sets of the last [`LOOKED_AT_DAYS`] days, without pulls.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn latest_sets(&self, limit: i64) -> Result<Vec<Set>, StoreError> {
        let mut c = self.conn().await?;
        let days = newest_days(&mut c).await?;
        let ids: Vec<i64> = pull_set::table
            .inner_join(cell_day::table)
            .filter(pull_set::day_id.eq_any(days).and(pull_set::archived_at.is_null()))
            .order((cell_day::on_date.desc(), pull_set::id.desc()))
            .limit(limit)
            .select(pull_set::id)
            .load(&mut c)
            .await?;
        in_use(&mut c, &ids).await
    }

    /// Ids of the newest sets that need a look, among those of the last [`LOOKED_AT_DAYS`] days: a limit
    /// over, or an engine-computer log that was refused.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sets_to_look_at(&self, limit: i64) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        let days = newest_days(&mut c).await?;
        let rows: Vec<(i64, NaiveDate)> = pull_set::table
            .inner_join(cell_day::table)
            .inner_join(pull::table.inner_join(pull_summary::table))
            .filter(pull_set::day_id.eq_any(days))
            .filter(pull_set::archived_at.is_null().and(pull::archived_at.is_null()))
            .filter(pull_summary::worst_limit.eq("over").or(pull_summary::alignment.eq("refused")))
            .order((cell_day::on_date.desc(), pull_set::id.desc()))
            .select((pull_set::id, cell_day::on_date))
            .distinct()
            .limit(limit)
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().map(|r| r.0).collect())
    }

    /// How many sets each of these days has; days without sets are left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn set_counts(&self, day_ids: &[i64]) -> Result<HashMap<i64, usize>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, i64)> = pull_set::table
            .filter(pull_set::day_id.eq_any(day_ids).and(pull_set::archived_at.is_null()))
            .group_by(pull_set::day_id)
            .select((pull_set::day_id, diesel::dsl::count_star()))
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().map(|(day, n)| (day, n as usize)).collect())
    }

    /// Marks a whole set invalid with a reason, or valid again. Its pulls stay stored and keep counting for
    /// limits.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such set.
    #[boxed]
    pub async fn mark_set(&self, id: i64, reason: Option<&str>, by: &str) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let day_id = day_of(c, id).await?;
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let was: Option<String> =
                pull_set::table.find(id).select(pull_set::invalid_reason).first(c).await?;
            let change =
                Change::new("left out of figures", was.unwrap_or_default(), reason.unwrap_or_default());
            keep(c, Subject::Set(id), &By::new(by, reason.unwrap_or_default()), &[change]).await?;
            diesel::update(pull_set::table.find(id))
                .set((pull_set::invalid_reason.eq(reason), pull_set::invalid_by.eq(reason.map(|_| by))))
                .execute(c)
                .await?;
            Ok(day_id)
        })
        .await
    }

    /// Sets the note of a set; `was` is what it said when the person began, `None` when nobody saw it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such set; [`StoreError::Changed`] when it says something
    /// else by now.
    #[boxed]
    pub async fn note_set(
        &self,
        id: i64,
        note: &str,
        was: Option<String>,
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            let day_id = day_of(c, id).await?;
            claim_day(c, day_id, Touch::Words, Seen::Nothing).await?;
            let now: String = pull_set::table.find(id).select(pull_set::note).first(c).await?;
            note_as_seen(was.as_deref(), &now, "the note of the set")?;
            let change = Change::new("note", now, note);
            keep(c, Subject::Set(id), by, &[change]).await?;
            diesel::update(pull_set::table.find(id)).set(pull_set::note.eq(note)).execute(c).await?;
            Ok(())
        })
        .await
    }
}

/// A set that is in use, within the caller's transaction.
///
/// # Errors
/// [`StoreError::NotFound`]; [`StoreError::Changed`] when it has been archived.
pub(crate) async fn alive_set(c: &mut AsyncMysqlConnection, id: i64) -> Result<Set, StoreError> {
    let row = row(c, id).await?;
    if row.is_archived() {
        return Err(StoreError::Changed { what: "the set", now: Some("archived".into()) });
    }
    Ok(row.into())
}

async fn day_of(c: &mut AsyncMysqlConnection, set_id: i64) -> Result<i64, StoreError> {
    pull_set::table
        .find(set_id)
        .select(pull_set::day_id)
        .first(c)
        .await
        .map_err(|e| StoreError::from(e).about("set", set_id))
}

/// Ids of the newest days: an index gives them at once, however many sets there are.
async fn newest_days(c: &mut AsyncMysqlConnection) -> Result<Vec<i64>, StoreError> {
    Ok(cell_day::table
        .inner_join(vehicle::table)
        .filter(cell_day::archived_at.is_null().and(vehicle::archived_at.is_null()))
        .order((cell_day::on_date.desc(), cell_day::id.desc()))
        .limit(LOOKED_AT_DAYS)
        .select(cell_day::id)
        .load(c)
        .await?)
}

async fn with_pulls(
    c: &mut AsyncMysqlConnection,
    decoded: &Decoded,
    sets: Vec<Set>,
) -> Result<Vec<SetWithPulls>, StoreError> {
    let mut vehicles: Vec<i64> = sets.iter().map(|s| s.vehicle_id).collect();
    vehicles.sort_unstable();
    vehicles.dedup();
    let crossed = crossings(c, &vehicles).await?;
    let mut pulls: HashMap<i64, Vec<(Pull, Summary)>> = HashMap::new();
    for p in pulls_of(c, decoded, &sets.iter().map(|s| s.id).collect::<Vec<_>>()).await? {
        pulls.entry(p.0.set_id).or_default().push(p);
    }
    Ok(sets
        .into_iter()
        .map(|mut set| {
            set.interventions = crossed.get(&set.vehicle_id).cloned().unwrap_or_default();
            let mut own = pulls.remove(&set.id).unwrap_or_default();
            if let Some(why) = &set.invalid {
                own.iter_mut().filter(|(p, _)| p.excluded_reason.is_none()).for_each(|(_, s)| {
                    Arc::make_mut(&mut s.measured).excluded = Some(format!("set marked invalid: {why}"))
                });
            }
            SetWithPulls { set, pulls: own }
        })
        .collect())
}
