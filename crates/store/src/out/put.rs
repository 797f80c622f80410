//! Reading a shop back: its rows under new ids, in one transaction.

use super::rows::{AboutRow, MapRow, MapUseRow, MergedRow, PrintRow, Shop};
use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::{
    attachment, audit, build_state, cell, cell_day, contact, day_air, day_fuel, day_note, flash, fuel,
    fuel_batch, inbox, intervention, ladder_word, line_up, map_revision, map_use, merged_id, plan_item, pull,
    pull_set, report, report_about, report_print, sample_block, shop_setting, sign_off, slip, source_mapping,
    tank_event, thread, thread_step, vehicle, vehicle_limit,
};
use crate::summaries::{PackedSummary, insert_summary};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_packed::BLOCK_VERSION;
use std::collections::HashMap;

/// New ids by old ones.
type Ids = HashMap<i64, i64>;

/// The new id of something the archive points at.
fn new(ids: &Ids, old: i64, what: &'static str) -> Result<i64, StoreError> {
    ids.get(&old)
        .copied()
        .ok_or_else(|| StoreError::Damaged(format!("the archive points at {what} {old}, which is not in it")))
}

/// Inserts rows one after the other under new ids; `$set` points each at what it belongs to.
macro_rules! insert_all {
    ($c:ident, $table:ident, $rows:expr, |$row:ident| $set:block) => {{
        let mut made = Ids::new();
        for row in $rows {
            let mut $row = row.clone();
            let old = $row.id.take();
            $set
            diesel::insert_into($table::table).values(&$row).execute($c).await?;
            if let Some(old) = old {
                made.insert(old, inserted($c).await?);
            }
        }
        made
    }};
}

