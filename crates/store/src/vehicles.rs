//! Vehicles, with their build states, map revisions and fuels by name.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::{build_state, cell_day, fuel, map_revision, map_use, pull_set, vehicle, vehicle_limit};
use chrono::NaiveDateTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::analysis::{Engine, Vehicle};
use jamjar_core::factors::Factors;
use jamjar_core::limits::{Limit, Severity};
use jamjar_core::pull::dyno::Dyno;
use jamjar_core::vehicle_sheet::VehicleSheet;

/// A vehicle to be stored.
#[derive(Debug, Clone, PartialEq)]
pub struct NewVehicle {
    /// Vehicle, engine and dyno.
    pub vehicle: Vehicle,
    /// Its limits.
    pub limits: Vec<Limit>,
    /// Its sheet.
    pub sheet: VehicleSheet,
    /// Belongs to the demo.
    pub demo: bool,
}

/// A stored vehicle.
#[derive(Debug, Clone, PartialEq)]
pub struct VehicleRecord {
    /// Id.
    pub id: i64,
    /// Vehicle, engine and dyno.
    pub vehicle: Vehicle,
    /// Its limits.
    pub limits: Vec<Limit>,
    /// Its sheet.
    pub sheet: VehicleSheet,
    /// Belongs to the demo.
    pub demo: bool,
    /// Counts the changes of what belongs to it.
    pub version: i64,
    /// Put away; lists leave it out.
    pub archived: bool,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = vehicle)]
struct Row {
    id: i64,
    name: String,
    engine: String,
    dyno: String,
    sheet: String,
    demo: bool,
    version: i64,
    archived_at: Option<NaiveDateTime>,
}

pub(crate) fn damaged(e: impl std::fmt::Display) -> StoreError {
    StoreError::Damaged(e.to_string())
}

/// Vehicle rows with their limits, validated again on the way out.
async fn records(c: &mut AsyncMysqlConnection, rows: Vec<Row>) -> Result<Vec<VehicleRecord>, StoreError> {
    let ids: Vec<i64> = rows.iter().map(|r| r.id).collect();
    let definitions: Vec<(i64, String)> = vehicle_limit::table
        .filter(vehicle_limit::vehicle_id.eq_any(ids))
        .order((vehicle_limit::vehicle_id, vehicle_limit::position))
        .select((vehicle_limit::vehicle_id, vehicle_limit::definition))
        .load(c)
        .await?;
    let limit = |d: &str| -> Result<Limit, StoreError> {
        let limit: Limit = serde_json::from_str(d).map_err(damaged)?;
        limit.validate().map_err(damaged)?;
        Ok(limit)
    };
    rows.into_iter()
        .map(|r| {
            let engine: Engine = serde_json::from_str(&r.engine).map_err(damaged)?;
            let dyno: Dyno = serde_json::from_str(&r.dyno).map_err(damaged)?;
            let limits: Result<Vec<Limit>, StoreError> =
                definitions.iter().filter(|(id, _)| *id == r.id).map(|(_, d)| limit(d)).collect();
            let sheet: VehicleSheet = serde_json::from_str(&r.sheet).map_err(damaged)?;
            let (gears, computed) = (sheet.as_gears(), sheet.computed.clone());
            Ok(VehicleRecord {
                id: r.id,
                vehicle: Vehicle { name: r.name, engine, dyno, gears, computed },
                limits: limits?,
                sheet,
                demo: r.demo,
                version: r.version,
                archived: r.archived_at.is_some(),
            })
        })
        .collect()
}

async fn record(c: &mut AsyncMysqlConnection, row: Row) -> Result<VehicleRecord, StoreError> {
    records(c, vec![row]).await?.pop().ok_or_else(|| damaged("a vehicle row was lost on the way"))
}

/// What of a limit stands in columns, and the whole of it.
type LimitValues = (
    diesel::dsl::Eq<vehicle_limit::channel, String>,
    diesel::dsl::Eq<vehicle_limit::severity, &'static str>,
    diesel::dsl::Eq<vehicle_limit::definition, String>,
);

pub(crate) fn limit_values(l: &Limit) -> Result<LimitValues, StoreError> {
    Ok((
        vehicle_limit::channel.eq(l.channel.as_str().to_owned()),
        vehicle_limit::severity.eq(if l.severity == Severity::Stop { "stop" } else { "caution" }),
        vehicle_limit::definition.eq(serde_json::to_string(l).map_err(damaged)?),
    ))
}

