//! Work at a distance on one vehicle: what each revision changed and gained, where its recordings are, and what was said.

use crate::error::{WorkflowError, blocking};
use crate::lineage::{StepGain, steps};
use crate::sets::recent_days;
use jamjar_core::analysis::{Figure, Settings};
use jamjar_store::{
    FileInfo, HeldIn, MapRecord, NewDay, NewStep, Set, SetWithPulls, Step, StepKind, Store, Thread,
    VehicleRecord,
};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;

/// A recording a step is about.
#[derive(Debug, Clone, PartialEq)]
pub struct Recorded {
    /// In custody; `None` where the file has not come along.
    pub file: Option<FileInfo>,
    /// Pulls that rest on it, each with when it begins on the dyno's clock, s.
    pub pulls: Vec<(HeldIn, Option<f64>)>,
}

/// A step with what is known of it here.
#[derive(Debug, Clone)]
pub struct StepRead {
    /// The step.
    pub step: Step,
    /// The revision of this thread before it, by name.
    pub before: Option<String>,
    /// What it gained over that one; `None` where the two were never pulled alike on one day.
    pub gain: Option<StepGain>,
    /// Recordings it is about.
    pub recorded: Vec<Recorded>,
}

/// A thread as it stands here.
#[derive(Debug, Clone)]
pub struct ThreadRead {
    /// The thread.
    pub thread: Thread,
    /// Its vehicle.
    pub vehicle: VehicleRecord,
    /// Its steps, in the order of time.
    pub steps: Vec<StepRead>,
    /// Maps with a file in custody, which may be sent.
    pub maps: Vec<MapRecord>,
    /// Sets with recordings, newest first, which may be sent back.
    pub sets: Vec<Set>,
    /// Days it was read from.
    pub days: Vec<i64>,
}

/// Reads a thread.
///
/// # Errors
/// [`WorkflowError`] when there is no such thread, or samples can no longer be measured.
pub async fn read_thread(
    store: &Store,
    id: i64,
    figure: Figure,
    settings: &Settings,
) -> Result<ThreadRead, WorkflowError> {
    let (thread, written) = store.thread(id).await?;
    let vehicle = store.vehicle(thread.vehicle_id).await?;
    let (days, all): (Vec<i64>, Vec<Vec<SetWithPulls>>) =
        recent_days(store, &vehicle, DAYS).await?.into_iter().unzip();
    let mut maps = store.maps(vehicle.id).await?;
    let named: Vec<String> = written.iter().flat_map(|s| s.files.iter().cloned()).collect();
    let here = store.files_called(&named).await?;
    let ids: Vec<i64> = here.values().copied().collect();
    let pulls = store.pulls_on(vehicle.id, &ids).await?;
    let mut known: BTreeMap<i64, FileInfo> = BTreeMap::new();
    for f in &ids {
        known.insert(*f, store.file(*f).await?);
    }
    let sets: Vec<Set> = all
        .iter()
        .flat_map(|d| d.iter().rev())
        .filter(|s| s.pulls.iter().any(|p| p.1.measured.printed.is_none()))
        .map(|s| s.set.clone())
        .collect();
    let begins: BTreeMap<i64, Option<f64>> = all
        .iter()
        .flatten()
        .flat_map(|s| s.pulls.iter().map(|(p, m)| (p.id, m.measured.span.map(|s| s.from_s))))
        .collect();
    let revisions: Vec<(usize, String)> = written
        .iter()
        .enumerate()
        .filter(|s| s.1.kind == StepKind::Revision)
        .filter_map(|(k, s)| Some((k, s.map.clone()?.1)))
        .collect();
    // The first is held against what it was made from, the others against the one that went out before.
    let parent = |name: &str| maps.iter().find(|m| m.name == name).and_then(|m| m.parent.clone());
    let before: BTreeMap<usize, String> = revisions
        .iter()
        .enumerate()
        .filter_map(|(i, (k, name))| {
            let older = match i.checked_sub(1) {
                Some(j) => Some(revisions[j].1.clone()),
                None => parent(name),
            };
            Some((*k, older.filter(|o| o != name)?))
        })
        .collect();
    let pairs: Vec<(usize, String, String)> =
        revisions.into_iter().filter_map(|(k, newer)| Some((k, before.get(&k)?.clone(), newer))).collect();
    let (own, settings) = (vehicle.clone(), *settings);
    let mut gains = blocking(move || {
        let pairs: Vec<(usize, &str, &str)> =
            pairs.iter().map(|(k, a, b)| (*k, a.as_str(), b.as_str())).collect();
        steps(&pairs, &all, &own, figure, &settings)
    })
    .await?;
    let recorded = |sha: &String| {
        let on = here.get(sha).and_then(|id| pulls.get(id)).into_iter().flatten();
        Recorded {
            file: here.get(sha).and_then(|id| known.get(id)).cloned(),
            pulls: on.map(|h| (h.clone(), begins.get(&h.pull_id).copied().flatten())).collect(),
        }
    };
    let steps = written
        .into_iter()
        .enumerate()
        .map(|(k, step)| StepRead {
            before: before.get(&k).cloned(),
            gain: gains.remove(&k),
            recorded: step.files.iter().map(recorded).collect(),
            step,
        })
        .collect();
    maps.retain(|m| m.file.is_some());
    Ok(ThreadRead { thread, vehicle, steps, maps, sets, days })
}

fn step(kind: StepKind, by: &str, words: &str) -> NewStep {
    NewStep {
        uid: None,
        kind,
        by: by.to_owned(),
        at: None,
        words: words.to_owned(),
        map_id: None,
        files: Vec::new(),
        channel: None,
        at_s: None,
    }
}

