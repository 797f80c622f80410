//! What belongs to a vehicle: its sheet, build states, limits, and maps in custody.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::files::{hex, packed, receive};
use crate::right::{By, Change, Subject, keep, parts_changed};
use crate::schema::{build_state, cell_day, map_revision, pull, pull_set, raw_file, vehicle, vehicle_limit};
use crate::vehicles::{claim_vehicle, damaged, insert_limit, limit_values, map_named};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::limits::Limit;
use jamjar_core::maps::lineage::circle;
use jamjar_core::vehicle_sheet::VehicleSheet;
use std::collections::HashMap;
use std::io::Read;

/// A build state with what was pulled in it.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct BuildState {
    pub id: i64,
    pub name: String,
    pub since: Option<NaiveDate>,
    /// What changed.
    pub changed: String,
    pub sets: i64,
}

/// A map of a vehicle and where its file is.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct MapRecord {
    pub id: i64,
    pub name: String,
    pub kind: String,
    pub parent: Option<String>,
    pub for_fuel: Option<String>,
    pub note: String,
    /// What it costs, in the shop's currency.
    pub price: Option<f64>,
    /// When it is in custody.
    pub file: Option<HeldFile>,
    /// Sets of the vehicle asked for.
    pub sets: i64,
    /// Made for another vehicle.
    pub lent: bool,
}

/// A map file in custody.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct HeldFile {
    pub id: i64,
    pub sha256: String,
    pub name: String,
}

impl HeldFile {
    /// The hash's first digits, as pages show it.
    pub fn begin(&self) -> &str {
        &self.sha256[..12.min(self.sha256.len())]
    }
}

/// A map file to be taken into custody.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct NewMap {
    pub name: String,
    pub kind: String,
    pub parent: Option<String>,
    pub for_fuel: Option<String>,
    pub note: String,
    pub file_name: String,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = build_state)]
struct Build {
    id: i64,
    name: String,
    since: Option<NaiveDate>,
    note: String,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = map_revision)]
struct Revision {
    id: i64,
    name: String,
    kind: String,
    parent: Option<String>,
    for_fuel: Option<String>,
    note: String,
    price: Option<f64>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = raw_file)]
struct Held {
    id: i64,
    sha256: Vec<u8>,
    name: String,
}

#[derive(Queryable, Selectable)]
struct MapRow {
    #[diesel(embed)]
    map: Revision,
    #[diesel(embed)]
    file: Option<Held>,
}

/// What is put in the place of a vehicle's limits, and what is gone.
fn limits_changed(
    was: &HashMap<String, String>,
    put: &[Limit],
    gone: &[String],
) -> Result<Vec<Change>, StoreError> {
    let mut out: Vec<Change> =
        gone.iter().filter_map(|id| Some(Change::new(format!("limit {id}"), was.get(id)?, ""))).collect();
    for l in put {
        let now = serde_json::to_string(l).map_err(damaged)?;
        out.push(Change::new(format!("limit {}", l.id), was.get(&l.id).cloned().unwrap_or_default(), now));
    }
    Ok(out)
}

/// Refuses a map that would come to descend from itself.
pub(crate) async fn refuse_circle(
    c: &mut AsyncMysqlConnection,
    vehicle_id: i64,
    (id, name): (i64, &str),
    parent: &str,
) -> Result<(), StoreError> {
    let others: Vec<(String, Option<String>)> = map_revision::table
        .filter(map_revision::vehicle_id.eq(vehicle_id).and(map_revision::id.ne(id)))
        .filter(map_revision::archived_at.is_null())
        .select((map_revision::name, map_revision::parent))
        .load(c)
        .await?;
    let others: Vec<(&str, Option<&str>)> = others.iter().map(|(n, p)| (n.as_str(), p.as_deref())).collect();
    match circle(&others, name, parent) {
        Some(way) => Err(StoreError::Refused(format!(
            "a map cannot descend from itself: {}",
            way.join(" was made from ")
        ))),
        None => Ok(()),
    }
}

