//! Which air a pull was made in: its own reading, the day's nearest, or the day's only one.

use crate::error::WorkflowError;
use chrono::NaiveTime;
use jamjar_core::air::AirState;
use jamjar_store::{AirOfDay, Pull, Store};
use std::collections::HashMap;

/// The air of a day.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct DayAir {
    pub(crate) whole: Option<AirState>,
    readings: Vec<(NaiveTime, AirState)>,
}

impl DayAir {
    pub(crate) async fn of_day(store: &Store, day: i64) -> Result<Self, WorkflowError> {
        Ok(Self::of_days(store, &[day]).await?.remove(&day).unwrap_or_default())
    }

    /// The air of several days.
    pub(crate) async fn of_days(store: &Store, days: &[i64]) -> Result<HashMap<i64, Self>, WorkflowError> {
        let all = store.air_of_days(days).await?;
        Ok(all.into_iter().map(|(id, AirOfDay { whole, readings })| (id, Self { whole, readings })).collect())
    }

    /// Puts a reading beside the others, in the place of one of the same time. The first of a day without air
    /// is the day's own.
    pub(crate) fn add(&mut self, at: NaiveTime, air: AirState) {
        self.readings.retain(|r| r.0 != at);
        self.readings.push((at, air));
        self.readings.sort_by_key(|r| r.0);
        self.whole = self.whole.or(Some(air));
    }

    /// Air of a pull: its own, else by the time it began.
    pub(crate) fn of(&self, pull: &Pull) -> Option<AirState> {
        pull.air.or_else(|| self.at(pull.started_at))
    }

    /// Air at a time: the reading nearest to it; without a time or readings, the day's.
    pub(crate) fn at(&self, time: Option<NaiveTime>) -> Option<AirState> {
        let near = |t: NaiveTime| {
            self.readings.iter().min_by_key(|(at, _)| (*at - t).num_seconds().abs()).map(|r| r.1)
        };
        time.and_then(near).or(self.whole).or_else(|| self.readings.first().map(|r| r.1))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_reading_counts_and_the_days_own_without_a_time() {
        let a = |t: f64| AirState { temperature_c: t, humidity: 0.5, pressure_hpa: 1000.0 };
        let at = |h, m| NaiveTime::from_hms_opt(h, m, 0).unwrap();
        let day = DayAir { whole: Some(a(20.0)), readings: vec![(at(9, 0), a(21.0)), (at(15, 0), a(27.0))] };
        for (time, want) in
            [(None, 20.0), (Some(at(10, 0)), 21.0), (Some(at(12, 1)), 27.0), (Some(at(23, 0)), 27.0)]
        {
            assert!((day.at(time).unwrap().temperature_c - want).abs() < 1e-12, "{time:?}");
        }
        let first = DayAir { whole: None, ..day }.at(None).unwrap().temperature_c;
        assert!((first - 21.0).abs() < 1e-12, "{first}");
        assert!(DayAir::default().at(Some(at(9, 0))).is_none());
    }
}
