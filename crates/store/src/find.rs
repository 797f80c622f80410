//! Rows for the index that finds pulls.

use crate::boxed;
use crate::db::{Conn, Store};
use crate::error::StoreError;
use crate::schema::{
    build_state, cell_day, day_note, fuel, map_revision, pull, pull_set, pull_summary, vehicle,
};
use crate::spark::Spark;
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::air::AirState;
use jamjar_core::find::{Note, Place, Record, Scope};
use std::collections::{BTreeMap, HashMap};

/// Names by id.
#[derive(Debug, Clone, Default)]
pub struct FindNames {
    vehicle: HashMap<i64, String>,
    build: HashMap<i64, String>,
    map: HashMap<i64, String>,
    fuel: HashMap<i64, (String, Option<f64>)>,
}

type Ids = (i64, i64, i64, i32, NaiveDate, i64, i64, i64, i64, String, String);
type Numbers = (Option<f64>, Option<f64>, Option<f64>, Option<f64>, Option<f64>, Option<f64>, Option<f64>);
type Words = (Option<String>, Option<String>, String, String, Option<String>);

/// A pull as the index takes it, with names still as ids.
#[derive(Debug, Clone)]
pub struct PullRow {
    ids: Ids,
    numbers: Numbers,
    words: Words,
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
        let (pull, set, day, position, date, vehicle, build, map, fuel, boost, gear) = &self.ids;
        let (power, rpm, torque_nm, t, h, p, used) = self.numbers;
        let (limit, ended, aligned, flags, excluded) = &self.words;
        let (fuel, ethanol) = n.fuel.get(fuel)?;
        Some(Record {
            place: Place { pull: *pull, set: *set, day: *day },
            position: *position as u16,
            date: *date,
            names: [n.vehicle.get(vehicle)?, n.build.get(build)?, n.map.get(map)?, fuel, boost, gear],
            ethanol: *ethanol,
            power: power.zip(rpm),
            torque_nm,
            air: t.zip(h).zip(p).and_then(|((t, h), p)| AirState::new(t, h, p).ok()),
            used,
            states: [limit.as_deref().unwrap_or(""), ended.as_deref().unwrap_or(""), aligned],
            flags: flags.split(',').filter(|f| !f.is_empty()).collect(),
            left_out: excluded.is_some(),
        })
    }
}

impl Store {
    /// Names of vehicles, build states, maps and fuels.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn find_names(&self) -> Result<FindNames, StoreError> {
        let mut c = self.conn().await?;
        let fuels: Vec<(i64, String, Option<f64>)> =
            fuel::table.select((fuel::id, fuel::name, fuel::ethanol)).load(&mut c).await?;
        Ok(FindNames {
            vehicle: vehicle::table
                .select((vehicle::id, vehicle::name))
                .load(&mut c)
                .await?
                .into_iter()
                .collect(),
            build: build_state::table
                .select((build_state::id, build_state::name))
                .load(&mut c)
                .await?
                .into_iter()
                .collect(),
            map: map_revision::table
                .select((map_revision::id, map_revision::name))
                .load(&mut c)
                .await?
                .into_iter()
                .collect(),
            fuel: fuels.into_iter().map(|(id, name, e)| (id, (name, e))).collect(),
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
        let rows: Vec<(Ids, Numbers, Words)> = pull_set::table
            .inner_join(cell_day::table)
            .inner_join(pull::table.inner_join(pull_summary::table))
            .filter(pull_set::day_id.eq_any(days))
            .order((pull_set::day_id, pull_set::position, pull::position))
            .select((
                (
                    pull::id,
                    pull::set_id,
                    pull_set::day_id,
                    pull::position,
                    cell_day::on_date,
                    cell_day::vehicle_id,
                    pull_set::build_id,
                    pull_set::map_id,
                    pull_set::fuel_id,
                    pull_set::boost,
                    pull_set::gear,
                ),
                (
                    pull_summary::peak_power_kw,
                    pull_summary::peak_power_rpm,
                    pull_summary::peak_torque_nm,
                    pull_summary::air_temperature_c,
                    pull_summary::air_humidity,
                    pull_summary::air_pressure_hpa,
                    pull_summary::limit_used,
                ),
                (
                    pull_summary::worst_limit,
                    pull_summary::ended_by,
                    pull_summary::alignment,
                    pull_summary::flags,
                    pull::excluded_reason,
                ),
            ))
            .load(&mut c)
            .await?;
        let mut out: BTreeMap<i64, FoundDay> = BTreeMap::new();
        for (ids, numbers, words) in rows {
            out.entry(ids.2).or_default().pulls.push(PullRow { ids, numbers, words });
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

/// Day, set or pull, note, reason for leaving out and by whom.
type Noted = (i64, i64, String, Option<String>, Option<String>);

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
    let sheet: Vec<(i64, String, String, String)> = day_note::table
        .filter(day_note::day_id.eq_any(days))
        .select((day_note::day_id, day_note::text, day_note::tag, day_note::written_by))
        .load(c)
        .await?;
    sheet.into_iter().for_each(|(day, text, tag, by)| add(day, Scope::Day, text, tag, Some(by)));
    let of_sets: Vec<Noted> = pull_set::table
        .filter(pull_set::day_id.eq_any(days))
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
        .filter(pull::note.ne("").or(pull::excluded_reason.is_not_null()))
        .select((pull_set::day_id, pull::id, pull::note, pull::excluded_reason, pull::excluded_by))
        .load(c)
        .await?;
    let sets = of_sets.into_iter().map(|n| (Scope::Set(n.1), n));
    for (scope, (day, _, text, reason, by)) in sets.chain(of_pulls.into_iter().map(|n| (Scope::Pull(n.1), n)))
    {
        add(day, scope, text, String::new(), None);
        add(day, scope, reason.unwrap_or_default(), String::new(), by);
    }
    Ok(out)
}
