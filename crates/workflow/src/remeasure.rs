//! Measurements that are kept and what they rest on: made again when it has changed, changed together with
//! it.

use crate::error::{WorkflowError, blocking};
use crate::import::MeasureKey;
use crate::import::air::DayAir;
use crate::input::{input_of, ratio_in};
use crate::samples::each_pull;
use chrono::NaiveTime;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::air::AirState;
use jamjar_core::analysis::{Measured, PullInput, SetInput, Settings, measure_sets, retrace};
use jamjar_core::log::Recording;
use jamjar_store::{
    By, Day, PackedSummary, SetWithPulls, SheetAir, Store, StoreError, Summary, VehicleRecord,
};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// Cached measurements; all of them made again from the samples, together, when anything they rest on has
/// changed for any: what ended a pull and whose log it is shows only among the others.
///
/// A reader waits for no writer: what was made again is kept behind its back, unless the day changed
/// meanwhile.
pub(crate) async fn measured(
    store: &Store,
    sets: &[SetWithPulls],
    vehicle: &VehicleRecord,
    settings: &Settings,
) -> Result<Vec<Vec<Arc<Measured>>>, WorkflowError> {
    let kept = || sets.iter().map(SetWithPulls::measured).collect();
    Ok(remade(store, sets, vehicle, settings).await?.unwrap_or_else(kept))
}

/// The same; `None` where what is kept fits.
pub(crate) async fn remade(
    store: &Store,
    sets: &[SetWithPulls],
    vehicle: &VehicleRecord,
    settings: &Settings,
) -> Result<Option<Vec<Vec<Arc<Measured>>>>, WorkflowError> {
    let airs = airs_of(store, sets).await?;
    let keys = MeasureKey::new(&vehicle.vehicle, &vehicle.limits, settings);
    let fits = |s: &SetWithPulls, keys: &MeasureKey| {
        let (keys, air) = (keys.under(&input_of(s).factors), &airs[&s.set.day_id]);
        s.pulls.iter().all(|(p, known)| {
            let same = || known.settings == keys.of(air.of(p), p.lag_s);
            p.shares.is_some() || (known.algorithm == ALGORITHM_VERSION && same())
        })
    };
    if sets.iter().all(|s| fits(s, &keys)) {
        return Ok(None);
    }
    // Under another filter only the curve is another.
    let unfiltered = Settings { smoothing_s: Settings::default().smoothing_s, ..*settings };
    let usual = MeasureKey::new(&vehicle.vehicle, &vehicle.limits, &unfiltered);
    if sets.iter().all(|s| fits(s, &usual)) {
        return retraced(store, sets, vehicle, settings).await.map(Some);
    }
    let mut inputs = Vec::new();
    for s in sets {
        inputs.push(with_samples(store, s, vehicle, &airs[&s.set.day_id], None).await?);
    }
    let again = measure_again(inputs, vehicle, settings).await?;
    let usual = Settings::default();
    if (settings.grid_rpm - usual.grid_rpm).abs() < 1e-9
        && (settings.smoothing_s - usual.smoothing_s).abs() < 1e-9
    {
        let mut made: BTreeMap<i64, Vec<(i64, Summary)>> = BTreeMap::new();
        for (s, measured) in sets.iter().zip(&again) {
            let (keys, air) = (keys.under(&input_of(s).factors), &airs[&s.set.day_id]);
            for ((p, known), m) in s.pulls.iter().zip(measured).filter(|((p, _), _)| p.shares.is_none()) {
                let settings = keys.of(air.of(p), p.lag_s);
                let summary = Summary { algorithm: ALGORITHM_VERSION, settings, measured: m.clone() };
                if *known != summary {
                    made.entry(s.set.day_id).or_default().push((p.id, summary));
                }
            }
        }
        keep_behind(store.clone(), vehicle.clone(), made);
    }
    Ok(Some(again))
}

/// Measurements with their curves drawn again under another filter, pull by pull.
async fn retraced(
    store: &Store,
    sets: &[SetWithPulls],
    vehicle: &VehicleRecord,
    settings: &Settings,
) -> Result<Vec<Vec<Arc<Measured>>>, WorkflowError> {
    let (per_rev, settings) = (vehicle.vehicle.engine.injections_per_rev(), *settings);
    let vehicle = Arc::new(vehicle.vehicle.clone());
    let mut out: Vec<Vec<Arc<Measured>>> = sets.iter().map(SetWithPulls::measured).collect();
    let mut asked = Vec::new();
    for (k, s) in sets.iter().enumerate() {
        for (i, (p, known)) in s.pulls.iter().enumerate().filter(|(_, p)| p.0.shares.is_none()) {
            let (vehicle, known) = (vehicle.clone(), known.measured.clone());
            let read = move |dyno, ecu: Option<Recording>| {
                let input = PullInput { dyno, ecu: ecu.map(Arc::new), ..PullInput::default() };
                retrace(&known, &input, &vehicle, &settings)
            };
            asked.push(((k, i), p.id, read));
        }
    }
    for ((k, i), read) in each_pull(store, per_rev, asked).await? {
        if let Some((_, measured)) = read.map_err(|e| WorkflowError::Bad(e.to_string()))? {
            out[k][i] = Arc::new(measured);
        }
    }
    Ok(out)
}

