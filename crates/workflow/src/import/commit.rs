//! Committing chosen pulls: read, measure, store, in one transaction with progress.

use super::preview::FilePreview;
use crate::error::WorkflowError;
use jamjar_core::ALGORITHM_VERSION;
use jamjar_core::analysis::{Measured, PullInput, SetInput, Settings, Vehicle, look_together, measure};
use jamjar_core::factors::Factors;
use jamjar_core::limits::Limit;
use jamjar_core::log::Recording;
use jamjar_formats::{Mapping, read_log};
use jamjar_store::{InboxItem, NewPull, NewSet, Store, Summary, VehicleRecord};
use sha2::{Digest, Sha256};
use std::collections::HashMap;

/// A pull chosen for commit.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct ChosenPull {
    pub dyno: i64,
    pub ecu: Option<i64>,
    pub number: Option<usize>,
}

/// A set chosen for commit with its configuration.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub struct ChosenSet {
    pub build: String,
    pub map: String,
    pub map_kind: String,
    pub fuel: String,
    pub boost: String,
    pub gear: String,
    pub extras: Factors,
    pub note: String,
    pub pulls: Vec<ChosenPull>,
}

/// Hash of everything a cached measurement depends on, beside the samples.
pub fn settings_hash(vehicle: &Vehicle, limits: &[Limit], settings: &Settings) -> String {
    let text = serde_json::to_string(&(&vehicle.dyno, limits, settings.grid_rpm, settings.smoothing_s)).unwrap_or_default();
    Sha256::digest(text).iter().take(8).map(|b| format!("{b:02x}")).collect()
}

fn check(sets: &[ChosenSet]) -> Result<(), WorkflowError> {
    if sets.iter().all(|s| s.pulls.is_empty()) {
        return Err(WorkflowError::Bad("no pull is chosen: tick at least one".into()));
    }
    for s in sets.iter().filter(|s| !s.pulls.is_empty()) {
        for (name, v) in [("map", &s.map), ("fuel", &s.fuel)] {
            if v.trim().is_empty() {
                return Err(WorkflowError::Bad(format!("a set has no {name}: say which {name} was in the vehicle, or “unknown”")));
            }
        }
        for (name, v, most) in [
            ("map", &s.map, 120),
            ("fuel", &s.fuel, 120),
            ("build", &s.build, 120),
            ("boost", &s.boost, 60),
            ("gear", &s.gear, 20),
            ("note", &s.note, 10_000),
        ] {
            if v.chars().count() > most {
                return Err(WorkflowError::Bad(format!("the {name} is longer than {most} characters")));
            }
        }
    }
    Ok(())
}

