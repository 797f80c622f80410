//! Erasing a vehicle with everything of its owner's. The only thing beside taking the demo away that destroys.

use crate::boxed;
use crate::db::Store;
use crate::demo::remove_days;
use crate::error::StoreError;
use crate::schema::{
    attachment, audit, build_state, cell_day, day_note, inbox, intervention, line_up, map_revision, map_use,
    merged_id, plan_item, pull, pull_set, raw_chunk, raw_file, vehicle, vehicle_limit,
};
use chrono::Utc;
use diesel::prelude::*;
use diesel::sql_types::BigInt;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use std::collections::BTreeSet;

/// Days that go in one transaction.
const DAYS_AT_ONCE: usize = 8;
/// Ids asked for in one query.
const AT_ONCE: usize = 1000;

/// What an erasing took away.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Erased {
    /// The vehicle's name.
    pub vehicle: String,
    /// Pulls.
    pub pulls: usize,
    /// Files that nothing else stands on.
    pub files: usize,
    /// What came back, bytes as stored: files and samples.
    pub bytes: i64,
}

#[derive(QueryableByName)]
struct Sum {
    #[diesel(sql_type = BigInt)]
    bytes: i64,
}

/// Ids of the files some days stand on.
async fn files_of(c: &mut AsyncMysqlConnection, days: &[i64]) -> Result<BTreeSet<i64>, StoreError> {
    let mut out = BTreeSet::new();
    for part in days.chunks(AT_ONCE) {
        let sets: Vec<i64> =
            pull_set::table.filter(pull_set::day_id.eq_any(part)).select(pull_set::id).load(c).await?;
        for sets in sets.chunks(AT_ONCE) {
            let rows: Vec<(i64, Option<i64>)> = pull::table
                .filter(pull::set_id.eq_any(sets))
                .select((pull::dyno_file_id, pull::ecu_file_id))
                .load(c)
                .await?;
            out.extend(rows.into_iter().flat_map(|(dyno, ecu)| std::iter::once(dyno).chain(ecu)));
        }
        let waiting: Vec<i64> =
            inbox::table.filter(inbox::day_id.eq_any(part)).select(inbox::file_id).load(c).await?;
        out.extend(waiting);
    }
    Ok(out)
}

/// Takes what is attached to things away; says the files.
async fn detach_all(
    c: &mut AsyncMysqlConnection,
    kind: &str,
    things: &[i64],
) -> Result<Vec<i64>, StoreError> {
    let mut files = Vec::new();
    for part in things.chunks(AT_ONCE) {
        let those = attachment::kind.eq(kind).and(attachment::thing.eq_any(part));
        let own = attachment::table.filter(those.clone()).select(attachment::file_id);
        files.extend(own.load::<i64>(c).await?);
        diesel::delete(attachment::table.filter(those)).execute(c).await?;
    }
    Ok(files)
}

async fn forget_trail(c: &mut AsyncMysqlConnection, kind: &str, things: &[i64]) -> Result<(), StoreError> {
    for part in things.chunks(AT_ONCE) {
        diesel::delete(audit::table.filter(audit::kind.eq(kind).and(audit::thing.eq_any(part))))
            .execute(c)
            .await?;
    }
    Ok(())
}

/// Samples of some days, bytes as stored.
async fn sample_bytes(c: &mut AsyncMysqlConnection, days: &[i64]) -> Result<i64, StoreError> {
    let mut total = 0;
    for day in days {
        let sum: Sum = diesel::sql_query(
            "SELECT CAST(COALESCE(SUM(LENGTH(b.data)), 0) AS SIGNED) AS bytes FROM sample_block b \
             JOIN pull p ON p.id = b.pull_id JOIN pull_set s ON s.id = p.set_id WHERE s.day_id = ?",
        )
        .bind::<BigInt, _>(day)
        .get_result(c)
        .await?;
        total += sum.bytes;
    }
    Ok(total)
}

/// Files of a list that nothing stands on any more go; says how many, and their bytes as stored.
async fn drop_loose(c: &mut AsyncMysqlConnection, files: BTreeSet<i64>) -> Result<(usize, i64), StoreError> {
    let (mut count, mut bytes) = (0, 0);
    for id in files {
        let held: Sum = diesel::sql_query(
            "SELECT CAST((SELECT COUNT(*) FROM pull WHERE dyno_file_id = ?) \
             + (SELECT COUNT(*) FROM pull WHERE ecu_file_id = ?) + (SELECT COUNT(*) FROM map_revision WHERE file_id = ?) \
             + (SELECT COUNT(*) FROM inbox WHERE file_id = ?) + (SELECT COUNT(*) FROM attachment WHERE file_id = ?) AS SIGNED) AS bytes",
        )
        .bind::<BigInt, _>(id)
        .bind::<BigInt, _>(id)
        .bind::<BigInt, _>(id)
        .bind::<BigInt, _>(id)
        .bind::<BigInt, _>(id)
        .get_result(c)
        .await?;
        if held.bytes > 0 {
            continue;
        }
        let sum: Sum = diesel::sql_query(
            "SELECT CAST(COALESCE(SUM(LENGTH(data)), 0) AS SIGNED) AS bytes FROM raw_chunk WHERE file_id = ?",
        )
        .bind::<BigInt, _>(id)
        .get_result(c)
        .await?;
        diesel::delete(raw_chunk::table.filter(raw_chunk::file_id.eq(id))).execute(c).await?;
        count += diesel::delete(raw_file::table.find(id)).execute(c).await?;
        bytes += sum.bytes;
    }
    Ok((count, bytes))
}

