//! A thread as one file that goes from one Jamjar to another and back, with no server between: what was said, the revisions
//! with their files, and the recordings.
//!
//! A zip archive: `thread.json` first, then `files/<SHA-256>`. Everything carries the id it has in every shop, so that a
//! file may be taken in twice, or late, and nothing comes in twice. What it says is stored last, when its files are in
//! custody; one that ends half-way can be taken in again.

use crate::archive::{OnDisk, vehicle_in};
use crate::error::{WorkflowError, blocking, internal};
use chrono::NaiveDateTime;
use jamjar_store::{By, LimitRow, NewMap, NewStep, Shop, StepKind, Store, StoreError, Subject, VehicleRow};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, HashMap};
use std::io::{Cursor, Read, Write};
use std::path::Path;
use zip::write::{SimpleFileOptions, ZipWriter};
use zip::{CompressionMethod, ZipArchive};

/// The form this program writes, and the newest it reads.
pub const VERSION: u32 = 1;
const RECORD: &str = "thread.json";
/// Largest record, and largest file in it, bytes (our choice: a map file may be 256 MiB).
const MOST_RECORD: u64 = 64 << 20;
const MOST_FILE: u64 = 256 << 20;

#[derive(Debug, Serialize, Deserialize)]
struct Record {
    jamjar_thread: u32,
    program: String,
    vehicle: VehicleRow,
    limits: Vec<LimitRow>,
    uid: String,
    title: String,
    opened_by: String,
    opened_at: NaiveDateTime,
    maps: Vec<MapIn>,
    steps: Vec<StepIn>,
    files: Vec<FileIn>,
}

#[derive(Debug, Serialize, Deserialize)]
struct MapIn {
    uid: String,
    name: String,
    kind: String,
    parent: Option<String>,
    for_fuel: Option<String>,
    note: String,
    sha256: String,
}

#[derive(Debug, Serialize, Deserialize)]
struct StepIn {
    uid: String,
    kind: StepKind,
    by: String,
    at: NaiveDateTime,
    words: String,
    /// Id of the revision that went out.
    #[serde(default)]
    map: Option<String>,
    #[serde(default)]
    files: Vec<String>,
    #[serde(default)]
    channel: Option<String>,
    #[serde(default)]
    at_s: Option<f64>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct FileIn {
    sha256: String,
    name: String,
}

fn entry_name(sha: &str) -> String {
    format!("files/{sha}")
}

/// Writes a thread.
///
/// # Errors
/// [`WorkflowError`] when there is no such thread or the store refuses.
pub async fn pack(store: &Store, id: i64) -> Result<Vec<u8>, WorkflowError> {
    let (thread, steps) = store.thread(id).await?;
    let (vehicle, limits) = store.take_out_sheet(thread.vehicle_id).await?;
    let records = store.maps(thread.vehicle_id).await?;
    let mut maps = Vec::new();
    let mut uids: BTreeMap<i64, String> = BTreeMap::new();
    for (map_id, _) in steps.iter().filter_map(|s| s.map.as_ref()) {
        let Some(m) = records.iter().find(|m| m.id == *map_id && !uids.contains_key(map_id)) else {
            continue;
        };
        let Some(uid) = store.lasting_id(Subject::Map(*map_id)).await? else { continue };
        uids.insert(*map_id, uid.clone());
        if let Some(file) = &m.file {
            maps.push(MapIn {
                uid,
                name: m.name.clone(),
                kind: m.kind.clone(),
                parent: m.parent.clone(),
                for_fuel: m.for_fuel.clone(),
                note: m.note.clone(),
                sha256: file.sha256.clone(),
            });
        }
    }
    let mut wanted: Vec<String> = maps.iter().map(|m| m.sha256.clone()).collect();
    wanted.extend(steps.iter().flat_map(|s| s.files.iter().cloned()));
    wanted.sort_unstable();
    wanted.dedup();
    let here = store.files_called(&wanted).await?;
    let mut files = Vec::new();
    for (sha256, id) in &here {
        files.push((FileIn { sha256: sha256.clone(), name: store.file(*id).await?.name }, *id));
    }
    let record = Record {
        jamjar_thread: VERSION,
        program: env!("CARGO_PKG_VERSION").to_owned(),
        vehicle,
        limits,
        uid: thread.uid,
        title: thread.title,
        opened_by: thread.opened_by,
        opened_at: thread.opened_at,
        maps,
        steps: steps
            .into_iter()
            .map(|s| StepIn {
                map: s.map.and_then(|m| uids.get(&m.0).cloned()),
                uid: s.uid,
                kind: s.kind,
                by: s.by,
                at: s.at,
                words: s.words,
                files: s.files,
                channel: s.channel,
                at_s: s.at_s,
            })
            .collect(),
        files: files.iter().map(|f| FileIn { sha256: f.0.sha256.clone(), name: f.0.name.clone() }).collect(),
    };
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    zip.start_file(RECORD, packed).map_err(internal)?;
    zip.write_all(&serde_json::to_vec_pretty(&record).map_err(internal)?).map_err(internal)?;
    for (f, id) in files {
        let bytes = store.file_bytes(id).await?;
        zip.start_file(entry_name(&f.sha256), packed).map_err(internal)?;
        zip.write_all(&bytes).map_err(internal)?;
    }
    Ok(zip.finish().map_err(internal)?.into_inner())
}

fn bad(why: impl std::fmt::Display) -> WorkflowError {
    WorkflowError::Bad(format!("{why}"))
}

/// A thread that arrived as a file on this disk; its files are read one at a time.
struct Arrived {
    record: Record,
    zip: ZipArchive<OnDisk>,
}

impl Arrived {
    /// Opens it and holds every file in it against its hash.
    fn open(path: &Path) -> Result<Self, WorkflowError> {
        let mut zip = ZipArchive::new(OnDisk::open(path).map_err(internal)?)
            .map_err(|_| bad("this is no thread of Jamjar: it is no zip archive"))?;
        let record = record_in(&mut zip)?;
        for f in &record.files {
            bytes_of(&mut zip, f)?;
        }
        Ok(Self { record, zip })
    }

