//! A line-up: sets of one vehicle against a baseline, from cached measurements.

use crate::error::WorkflowError;
use crate::import::settings_hash;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::analysis::{
    Comparison, Measured, PullInput, SetInput, SetResult, Settings, analyse_sets, compare_all, look_together, measure, set_verdicts,
};
use jamjar_core::limits::LimitOutcome;
use jamjar_store::{SetWithPulls, Store, Summary, VehicleRecord};

/// Most sets in one line-up.
pub const MAX_SETS: usize = 16;

/// Everything a line-up shows.
#[derive(Debug, Clone)]
pub struct LineUp {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Sets with pulls, in the order asked for.
    pub sets: Vec<SetWithPulls>,
    /// Measured pulls of each set.
    pub measured: Vec<Vec<Measured>>,
    /// Results of each set.
    pub results: Vec<SetResult>,
    /// Index of the baseline.
    pub base: usize,
    /// Comparisons with it.
    pub comparisons: Vec<Comparison>,
    /// Verdict of each limit over each set.
    pub verdicts: Vec<Vec<LimitOutcome>>,
}

/// Analyses sets under some settings. `base` is a set id; the first set when absent.
///
/// # Errors
/// [`WorkflowError`] when there is no set, there are too many, or they belong to different vehicles.
pub async fn line_up(store: &Store, ids: &[i64], base: Option<i64>, settings: &Settings) -> Result<LineUp, WorkflowError> {
    if ids.len() > MAX_SETS {
        return Err(WorkflowError::Bad(format!("{} sets are too many to read in one line-up; {MAX_SETS} fit", ids.len())));
    }
    let sets = store.sets_by_id(ids).await?;
    let Some(first) = sets.first() else {
        return Err(WorkflowError::Bad("none of these sets exists".into()));
    };
    if sets.iter().any(|s| s.set.vehicle_id != first.set.vehicle_id) {
        return Err(WorkflowError::Bad("these sets belong to different vehicles; a line-up compares sets of one".into()));
    }
    let vehicle = store.vehicle(first.set.vehicle_id).await?;
    let base = base.and_then(|id| sets.iter().position(|s| s.set.id == id)).unwrap_or(0);
    let all = with_context(store, sets).await?;
    let shown = all.1;
    let mut sets = all.0;
    let measured = measured(store, &sets, &vehicle, settings).await?;
    let inputs: Vec<SetInput> = sets.iter().map(input_of).collect();
    let (settings, v) = (*settings, vehicle.clone());
    tokio::task::spawn_blocking(move || {
        let mut measured = measured;
        let mut results = analyse_sets(&inputs, &measured, &v.vehicle.engine, &settings);
        let candidates: Vec<usize> = (0..shown).filter(|i| *i != base).collect();
        let comparisons = compare_all(&results, base, &candidates, &v.vehicle, &settings);
        sets.truncate(shown);
        measured.truncate(shown);
        results.truncate(shown);
        let verdicts = measured.iter().map(|m| set_verdicts(m)).collect();
        LineUp { vehicle: v, sets, measured, results, base, comparisons, verdicts }
    })
    .await
    .map_err(|e| WorkflowError::Bad(e.to_string()))
}

/// The chosen sets first, then the other sets of their days: those lend their scatter. Also how many were chosen.
async fn with_context(store: &Store, mut sets: Vec<SetWithPulls>) -> Result<(Vec<SetWithPulls>, usize), WorkflowError> {
    let shown = sets.len();
    let mut days: Vec<i64> = sets.iter().map(|s| s.set.day_id).collect();
    days.sort_unstable();
    days.dedup();
    for day in days {
        for s in store.sets_of_day(day).await? {
            if sets.iter().all(|known| known.set.id != s.set.id) {
                sets.push(s);
            }
        }
    }
    Ok((sets, shown))
}

fn input_of(s: &SetWithPulls) -> SetInput {
    SetInput { id: s.set.id.to_string(), day: s.set.date.to_string(), factors: s.set.factors(), pulls: Vec::new() }
}

/// Cached measurements, made again from the samples where algorithm or settings have changed.
///
/// # Errors
/// [`WorkflowError`] when samples are missing or damaged.
pub async fn measured(
    store: &Store,
    sets: &[SetWithPulls],
    vehicle: &VehicleRecord,
    settings: &Settings,
) -> Result<Vec<Vec<Measured>>, WorkflowError> {
    let hash = settings_hash(&vehicle.vehicle, &vehicle.limits, settings);
    let fresh = |s: &Summary| s.algorithm == ALGORITHM_VERSION && s.settings == hash;
    let is_default = hash == settings_hash(&vehicle.vehicle, &vehicle.limits, &Settings::default());
    let mut out = Vec::new();
    for s in sets {
        if s.pulls.iter().all(|(_, summary)| fresh(summary)) {
            out.push(s.pulls.iter().map(|(_, summary)| summary.measured.clone()).collect());
            continue;
        }
        let air = store.day(s.set.day_id).await?.air;
        let mut input = input_of(s);
        for (pull, summary) in &s.pulls {
            let (dyno, ecu) = store.samples(pull.id).await?;
            input.pulls.push(PullInput {
                id: summary.measured.id.clone(),
                dyno,
                ecu,
                air,
                lag_s: pull.lag_s,
                excluded: pull.excluded_reason.clone(),
                coast_down: None,
                pull_index: None,
            });
        }
        let (v, limits, settings) = (vehicle.vehicle.clone(), vehicle.limits.clone(), *settings);
        let again = tokio::task::spawn_blocking(move || {
            let pulls: Result<Vec<Measured>, _> = input.pulls.iter().map(|p| measure(p, &v, &settings, &limits)).collect();
            let mut pulls = vec![pulls.map_err(|e| WorkflowError::Bad(e.to_string()))?];
            look_together(std::slice::from_ref(&input), &mut pulls, &v, &limits);
            Ok::<_, WorkflowError>(pulls.remove(0))
        })
        .await
        .map_err(|e| WorkflowError::Bad(e.to_string()))??;
        if is_default {
            for ((pull, _), m) in s.pulls.iter().zip(&again) {
                store.update_summary(pull.id, &Summary { algorithm: ALGORITHM_VERSION, settings: hash.clone(), measured: m.clone() }).await?;
            }
        }
        out.push(again);
    }
    Ok(out)
}

/// Makes the measurements of a day again after its air was entered or changed.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn air_changed(store: &Store, day_id: i64) -> Result<(), WorkflowError> {
    let air = store.day(day_id).await?.air;
    for s in store.sets_of_day(day_id).await? {
        for (pull, mut summary) in s.pulls {
            summary.measured.air = air;
            store.update_summary(pull.id, &summary).await?;
        }
    }
    Ok(())
}
