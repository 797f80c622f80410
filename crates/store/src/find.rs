//! Rows for the index that finds pulls.

use crate::boxed;
use crate::db::{Conn, Store};
use crate::error::StoreError;
use crate::schema::{
    build_state, cell_day, day_note, fuel, map_revision, pull, pull_set, pull_summary, vehicle,
};
use crate::spark::Spark;
use chrono::{NaiveDate, NaiveDateTime};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::air::AirState;
use jamjar_core::computed::Computed;
use jamjar_core::find::{Note, Own, OwnChannel, Place, Record, Scope};
use jamjar_core::vehicle_sheet::VehicleSheet;
use std::collections::{BTreeMap, HashMap};

/// Names by id.
#[derive(Debug, Clone, Default)]
pub struct FindNames {
    vehicle: HashMap<i64, String>,
    described: Vec<(String, String)>,
    build: HashMap<i64, String>,
    map: HashMap<i64, (String, bool)>,
    fuel: HashMap<i64, (String, Option<f64>)>,
    computed: HashMap<i64, Vec<OwnChannel>>,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = pull)]
struct OfPull {
    id: i64,
    set_id: i64,
    position: i32,
    excluded_reason: Option<String>,
    archived_at: Option<NaiveDateTime>,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = pull_set)]
struct OfSet {
    day_id: i64,
    build_id: i64,
    map_id: i64,
    fuel_id: i64,
    boost: String,
    gear: String,
    archived_at: Option<NaiveDateTime>,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = cell_day)]
struct OfDay {
    on_date: NaiveDate,
    vehicle_id: i64,
    archived_at: Option<NaiveDateTime>,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = vehicle)]
struct OfVehicle {
    archived_at: Option<NaiveDateTime>,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = pull_summary)]
struct OfSummary {
    peak_power_kw: Option<f64>,
    peak_power_rpm: Option<f64>,
    peak_torque_nm: Option<f64>,
    air_temperature_c: Option<f64>,
    air_humidity: Option<f64>,
    air_pressure_hpa: Option<f64>,
    limit_used: Option<f64>,
    worst_limit: Option<String>,
    ended_by: Option<String>,
    alignment: String,
    flags: String,
    reached: Option<Vec<u8>>,
    own: Option<String>,
}

/// A pull as the index takes it, with names still as ids.
#[derive(Debug, Clone)]
pub struct PullRow(Row);

#[derive(Debug, Clone, Queryable, Selectable)]
struct Row {
    #[diesel(embed)]
    pull: OfPull,
    #[diesel(embed)]
    set: OfSet,
    #[diesel(embed)]
    day: OfDay,
    #[diesel(embed)]
    vehicle: OfVehicle,
    #[diesel(embed)]
    summary: OfSummary,
}

/// The pulls of a day and the notes on it.
#[derive(Debug, Clone, Default)]
pub struct FoundDay {
    /// Pulls.
    pub pulls: Vec<PullRow>,
    /// Notes of day, sets and pulls.
    pub notes: Vec<Note>,
}

impl PullRow {
    /// The record, with names; `None` when a name is not known yet.
    pub fn record<'a>(&'a self, n: &'a FindNames) -> Option<Record<'a>> {
        let Row { pull, set, day, vehicle: own, summary } = &self.0;
        let (fuel, ethanol) = n.fuel.get(&set.fuel_id)?;
        let (map, stock) = n.map.get(&set.map_id)?;
        let archived = [pull.archived_at, set.archived_at, day.archived_at, own.archived_at];
        let (vehicle, build) = (n.vehicle.get(&day.vehicle_id)?, n.build.get(&set.build_id)?);
        Some(Record {
            place: Place { pull: pull.id, set: pull.set_id, day: set.day_id },
            position: pull.position as u16,
            date: day.on_date,
            names: [vehicle, build, map, fuel, &set.boost, &set.gear],
            ethanol: *ethanol,
            power: summary.peak_power_kw.map(|p| (p, summary.peak_power_rpm.unwrap_or(f64::NAN))),
            torque_nm: summary.peak_torque_nm,
            air: AirState::whole([summary.air_temperature_c, summary.air_humidity, summary.air_pressure_hpa]),
            used: summary.limit_used,
            states: [
                summary.worst_limit.as_deref().unwrap_or(""),
                summary.ended_by.as_deref().unwrap_or(""),
                &summary.alignment,
            ],
            flags: summary.flags.split(',').filter(|f| !f.is_empty()).collect(),
            left_out: pull.excluded_reason.is_some(),
            reached: numbers(summary.reached.as_deref().unwrap_or_default()),
            own: n.own(day.vehicle_id, summary.own.as_deref()),
            stock: *stock,
            archived: archived.iter().any(Option::is_some),
        })
    }
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = vehicle)]
struct OfVehicleNamed {
    id: i64,
    name: String,
    sheet: String,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = map_revision)]