/// A revision that goes out with its questions; its file goes along.
///
/// # Errors
/// [`WorkflowError::Bad`] when no file of it is in custody.
pub async fn send_revision(
    store: &Store,
    thread: &Thread,
    map_id: i64,
    words: &str,
    by: &str,
) -> Result<(), WorkflowError> {
    let maps = store.maps(thread.vehicle_id).await?;
    let map = maps.iter().find(|m| m.id == map_id);
    let map = map.ok_or_else(|| WorkflowError::Bad("choose a map of this vehicle".into()))?;
    let file = map.file.as_ref().ok_or_else(|| {
        WorkflowError::Bad(format!("no file of {} is in custody: put it there first, then send it", map.name))
    })?;
    let own = NewStep {
        map_id: Some(map_id),
        files: vec![file.sha256.clone()],
        ..step(StepKind::Revision, by, words)
    };
    store.add_steps(thread.id, &[own]).await?;
    Ok(())
}

/// The recordings of a set, sent back.
///
/// # Errors
/// [`WorkflowError::Bad`] when the set is none of the vehicle's, or rests on no recording.
pub async fn send_recordings(
    store: &Store,
    thread: &Thread,
    set_id: i64,
    words: &str,
    by: &str,
) -> Result<(), WorkflowError> {
    let set = store.sets_by_id(&[set_id]).await?.pop();
    let set = set
        .filter(|s| s.set.vehicle_id == thread.vehicle_id)
        .ok_or_else(|| WorkflowError::Bad("choose a set of this vehicle".into()))?;
    let mut files = Vec::new();
    for (p, _) in &set.pulls {
        for id in [Some(p.dyno_file_id), p.ecu_file_id].into_iter().flatten() {
            let sha = store.file(id).await?.sha256;
            if !files.contains(&sha) {
                files.push(sha);
            }
        }
    }
    if files.is_empty() {
        return Err(WorkflowError::Bad("this set rests on no recording".into()));
    }
    store.add_steps(thread.id, &[NewStep { files, ..step(StepKind::Recordings, by, words) }]).await?;
    Ok(())
}

/// Something said of a channel at a moment of a pull, in seconds from its begin: it holds on to the recording and the moment
/// on its clock, so that it stands in the same place wherever that file is read.
///
/// # Errors
/// [`WorkflowError::Bad`] when the pull is none of the vehicle's, or nothing was said.
pub async fn remark(
    store: &Store,
    thread: &Thread,
    (pull_id, channel, at_s): (i64, &str, Option<f64>),
    words: &str,
    by: &str,
) -> Result<(), WorkflowError> {
    if words.trim().is_empty() {
        return Err(WorkflowError::Bad("a remark says something".into()));
    }
    let set = store.sets_by_id(&[store.set_of_pull(pull_id).await?]).await?.pop();
    let (pull, measured) = set
        .filter(|s| s.set.vehicle_id == thread.vehicle_id)
        .and_then(|s| s.pulls.into_iter().find(|p| p.0.id == pull_id))
        .ok_or_else(|| WorkflowError::Bad("this thread is of another vehicle".into()))?;
    let begins = measured.measured.span.map_or(0.0, |s| s.from_s);
    let own = NewStep {
        files: vec![store.file(pull.dyno_file_id).await?.sha256],
        channel: Some(channel.to_owned()).filter(|c| !c.is_empty()),
        at_s: at_s.map(|t| t + begins),
        ..step(StepKind::Remark, by, words)
    };
    store.add_steps(thread.id, &[own]).await?;
    Ok(())
}

/// Anything else that is said.
///
/// # Errors
/// [`WorkflowError::Bad`] for nothing.
pub async fn say(store: &Store, thread: &Thread, words: &str, by: &str) -> Result<(), WorkflowError> {
    if words.trim().is_empty() {
        return Err(WorkflowError::Bad("say something first".into()));
    }
    store.add_steps(thread.id, &[step(StepKind::Word, by, words)]).await?;
    Ok(())
}

/// Recordings that came with a thread, put before the sheet of their day to be taken in as any others; the day is begun
/// where there is none. Its id.
///
/// # Errors
/// [`WorkflowError::Bad`] where none of them is in custody.
pub async fn take_in_recordings(
    store: &Store,
    read: &ThreadRead,
    step_id: i64,
) -> Result<i64, WorkflowError> {
    let found = read.steps.iter().find(|s| s.step.id == step_id);
    let found = found.ok_or_else(|| WorkflowError::Bad("this thread has no such step".into()))?;
    let waiting: Vec<&FileInfo> =
        found.recorded.iter().filter(|r| r.pulls.is_empty()).filter_map(|r| r.file.as_ref()).collect();
    if waiting.is_empty() {
        return Err(WorkflowError::Bad("none of these recordings waits to be taken in".into()));
    }
    let date = found.step.at.date();
    let days = store.days_of_vehicle(read.vehicle.id, DAYS).await?;
    let day = match days.iter().find(|d| d.date == date) {
        Some(d) => d.id,
        None => {
            let place = "from afar".to_owned();
            let vehicle_id = read.vehicle.id;
            let new = NewDay { vehicle_id, date, place, air: None, note: String::new(), demo: false };
            store.add_day(&new).await?
        }
    };
    let air = store.day(day).await?.air.map(|a| a.pressure_hpa / 10.0);
    let ratio = read.vehicle.vehicle.dyno.overall_ratio;
    for f in waiting {
        let bytes = Arc::new(store.file_bytes(f.id).await?);
        crate::import::take_in(store, day, ratio, air, &f.name, bytes).await?;
    }
    Ok(day)
}
