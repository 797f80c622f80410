//! Doubled vehicles, maps and fuels made one. The one that is left over is archived, with everything that was
//! said of it.

use super::archive::archive_one;
use super::audit::{By, Change, Subject, keep};
use super::day::move_day;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::lasting::note_merged;
use crate::schema::{
    cell_day, day_fuel, flash, fuel, fuel_batch, ladder_word, line_up, map_revision, plan_item, pull_set,
    report, sign_off, slip, tank_event, thread, thread_step, vehicle,
};
use crate::vehicles::{claim_vehicle, map_named};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

fn other(from: i64, into: i64) -> Result<(), StoreError> {
    if from == into { Err(StoreError::Refused("that is the same thing twice".into())) } else { Ok(()) }
}

async fn claim_days(c: &mut AsyncMysqlConnection, days: Vec<i64>) -> Result<(), StoreError> {
    for day in days {
        claim_day(c, day, Touch::Measurements, Seen::Nothing).await?;
    }
    Ok(())
}

/// Flashes of one vehicle become those of another, with the maps of the same names there.
async fn carry_flashes(c: &mut AsyncMysqlConnection, from: i64, into: i64) -> Result<(), StoreError> {
    let own: Vec<(i64, String, String)> = flash::table
        .inner_join(map_revision::table)
        .filter(flash::vehicle_id.eq(from))
        .select((flash::id, map_revision::name, map_revision::kind))
        .load(c)
        .await?;
    for (id, name, kind) in own {
        let map = map_named(c, into, &name, &kind).await?;
        diesel::update(flash::table.find(id))
            .set((flash::vehicle_id.eq(into), flash::map_id.eq(map)))
            .execute(c)
            .await?;
    }
    Ok(())
}

/// Sign-offs of one vehicle become those of another, of the maps of the same names.
async fn carry_sign_offs(c: &mut AsyncMysqlConnection, from: i64, into: i64) -> Result<(), StoreError> {
    let own: Vec<(i64, String, String)> = sign_off::table
        .inner_join(map_revision::table)
        .filter(sign_off::vehicle_id.eq(from))
        .select((sign_off::id, map_revision::name, map_revision::kind))
        .load(c)
        .await?;
    for (id, name, kind) in own {
        let map = map_named(c, into, &name, &kind).await?;
        diesel::update(sign_off::table.find(id))
            .set((sign_off::vehicle_id.eq(into), sign_off::map_id.eq(map)))
            .execute(c)
            .await?;
    }
    Ok(())
}

/// Threads of one vehicle become those of another; the revisions in them those of the same names.
async fn carry_threads(c: &mut AsyncMysqlConnection, from: i64, into: i64) -> Result<(), StoreError> {
    let of: Vec<i64> = thread::table.filter(thread::vehicle_id.eq(from)).select(thread::id).load(c).await?;
    let own: Vec<(i64, String, String)> = thread_step::table
        .inner_join(map_revision::table)
        .filter(thread_step::thread_id.eq_any(&of))
        .select((thread_step::id, map_revision::name, map_revision::kind))
        .load(c)
        .await?;
    for (id, name, kind) in own {
        let map = map_named(c, into, &name, &kind).await?;
        diesel::update(thread_step::table.find(id)).set(thread_step::map_id.eq(map)).execute(c).await?;
    }
    diesel::update(thread::table.filter(thread::id.eq_any(of)))
        .set(thread::vehicle_id.eq(into))
        .execute(c)
        .await?;
    Ok(())
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = map_revision)]
struct Map {
    vehicle_id: i64,
    name: String,
    file_id: Option<i64>,
}