struct OfMap {
    id: i64,
    name: String,
    kind: String,
}

/// What a sheet says of a vehicle in words.
fn words_of(s: &VehicleSheet) -> String {
    [&s.model, &s.plate, &s.drive, &s.gearbox, &s.tyre, &s.quoted_at, &s.limits_it]
        .map(String::as_str)
        .join("; ")
}

fn own_channel(c: &Computed) -> OwnChannel {
    let words = c.name.label().to_lowercase();
    OwnChannel { name: c.name.as_str().to_owned(), words, unit: c.unit.clone() }
}

/// The numbers of a pull as they are stored; those that are not there were not logged.
fn numbers<const N: usize>(bytes: &[u8]) -> [f32; N] {
    let (all, _) = bytes.as_chunks::<4>();
    std::array::from_fn(|i| all.get(i).map_or(f32::NAN, |b| f32::from_le_bytes(*b)))
}

impl FindNames {
    /// Names of vehicles with what is said of each on its sheet.
    pub fn described(&self) -> &[(String, String)] {
        &self.described
    }

    /// Channels that vehicles compute, each name and unit once.
    pub fn computed(&self) -> Vec<OwnChannel> {
        let mut all: Vec<OwnChannel> = self.computed.values().flatten().cloned().collect();
        all.sort_unstable_by(|a, b| (&a.name, &a.unit).cmp(&(&b.name, &b.unit)));
        all.dedup();
        all
    }

    /// What the computed channels of a vehicle did over a pull, from the ends that are kept of it.
    fn own(&self, vehicle_id: i64, kept: Option<&str>) -> Vec<Own<'_>> {
        let (Some(computed), Some(kept)) = (self.computed.get(&vehicle_id), kept) else { return Vec::new() };
        let ends: HashMap<String, [Option<f32>; 2]> = serde_json::from_str(kept).unwrap_or_default();
        let of = |c: &'_ OwnChannel| ends.get(&c.name).map(|e| e.map(|v| v.unwrap_or(f32::NAN)));
        computed.iter().filter_map(|c| Some(Own { name: &c.name, unit: &c.unit, ends: of(c)? })).collect()
    }
}

impl Store {
    /// Names of vehicles, build states, maps and fuels.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn find_names(&self) -> Result<FindNames, StoreError> {
        #[derive(Queryable, Selectable)]
        #[diesel(table_name = fuel)]
        struct Named {
            id: i64,
            name: String,
            ethanol: Option<f64>,
        }
        let mut c = self.conn().await?;
        let fuels = fuel::table.select(Named::as_select()).load(&mut c).await?;
        let vehicles: Vec<OfVehicleNamed> =
            vehicle::table.select(OfVehicleNamed::as_select()).load(&mut c).await?;
        let maps: Vec<OfMap> = map_revision::table.select(OfMap::as_select()).load(&mut c).await?;
        let builds: Vec<(i64, String)> =
            build_state::table.select((build_state::id, build_state::name)).load(&mut c).await?;
        let read = |v: &OfVehicleNamed| serde_json::from_str::<VehicleSheet>(&v.sheet).unwrap_or_default();
        let sheets: Vec<VehicleSheet> = vehicles.iter().map(read).collect();
        Ok(FindNames {
            described: vehicles.iter().zip(&sheets).map(|(v, s)| (v.name.clone(), words_of(s))).collect(),
            computed: vehicles
                .iter()
                .zip(&sheets)
                .filter(|(_, s)| !s.computed.is_empty())
                .map(|(v, s)| (v.id, s.computed.iter().map(own_channel).collect()))
                .collect(),
            vehicle: vehicles.into_iter().map(|v| (v.id, v.name)).collect(),
            build: builds.into_iter().collect(),
            map: maps.into_iter().map(|m| (m.id, (m.name, m.kind == "stock"))).collect(),
            fuel: fuels.into_iter().map(|f| (f.id, (f.name, f.ethanol))).collect(),
        })
    }

    /// Ids of all days, ascending.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn day_ids(&self) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        Ok(cell_day::table.order(cell_day::id).select(cell_day::id).load(&mut c).await?)
    }

    /// Pulls and notes of some days. A day that is gone or has no pull is not among them.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn found_days(&self, days: &[i64]) -> Result<BTreeMap<i64, FoundDay>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<Row> = pull_set::table
            .inner_join(cell_day::table.inner_join(vehicle::table))
            .inner_join(pull::table.inner_join(pull_summary::table))
            .filter(pull_set::day_id.eq_any(days))
            .order((pull_set::day_id, pull_set::position, pull::position))
            .select(Row::as_select())
            .load(&mut c)
            .await?;
        let mut out: BTreeMap<i64, FoundDay> = BTreeMap::new();
        for row in rows {
            out.entry(row.set.day_id).or_default().pulls.push(PullRow(row));
        }
        for (day, note) in notes(&mut c, days).await? {
            if let Some(d) = out.get_mut(&day) {
                d.notes.push(note);
            }
        }
        Ok(out)
    }

    /// The small curves of some pulls.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn sparks(&self, pulls: &[i64]) -> Result<HashMap<i64, Spark>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(i64, Option<Vec<u8>>)> = pull_summary::table
            .filter(pull_summary::pull_id.eq_any(pulls))
            .select((pull_summary::pull_id, pull_summary::spark))
            .load(&mut c)
            .await?;
        Ok(rows.into_iter().filter_map(|(id, b)| Some((id, Spark::from_bytes(&b?)?))).collect())
    }
}

