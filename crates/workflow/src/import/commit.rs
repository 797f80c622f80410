//! Committing chosen pulls: read, measure, store, in one transaction with progress.

use super::air::DayAir;
use super::preview::FilePreview;
use super::short_hash;
use crate::error::{WorkflowError, blocking, internal};
use chrono::NaiveTime;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::air::AirState;
use jamjar_core::analysis::{Measured, PullInput, SetInput, Settings, Vehicle, measure_sets, own_bounds};
use jamjar_core::limits::Limit;
use jamjar_core::log::Recording;
use jamjar_formats::{Mapping, read_log};
use jamjar_store::{Configuration, InboxItem, NewPull, NewSet, Store, Summary, VehicleRecord};
use std::collections::HashMap;
use std::sync::Arc;

/// A pull chosen for commit.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct ChosenPull {
    pub dyno: i64,
    pub ecu: Option<i64>,
    pub number: Option<usize>,
    /// Time of day it began, when known.
    pub started_at: Option<NaiveTime>,
    /// Air measured for it; the day's nearest reading when absent.
    pub air: Option<AirState>,
    /// Reason to leave it out of figures from the start.
    pub excluded: Option<String>,
}

/// A set chosen for commit with its configuration.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct ChosenSet {
    pub config: Configuration,
    pub pulls: Vec<ChosenPull>,
}

/// Hash of everything the cached measurement of a pull depends on beside the samples: the engine, the dyno, the limits, the settings, the
/// air it was made in and a lag set by hand. Whether it counts in figures is read beside it.
pub fn measure_key(vehicle: &Vehicle, limits: &[Limit], settings: &Settings, air: Option<AirState>, lag_s: Option<f64>) -> String {
    let text = serde_json::to_string(&(&vehicle.engine, &vehicle.dyno, limits, settings.grid_rpm, settings.smoothing_s, air, lag_s));
    short_hash(&text.unwrap_or_default())
}

fn check(sets: &[ChosenSet]) -> Result<(), WorkflowError> {
    if sets.iter().all(|s| s.pulls.is_empty()) {
        return Err(WorkflowError::Bad("no pull is chosen: tick at least one".into()));
    }
    for s in sets.iter().filter(|s| !s.pulls.is_empty()) {
        for (name, v) in [("map", &s.config.map), ("fuel", &s.config.fuel)] {
            if v.trim().is_empty() {
                return Err(WorkflowError::Bad(format!("a set has no {name}: say which {name} was in the vehicle, or “unknown”")));
            }
        }
        for (name, v, most) in [
            ("map", &s.config.map, 120),
            ("fuel", &s.config.fuel, 120),
            ("build", &s.config.build, 120),
            ("boost", &s.config.boost, 60),
            ("gear", &s.config.gear, 20),
            ("note", &s.config.note, 10_000),
        ] {
            if v.chars().count() > most {
                return Err(WorkflowError::Bad(format!("the {name} is longer than {most} characters")));
            }
        }
    }
    Ok(())
}

/// Reads, measures and commits; reports each pull to the run, counted on from `before`, and stops there when asked. All sets are
/// stored, or none; with `ends_run` the run is done at the same moment as they are there.
///
/// # Errors
/// [`WorkflowError`]; then nothing of it is stored and the inbox is as before.
pub async fn commit(store: &Store, run_id: i64, before: i32, day_id: i64, sets: &[ChosenSet], ends_run: bool) -> Result<Vec<i64>, WorkflowError> {
    check(sets)?;
    let day = store.day(day_id).await?;
    let vehicle = store.vehicle(day.vehicle_id).await?;
    let airs = DayAir::of_day(store, &day).await?;
    let inbox = store.inbox(day_id).await?;
    let find = |id: i64| {
        inbox.iter().find(|i| i.id == id).cloned().ok_or_else(|| WorkflowError::Bad("a chosen file is no longer in the inbox: drop it again".into()))
    };
    let (mut inputs, mut origins, mut used, mut done) = (Vec::new(), Vec::new(), Vec::new(), before);
    let mut files_open = OpenFiles { injections_per_rev: vehicle.vehicle.engine.injections_per_rev(), read: HashMap::new() };
    for (k, s) in sets.iter().enumerate().filter(|(_, s)| !s.pulls.is_empty()) {
        let mut set = SetInput { id: k.to_string(), day: day.date.to_string(), factors: s.config.factors(), ..SetInput::default() };
        let mut files = Vec::new();
        for (i, p) in s.pulls.iter().enumerate() {
            let (dyno, ecu) = (find(p.dyno)?, p.ecu.map(find).transpose()?);
            used.push(dyno.id);
            used.extend(ecu.iter().map(|e| e.id));
            let air = p.air.or_else(|| airs.at(p.started_at));
            let several = p.number.is_some();
            let whole = files_open.read(store, &dyno, several).await?;
            let mut input = PullInput {
                id: format!("p{}", i + 1),
                dyno: part_of(whole, &dyno, p.number),
                air,
                excluded: p.excluded.clone(),
                ..PullInput::default()
            };
            if let Some(e) = &ecu {
                input.ecu = Some(files_open.read(store, e, several).await?);
            }
            set.pulls.push(input);
            files.push((dyno, ecu));
            done += 1;
            if store.progress(run_id, done, &format!("read {}", set.pulls[i].dyno.name)).await? {
                return Err(WorkflowError::Cancelled);
            }
        }
        inputs.push(set);
        origins.push((s, files));
    }
    let numbered = sets.iter().flat_map(|s| &s.pulls).map(|p| p.number.is_some()).collect();
    let (inputs, measured) = measure_all(inputs, numbered, &vehicle).await?;
    let key = |p: &PullInput| measure_key(&vehicle.vehicle, &vehicle.limits, &Settings::default(), p.air, p.lag_s);
    let new: Vec<NewSet> =
        inputs.into_iter().zip(measured).zip(&origins).map(|((input, pulls), (chosen, files))| new_set(chosen, input, pulls, files, &key)).collect();
    if store.progress(run_id, done, "storing").await? {
        return Err(WorkflowError::Cancelled);
    }
    let store = store.clone();
    // Encoding and compression stand before the transaction, and away from the threads that serve.
    Ok(tokio::spawn(async move { store.commit_sets(day_id, &new, &used, ends_run.then_some(run_id)).await }).await.map_err(internal)??)
}