impl Store {
    /// Stores what was taken out of a shop: all of it, or nothing. `files` are the ids of its files, which are in
    /// custody already, by their old ids; `summary` and `block` give what was measured of a pull and its samples,
    /// by its old id. Says the new ids of its vehicles.
    ///
    /// # Errors
    /// [`StoreError::Duplicate`] when a vehicle of the same name is here; [`StoreError::Damaged`] when the rows do
    /// not hold together; [`StoreError::Changed`] when a fuel of the same name is another one here.
    #[boxed]
    pub async fn put_back(
        &self,
        shop: &Shop,
        files: &HashMap<i64, i64>,
        summaries: &HashMap<i64, PackedSummary>,
        block: &(dyn Fn(i64) -> Result<Vec<u8>, StoreError> + Send + Sync),
    ) -> Result<Vec<i64>, StoreError> {
        self.transact(async |c| {
            none_is_here(c, shop).await?;
            let vehicles = insert_all!(c, vehicle, &shop.vehicles, |v| {
                let taken: i64 =
                    vehicle::table.filter(vehicle::name.eq(&v.name)).count().get_result(c).await?;
                if taken > 0 {
                    return Err(StoreError::Duplicate);
                }
            });
            insert_all!(c, vehicle_limit, &shop.limits, |l| {
                l.vehicle_id = new(&vehicles, l.vehicle_id, "vehicle")?;
            });
            let builds = insert_all!(c, build_state, &shop.builds, |b| {
                b.vehicle_id = new(&vehicles, b.vehicle_id, "vehicle")?;
            });
            let (here, made) = maps_here(c, shop).await?;
            let mut maps = insert_all!(c, map_revision, made, |m| {
                m.vehicle_id = new(&vehicles, m.vehicle_id, "vehicle")?;
                m.file_id = m.file_id.map(|f| new(files, f, "file")).transpose()?;
            });
            // A revision that is here already, made for another vehicle, serves this one too.
            for (old, (id, vehicle_id)) in &here {
                maps.insert(*old, *id);
                let serves = MapUseRow { map_id: *id, vehicle_id: new(&vehicles, *vehicle_id, "vehicle")? };
                diesel::insert_or_ignore_into(map_use::table).values(serves).execute(c).await?;
            }
            for u in &shop.map_uses {
                let own = shop.maps.iter().any(|m| m.id == Some(u.map_id) && m.vehicle_id == u.vehicle_id);
                if !own {
                    let serves = MapUseRow {
                        map_id: new(&maps, u.map_id, "map")?,
                        vehicle_id: new(&vehicles, u.vehicle_id, "vehicle")?,
                    };
                    diesel::insert_or_ignore_into(map_use::table).values(serves).execute(c).await?;
                }
            }
            for row in &shop.cells {
                // What is said of a cell here stays.
                let mut own = row.clone();
                own.id = None;
                diesel::insert_or_ignore_into(cell::table).values(&own).execute(c).await?;
            }
            let fuels = fuels_of(c, shop).await?;
            let days = insert_all!(c, cell_day, &shop.days, |d| {
                d.vehicle_id = new(&vehicles, d.vehicle_id, "vehicle")?;
            });
            for d in &shop.days {
                let cell = crate::cells::cell_named(c, &d.place).await?;
                let id = new(&days, d.id.unwrap_or_default(), "day")?;
                diesel::update(cell_day::table.find(id)).set(cell_day::cell_id.eq(cell)).execute(c).await?;
            }
            insert_all!(c, day_air, &shop.air, |a| {
                a.day_id = new(&days, a.day_id, "day")?;
            });
            insert_all!(c, intervention, &shop.interventions, |x| {
                x.day_id = new(&days, x.day_id, "day")?;
            });
            insert_all!(c, day_fuel, &shop.fuel_on_hand, |f| {
                f.day_id = new(&days, f.day_id, "day")?;
                f.fuel_id = new(&fuels, f.fuel_id, "fuel")?;
            });
            let batches = batches_of(c, shop, &fuels).await?;
            insert_all!(c, tank_event, &shop.poured, |p| {
                p.day_id = new(&days, p.day_id, "day")?;
                p.fuel_id = new(&fuels, p.fuel_id, "fuel")?;
                p.batch_id = p.batch_id.map(|b| new(&batches, b, "batch")).transpose()?;
            });
            insert_all!(c, flash, &shop.flashes, |f| {
                f.vehicle_id = new(&vehicles, f.vehicle_id, "vehicle")?;
                f.map_id = new(&maps, f.map_id, "map")?;
            });
            insert_all!(c, ladder_word, &shop.ladder_words, |w| {
                w.vehicle_id = new(&vehicles, w.vehicle_id, "vehicle")?;
            });
            insert_all!(c, slip, &shop.slips, |s| {
                s.vehicle_id = new(&vehicles, s.vehicle_id, "vehicle")?;
            });
            insert_all!(c, sign_off, &shop.sign_offs, |s| {
                s.vehicle_id = new(&vehicles, s.vehicle_id, "vehicle")?;
                s.map_id = new(&maps, s.map_id, "map")?;
                s.fuel_id = new(&fuels, s.fuel_id, "fuel")?;
            });
            insert_all!(c, contact, &shop.contacts, |k| {
                k.vehicle_id = new(&vehicles, k.vehicle_id, "vehicle")?;
            });
            let threads = insert_all!(c, thread, &shop.threads, |t| {
                t.vehicle_id = new(&vehicles, t.vehicle_id, "vehicle")?;
            });
            insert_all!(c, thread_step, &shop.thread_steps, |s| {
                s.thread_id = new(&threads, s.thread_id, "thread")?;
                s.map_id = s.map_id.map(|m| new(&maps, m, "map")).transpose()?;
            });
            reports_of(c, shop, &vehicles).await?;
            insert_all!(c, inbox, &shop.waiting, |w| {
                w.day_id = new(&days, w.day_id, "day")?;
                w.file_id = new(files, w.file_id, "file")?;
            });
            let sets = insert_all!(c, pull_set, &shop.sets, |s| {
                s.day_id = new(&days, s.day_id, "day")?;
                s.build_id = new(&builds, s.build_id, "build")?;
                s.map_id = new(&maps, s.map_id, "map")?;
                s.fuel_id = new(&fuels, s.fuel_id, "fuel")?;
            });
            let mut pulls = Ids::new();
            for row in &shop.pulls {
                let old = row.id.unwrap_or_default();
                let mut p = row.clone();
                p.id = None;
                p.set_id = new(&sets, p.set_id, "set")?;
                p.dyno_file_id = new(files, p.dyno_file_id, "file")?;
                p.ecu_file_id = p.ecu_file_id.map(|f| new(files, f, "file")).transpose()?;
                diesel::insert_into(pull::table).values(&p).execute(c).await?;
                let id = inserted(c).await?;
                diesel::insert_into(sample_block::table)
                    .values((
                        sample_block::pull_id.eq(id),
                        sample_block::version.eq(BLOCK_VERSION as i16),
                        sample_block::data.eq(block(old)?),
                    ))
                    .execute(c)
                    .await?;
                let summary = summaries
                    .get(&old)
                    .ok_or_else(|| StoreError::Damaged(format!("pull {old} was not measured")))?;
                insert_summary(c, id, summary).await?;
                pulls.insert(old, id);
            }
            let notes = insert_all!(c, day_note, &shop.notes, |n| {
                n.day_id = new(&days, n.day_id, "day")?;
                // A pull that is in no archive any more leaves the note to its day.
                n.pull_id = n.pull_id.and_then(|p| pulls.get(&p).copied());
            });
            insert_all!(c, attachment, &shop.attachments, |a| {
                let of = match a.kind.as_str() {
                    "vehicle" => &vehicles,
                    "day" => &days,
                    "note" => &notes,
                    "set" => &sets,
                    _ => &pulls,
                };
                a.thing = new(of, a.thing, "something attached")?;
                a.file_id = new(files, a.file_id, "file")?;
            });
            for m in &shop.merged {
                let of = match m.kind.as_str() {
                    "vehicle" => &vehicles,
                    "map" => &maps,
                    _ => &fuels,
                };
                let row = MergedRow { into_id: new(of, m.into_id, "something made one")?, ..m.clone() };
                diesel::insert_or_ignore_into(merged_id::table).values(&row).execute(c).await?;
            }
            insert_all!(c, audit, &shop.put_right, |t| {
                let of = match t.kind.as_str() {
                    "vehicle" => &vehicles,
                    "day" => &days,
                    "set" => &sets,
                    "pull" => &pulls,
                    "map" => &maps,
                    "build" => &builds,
                    _ => &fuels,
                };
                t.thing = new(of, t.thing, "something put right")?;
            });
            insert_all!(c, plan_item, &shop.plans, |p| {
                p.vehicle_id = new(&vehicles, p.vehicle_id, "vehicle")?;
            });
            insert_all!(c, line_up, &shop.line_ups, |l| {
                l.vehicle_id = new(&vehicles, l.vehicle_id, "vehicle")?;
                l.query = over(&l.query, &sets);
            });
            for s in &shop.sources {
                // What was learned here of a source stays.
                diesel::insert_or_ignore_into(source_mapping::table).values(s).execute(c).await?;
            }
            for s in &shop.settings {
                // And so does what was chosen here.
                diesel::insert_or_ignore_into(shop_setting::table).values(s).execute(c).await?;
            }
            Ok(shop.vehicles.iter().filter_map(|v| vehicles.get(&v.id?).copied()).collect())
        })
        .await
    }
}