/// Reads, measures and commits; reports each pull to the run and stops there when asked. All sets are stored, or none.
///
/// # Errors
/// [`WorkflowError`]; then nothing of it is stored and the inbox is as before.
pub async fn commit(store: &Store, run_id: i64, day_id: i64, sets: &[ChosenSet]) -> Result<Vec<i64>, WorkflowError> {
    check(sets)?;
    let day = store.day(day_id).await?;
    let vehicle = store.vehicle(day.vehicle_id).await?;
    let inbox = store.inbox(day_id).await?;
    let find = |id: i64| {
        inbox.iter().find(|i| i.id == id).cloned().ok_or_else(|| WorkflowError::Bad("a chosen file is no longer in the inbox: drop it again".into()))
    };
    let (mut inputs, mut origins, mut used, mut done) = (Vec::new(), Vec::new(), Vec::new(), 0);
    let mut open: HashMap<i64, Recording> = HashMap::new();
    for (k, s) in sets.iter().enumerate().filter(|(_, s)| !s.pulls.is_empty()) {
        let mut set = SetInput { id: k.to_string(), day: day.date.to_string(), factors: Factors::new(), pulls: Vec::new() };
        let mut files = Vec::new();
        for (i, p) in s.pulls.iter().enumerate() {
            let (dyno, ecu) = (find(p.dyno)?, p.ecu.map(find).transpose()?);
            used.push(dyno.id);
            used.extend(ecu.iter().map(|e| e.id));
            let input = PullInput {
                id: format!("p{}", i + 1),
                dyno: read(store, &mut open, &dyno, p.number.is_some()).await?,
                ecu: match &ecu {
                    Some(e) => Some(read(store, &mut open, e, p.number.is_some()).await?),
                    None => None,
                },
                air: day.air,
                pull_index: p.number,
                ..PullInput::default()
            };
            let input = if p.number.is_some() { own_part(input, &vehicle).await? } else { input };
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
    let (inputs, measured) = measure_all(inputs, &vehicle).await?;
    let settings = settings_hash(&vehicle.vehicle, &vehicle.limits, &Settings::default());
    let new: Vec<NewSet> = inputs
        .into_iter()
        .zip(measured)
        .zip(&origins)
        .map(|((input, pulls), (chosen, files))| new_set(chosen, input, pulls, files, &settings))
        .collect();
    if store.progress(run_id, done, "storing").await? {
        return Err(WorkflowError::Cancelled);
    }
    Ok(store.commit_sets(day_id, &new, &used).await?)
}

/// Cuts the recordings of a pull to its own window, so that a long file is not stored once for every pull in it.
async fn own_part(input: PullInput, vehicle: &VehicleRecord) -> Result<PullInput, WorkflowError> {
    let v = vehicle.vehicle.clone();
    tokio::task::spawn_blocking(move || {
        let m = measure(&input, &v, &Settings::default(), &[]).map_err(|e| WorkflowError::Bad(e.to_string()))?;
        let cut = |log: Recording, w: Option<[f64; 2]>| match w {
            Some([a, b]) => log.window(a, b),
            None => log,
        };
        let [dyno, ecu] = m.own_window;
        let pull_index = input.pull_index.filter(|_| dyno.is_none());
        Ok(PullInput { dyno: cut(input.dyno, dyno), ecu: input.ecu.map(|e| cut(e, ecu)), pull_index, ..input })
    })
    .await
    .map_err(|e| WorkflowError::Bad(e.to_string()))?
}

/// Reads a file of the inbox; one that holds several pulls is kept open for the next of them.
async fn read(store: &Store, open: &mut HashMap<i64, Recording>, item: &InboxItem, again: bool) -> Result<Recording, WorkflowError> {
    if let Some(known) = open.get(&item.file_id) {
        return Ok(known.clone());
    }
    let bytes = store.file_bytes(item.file_id).await?;
    let (name, mapping) = (item.name.clone(), mapping_of(item));
    let read =
        tokio::task::spawn_blocking(move || read_log(bytes.as_slice(), &name, &mapping)).await.map_err(|e| WorkflowError::Bad(e.to_string()))??;
    if again {
        open.insert(item.file_id, read.log.clone());
    }
    Ok(read.log)
}

fn mapping_of(item: &InboxItem) -> Mapping {
    serde_json::from_str::<FilePreview>(&item.report).map(|r| r.mapping).unwrap_or_default()
}

async fn measure_all(inputs: Vec<SetInput>, vehicle: &VehicleRecord) -> Result<(Vec<SetInput>, Vec<Vec<Measured>>), WorkflowError> {
    let (v, limits) = (vehicle.vehicle.clone(), vehicle.limits.clone());
    tokio::task::spawn_blocking(move || {
        let mut measured = Vec::new();
        for s in &inputs {
            let pulls: Result<Vec<Measured>, _> = s.pulls.iter().map(|p| measure(p, &v, &Settings::default(), &limits)).collect();
            measured.push(pulls.map_err(|e| WorkflowError::Bad(e.to_string()))?);
        }
        look_together(&inputs, &mut measured, &v, &limits);
        Ok((inputs, measured))
    })
    .await
    .map_err(|e| WorkflowError::Bad(e.to_string()))?
}

fn new_set(s: &ChosenSet, input: SetInput, measured: Vec<Measured>, files: &[(InboxItem, Option<InboxItem>)], settings: &str) -> NewSet {
    let json = |i: &InboxItem| serde_json::to_string(&mapping_of(i)).unwrap_or_default();
    let chosen_numbers = s.pulls.iter().map(|p| p.number);
    let pulls = input
        .pulls
        .into_iter()
        .zip(measured)
        .zip(files)
        .zip(chosen_numbers)
        .map(|(((p, measured), (dyno, ecu)), number)| NewPull {
            dyno_file_id: dyno.file_id,
            ecu_file_id: ecu.as_ref().map(|e| e.file_id),
            dyno_mapping: json(dyno),
            ecu_mapping: ecu.as_ref().map(json),
            number_in_file: number.map(|n| n as i32),
            dyno: p.dyno,
            ecu: p.ecu,
            summary: Summary { algorithm: ALGORITHM_VERSION, settings: settings.to_owned(), measured },
        })
        .collect();
    let or = |v: &str, d: &str| if v.trim().is_empty() { d.to_owned() } else { v.trim().to_owned() };
    NewSet {
        build: or(&s.build, "A"),
        map: or(&s.map, "unknown"),
        map_kind: or(&s.map_kind, "unknown"),
        fuel: or(&s.fuel, "unknown"),
        boost: s.boost.trim().to_owned(),
        gear: s.gear.trim().to_owned(),
        extras: s.extras.clone(),
        note: s.note.clone(),
        pulls,
    }
}