pub(crate) async fn insert_limit(
    c: &mut AsyncMysqlConnection,
    vehicle_id: i64,
    position: i32,
    l: &Limit,
) -> Result<(), StoreError> {
    diesel::insert_into(vehicle_limit::table)
        .values((
            vehicle_limit::vehicle_id.eq(vehicle_id),
            vehicle_limit::position.eq(position),
            vehicle_limit::name.eq(&l.id),
            limit_values(l)?,
        ))
        .execute(c)
        .await?;
    Ok(())
}

impl Store {
    /// The vehicle of a name, archived or not.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn vehicle_called(&self, name: &str) -> Result<Option<i64>, StoreError> {
        let mut c = self.conn().await?;
        Ok(vehicle::table
            .filter(vehicle::name.eq(name))
            .select(vehicle::id)
            .first(&mut c)
            .await
            .optional()?)
    }

    /// Names of all vehicles, archived ones too.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn vehicle_names(&self) -> Result<Vec<String>, StoreError> {
        let mut c = self.conn().await?;
        Ok(vehicle::table.order(vehicle::id).select(vehicle::name).load(&mut c).await?)
    }

    /// Adds a vehicle with its limits.
    ///
    /// # Errors
    /// [`StoreError::Duplicate`] when the name is taken.
    #[boxed]
    pub async fn add_vehicle(&self, new: &NewVehicle) -> Result<i64, StoreError> {
        let engine = serde_json::to_string(&new.vehicle.engine).map_err(damaged)?;
        let dyno = serde_json::to_string(&new.vehicle.dyno).map_err(damaged)?;
        let sheet = serde_json::to_string(&new.sheet).map_err(damaged)?;
        self.transact(async |c| {
            diesel::insert_into(vehicle::table)
                .values((
                    vehicle::name.eq(&new.vehicle.name),
                    vehicle::engine.eq(&engine),
                    vehicle::dyno.eq(&dyno),
                    vehicle::sheet.eq(&sheet),
                    vehicle::demo.eq(new.demo),
                ))
                .execute(c)
                .await?;
            let id = inserted(c).await?;
            for (position, l) in new.limits.iter().enumerate() {
                insert_limit(c, id, position as i32, l).await?;
            }
            Ok(id)
        })
        .await
    }

    /// Vehicles by name; archived ones are left out.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn vehicles(&self) -> Result<Vec<VehicleRecord>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<Row> = vehicle::table
            .filter(vehicle::archived_at.is_null())
            .order(vehicle::name)
            .select(Row::as_select())
            .load(&mut c)
            .await?;
        records(&mut c, rows).await
    }

    /// One vehicle.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    #[boxed]
    pub async fn vehicle(&self, id: i64) -> Result<VehicleRecord, StoreError> {
        let mut c = self.conn().await?;
        let row: Row = vehicle::table
            .find(id)
            .select(Row::as_select())
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("vehicle", id))?;
        record(&mut c, row).await
    }

    /// The vehicle of that name, if any.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn vehicle_named(&self, name: &str) -> Result<Option<VehicleRecord>, StoreError> {
        let mut c = self.conn().await?;
        let row: Option<Row> = vehicle::table
            .filter(vehicle::name.eq(name))
            .select(Row::as_select())
            .first(&mut c)
            .await
            .optional()?;
        match row {
            Some(r) => Ok(Some(record(&mut c, r).await?)),
            None => Ok(None),
        }
    }

    /// Names of a vehicle's maps and of all fuels, for suggestions.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn known_names(&self, vehicle_id: i64) -> Result<(Vec<String>, Vec<String>), StoreError> {
        let mut c = self.conn().await?;
        let lent = lent_to(&mut c, vehicle_id).await?;
        let maps = map_revision::table
            .filter(map_revision::vehicle_id.eq(vehicle_id).or(map_revision::id.eq_any(lent)))
            .order(map_revision::id)
            .select(map_revision::name)
            .load(&mut c)
            .await?;
        let fuels = fuel::table.order(fuel::id).select(fuel::name).load(&mut c).await?;
        Ok((maps, fuels))
    }
}