/// Refuses what is here already under another name.
async fn none_is_here(c: &mut AsyncMysqlConnection, shop: &Shop) -> Result<(), StoreError> {
    for v in &shop.vehicles {
        let known: Option<String> = match &v.uid {
            Some(uid) => {
                let same = vehicle::table.filter(vehicle::uid.eq(uid)).select(vehicle::name);
                same.first(c).await.optional()?
            }
            None => None,
        };
        if let Some(name) = known.filter(|n| *n != v.name) {
            return Err(StoreError::Refused(format!("{} is here already, as {name}", v.name)));
        }
    }
    for part in shop.days.iter().filter_map(|d| d.uid.as_ref()).collect::<Vec<_>>().chunks(1000) {
        let known: Option<(NaiveDate, String)> = cell_day::table
            .inner_join(vehicle::table)
            .filter(cell_day::uid.eq_any(part.iter().copied()))
            .select((cell_day::on_date, vehicle::name))
            .first(c)
            .await
            .optional()?;
        if let Some((date, name)) = known.filter(|k| shop.vehicles.iter().all(|v| v.name != k.1)) {
            return Err(StoreError::Refused(format!("its day of {date} is here already, with {name}")));
        }
    }
    Ok(())
}

/// Maps of the archive that are here already, by their old ids, with the vehicle of the archive they serve; and
/// those that are not.
async fn maps_here<'a>(
    c: &mut AsyncMysqlConnection,
    shop: &'a Shop,
) -> Result<(HashMap<i64, (i64, i64)>, Vec<&'a MapRow>), StoreError> {
    let (mut here, mut made) = (HashMap::new(), Vec::new());
    for m in &shop.maps {
        let known: Option<i64> = match &m.uid {
            Some(uid) => {
                let same = map_revision::table.filter(map_revision::uid.eq(uid)).select(map_revision::id);
                same.first(c).await.optional()?
            }
            None => None,
        };
        match (known, m.id) {
            (Some(id), Some(old)) => {
                here.insert(old, (id, m.vehicle_id));
            }
            _ => made.push(m),
        }
    }
    Ok((here, made))
}