async fn measure_again(
    inputs: Vec<SetInput>,
    vehicle: &VehicleRecord,
    settings: &Settings,
) -> Result<Vec<Vec<Arc<Measured>>>, WorkflowError> {
    let (v, limits, settings) = (vehicle.vehicle.clone(), vehicle.limits.clone(), *settings);
    let made = blocking(move || measure_sets(&inputs, &v, &settings, &limits)).await?;
    let made = made.map_err(|e| WorkflowError::Bad(e.to_string()))?;
    Ok(made.into_iter().map(|pulls| pulls.into_iter().map(Arc::new).collect()).collect())
}

/// Stores measurements made again while somebody read, where what they rest on is still so. Nobody waits for
/// it, and nothing is lost when it fails: the next reader makes them again.
fn keep_behind(store: Store, seen: VehicleRecord, made: BTreeMap<i64, Vec<(i64, Summary)>>) {
    tokio::spawn(async move {
        for (day_id, summaries) in made {
            if let Err(e) = keep_day(&store, &seen, day_id, summaries).await {
                tracing::debug!("measurements of day {day_id} are not kept yet: {e}");
            }
        }
    });
}

async fn keep_day(
    store: &Store,
    seen: &VehicleRecord,
    day_id: i64,
    summaries: Vec<(i64, Summary)>,
) -> Result<(), WorkflowError> {
    let day = store.day(day_id).await?;
    let vehicle = store.vehicle(day.vehicle_id).await?;
    let airs = DayAir::of_day(store, day_id).await?;
    let keys = MeasureKey::new(&vehicle.vehicle, &vehicle.limits, &Settings::default());
    let now: HashMap<i64, String> = store
        .sets_of_day(day_id)
        .await?
        .iter()
        .flat_map(|s| {
            let keys = keys.under(&input_of(s).factors);
            s.pulls.iter().map(|(p, _)| (p.id, keys.of(airs.of(p), p.lag_s))).collect::<Vec<_>>()
        })
        .collect();
    let still = |(id, s): &(i64, Summary)| now.get(id).is_some_and(|key| s.settings == *key);
    if vehicle.limits != seen.limits || !summaries.iter().all(still) {
        return Ok(());
    }
    let packed = pack(summaries).await?;
    store.keep_summaries(day_id, day.measured, &packed).await?;
    Ok(())
}

async fn pack(summaries: Vec<(i64, Summary)>) -> Result<Vec<(i64, PackedSummary)>, WorkflowError> {
    blocking(move || {
        summaries.iter().map(|(id, s)| Ok((*id, s.pack()?))).collect::<Result<_, WorkflowError>>()
    })
    .await?
}

async fn airs_of(store: &Store, sets: &[SetWithPulls]) -> Result<HashMap<i64, DayAir>, WorkflowError> {
    let mut days: Vec<i64> = sets.iter().map(|s| s.set.day_id).collect();
    days.sort_unstable();
    days.dedup();
    let mut airs = DayAir::of_days(store, &days).await?;
    // A day that is gone meanwhile has no air.
    for day in days {
        airs.entry(day).or_default();
    }
    Ok(airs)
}

/// `lag` sets the lag of one pull in the place of what is stored.
async fn with_samples(
    store: &Store,
    s: &SetWithPulls,
    vehicle: &VehicleRecord,
    airs: &DayAir,
    lag: Option<(i64, Option<f64>)>,
) -> Result<SetInput, WorkflowError> {
    let per_rev = vehicle.vehicle.engine.injections_per_rev();
    let mut input = input_of(s);
    let overall_ratio = ratio_in(&vehicle.vehicle, &s.set.config.gear);
    for (pull, summary) in &s.pulls {
        let (dyno, ecu) = store.samples(pull.id).await?;
        let (dyno, ecu) = (dyno.with_duty(per_rev), ecu.map(|e| Arc::new(e.with_duty(per_rev))));
        let (id, excluded) = (summary.measured.id.clone(), summary.measured.excluded.clone());
        let lag_s = lag.filter(|l| l.0 == pull.id).map_or(pull.lag_s, |l| l.1);
        input.pulls.push(PullInput {
            id,
            dyno,
            ecu,
            air: airs.of(pull),
            lag_s,
            excluded,
            overall_ratio,
            finished: pull.finished.clone(),
            ..PullInput::default()
        });
    }
    Ok(input)
}