impl Store {
    /// Replaces the sheet of a vehicle that was last looked at in a version; without one, whatever it is now.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when the vehicle is no longer in that version.
    #[boxed]
    pub async fn set_sheet(
        &self,
        vehicle_id: i64,
        sheet: &VehicleSheet,
        seen: Option<i64>,
        by: &By,
    ) -> Result<(), StoreError> {
        let json = serde_json::to_string(sheet).map_err(damaged)?;
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, seen).await?;
            let was: String = vehicle::table.find(vehicle_id).select(vehicle::sheet).first(c).await?;
            let was: VehicleSheet = serde_json::from_str(&was).unwrap_or_default();
            diesel::update(vehicle::table.find(vehicle_id)).set(vehicle::sheet.eq(&json)).execute(c).await?;
            keep(c, Subject::Vehicle(vehicle_id), by, &parts_changed(&was, sheet)?).await
        })
        .await
    }

    /// Changes a vehicle's limits row by row: each of `put` replaces the one of its id or comes behind the
    /// others, those named in `gone` go. Limits that are named in neither stay as they are, whoever else
    /// changes them.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when the vehicle is no longer in the version that was seen; then the old ones
    /// stand.
    #[boxed]
    pub async fn change_limits(
        &self,
        vehicle_id: i64,
        seen: Option<i64>,
        put: &[Limit],
        gone: &[String],
        by: &By,
    ) -> Result<(), StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, seen).await?;
            let own = vehicle_limit::table.filter(vehicle_limit::vehicle_id.eq(vehicle_id));
            let was: HashMap<String, String> = own
                .select((vehicle_limit::name, vehicle_limit::definition))
                .load::<(String, String)>(c)
                .await?
                .into_iter()
                .collect();
            keep(c, Subject::Vehicle(vehicle_id), by, &limits_changed(&was, put, gone)?).await?;
            diesel::delete(
                vehicle_limit::table
                    .filter(vehicle_limit::vehicle_id.eq(vehicle_id).and(vehicle_limit::name.eq_any(gone))),
            )
            .execute(c)
            .await?;
            let mut last: i32 = own
                .select(diesel::dsl::max(vehicle_limit::position))
                .first::<Option<i32>>(c)
                .await?
                .unwrap_or(-1);
            for l in put {
                let held: Option<i64> = own
                    .filter(vehicle_limit::name.eq(&l.id))
                    .select(vehicle_limit::id)
                    .first(c)
                    .await
                    .optional()?;
                match held {
                    Some(id) => {
                        diesel::update(vehicle_limit::table.find(id))
                            .set(limit_values(l)?)
                            .execute(c)
                            .await?;
                    }
                    None => {
                        last += 1;
                        insert_limit(c, vehicle_id, last, l).await?;
                    }
                }
            }
            Ok(())
        })
        .await
    }

    /// Build states of a vehicle, oldest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn builds(&self, vehicle_id: i64) -> Result<Vec<BuildState>, StoreError> {
        let mut c = self.conn().await?;
        let rows = build_state::table
            .filter(build_state::vehicle_id.eq(vehicle_id))
            .order((build_state::since, build_state::id))
            .select(Build::as_select())
            .load(&mut c)
            .await?;
        let counts: Vec<(i64, i64)> = pull_set::table
            .filter(pull_set::build_id.eq_any(rows.iter().map(|r| r.id).collect::<Vec<_>>()))
            .group_by(pull_set::build_id)
            .select((pull_set::build_id, diesel::dsl::count_star()))
            .load(&mut c)
            .await?;
        let sets = |id| counts.iter().find(|c| c.0 == id).map_or(0, |c| c.1);
        Ok(rows
            .into_iter()
            .map(|r| BuildState { sets: sets(r.id), id: r.id, name: r.name, since: r.since, changed: r.note })
            .collect())
    }

    /// Adds a build state, or says more of one that is there.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn put_build(
        &self,
        vehicle_id: i64,
        name: &str,
        since: Option<NaiveDate>,
        changed: &str,
    ) -> Result<i64, StoreError> {
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let id = crate::vehicles::build_named(c, vehicle_id, name).await?;
            diesel::update(build_state::table.find(id))
                .set((build_state::since.eq(since), build_state::note.eq(changed)))
                .execute(c)
                .await?;
            Ok(id)
        })
        .await
    }

    /// Maps of a vehicle in the order they came; archived ones are left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn maps(&self, vehicle_id: i64) -> Result<Vec<MapRecord>, StoreError> {
        let mut c = self.conn().await?;
        let lent = crate::vehicles::lent_to(&mut c, vehicle_id).await?;
        let rows = map_revision::table
            .left_join(raw_file::table)
            .filter(map_revision::vehicle_id.eq(vehicle_id).or(map_revision::id.eq_any(&lent)))
            .filter(map_revision::archived_at.is_null())
            .order(map_revision::id)
            .select(MapRow::as_select())
            .load(&mut c)
            .await?;
        let counts: Vec<(i64, i64)> = pull_set::table
            .inner_join(cell_day::table)
            .filter(pull_set::map_id.eq_any(rows.iter().map(|r| r.map.id).collect::<Vec<_>>()))
            .filter(cell_day::vehicle_id.eq(vehicle_id))
            .group_by(pull_set::map_id)
            .select((pull_set::map_id, diesel::dsl::count_star()))
            .load(&mut c)
            .await?;
        let sets = |id| counts.iter().find(|c| c.0 == id).map_or(0, |c| c.1);
        Ok(rows
            .into_iter()
            .map(|MapRow { map, file }| MapRecord {
                sets: sets(map.id),
                lent: lent.contains(&map.id),
                id: map.id,
                name: map.name,
                kind: map.kind,
                parent: map.parent,
                for_fuel: map.for_fuel,
                note: map.note,
                price: map.price,
                file: file.map(|f| HeldFile { id: f.id, sha256: hex(&f.sha256), name: f.name }),
            })
            .collect())
    }

    /// Takes a map file into custody and ties it to the map of that name, which is made when it is new.
    ///
    /// # Errors
    /// [`StoreError::Duplicate`] when the map already has another file: a file is never replaced, a changed
    /// one is a new revision.
    #[boxed]
    pub async fn put_map(
        &self,
        vehicle_id: i64,
        new: &NewMap,
        file: impl Read + Send + 'static,
    ) -> Result<i64, StoreError> {
        let (sha, chunks, size) = packed(file).await?;
        self.transact(async |c| {
            claim_vehicle(c, vehicle_id, None).await?;
            let id = map_named(c, vehicle_id, &new.name, &new.kind).await?;
            let held: Option<i64> =
                map_revision::table.find(id).select(map_revision::file_id).first(c).await?;
            let file = receive(c, &new.file_name, &sha, &chunks, size).await?;
            if held.is_some_and(|h| h != file.id) {
                return Err(StoreError::Duplicate);
            }
            // What a person said of the map stays where its file says nothing.
            let was: Revision = map_revision::table.find(id).select(Revision::as_select()).first(c).await?;
            let kind = if new.kind == "unknown" { &was.kind } else { &new.kind };
            let parent = new.parent.as_ref().or(was.parent.as_ref());
            if let Some(parent) = parent {
                refuse_circle(c, vehicle_id, (id, &new.name), parent).await?;
            }
            diesel::update(map_revision::table.find(id))
                .set((
                    map_revision::kind.eq(kind),
                    map_revision::parent.eq(parent),
                    map_revision::for_fuel.eq(new.for_fuel.as_ref().or(was.for_fuel.as_ref())),
                    map_revision::note.eq(if new.note.is_empty() { &was.note } else { &new.note }),
                    map_revision::file_id.eq(file.id),
                ))
                .execute(c)
                .await?;
            Ok(id)
        })
        .await
    }

    /// Gives a map that has just been made the lasting id it has in another shop.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses, also an id that is here already.
    #[boxed]
    pub async fn keep_map_id(&self, map_id: i64, uid: &str) -> Result<(), StoreError> {
        self.transact(async |c| {
            diesel::update(map_revision::table.find(map_id))
                .set(map_revision::uid.eq(uid))
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }

    /// The map files of some sets, by set; those whose file is not in custody are not there.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn files_of_sets(&self, sets: &[i64]) -> Result<HashMap<i64, HeldFile>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, Held)> = pull_set::table
            .inner_join(map_revision::table.inner_join(raw_file::table))
            .filter(pull_set::id.eq_any(sets))
            .select((pull_set::id, Held::as_select()))
            .load(&mut c)
            .await?;
        let held = |h: Held| HeldFile { id: h.id, sha256: hex(&h.sha256), name: h.name };
        Ok(rows.into_iter().map(|(set, h)| (set, held(h))).collect())
    }

    /// Sets or clears what a map of a vehicle costs; false when the vehicle has no such map.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn set_map_price(
        &self,
        vehicle_id: i64,
        map_id: i64,
        price: Option<f64>,
    ) -> Result<bool, StoreError> {
        self.transact(async |c| {
            let map = map_revision::table
                .filter(map_revision::id.eq(map_id).and(map_revision::vehicle_id.eq(vehicle_id)));
            if map.count().get_result::<i64>(c).await? == 0 {
                return Ok(false);
            }
            claim_vehicle(c, vehicle_id, None).await?;
            diesel::update(map_revision::table.find(map_id))
                .set(map_revision::price.eq(price))
                .execute(c)
                .await?;
            Ok(true)
        })
        .await
    }

    /// How many sets and pulls a vehicle has.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn vehicle_counts(&self, vehicle_id: i64) -> Result<(i64, i64), StoreError> {
        let mut c = self.conn().await?;
        let sets = pull_set::table
            .inner_join(cell_day::table)
            .filter(cell_day::vehicle_id.eq(vehicle_id))
            .count()
            .get_result(&mut c)
            .await?;
        let pulls = pull::table
            .inner_join(pull_set::table.inner_join(cell_day::table))
            .filter(cell_day::vehicle_id.eq(vehicle_id))
            .count()
            .get_result(&mut c)
            .await?;
        Ok((sets, pulls))
    }

    /// Sets the ethanol of a fuel, making the fuel when it is new.
    ///
    /// # Errors
    /// [`StoreError::Check`] outside 0–1.
    #[boxed]
    pub async fn put_fuel(&self, name: &str, ethanol: Option<f64>) -> Result<i64, StoreError> {
        self.transact(async |c| {
            let id = crate::vehicles::fuel_named(c, name).await?;
            if ethanol.is_some() {
                diesel::update(crate::schema::fuel::table.find(id))
                    .set(crate::schema::fuel::ethanol.eq(ethanol))
                    .execute(c)
                    .await?;
            }
            Ok(id)
        })
        .await
    }

    /// Names of all sheets' vehicles that belong to the demo.
    pub(crate) async fn demo_vehicles(
        c: &mut diesel_async::AsyncMysqlConnection,
    ) -> Result<Vec<i64>, StoreError> {
        Ok(vehicle::table.filter(vehicle::demo.eq(true)).select(vehicle::id).load(c).await?)
    }

    /// Adds a bare vehicle row for bulk data.
    pub(crate) async fn bulk_vehicle(
        c: &mut diesel_async::AsyncMysqlConnection,
        name: &str,
        like: i64,
    ) -> Result<i64, StoreError> {
        let (engine, dyno): (String, String) =
            vehicle::table.find(like).select((vehicle::engine, vehicle::dyno)).first(c).await?;
        diesel::insert_into(vehicle::table)
            .values((
                vehicle::name.eq(name),
                vehicle::engine.eq(engine),
                vehicle::dyno.eq(dyno),
                vehicle::sheet.eq("{}"),
                vehicle::demo.eq(true),
            ))
            .execute(c)
            .await?;
        inserted(c).await
    }
}
