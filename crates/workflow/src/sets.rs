//! Sets read for a page: their pulls measured as the vehicle's limits and this program have it, their
//! figures, and what stands out among them.

use crate::band::usual_band;
use crate::error::WorkflowError;
use crate::input::input_of;
use crate::remeasure::remade;
use jamjar_core::analysis::{
    Figure, Measured, PullFinding, SetInput, SetResult, Settings, analyse_sets, find_pulls, set_verdicts,
};
use jamjar_core::channel::Channel;
use jamjar_core::limits::{Limit, LimitOutcome};
use jamjar_core::pull::align::Status;
use jamjar_store::{SetWithPulls, Store, VehicleRecord};
use std::collections::BTreeSet;
use std::sync::Arc;

/// The set that others of a day in the same gear are held against: its first with the stock map and a pull.
pub fn baseline_of<'a>(sets: &'a [SetWithPulls], gear: &str) -> Option<&'a SetWithPulls> {
    sets.iter().find(|s| {
        let c = &s.set.config;
        c.map_kind == "stock" && c.gear == gear && !s.pulls.is_empty()
    })
}

/// A set with everything a page says of it alone.
#[derive(Debug, Clone)]
pub struct SetRead {
    /// The set and its pulls as stored.
    pub stored: SetWithPulls,
    /// Its pulls, measured.
    pub measured: Vec<Arc<Measured>>,
    /// Its figures.
    pub result: SetResult,
    /// Its verdict on each limit.
    pub verdicts: Vec<LimitOutcome>,
    /// What stands out beside the sets it was read with.
    pub found: Vec<PullFinding>,
}

impl SetRead {
    /// Highest peak of any of its pulls, those left out of figures too, kW.
    pub fn best_kw(&self) -> Option<f64> {
        self.result.pull_figures.iter().filter_map(|f| f.peak_power).map(|p| p.value).reduce(f64::max)
    }

    /// Channels that any of its pulls holds.
    pub fn logged(&self) -> Vec<Channel> {
        let all: BTreeSet<Channel> =
            self.measured.iter().flat_map(|m| m.channels.iter().map(|c| c.channel.clone())).collect();
        all.into_iter().collect()
    }

    /// Pulls whose engine-computer log was refused.
    pub fn refused(&self) -> usize {
        self.measured.iter().filter(|m| m.alignment.status == Status::Refused).count()
    }

    /// Mean peak of the pulls that count, kW, and how many they are.
    pub fn mean_peak_kw(&self) -> Option<(f64, usize)> {
        self.result.figure(Figure::PeakPower).mean.map(|m| (m, self.result.n()))
    }
}

/// The settings with a band for the mean, where nobody chose one: that of a stock set, or of the first with pulls.
fn with_band(
    sets: &[SetWithPulls],
    (inputs, measured): (&[SetInput], &[Vec<Arc<Measured>>]),
    vehicle: &VehicleRecord,
    settings: Settings,
) -> Settings {
    let pulled = |stock: bool| {
        sets.iter().position(|s| !s.pulls.is_empty() && (!stock || s.set.config.map_kind == "stock"))
    };
    let (None, Some(i)) = (settings.band_rpm, pulled(true).or_else(|| pulled(false))) else {
        return settings;
    };
    let base = analyse_sets(&inputs[i..=i], &measured[i..=i], &vehicle.vehicle.engine, &settings);
    let driven = settings.driven.or(vehicle.sheet.driven);
    Settings { band_rpm: base.first().map(|b| usual_band(b, driven)), ..settings }
}

/// Reads sets of one vehicle and day together. The mean over a band is read where the day's stock set has a curve.
pub fn read_sets(sets: Vec<SetWithPulls>, vehicle: &VehicleRecord, settings: &Settings) -> Vec<SetRead> {
    let inputs: Vec<_> = sets.iter().map(input_of).collect();
    let measured: Vec<Vec<Arc<Measured>>> = sets.iter().map(SetWithPulls::measured).collect();
    let settings = &with_band(&sets, (&inputs, &measured), vehicle, *settings);
    let results = analyse_sets(&inputs, &measured, &vehicle.vehicle.engine, settings);
    let found = find_pulls(&results, &measured);
    let of = |k: usize| found.iter().filter(|f| f.set == k).cloned().collect();
    sets.into_iter()
        .zip(measured)
        .zip(results)
        .enumerate()
        .map(|(k, ((stored, measured), result))| SetRead {
            verdicts: set_verdicts(&measured),
            found: of(k),
            stored,
            measured,
            result,
        })
        .collect()
}

/// The newest stock set of a vehicle as these limits would judge it; `None` where none was pulled.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn stock_under(
    store: &Store,
    vehicle: &VehicleRecord,
    limits: &[Limit],
) -> Result<Option<SetRead>, WorkflowError> {
    let Some(stock) = store.newest_stock_set(vehicle.id).await? else { return Ok(None) };
    let judged_by = VehicleRecord { limits: limits.to_vec(), ..vehicle.clone() };
    let sets = fresh_sets(store, vec![stock], &judged_by).await?;
    Ok(read_sets(sets, &judged_by, &Settings::default()).pop())
}

/// The sets of a day with measurements that fit the vehicle's limits and this program: made again where they
/// do not.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn day_sets(
    store: &Store,
    day_id: i64,
    vehicle: &VehicleRecord,
) -> Result<Vec<SetWithPulls>, WorkflowError> {
    fresh_sets(store, store.sets_of_day(day_id).await?, vehicle).await
}

/// The newest set of every configuration, of days that come newest first; of sets run again on a day the last counts.
pub fn newest_of_each(days: Vec<Vec<SetWithPulls>>) -> Vec<SetWithPulls> {
    let mut seen = BTreeSet::new();
    let each = days.into_iter().flat_map(|day| day.into_iter().rev());
    each.filter(|s| seen.insert(s.set.config.factors())).collect()
}

/// The days of a vehicle, newest first, each with its sets that have pulls, as [`day_sets`] reads them.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn recent_days(
    store: &Store,
    vehicle: &VehicleRecord,
    limit: i64,
) -> Result<Vec<(i64, Vec<SetWithPulls>)>, WorkflowError> {
    let mut out = Vec::new();
    for day in store.days_of_vehicle(vehicle.id, limit).await? {
        let mut sets = day_sets(store, day.id, vehicle).await?;
        sets.retain(|s| !s.pulls.is_empty());
        out.push((day.id, sets));
    }
    Ok(out)
}

/// The same for any sets of one vehicle.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn fresh_sets(
    store: &Store,
    mut sets: Vec<SetWithPulls>,
    vehicle: &VehicleRecord,
) -> Result<Vec<SetWithPulls>, WorkflowError> {
    let fresh = remade(store, &sets, vehicle, &Settings::default()).await?;
    for (s, m) in sets.iter_mut().zip(fresh.into_iter().flatten()) {
        s.pulls.iter_mut().zip(m).for_each(|((_, summary), m)| summary.measured = m);
    }
    Ok(sets)
}
