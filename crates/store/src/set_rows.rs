//! Sets as they are read: each with its day, cell, vehicle, map, fuel and build state.

use crate::boxed;
use crate::cells::calibrations;
use crate::configuration::Configuration;
use crate::error::StoreError;
use crate::right::FuelWords;
use crate::schema::{build_state, cell, cell_day, fuel, map_revision, pull_set, vehicle};
use chrono::{NaiveDate, NaiveDateTime};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::calculators::kind::FuelFacts;
use jamjar_core::factors::crossed::Crossing;
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

/// A stored set with its configuration.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Set {
    pub id: i64,
    pub day_id: i64,
    pub date: NaiveDate,
    /// The cell of its day; blank when nobody said.
    pub cell: String,
    /// When that cell's dyno was calibrated, newest first.
    pub calibrations: Vec<NaiveDate>,
    pub vehicle_id: i64,
    pub vehicle: String,
    pub position: i32,
    pub config: Configuration,
    /// Why the whole set is left out of figures, if it is.
    pub invalid: Option<String>,
    /// Fuels its map is meant for.
    pub map_fuel: Option<String>,
    /// What its map costs, in the shop's currency.
    pub map_price: Option<f64>,
    /// What is known of its fuel.
    pub fuel: FuelFacts,
    /// Put away; figures and lists leave it out.
    pub archived: bool,
    /// What was changed on its vehicle, on any day; empty where a set was asked for without its pulls.
    pub interventions: Vec<Crossing>,
}

/// A set as it stands in its own table.
#[derive(Queryable, Selectable)]
#[diesel(table_name = pull_set)]
struct Line {
    id: i64,
    day_id: i64,
    position: i32,
    build_id: i64,
    map_id: i64,
    fuel_id: i64,
    boost: String,
    gear: String,
    extras: String,
    note: String,
    invalid_reason: Option<String>,
    archived_at: Option<NaiveDateTime>,
}

/// The day of a set, with its vehicle and cell.
#[derive(Queryable)]
struct OfDay {
    id: i64,
    date: NaiveDate,
    cell: String,
    archived_at: Option<NaiveDateTime>,
    vehicle_id: i64,
    vehicle: String,
    vehicle_archived_at: Option<NaiveDateTime>,
    calibrated_on: Option<NaiveDate>,
    earlier_calibrations: Option<String>,
}

/// The map of a set.
#[derive(Queryable, Selectable)]
#[diesel(table_name = map_revision)]
struct OfMap {
    id: i64,
    name: String,
    kind: String,
    for_fuel: Option<String>,
    price: Option<f64>,
}

/// A set with the names of what it refers to.
pub(crate) struct Row {
    line: Line,
    day: Arc<OfDay>,
    map: Arc<OfMap>,
    fuel: Arc<FuelWords>,
    build: Arc<str>,
}

impl Row {
    /// The set itself is archived.
    pub(crate) fn is_archived(&self) -> bool {
        self.line.archived_at.is_some()
    }

    /// Neither the set nor its day or vehicle is archived.
    pub(crate) fn in_use(&self) -> bool {
        let day = &self.day;
        self.line.archived_at.is_none() && day.archived_at.is_none() && day.vehicle_archived_at.is_none()
    }
}

impl From<Row> for Set {
    fn from(r: Row) -> Self {
        let Row { line, day, map, fuel, build } = r;
        Self {
            id: line.id,
            day_id: line.day_id,
            date: day.date,
            cell: day.cell.clone(),
            calibrations: calibrations(
                day.calibrated_on,
                day.earlier_calibrations.as_deref().unwrap_or_default(),
            ),
            vehicle_id: day.vehicle_id,
            vehicle: day.vehicle.clone(),
            position: line.position,
            config: Configuration {
                build: build.to_string(),
                map: map.name.clone(),
                map_kind: map.kind.clone(),
                fuel: fuel.name.clone(),
                boost: line.boost,
                gear: line.gear,
                extras: serde_json::from_str(&line.extras).unwrap_or_default(),
                note: line.note,
            },
            invalid: line.invalid_reason,
            map_fuel: map.for_fuel.clone().filter(|f| !f.trim().is_empty()),
            map_price: map.price,
            fuel: fuel.facts(),
            archived: line.archived_at.is_some(),
            interventions: Vec::new(),
        }
    }
}