/// Maps of a vehicle that serve another one go to it; the others are gone with it. Says their files.
async fn leave_maps(c: &mut AsyncMysqlConnection, id: i64) -> Result<Vec<i64>, StoreError> {
    let maps: Vec<(i64, Option<i64>)> = map_revision::table
        .filter(map_revision::vehicle_id.eq(id))
        .select((map_revision::id, map_revision::file_id))
        .load(c)
        .await?;
    diesel::delete(map_use::table.filter(map_use::vehicle_id.eq(id))).execute(c).await?;
    for (map, _) in &maps {
        let serves: Option<i64> = map_use::table
            .filter(map_use::map_id.eq(map))
            .select(map_use::vehicle_id)
            .first(c)
            .await
            .optional()?;
        match serves {
            Some(other) => {
                diesel::delete(map_use::table.find((map, other))).execute(c).await?;
                diesel::update(map_revision::table.find(map))
                    .set(map_revision::vehicle_id.eq(other))
                    .execute(c)
                    .await?;
            }
            None => {
                forget_trail(c, "map", &[*map]).await?;
                diesel::delete(map_revision::table.find(map)).execute(c).await?;
            }
        }
    }
    Ok(maps.into_iter().filter_map(|m| m.1).collect())
}

/// Takes some days away with everything on them; says how many pulls, and the files of what was attached.
pub(crate) async fn clear_days(
    c: &mut AsyncMysqlConnection,
    days: &[i64],
) -> Result<(usize, Vec<i64>), StoreError> {
    let sets: Vec<i64> =
        pull_set::table.filter(pull_set::day_id.eq_any(days)).select(pull_set::id).load(c).await?;
    let pulls: Vec<i64> = pull::table.filter(pull::set_id.eq_any(&sets)).select(pull::id).load(c).await?;
    let notes: Vec<i64> =
        day_note::table.filter(day_note::day_id.eq_any(days)).select(day_note::id).load(c).await?;
    let mut files = Vec::new();
    for (kind, things) in [("day", days), ("note", &notes), ("set", &sets), ("pull", &pulls)] {
        files.extend(detach_all(c, kind, things).await?);
        forget_trail(c, kind, things).await?;
    }
    diesel::delete(intervention::table.filter(intervention::day_id.eq_any(days))).execute(c).await?;
    remove_days(c, days).await?;
    Ok((pulls.len(), files))
}

/// Takes a vehicle away that has no days any more, with everything said of it; says the files it stood on. Maps that
/// serve another vehicle go to that.
pub(crate) async fn clear_vehicle(
    c: &mut AsyncMysqlConnection,
    id: i64,
) -> Result<BTreeSet<i64>, StoreError> {
    let mut files: BTreeSet<i64> = detach_all(c, "vehicle", &[id]).await?.into_iter().collect();
    forget_trail(c, "vehicle", &[id]).await?;
    files.extend(leave_maps(c, id).await?);
    diesel::delete(line_up::table.filter(line_up::vehicle_id.eq(id))).execute(c).await?;
    diesel::delete(plan_item::table.filter(plan_item::vehicle_id.eq(id))).execute(c).await?;
    diesel::delete(vehicle_limit::table.filter(vehicle_limit::vehicle_id.eq(id))).execute(c).await?;
    diesel::delete(build_state::table.filter(build_state::vehicle_id.eq(id))).execute(c).await?;
    let merged = merged_id::kind.eq("vehicle").and(merged_id::into_id.eq(id));
    diesel::delete(merged_id::table.filter(merged)).execute(c).await?;
    diesel::delete(vehicle::table.find(id)).execute(c).await?;
    Ok(files)
}

/// Takes some days away with everything on them, and the files nothing else stands on.
async fn erase_days(c: &mut AsyncMysqlConnection, days: &[i64]) -> Result<Erased, StoreError> {
    let samples = sample_bytes(c, days).await?;
    let mut files = files_of(c, days).await?;
    let (pulls, attached) = clear_days(c, days).await?;
    files.extend(attached);
    let (files, bytes) = drop_loose(c, files).await?;
    Ok(Erased { vehicle: String::new(), pulls, files, bytes: samples + bytes })
}

impl Erased {
    fn and(&mut self, more: &Self) {
        self.pulls += more.pulls;
        self.files += more.files;
        self.bytes += more.bytes;
    }
}

impl Store {
    /// Erases a vehicle with its days, pulls, limits, maps, attachments and trail, and the files nothing else
    /// stands on. It is archived first and its days go a few at a time, each whole: interrupted, it is in no list
    /// any more, and asked again it goes on. Says what came back.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle; [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn erase_vehicle(&self, id: i64) -> Result<Erased, StoreError> {
        let days = self
            .transact(async |c| {
                crate::vehicles::claim_vehicle(c, id, None).await?;
                diesel::update(vehicle::table.find(id))
                    .set(vehicle::archived_at.eq(Utc::now().naive_utc()))
                    .execute(c)
                    .await?;
                let own = cell_day::table.filter(cell_day::vehicle_id.eq(id)).select(cell_day::id);
                Ok(own.load::<i64>(c).await?)
            })
            .await?;
        let mut out = Erased::default();
        for some in days.chunks(DAYS_AT_ONCE) {
            out.and(&self.transact(async |c| erase_days(c, some).await).await?);
        }
        let last = self
            .transact(async |c| {
                let name: String = vehicle::table.find(id).select(vehicle::name).first(c).await?;
                let files = clear_vehicle(c, id).await?;
                let (files, bytes) = drop_loose(c, files).await?;
                Ok(Erased { vehicle: name, pulls: 0, files, bytes })
            })
            .await?;
        out.and(&last);
        Ok(Erased { vehicle: last.vehicle, ..out })
    }
}