/// Fuels by their names, new where they are not here.
async fn fuels_of(c: &mut AsyncMysqlConnection, shop: &Shop) -> Result<Ids, StoreError> {
    let mut made = Ids::new();
    for f in &shop.fuels {
        let known: Option<(i64, Option<f64>)> = fuel::table
            .filter(fuel::name.eq(&f.name))
            .select((fuel::id, fuel::ethanol))
            .first(c)
            .await
            .optional()?;
        let id = match known {
            Some((id, ethanol)) if ethanol == f.ethanol => id,
            Some(_) => {
                let now = Some(format!("{} has another ethanol content here", f.name));
                return Err(StoreError::Changed { what: "a fuel of the archive", now });
            }
            None => {
                diesel::insert_into(fuel::table)
                    .values((
                        fuel::name.eq(&f.name),
                        fuel::ethanol.eq(f.ethanol),
                        fuel::uid.eq(&f.uid),
                        fuel::octane.eq(f.octane),
                        fuel::octane_scale.eq(&f.octane_scale),
                        fuel::price.eq(f.price),
                        fuel::kind.eq(&f.kind),
                        fuel::density_kg_l.eq(f.density_kg_l),
                        fuel::stoich_afr.eq(f.stoich_afr),
                        fuel::lhv_mj_kg.eq(f.lhv_mj_kg),
                    ))
                    .execute(c)
                    .await?;
                inserted(c).await?
            }
        };
        made.extend(f.id.map(|old| (old, id)));
    }
    Ok(made)
}

/// Deliveries of fuels, new where one of the same name and date is not here.
async fn batches_of(c: &mut AsyncMysqlConnection, shop: &Shop, fuels: &Ids) -> Result<Ids, StoreError> {
    let mut made = Ids::new();
    for row in &shop.batches {
        let mut own = row.clone();
        own.id = None;
        own.fuel_id = new(fuels, own.fuel_id, "fuel")?;
        let same_name: Vec<(i64, Option<NaiveDate>)> = fuel_batch::table
            .filter(fuel_batch::fuel_id.eq(own.fuel_id).and(fuel_batch::name.eq(&own.name)))
            .select((fuel_batch::id, fuel_batch::bought_on))
            .load(c)
            .await?;
        let id = match same_name.into_iter().find(|b| b.1 == own.bought_on).map(|b| b.0) {
            Some(id) => id,
            None => {
                diesel::insert_into(fuel_batch::table).values(&own).execute(c).await?;
                inserted(c).await?
            }
        };
        made.extend(row.id.map(|old| (old, id)));
    }
    Ok(made)
}

/// Reports under their own numbers, as they were issued; a vehicle that did not come along is not said of them.
async fn reports_of(c: &mut AsyncMysqlConnection, shop: &Shop, vehicles: &Ids) -> Result<(), StoreError> {
    for row in &shop.reports {
        let mut own = row.clone();
        own.id = None;
        own.vehicle_id = new(vehicles, own.vehicle_id, "vehicle")?;
        diesel::insert_into(report::table).values(&own).execute(c).await?;
        let id = inserted(c).await?;
        for p in shop.report_prints.iter().filter(|p| Some(p.report_id) == row.id) {
            let own = PrintRow { report_id: id, ..p.clone() };
            diesel::insert_into(report_print::table).values(&own).execute(c).await?;
        }
        let about = shop.reports_about.iter().filter(|a| Some(a.report_id) == row.id);
        for v in about.filter_map(|a| vehicles.get(&a.vehicle_id)) {
            diesel::insert_or_ignore_into(report_about::table)
                .values(AboutRow { report_id: id, vehicle_id: *v })
                .execute(c)
                .await?;
        }
    }
    Ok(())
}

/// The query of a line-up with the new numbers of its sets.
fn over(query: &str, sets: &Ids) -> String {
    let number = |n: &str| {
        n.parse().ok().and_then(|old: i64| sets.get(&old)).map_or_else(|| n.to_owned(), i64::to_string)
    };
    let numbers = |v: &str, by: &str| v.split(by).map(number).collect::<Vec<_>>().join(by);
    let part = |p: &str| match p.split_once('=') {
        Some((k @ ("sets" | "focus" | "base"), v)) if v.contains("%2C") => {
            format!("{k}={}", numbers(v, "%2C"))
        }
        Some((k @ ("sets" | "focus" | "base"), v)) => format!("{k}={}", numbers(v, ",")),
        _ => p.to_owned(),
    };
    query.split('&').map(part).collect::<Vec<_>>().join("&")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_up_is_one_of_the_same_sets_under_their_new_numbers() {
        let sets: Ids = [(3, 30), (4, 41)].into();
        assert_eq!(over("sets=4,3,9&view=power_at&at=4", &sets), "sets=41,30,9&view=power_at&at=4");
        assert_eq!(over("sets=3%2C4&focus=4", &sets), "sets=30%2C41&focus=41");
    }
}