/// A change of what a day's measurements rest on.
#[derive(Debug, Clone)]
pub enum DayChange {
    /// Air and note of the whole day.
    Day {
        /// Air, when measured.
        air: Option<AirState>,
        /// Note.
        note: String,
    },
    /// A reading of the air at a time, on the sheets of all vehicles in the cell that day. The first of a sheet that
    /// has none becomes its own as well.
    Air {
        /// When.
        at: NaiveTime,
        /// What.
        air: AirState,
    },
    /// The lag of a pull, set by hand or left to be found.
    Lag {
        /// The pull.
        pull_id: i64,
        /// Engine-computer time − dyno time, s.
        lag_s: Option<f64>,
    },
}

/// Attempts at a change when the day changes meanwhile in something else.
const ATTEMPTS: usize = 5;

/// Changes what a day's measurements rest on, together with them: readers see the old whole or the new whole,
/// and so does a search.
///
/// `was` is asked whether the day is still as the person saw it.
///
/// # Errors
/// [`StoreError::Changed`] when it is not; [`WorkflowError`] when the store refuses or samples can no longer
/// be measured.
pub async fn change_day(
    store: &Store,
    day_id: i64,
    change: &DayChange,
    was: impl Fn(&Day) -> bool,
    by: &By,
) -> Result<(), WorkflowError> {
    for attempt in 1.. {
        let day = store.day(day_id).await?;
        if !was(&day) {
            return Err(StoreError::Changed { what: "the day", now: None }.into());
        }
        let summaries = pack(after(store, &day, change).await?).await?;
        let done = match change {
            DayChange::Day { air, note } => store.update_day(&day, *air, note, &summaries, by).await,
            DayChange::Air { at, air } => {
                let mut sheets = vec![SheetAir { day, summaries }];
                for (id, _) in store.beside_day(day_id).await? {
                    let day = store.day(id).await?;
                    let summaries = pack(after(store, &day, change).await?).await?;
                    sheets.push(SheetAir { day, summaries });
                }
                store.add_air(&sheets, *at, *air, by).await
            }
            DayChange::Lag { pull_id, lag_s } => {
                store.set_lag(*pull_id, *lag_s, day.measured, &summaries, by).await
            }
        };
        match done {
            // Something else of the day changed while its pulls were measured: they are measured again.
            Err(StoreError::Changed { .. }) if attempt < ATTEMPTS => {}
            other => return Ok(other?),
        }
    }
    Ok(())
}

/// The measurements of a day as they will be after a change.
async fn after(store: &Store, day: &Day, change: &DayChange) -> Result<Vec<(i64, Summary)>, WorkflowError> {
    let vehicle = store.vehicle(day.vehicle_id).await?;
    let mut airs = DayAir::of_day(store, day.id).await?;
    let mut lag = None;
    match change {
        DayChange::Day { air, .. } if *air == day.air => return Ok(Vec::new()),
        DayChange::Day { air, .. } => airs.whole = *air,
        DayChange::Air { at, air } => airs.add(*at, *air),
        DayChange::Lag { pull_id, lag_s } => lag = Some((*pull_id, *lag_s)),
    }
    let sets = store.sets_of_day(day.id).await?;
    let settings = Settings::default();
    let rests_on = MeasureKey::new(&vehicle.vehicle, &vehicle.limits, &settings);
    let (mut out, mut inputs, mut keys) = (Vec::new(), Vec::new(), Vec::new());
    for s in &sets {
        for (p, known) in s.pulls.iter().filter(|(p, _)| p.shares.is_some()) {
            let mut measured = known.measured.clone();
            Arc::make_mut(&mut measured).air = airs.of(p);
            out.push((p.id, Summary { measured, ..known.clone() }));
        }
        let own = SetWithPulls {
            set: s.set.clone(),
            pulls: s.pulls.iter().filter(|(p, _)| p.shares.is_none()).cloned().collect(),
        };
        let input = with_samples(store, &own, &vehicle, &airs, lag).await?;
        let own_keys = rests_on.under(&input.factors);
        keys.extend(
            own.pulls.iter().zip(&input.pulls).map(|((p, _), i)| (p.id, own_keys.of(i.air, i.lag_s))),
        );
        inputs.push(input);
    }
    let again = measure_again(inputs, &vehicle, &settings).await?.into_iter().flatten();
    out.extend(keys.into_iter().zip(again).map(|((id, settings), measured)| {
        (id, Summary { algorithm: ALGORITHM_VERSION, settings, measured })
    }));
    Ok(out)
}