/// What was written about a set or a pull, and why it was left out.
#[derive(Queryable)]
struct Noted {
    day: i64,
    thing: i64,
    note: String,
    reason: Option<String>,
    by: Option<String>,
}

/// A note on the sheet of a day.
#[derive(Queryable, Selectable)]
#[diesel(table_name = day_note)]
struct OnSheet {
    day_id: i64,
    text: String,
    tag: String,
    written_by: String,
}

async fn notes(c: &mut Conn, days: &[i64]) -> Result<Vec<(i64, Note)>, StoreError> {
    let mut out = Vec::new();
    let mut add = |day, scope, text: String, tag: String, by: Option<String>| {
        if !text.is_empty() {
            out.push((day, Note { scope, text, tag, by: by.unwrap_or_default() }));
        }
    };
    let of_days: Vec<(i64, String)> = cell_day::table
        .filter(cell_day::id.eq_any(days))
        .filter(cell_day::note.ne(""))
        .select((cell_day::id, cell_day::note))
        .load(c)
        .await?;
    of_days.into_iter().for_each(|(day, text)| add(day, Scope::Day, text, String::new(), None));
    let sheet =
        day_note::table.filter(day_note::day_id.eq_any(days)).select(OnSheet::as_select()).load(c).await?;
    for n in sheet {
        add(n.day_id, Scope::Day, n.text, n.tag, Some(n.written_by));
    }
    let of_sets: Vec<Noted> = pull_set::table
        .filter(pull_set::day_id.eq_any(days))
        .filter(pull_set::archived_at.is_null())
        .filter(pull_set::note.ne("").or(pull_set::invalid_reason.is_not_null()))
        .select((
            pull_set::day_id,
            pull_set::id,
            pull_set::note,
            pull_set::invalid_reason,
            pull_set::invalid_by,
        ))
        .load(c)
        .await?;
    let of_pulls: Vec<Noted> = pull::table
        .inner_join(pull_set::table)
        .filter(pull_set::day_id.eq_any(days))
        .filter(pull::archived_at.is_null().and(pull_set::archived_at.is_null()))
        .filter(pull::note.ne("").or(pull::excluded_reason.is_not_null()))
        .select((pull_set::day_id, pull::id, pull::note, pull::excluded_reason, pull::excluded_by))
        .load(c)
        .await?;
    let sets = of_sets.into_iter().map(|n| (Scope::Set(n.thing), n));
    let pulls = of_pulls.into_iter().map(|n| (Scope::Pull(n.thing), n));
    for (scope, n) in sets.chain(pulls) {
        add(n.day, scope, n.note, String::new(), None);
        add(n.day, scope, n.reason.unwrap_or_default(), String::new(), n.by);
    }
    Ok(out)
}
