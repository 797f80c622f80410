//! Doubled vehicles, maps and fuels made one. The one that is left over is archived, with everything that was
//! said of it.

use super::archive::archive_one;
use super::audit::{By, Change, Subject, keep};
use super::carry;
use super::day::move_day;
use super::follow::{Named, follow};
use super::words::FuelWords;
use crate::boxed;
use crate::claim::{Seen, Touch, claim_day};
use crate::db::Store;
use crate::error::StoreError;
use crate::lasting::note_merged;
use crate::lent::served_by;
use crate::schema::{
    cell_day, day_fuel, flash, fuel, fuel_batch, map_revision, map_use, pull_set, sign_off, tank_event,
    thread_step, vehicle,
};
use crate::vehicles::claim_vehicle;
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

#[derive(Queryable, Selectable)]
#[diesel(table_name = map_revision)]
struct Map {
    vehicle_id: i64,
    name: String,
    file_id: Option<i64>,
    parent: Option<String>,
}

/// Vehicles that one map was lent to are served by the other, where it is not at home there.
async fn serve_the_same(
    c: &mut AsyncMysqlConnection,
    (from, into): (i64, i64),
    home: i64,
) -> Result<(), StoreError> {
    for vehicle in served_by(c, from, home).await?.into_iter().filter(|v| *v != home) {
        diesel::insert_or_ignore_into(map_use::table)
            .values((map_use::map_id.eq(into), map_use::vehicle_id.eq(vehicle)))
            .execute(c)
            .await?;
    }
    diesel::delete(map_use::table.filter(map_use::map_id.eq(from))).execute(c).await?;
    Ok(())
}

/// What is said of two fuels that are one; each says what the other leaves open.
fn one_fuel(a: &FuelWords, b: &FuelWords) -> Result<FuelWords, StoreError> {
    let two = |what: &str, x: String, y: String| {
        StoreError::Refused(format!("{} {what} {x} and {} {y}: they are two fuels, not one", a.name, b.name))
    };
    let number = |what: &str, factor: f64, unit: &str, x: Option<f64>, y: Option<f64>| match (x, y) {
        (Some(x), Some(y)) if (x - y).abs() > 1e-9 => {
            let text = |v: f64| format!("{}{unit}", (v * factor * 1e4).round() / 1e4);
            Err(two(what, text(x), text(y)))
        }
        (x, y) => Ok(y.or(x)),
    };
    let word = |what: &str, x: &str, y: &str| match (x, y) {
        (x, "") => Ok(x.to_owned()),
        (x, y) if !x.is_empty() && x != y => Err(two(what, x.into(), y.into())),
        (_, y) => Ok(y.to_owned()),
    };
    let scale = match (a.octane, b.octane) {
        (Some(_), Some(_)) => word("has its octane by", &a.octane_scale, &b.octane_scale)?,
        (Some(_), None) => a.octane_scale.clone(),
        _ => b.octane_scale.clone(),
    };
    Ok(FuelWords {
        name: b.name.clone(),
        ethanol: number("holds ethanol", 100.0, " %", a.ethanol, b.ethanol)?,
        octane: number("has octane", 1.0, "", a.octane, b.octane)?,
        octane_scale: scale,
        // What it costs changes from day to day: the newer word stands.
        price: b.price.or(a.price),
        kind: word("is made from", &a.kind, &b.kind)?,
        density_kg_l: number("has density", 1.0, " kg/L", a.density_kg_l, b.density_kg_l)?,
        stoich_afr: number("has stoichiometric ratio", 1.0, "", a.stoich_afr, b.stoich_afr)?,
        lhv_mj_kg: number("has heating value", 1.0, " MJ/kg", a.lhv_mj_kg, b.lhv_mj_kg)?,
    })
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
            serve_the_same(c, (from, into), a.vehicle_id).await?;
            // A map that was made from its double is made from what that was made from.
            if b.parent.as_ref() == Some(&a.name) {
                let parent = a.parent.filter(|p| *p != b.name);
                diesel::update(map_revision::table.find(into))
                    .set(map_revision::parent.eq(parent))
                    .execute(c)
                    .await?;
            }
            let served = served_by(c, into, a.vehicle_id).await?;
            follow(c, Named::Map, &served, (&a.name, &b.name), by).await?;
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
    /// [`StoreError::Refused`] when both say something that differs: ethanol, octane, what they are made from or a
    /// property of theirs; [`StoreError::NotFound`].
    #[boxed]
    pub async fn merge_fuels(&self, from: i64, into: i64, by: &By) -> Result<(), StoreError> {
        other(from, into)?;
        self.transact(async |c| {
            let read = async |c: &mut _, id: i64| -> Result<FuelWords, StoreError> {
                let f = fuel::table.find(id).select(FuelWords::as_select()).for_update().first(c).await;
                f.map_err(|e| StoreError::from(e).about("fuel", id))
            };
            let (a, b) = (read(c, from).await?, read(c, into).await?);
            let one = one_fuel(&a, &b)?;
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
            diesel::update(fuel::table.find(into)).set(&one).execute(c).await?;
            let all: Vec<i64> = vehicle::table.order(vehicle::id).select(vehicle::id).load(c).await?;
            follow(c, Named::Fuel, &all, (&a.name, &b.name), by).await?;
            note_merged(c, Subject::Fuel(from), into).await?;
            diesel::delete(fuel::table.find(from)).execute(c).await?;
            keep(c, Subject::Fuel(into), by, &[Change::new("sets", "", format!("{sets} from {}", a.name))])
                .await
        })
        .await
    }

    /// Gives the days of one vehicle to another, and everything that was said of it; maps and builds are found there
    /// by name, or go along. Its own sheet stays with the one that is archived, and what the other has under the same
    /// name: limits and line-ups.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when both hold different files under one map's name; [`StoreError::NotFound`].
    #[boxed]
    pub async fn merge_vehicles(&self, from: i64, into: i64, by: &By) -> Result<(), StoreError> {
        other(from, into)?;
        self.transact(async |c| {
            claim_vehicle(c, from, None).await?;
            claim_vehicle(c, into, None).await?;
            let name: String = vehicle::table.find(from).select(vehicle::name).first(c).await?;
            let way = carry::Way { from, into };
            carry::maps(c, way).await?;
            let days: Vec<i64> =
                cell_day::table.filter(cell_day::vehicle_id.eq(from)).select(cell_day::id).load(c).await?;
            for day in &days {
                claim_day(c, *day, Touch::Measurements, Seen::Nothing).await?;
                move_day(c, *day, into).await?;
            }
            carry::words(c, way, by).await?;
            archive_one(c, Subject::Vehicle(from), by).await?;
            note_merged(c, Subject::Vehicle(from), into).await?;
            let said = format!("{} from {name}", days.len());
            keep(c, Subject::Vehicle(into), by, &[Change::new("days", "", said)]).await
        })
        .await
    }
}