impl Store {
    /// Extras that sets of a vehicle were pulled with: the newest first, each once.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn known_extras(&self, vehicle_id: i64) -> Result<Vec<Factors>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<String> = pull_set::table
            .inner_join(cell_day::table)
            .filter(cell_day::vehicle_id.eq(vehicle_id).and(pull_set::extras.ne("{}")))
            .filter(pull_set::archived_at.is_null())
            .order(pull_set::id.desc())
            .limit(REMEMBERED_EXTRAS)
            .select(pull_set::extras)
            .load(&mut c)
            .await?;
        let mut out: Vec<Factors> = Vec::new();
        for row in rows {
            let extras: Factors = serde_json::from_str(&row).unwrap_or_default();
            if !extras.is_empty() && !out.contains(&extras) {
                out.push(extras);
            }
        }
        Ok(out)
    }
}

/// Newest sets whose extras are offered again.
const REMEMBERED_EXTRAS: i64 = 200;

/// A name that somebody else has just made is met again: the transaction runs once more and finds it.
fn met(e: StoreError) -> StoreError {
    if matches!(e, StoreError::Duplicate) { StoreError::Conflict } else { e }
}

/// Takes a vehicle for a change within the caller's transaction, and counts it.
///
/// # Errors
/// [`StoreError::NotFound`], or [`StoreError::Changed`] when it is no longer in the version that was `seen`.
pub(crate) async fn claim_vehicle(
    c: &mut AsyncMysqlConnection,
    id: i64,
    seen: Option<i64>,
) -> Result<(), StoreError> {
    let now: i64 = vehicle::table
        .find(id)
        .select(vehicle::version)
        .for_update()
        .first(c)
        .await
        .map_err(|e| StoreError::from(e).about("vehicle", id))?;
    if seen.is_some_and(|s| s != now) {
        return Err(StoreError::Changed { what: "the vehicle", now: None });
    }
    diesel::update(vehicle::table.find(id)).set(vehicle::version.eq(now + 1)).execute(c).await?;
    Ok(())
}

/// Id of a build state, made when it is new.
pub(crate) async fn build_named(
    c: &mut AsyncMysqlConnection,
    vehicle_id: i64,
    name: &str,
) -> Result<i64, StoreError> {
    let found = build_state::table
        .filter(build_state::vehicle_id.eq(vehicle_id).and(build_state::name.eq(name)))
        .select(build_state::id)
        .first(c)
        .await
        .optional()?;
    match found {
        Some(id) => Ok(id),
        None => {
            diesel::insert_into(build_state::table)
                .values((
                    build_state::vehicle_id.eq(vehicle_id),
                    build_state::name.eq(name),
                    build_state::note.eq(""),
                ))
                .execute(c)
                .await
                .map_err(|e| met(e.into()))?;
            inserted(c).await
        }
    }
}

/// Ids of the maps that serve a vehicle beside its own.
pub(crate) async fn lent_to(c: &mut AsyncMysqlConnection, vehicle_id: i64) -> Result<Vec<i64>, StoreError> {
    Ok(map_use::table.filter(map_use::vehicle_id.eq(vehicle_id)).select(map_use::map_id).load(c).await?)
}

/// Id of a map revision, made when it is new.
pub(crate) async fn map_named(
    c: &mut AsyncMysqlConnection,
    vehicle_id: i64,
    name: &str,
    kind: &str,
) -> Result<i64, StoreError> {
    let lent = lent_to(c, vehicle_id).await?;
    let found = map_revision::table
        .filter(map_revision::vehicle_id.eq(vehicle_id).or(map_revision::id.eq_any(lent)))
        .filter(map_revision::name.eq(name))
        // Its own before one that is lent to it.
        .order(map_revision::vehicle_id.ne(vehicle_id))
        .select(map_revision::id)
        .first(c)
        .await
        .optional()?;
    match found {
        Some(id) => Ok(id),
        None => {
            diesel::insert_into(map_revision::table)
                .values((
                    map_revision::vehicle_id.eq(vehicle_id),
                    map_revision::name.eq(name),
                    map_revision::kind.eq(kind),
                ))
                .execute(c)
                .await
                .map_err(|e| met(e.into()))?;
            inserted(c).await
        }
    }
}

/// Id of a fuel, made when it is new.
pub(crate) async fn fuel_named(c: &mut AsyncMysqlConnection, name: &str) -> Result<i64, StoreError> {
    let found = fuel::table.filter(fuel::name.eq(name)).select(fuel::id).first(c).await.optional()?;
    match found {
        Some(id) => Ok(id),
        None => {
            diesel::insert_into(fuel::table)
                .values(fuel::name.eq(name))
                .execute(c)
                .await
                .map_err(|e| met(e.into()))?;
            inserted(c).await
        }
    }
}
