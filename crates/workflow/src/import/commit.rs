//! Committing chosen pulls: read, measure, store, in one transaction with progress.

use super::air::DayAir;
use super::chosen::{ChosenPull, ChosenSet, MadeOf, check};
use super::key::MeasureKey;
use super::recordings::{Files, Recordings, mapping_of};
use crate::error::{WorkflowError, blocking, internal};
use crate::input::ratio_in;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::analysis::{Measured, PullInput, SetInput, Settings, measure_sets_unless};
use jamjar_store::{Configuration, InboxItem, NewPull, NewSet, Store, StoreError, Summary, VehicleRecord};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::time::Duration;

/// The name under which a day's storing runs: one at a time, whoever began it.
pub fn run_name(day_id: i64) -> String {
    format!("commit {day_id}")
}

/// Reads, measures and commits; reports each pull to the run, counted on from `before`, and stops there when
/// asked. All sets are stored, or none; with `ends_run` the run is done at the same moment as they are there.
///
/// # Errors
/// [`WorkflowError`]; then nothing of it is stored and the inbox is as before.
pub async fn commit(
    store: &Store,
    run_id: i64,
    before: i32,
    day_id: i64,
    sets: &[ChosenSet],
    ends_run: bool,
) -> Result<Vec<i64>, WorkflowError> {
    let sets = &resolved(store, day_id, sets).await?[..];
    check(sets)?;
    for _ in 1..ATTEMPTS {
        match commit_once(store, run_id, before, day_id, sets, ends_run).await {
            // The air of the day, or what else it is measured with, changed meanwhile.
            Err(WorkflowError::Store(StoreError::Changed { .. })) => {}
            other => return other,
        }
    }
    commit_once(store, run_id, before, day_id, sets, ends_run).await
}

/// Pulls that go to a set which is there already are what that set is.
async fn resolved(store: &Store, day_id: i64, sets: &[ChosenSet]) -> Result<Vec<ChosenSet>, WorkflowError> {
    let mut out = sets.to_vec();
    for s in out.iter_mut().filter(|s| !s.pulls.is_empty()) {
        let Some(id) = s.into else { continue };
        let stored = store.set(id).await?;
        if stored.day_id != day_id || stored.archived {
            return Err(WorkflowError::Bad(
                "the set these pulls were to go to is archived or gone: choose another".into(),
            ));
        }
        s.config = stored.config;
    }
    Ok(out)
}

/// How often somebody who wants to cancel is listened to while pulls are measured.
const ASKS_EVERY: Duration = Duration::from_millis(300);
/// Attempts at a storing when what its pulls are measured with changes meanwhile.
const ATTEMPTS: usize = 4;

async fn commit_once(
    store: &Store,
    run_id: i64,
    before: i32,
    day_id: i64,
    sets: &[ChosenSet],
    ends_run: bool,
) -> Result<Vec<i64>, WorkflowError> {
    let day = store.day(day_id).await?;
    let vehicle = store.vehicle(day.vehicle_id).await?;
    let airs = DayAir::of_day(store, day_id).await?;
    let inbox = store.inbox(day_id).await?;
    let find = |id: i64| {
        inbox.iter().find(|i| i.id == id).cloned().ok_or_else(|| {
            WorkflowError::Bad("a chosen file is no longer in the inbox: drop it again".into())
        })
    };
    let (mut inputs, mut origins, mut used, mut done) = (Vec::new(), Vec::new(), Vec::new(), before);
    let mut recordings = Recordings::new(store, &vehicle);
    for (k, s) in sets.iter().enumerate().filter(|(_, s)| !s.pulls.is_empty()) {
        let mut set = SetInput {
            id: k.to_string(),
            day: day.date.to_string(),
            factors: s.config.factors(),
            ..SetInput::default()
        };
        let mut files = Vec::new();
        for (i, p) in s.pulls.iter().enumerate() {
            let (dyno, ecu) = (find(p.dyno)?, p.ecu.map(find).transpose()?);
            used.push(dyno.id);
            used.extend(ecu.iter().map(|e| e.id));
            let air = p.air.or_else(|| airs.at(p.started_at));
            set.pulls.push(PullInput {
                id: format!("p{}", i + 1),
                air,
                excluded: p.excluded.clone(),
                overall_ratio: ratio_in(&vehicle.vehicle, &s.config.gear),
                ..recordings.own(&dyno, p, &s.print).await?
            });
            files.push(Files { dyno, ecu });
            done += 1;
            if store.progress(run_id, done, &format!("read {}", files[i].dyno.name)).await? {
                return Err(WorkflowError::Cancelled);
            }
        }
        inputs.push(set);
        origins.push((s, files));
    }
    recordings.engine_logs(&mut inputs, &origins).await?;
    let in_several = |p: &ChosenPull| p.made_of == MadeOf::Recordings && p.number.is_some();
    let numbered = sets.iter().flat_map(|s| &s.pulls).map(in_several).collect();
    let (inputs, measured) = measure_all(store, (run_id, done), inputs, numbered, &vehicle).await?;
    let keys = MeasureKey::new(&vehicle.vehicle, &vehicle.limits, &Settings::default());
    let new: Vec<NewSet> = inputs
        .into_iter()
        .zip(measured)
        .zip(&origins)
        .map(|((input, pulls), (chosen, files))| {
            let keys = keys.under(&input.factors);
            new_set(chosen, input, pulls, files, &|p| keys.of(p.air, p.lag_s))
        })
        .collect();
    if store.progress(run_id, done, "storing").await? {
        return Err(WorkflowError::Cancelled);
    }
    let store = store.clone();
    // Encoding and compression stand before the transaction, and away from the threads that serve.
    let storing = tokio::spawn(async move {
        let mut day = day;
        loop {
            let stored = store.commit_sets(&day, &new, &used, ends_run.then_some(run_id)).await;
            if !matches!(stored, Err(StoreError::Changed { .. })) {
                return Ok(stored?);
            }
            // Another storing of the day was first: that changes nothing for this one, as long as the air is
            // the same.
            day = store.day(day_id).await?;
            if DayAir::of_day(&store, day_id).await? != airs
                || store.vehicle(day.vehicle_id).await? != vehicle
            {
                return Err(WorkflowError::from(StoreError::Changed { what: "the day", now: None }));
            }
        }
    });
    storing.await.map_err(internal)?
}