impl Store {
    /// Fuels in use, by id.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn fuels(&self) -> Result<Vec<(i64, String)>, StoreError> {
        let mut c = self.conn().await?;
        Ok(fuel::table.order(fuel::id).select((fuel::id, fuel::name)).load(&mut c).await?)
    }

    /// Gives the sets of one map revision to another of the same vehicle, and its file where the other has
    /// none.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when both hold files that differ, or belong to different vehicles;
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn merge_maps(&self, from: i64, into: i64, by: &By) -> Result<i64, StoreError> {
        other(from, into)?;
        self.transact(async |c| {
            let read = async |c: &mut _, id: i64| -> Result<Map, StoreError> {
                let m = map_revision::table.find(id).select(Map::as_select()).first(c).await;
                m.map_err(|e| StoreError::from(e).about("map", id))
            };
            let (a, b) = (read(c, from).await?, read(c, into).await?);
            if a.vehicle_id != b.vehicle_id {
                return Err(StoreError::Refused("the two maps belong to different vehicles".into()));
            }
            claim_vehicle(c, a.vehicle_id, None).await?;
            if a.file_id.is_some() && b.file_id.is_some() && a.file_id != b.file_id {
                return Err(StoreError::Refused(format!(
                    "{} and {} hold different files: they are two revisions, not one",
                    a.name, b.name
                )));
            }
            if b.file_id.is_none() && a.file_id.is_some() {
                diesel::update(map_revision::table.find(into))
                    .set(map_revision::file_id.eq(a.file_id))
                    .execute(c)
                    .await?;
            }
            let sets = pull_set::table.filter(pull_set::map_id.eq(from));
            let days = sets.select(pull_set::day_id).distinct().load(c).await?;
            claim_days(c, days).await?;
            let n = diesel::update(sets).set(pull_set::map_id.eq(into)).execute(c).await?;
            diesel::update(flash::table.filter(flash::map_id.eq(from)))
                .set(flash::map_id.eq(into))
                .execute(c)
                .await?;
            diesel::update(sign_off::table.filter(sign_off::map_id.eq(from)))
                .set(sign_off::map_id.eq(into))
                .execute(c)
                .await?;
            diesel::update(thread_step::table.filter(thread_step::map_id.eq(from)))
                .set(thread_step::map_id.eq(into))
                .execute(c)
                .await?;
            archive_one(c, Subject::Map(from), by).await?;
            note_merged(c, Subject::Map(from), into).await?;
            keep(c, Subject::Map(into), by, &[Change::new("sets", "", format!("{n} from {}", a.name))])
                .await?;
            Ok(a.vehicle_id)
        })
        .await
    }

    /// Gives the sets and litres of one fuel to another. A fuel nothing stands on any more is gone.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when both have a measured ethanol content and it differs;
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn merge_fuels(&self, from: i64, into: i64, by: &By) -> Result<(), StoreError> {
        other(from, into)?;
        self.transact(async |c| {
            let read = async |c: &mut _, id: i64| -> Result<(String, Option<f64>), StoreError> {
                let f = fuel::table.find(id).select((fuel::name, fuel::ethanol)).first(c).await;
                f.map_err(|e| StoreError::from(e).about("fuel", id))
            };
            let (a, b) = (read(c, from).await?, read(c, into).await?);
            if let (Some(x), Some(y)) = (a.1, b.1)
                && (x - y).abs() > 1e-9
            {
                return Err(StoreError::Refused(format!(
                    "{} holds {:.0} % ethanol and {} {:.0} %: they are two fuels, not one",
                    a.0,
                    100.0 * x,
                    b.0,
                    100.0 * y
                )));
            }
            let own = pull_set::table.filter(pull_set::fuel_id.eq(from));
            let days = own.select(pull_set::day_id).distinct().load(c).await?;
            claim_days(c, days).await?;
            let sets = diesel::update(own).set(pull_set::fuel_id.eq(into)).execute(c).await?;
            let poured: Vec<(i64, i64, f64)> = day_fuel::table
                .filter(day_fuel::fuel_id.eq(from))
                .select((day_fuel::id, day_fuel::day_id, day_fuel::litres))
                .load(c)
                .await?;
            for (row, day, litres) in poured {
                let same = day_fuel::table.filter(day_fuel::day_id.eq(day).and(day_fuel::fuel_id.eq(into)));
                if diesel::update(same).set(day_fuel::litres.eq(day_fuel::litres + litres)).execute(c).await?
                    > 0
                {
                    diesel::delete(day_fuel::table.find(row)).execute(c).await?;
                } else {
                    diesel::update(day_fuel::table.find(row))
                        .set(day_fuel::fuel_id.eq(into))
                        .execute(c)
                        .await?;
                }
            }
            diesel::update(fuel_batch::table.filter(fuel_batch::fuel_id.eq(from)))
                .set(fuel_batch::fuel_id.eq(into))
                .execute(c)
                .await?;
            diesel::update(tank_event::table.filter(tank_event::fuel_id.eq(from)))
                .set(tank_event::fuel_id.eq(into))
                .execute(c)
                .await?;
            diesel::update(sign_off::table.filter(sign_off::fuel_id.eq(from)))
                .set(sign_off::fuel_id.eq(into))
                .execute(c)
                .await?;
            if b.1.is_none() && a.1.is_some() {
                diesel::update(fuel::table.find(into)).set(fuel::ethanol.eq(a.1)).execute(c).await?;
            }
            note_merged(c, Subject::Fuel(from), into).await?;
            diesel::delete(fuel::table.find(from)).execute(c).await?;
            keep(c, Subject::Fuel(into), by, &[Change::new("sets", "", format!("{sets} from {}", a.0))]).await
        })
        .await
    }

    /// Gives the days, line-ups and plans of one vehicle to another; maps and builds are found there by name,
    /// or made. Its own sheet, limits and maps in custody stay with the one that is archived.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    #[boxed]
    pub async fn merge_vehicles(&self, from: i64, into: i64, by: &By) -> Result<(), StoreError> {
        other(from, into)?;
        self.transact(async |c| {
            claim_vehicle(c, from, None).await?;
            claim_vehicle(c, into, None).await?;
            let name: String = vehicle::table.find(from).select(vehicle::name).first(c).await?;
            let days: Vec<i64> =
                cell_day::table.filter(cell_day::vehicle_id.eq(from)).select(cell_day::id).load(c).await?;
            for day in &days {
                claim_day(c, *day, Touch::Measurements, Seen::Nothing).await?;
                move_day(c, *day, into).await?;
            }
            diesel::update(plan_item::table.filter(plan_item::vehicle_id.eq(from)))
                .set(plan_item::vehicle_id.eq(into))
                .execute(c)
                .await?;
            let taken: Vec<String> =
                line_up::table.filter(line_up::vehicle_id.eq(into)).select(line_up::name).load(c).await?;
            diesel::update(
                line_up::table.filter(line_up::vehicle_id.eq(from).and(line_up::name.ne_all(taken))),
            )
            .set(line_up::vehicle_id.eq(into))
            .execute(c)
            .await?;
            carry_flashes(c, from, into).await?;
            carry_sign_offs(c, from, into).await?;
            carry_threads(c, from, into).await?;
            diesel::update(ladder_word::table.filter(ladder_word::vehicle_id.eq(from)))
                .set(ladder_word::vehicle_id.eq(into))
                .execute(c)
                .await?;
            diesel::update(slip::table.filter(slip::vehicle_id.eq(from)))
                .set(slip::vehicle_id.eq(into))
                .execute(c)
                .await?;
            diesel::update(report::table.filter(report::vehicle_id.eq(from)))
                .set(report::vehicle_id.eq(into))
                .execute(c)
                .await?;
            diesel::sql_query("UPDATE IGNORE report_about SET vehicle_id = ? WHERE vehicle_id = ?")
                .bind::<diesel::sql_types::BigInt, _>(into)
                .bind::<diesel::sql_types::BigInt, _>(from)
                .execute(c)
                .await?;
            archive_one(c, Subject::Vehicle(from), by).await?;
            note_merged(c, Subject::Vehicle(from), into).await?;
            let said = format!("{} from {name}", days.len());
            keep(c, Subject::Vehicle(into), by, &[Change::new("days", "", said)]).await
        })
        .await
    }
}