    /// The bytes of one of its files, read where it may take its time.
    async fn bytes(&self, f: &FileIn) -> Result<Vec<u8>, WorkflowError> {
        let (mut zip, f) = (self.zip.clone(), f.clone());
        blocking(move || bytes_of(&mut zip, &f)).await?
    }
}

fn bytes_of(zip: &mut ZipArchive<OnDisk>, f: &FileIn) -> Result<Vec<u8>, WorkflowError> {
    let damaged = || bad(format!("{} is cut short or damaged in this file: have it sent again", f.name));
    let entry = zip.by_name(&entry_name(&f.sha256)).map_err(|_| damaged())?;
    let mut out = Vec::new();
    entry.take(MOST_FILE + 1).read_to_end(&mut out).map_err(|_| damaged())?;
    if out.len() as u64 > MOST_FILE {
        return Err(bad(format!("{} is larger than {} MiB", f.name, MOST_FILE >> 20)));
    }
    if hex::encode(Sha256::digest(&out)) != f.sha256 {
        return Err(damaged());
    }
    Ok(out)
}

fn record_in(zip: &mut ZipArchive<OnDisk>) -> Result<Record, WorkflowError> {
    let cut = "this file is cut short or damaged: have it sent again";
    let entry =
        zip.by_name(RECORD).map_err(|_| bad(format!("this is no thread of Jamjar: it has no {RECORD}")))?;
    let mut json = Vec::new();
    entry.take(MOST_RECORD).read_to_end(&mut json).map_err(|_| bad(cut))?;
    let version = serde_json::from_slice::<serde_json::Value>(&json).ok();
    match version.as_ref().and_then(|v| v["jamjar_thread"].as_u64()) {
        None => return Err(bad(format!("{RECORD} does not say what it is"))),
        Some(v) if v > u64::from(VERSION) => {
            return Err(bad(format!(
                "this thread is of form {v}, and this program reads up to {VERSION}: read it with a newer Jamjar"
            )));
        }
        Some(_) => {}
    }
    serde_json::from_slice(&json)
        .map_err(|e| bad(format!("{RECORD}, line {}, column {}: {e}", e.line(), e.column())))
}

/// Takes a thread in: a vehicle that is not here yet is made with its sheet and limits, revisions and recordings go into
/// custody, and steps that are not here yet are added. Its id here.
///
/// # Errors
/// [`WorkflowError::Bad`] in words for a file that is no thread, is damaged, or would put another file under the name of a
/// map that is here; nothing of what it says is stored then.
pub async fn unpack(store: &Store, path: &Path, by: &By) -> Result<i64, WorkflowError> {
    let path = path.to_owned();
    let arrived = blocking(move || Arrived::open(&path)).await??;
    let vehicle_id = vehicle_of(store, &arrived.record).await?;
    let maps = maps_of(store, vehicle_id, &arrived).await?;
    let of_map = |f: &&FileIn| arrived.record.maps.iter().any(|m| m.sha256 == f.sha256);
    for f in arrived.record.files.iter().filter(|f| !of_map(f)) {
        store.receive_file(&f.name, Cursor::new(arrived.bytes(f).await?)).await?;
    }
    let record = arrived.record;
    let opened = By::new(record.opened_by.clone(), by.why.clone());
    let elsewhere = (record.uid.clone(), record.opened_at);
    let thread_id = store.open_thread(vehicle_id, &record.title, Some(&elsewhere), &opened).await?;
    let steps: Vec<NewStep> = record
        .steps
        .into_iter()
        .map(|s| NewStep {
            map_id: s.map.and_then(|uid| maps.get(&uid).copied()),
            uid: Some(s.uid),
            kind: s.kind,
            by: s.by,
            at: Some(s.at),
            words: s.words,
            files: s.files,
            channel: s.channel,
            at_s: s.at_s,
        })
        .collect();
    store.add_steps(thread_id, &steps).await?;
    Ok(thread_id)
}

/// The vehicle here, made where it is not.
async fn vehicle_of(store: &Store, r: &Record) -> Result<i64, WorkflowError> {
    let uid = r.vehicle.uid.clone().ok_or_else(|| bad("its vehicle has no lasting id"))?;
    if let Some(Subject::Vehicle(id)) = store.by_lasting_id(&uid).await? {
        return Ok(id);
    }
    vehicle_in(&r.vehicle, &r.limits).map_err(|e| bad(format!("its vehicle cannot be read: {e}")))?;
    let shop = Shop { vehicles: vec![r.vehicle.clone()], limits: r.limits.clone(), ..Shop::default() };
    let no_block = |_: i64| Err(StoreError::Other("a thread carries no samples".into()));
    match store.put_back(&shop, &HashMap::new(), &HashMap::new(), &no_block).await {
        Ok(ids) => ids.first().copied().ok_or_else(|| bad("its vehicle was not made")),
        Err(StoreError::Duplicate) => Err(bad(format!(
            "a vehicle called {} is here already, and is another one: rename it first",
            r.vehicle.name
        ))),
        Err(e) => Err(e.into()),
    }
}

/// Its revisions here, by lasting id: those that are not here go into custody.
async fn maps_of(
    store: &Store,
    vehicle_id: i64,
    arrived: &Arrived,
) -> Result<BTreeMap<String, i64>, WorkflowError> {
    let mut out = BTreeMap::new();
    for m in &arrived.record.maps {
        let here = match store.by_lasting_id(&m.uid).await? {
            Some(Subject::Map(id)) => Some(id),
            _ => None,
        };
        let named = store.maps(vehicle_id).await?.into_iter().find(|own| own.name == m.name);
        if here.is_none()
            && named.as_ref().is_some_and(|own| own.file.as_ref().is_some_and(|f| f.sha256 != m.sha256))
        {
            return Err(bad(format!(
                "a map called {} is here already with another file: rename it first, no file is replaced",
                m.name
            )));
        }
        let id = match here {
            Some(id) => id,
            None => {
                let file = arrived.record.files.iter().find(|f| f.sha256 == m.sha256);
                let file = file.ok_or_else(|| bad(format!("the file of {} did not come along", m.name)))?;
                let new = NewMap {
                    name: m.name.clone(),
                    kind: m.kind.clone(),
                    parent: m.parent.clone(),
                    for_fuel: m.for_fuel.clone(),
                    note: m.note.clone(),
                    file_name: file.name.clone(),
                };
                let id = store.put_map(vehicle_id, &new, Cursor::new(arrived.bytes(file).await?)).await?;
                if named.is_none() {
                    store.keep_map_id(id, &m.uid).await?;
                }
                id
            }
        };
        out.insert(m.uid.clone(), id);
    }
    Ok(out)
}