/// Measures; the run, which has come as far as `done`, is asked now and then whether it was cancelled.
async fn measure_all(
    store: &Store,
    (run_id, done): (i64, i32),
    inputs: Vec<SetInput>,
    numbered: Vec<bool>,
    vehicle: &VehicleRecord,
) -> Result<(Vec<SetInput>, Vec<Vec<Measured>>), WorkflowError> {
    let (v, limits, stop) =
        (vehicle.vehicle.clone(), vehicle.limits.clone(), Arc::new(AtomicBool::new(false)));
    let asked = stop.clone();
    let work = blocking(move || {
        let measured = measure_sets_unless(&asked, &inputs, &v, &Settings::default(), &limits)
            .map_err(|e| WorkflowError::Bad(e.to_string()))?;
        let mut measured = measured.ok_or(WorkflowError::Cancelled)?;
        Ok((cut_to_own(inputs, &mut measured, &numbered), measured))
    });
    tokio::pin!(work);
    loop {
        tokio::select! {
            finished = &mut work => return finished?,
            () = tokio::time::sleep(ASKS_EVERY) => stop.store(store.progress(run_id, done, "measuring").await?, Relaxed),
        }
    }
}

/// Cuts the engine computer's recording to each numbered pull's own window, so that a long file is not stored
/// once for every pull in it.
fn cut_to_own(mut inputs: Vec<SetInput>, measured: &mut [Vec<Measured>], numbered: &[bool]) -> Vec<SetInput> {
    let pulls = inputs.iter_mut().flat_map(|s| &mut s.pulls).zip(measured.iter_mut().flatten());
    for ((p, m), _) in pulls.zip(numbered).filter(|(_, numbered)| **numbered) {
        if let (Some(log), Some([a, b])) = (&mut p.ecu, m.own_window[1].take()) {
            *log = Arc::new(log.window(a, b));
        }
    }
    inputs
}

/// The file of the engine computer's log: where it stands alone, the one file there is.
fn own_log<'a>(p: &ChosenPull, file: &'a InboxItem, ecu: Option<&'a InboxItem>) -> Option<&'a InboxItem> {
    if p.made_of == MadeOf::LogAlone { Some(file) } else { ecu }
}

fn new_set(
    s: &ChosenSet,
    input: SetInput,
    measured: Vec<Measured>,
    files: &[Files],
    key: &dyn Fn(&PullInput) -> String,
) -> NewSet {
    let json = |i: &InboxItem| serde_json::to_string(&mapping_of(i)).unwrap_or_default();
    let pulls = input
        .pulls
        .into_iter()
        .zip(measured)
        .zip(files)
        .zip(&s.pulls)
        .map(|(((p, measured), Files { dyno, ecu }), chosen)| NewPull {
            summary: Summary {
                algorithm: ALGORITHM_VERSION,
                settings: key(&p),
                measured: Arc::new(measured),
            },
            dyno_file_id: dyno.file_id,
            ecu_file_id: own_log(chosen, dyno, ecu.as_ref()).map(|e| e.file_id),
            dyno_mapping: json(dyno),
            ecu_mapping: own_log(chosen, dyno, ecu.as_ref()).map(json),
            number_in_file: chosen.number.map(|n| n as i32),
            started_at: chosen.started_at,
            air: chosen.air,
            excluded: chosen.excluded.clone(),
            finished: p.finished,
            dyno: p.dyno,
            ecu: p.ecu,
        })
        .collect();
    let or = |v: &str, d: &str| if v.trim().is_empty() { d.to_owned() } else { v.trim().to_owned() };
    let c = &s.config;
    let config = Configuration {
        build: or(&c.build, "A"),
        map: or(&c.map, "unknown"),
        map_kind: or(&c.map_kind, "unknown"),
        fuel: or(&c.fuel, "unknown"),
        boost: c.boost.trim().to_owned(),
        gear: c.gear.trim().to_owned(),
        extras: c.extras.clone(),
        note: c.note.clone(),
    };
    NewSet { config, pulls, into: s.into, runs: s.runs }
}
