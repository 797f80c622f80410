//! The air of days as rows: a day's own, and readings at a time.

use crate::error::StoreError;
use crate::schema::{cell_day, day_air};
use chrono::NaiveTime;
use diesel::dsl::Eq;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::air::AirState;

/// The air of a whole day, to be stored.
type OwnAir = (
    Eq<cell_day::temperature_c, Option<f64>>,
    Eq<cell_day::humidity, Option<f64>>,
    Eq<cell_day::pressure_hpa, Option<f64>>,
);

/// The columns of a day's own air.
pub(crate) fn own_air(air: Option<AirState>) -> OwnAir {
    (
        cell_day::temperature_c.eq(air.map(|a| a.temperature_c)),
        cell_day::humidity.eq(air.map(|a| a.humidity)),
        cell_day::pressure_hpa.eq(air.map(|a| a.pressure_hpa)),
    )
}

/// Air as the trail says it.
pub(crate) fn air_text(air: Option<AirState>) -> String {
    air.map_or_else(String::new, |a| {
        format!("{:.1} °C, {:.0} %, {:.1} hPa", a.temperature_c, 100.0 * a.humidity, a.pressure_hpa)
    })
}

/// A reading on a sheet.
#[derive(Queryable, Selectable, Insertable)]
#[diesel(table_name = day_air)]
pub(crate) struct Reading {
    pub(crate) day_id: i64,
    pub(crate) at_time: NaiveTime,
    temperature_c: f64,
    humidity: f64,
    pressure_hpa: f64,
}

impl Reading {
    pub(crate) fn air(&self) -> Option<AirState> {
        AirState::new(self.temperature_c, self.humidity, self.pressure_hpa).ok()
    }
}

/// Readings of the air, in order of day and time.
pub(crate) async fn air_readings(
    c: &mut AsyncMysqlConnection,
    days: &[i64],
) -> Result<Vec<Reading>, StoreError> {
    let rows = day_air::table
        .filter(day_air::day_id.eq_any(days))
        .order((day_air::day_id, day_air::at_time))
        .select(Reading::as_select());
    Ok(rows.load(c).await?)
}

/// Writes the readings of other sheets of the same cell and date on a new one; says the first of them.
pub(crate) async fn share_air(
    c: &mut AsyncMysqlConnection,
    beside: &[i64],
    day_id: i64,
) -> Result<Option<AirState>, StoreError> {
    let mut readings = air_readings(c, beside).await?;
    readings.sort_by_key(|r| r.at_time);
    readings.dedup_by_key(|r| r.at_time);
    readings.iter_mut().for_each(|r| r.day_id = day_id);
    if !readings.is_empty() {
        diesel::insert_into(day_air::table).values(&readings).execute(c).await?;
    }
    Ok(readings.iter().find_map(Reading::air))
}