/// The part of a recording that belongs to the pull of that number among those previewed; all of it without a number.
fn part_of(log: Arc<Recording>, item: &InboxItem, number: Option<usize>) -> Recording {
    let spans = preview_of(item).map(|r| r.pulls.iter().map(|p| [p.from_s, p.to_s]).collect::<Vec<_>>()).unwrap_or_default();
    match number.and_then(|n| own_bounds(&spans, n)) {
        Some([a, b]) => log.window(a, b),
        None => Arc::unwrap_or_clone(log),
    }
}

/// Files that hold several pulls, read once and kept for the next of them.
struct OpenFiles {
    injections_per_rev: Option<f64>,
    read: HashMap<i64, Arc<Recording>>,
}

impl OpenFiles {
    async fn read(&mut self, store: &Store, item: &InboxItem, keep: bool) -> Result<Arc<Recording>, WorkflowError> {
        if let Some(known) = self.read.get(&item.file_id) {
            return Ok(known.clone());
        }
        let mut file = store.open_file(item.file_id).await?;
        let (name, mapping) = (item.name.clone(), mapping_of(item));
        let per_rev = self.injections_per_rev;
        let read = move || -> Result<Recording, WorkflowError> {
            let read = read_log(&mut file, &name, &mapping);
            file.intact()?;
            Ok(read?.log.with_duty(per_rev))
        };
        let log = Arc::new(blocking(read).await??);
        if keep {
            self.read.insert(item.file_id, log.clone());
        }
        Ok(log)
    }
}

fn preview_of(item: &InboxItem) -> Option<FilePreview> {
    serde_json::from_str(&item.report).ok()
}

fn mapping_of(item: &InboxItem) -> Mapping {
    preview_of(item).map(|r| r.mapping).unwrap_or_default()
}

async fn measure_all(
    inputs: Vec<SetInput>,
    numbered: Vec<bool>,
    vehicle: &VehicleRecord,
) -> Result<(Vec<SetInput>, Vec<Vec<Measured>>), WorkflowError> {
    let (v, limits) = (vehicle.vehicle.clone(), vehicle.limits.clone());
    blocking(move || {
        let mut measured = measure_sets(&inputs, &v, &Settings::default(), &limits).map_err(|e| WorkflowError::Bad(e.to_string()))?;
        Ok((cut_to_own(inputs, &mut measured, &numbered), measured))
    })
    .await?
}

/// Cuts the engine computer's recording to each numbered pull's own window, so that a long file is not stored once for every
/// pull in it.
fn cut_to_own(mut inputs: Vec<SetInput>, measured: &mut [Vec<Measured>], numbered: &[bool]) -> Vec<SetInput> {
    let pulls = inputs.iter_mut().flat_map(|s| &mut s.pulls).zip(measured.iter_mut().flatten());
    for ((p, m), _) in pulls.zip(numbered).filter(|(_, numbered)| **numbered) {
        if let (Some(log), Some([a, b])) = (&mut p.ecu, m.own_window[1].take()) {
            *log = Arc::new(log.window(a, b));
        }
    }
    inputs
}

fn new_set(
    s: &ChosenSet,
    input: SetInput,
    measured: Vec<Measured>,
    files: &[(InboxItem, Option<InboxItem>)],
    key: &dyn Fn(&PullInput) -> String,
) -> NewSet {
    let json = |i: &InboxItem| serde_json::to_string(&mapping_of(i)).unwrap_or_default();
    let pulls = input
        .pulls
        .into_iter()
        .zip(measured)
        .zip(files)
        .zip(&s.pulls)
        .map(|(((p, measured), (dyno, ecu)), chosen)| NewPull {
            summary: Summary { algorithm: ALGORITHM_VERSION, settings: key(&p), measured },
            dyno_file_id: dyno.file_id,
            ecu_file_id: ecu.as_ref().map(|e| e.file_id),
            dyno_mapping: json(dyno),
            ecu_mapping: ecu.as_ref().map(json),
            number_in_file: chosen.number.map(|n| n as i32),
            started_at: chosen.started_at,
            air: chosen.air,
            excluded: chosen.excluded.clone(),
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
    NewSet { config, pulls }
}