/// Ids that lines refer to, each once.
fn each(lines: &[Line], of: impl Fn(&Line) -> i64) -> Vec<i64> {
    lines.iter().map(of).collect::<BTreeSet<i64>>().into_iter().collect()
}

/// Sets of these ids, in their order; unknown ones are left out. What they refer to is asked for beside them, table by
/// table: every table more in one join costs the compiler seconds, a small question costs the database next to nothing.
#[boxed]
pub(crate) async fn rows(c: &mut AsyncMysqlConnection, ids: &[i64]) -> Result<Vec<Row>, StoreError> {
    let mut lines: Vec<Line> =
        pull_set::table.filter(pull_set::id.eq_any(ids)).select(Line::as_select()).load(c).await?;
    let place: HashMap<i64, usize> = ids.iter().enumerate().rev().map(|(i, id)| (*id, i)).collect();
    lines.sort_by_key(|l| place.get(&l.id).copied());
    let days: Vec<OfDay> = cell_day::table
        .inner_join(vehicle::table)
        .left_join(cell::table)
        .filter(cell_day::id.eq_any(each(&lines, |l| l.day_id)))
        .select((
            cell_day::id,
            cell_day::on_date,
            cell_day::place,
            cell_day::archived_at,
            vehicle::id,
            vehicle::name,
            vehicle::archived_at,
            cell::calibrated_on.nullable(),
            cell::earlier_calibrations.nullable(),
        ))
        .load(c)
        .await?;
    let maps: Vec<OfMap> = map_revision::table
        .filter(map_revision::id.eq_any(each(&lines, |l| l.map_id)))
        .select(OfMap::as_select())
        .load(c)
        .await?;
    let fuels: Vec<(i64, FuelWords)> = fuel::table
        .filter(fuel::id.eq_any(each(&lines, |l| l.fuel_id)))
        .select((fuel::id, FuelWords::as_select()))
        .load(c)
        .await?;
    let builds: Vec<(i64, String)> = build_state::table
        .filter(build_state::id.eq_any(each(&lines, |l| l.build_id)))
        .select((build_state::id, build_state::name))
        .load(c)
        .await?;
    let days: HashMap<i64, Arc<OfDay>> = days.into_iter().map(|d| (d.id, Arc::new(d))).collect();
    let maps: HashMap<i64, Arc<OfMap>> = maps.into_iter().map(|m| (m.id, Arc::new(m))).collect();
    let fuels: HashMap<i64, Arc<FuelWords>> = fuels.into_iter().map(|(id, f)| (id, Arc::new(f))).collect();
    let builds: HashMap<i64, Arc<str>> = builds.into_iter().map(|(id, b)| (id, b.into())).collect();
    // What went between two questions is gone with its set.
    let row = |line: Line| {
        Some(Row {
            day: days.get(&line.day_id)?.clone(),
            map: maps.get(&line.map_id)?.clone(),
            fuel: fuels.get(&line.fuel_id)?.clone(),
            build: builds.get(&line.build_id)?.clone(),
            line,
        })
    };
    Ok(lines.into_iter().filter_map(row).collect())
}

/// One of them.
pub(crate) async fn row(c: &mut AsyncMysqlConnection, id: i64) -> Result<Row, StoreError> {
    rows(c, &[id]).await?.pop().ok_or(StoreError::NotFound { what: "set", id })
}

/// Those of these ids that are in use.
pub(crate) async fn in_use(c: &mut AsyncMysqlConnection, ids: &[i64]) -> Result<Vec<Set>, StoreError> {
    Ok(rows(c, ids).await?.into_iter().filter(Row::in_use).map(Into::into).collect())
}
