//! Reading an archive back into a shop: checked whole, then stored in one transaction.

use super::on_disk::OnDisk;
use super::{ABOUT, About, RECORD, VERSION, file_entry, samples_entry};
use crate::error::{WorkflowError, blocking, internal};
use crate::input::ratio_in;
use jamjar_core::air::AirState;
use jamjar_core::analysis::{
    Engine, Finished, Measured, PullInput, SetInput, Settings, Vehicle, measure_sets,
};
use jamjar_core::factors::Factors;
use jamjar_core::limits::Limit;
use jamjar_core::pull::dyno::Dyno;
use jamjar_core::vehicle_sheet::VehicleSheet;
use jamjar_store::{
    Configuration, LimitRow, PackedSummary, PullOut, SetRow, Shop, Store, StoreError, Summary, VehicleRow,
    decode_block,
};
use sha2::{Digest, Sha256};
use std::collections::{HashMap, HashSet};
use std::io::Read;
use std::path::Path;
use std::sync::Arc;
use thiserror::Error;
use zip::ZipArchive;
use zip::result::ZipError;

/// Largest list of rows that is read, bytes (our choice: a shop of a million pulls stays below it).
const MOST_ROWS: u64 = 2 << 30;
/// Bytes read at a time.
const PIECE: usize = 1 << 20;

/// Why an archive cannot be read back. Nothing of it is stored then.
#[derive(Debug, Error)]
#[allow(missing_docs)]
pub enum ArchiveError {
    #[error("this is not an archive of Jamjar: it has no {ABOUT}")]
    NotOurs,
    #[error("the archive is cut short or damaged ({0}): take it out again, or copy it again")]
    Damaged(String),
    #[error(
        "the archive is of version {found}, and this program reads up to {VERSION}: read it with a newer Jamjar"
    )]
    Newer { found: u32 },
    #[error("a vehicle called {0} is here already: rename one of the two first")]
    Known(String),
}

impl From<ArchiveError> for WorkflowError {
    fn from(e: ArchiveError) -> Self {
        Self::Bad(e.to_string())
    }
}

/// An archive on a disk, opened once: its copies share the file and its directory, each with a place of its own.
#[derive(Clone)]
struct Opened {
    zip: ZipArchive<OnDisk>,
}

impl Opened {
    fn open(path: &Path) -> Result<Self, WorkflowError> {
        let file = OnDisk::open(path).map_err(internal)?;
        let zip = ZipArchive::new(file).map_err(|e| ArchiveError::Damaged(e.to_string()))?;
        Ok(Self { zip })
    }

    /// The bytes of an entry, checked against what the archive's directory says of them.
    fn entry(&mut self, name: &str, most: u64) -> Result<Vec<u8>, WorkflowError> {
        let entry = self.zip.by_name(name).map_err(|e| missing(name, &e))?;
        let mut out = Vec::with_capacity(entry.size().min(1 << 20) as usize);
        entry.take(most).read_to_end(&mut out).map_err(|e| ArchiveError::Damaged(format!("{name}: {e}")))?;
        Ok(out)
    }

    /// What it is and every row of it.
    fn shop(&mut self) -> Result<Shop, WorkflowError> {
        if self.zip.index_for_name(ABOUT).is_none() {
            return Err(ArchiveError::NotOurs.into());
        }
        let about = self.entry(ABOUT, 1 << 20)?;
        #[derive(serde::Deserialize)]
        struct Version {
            jamjar_archive: u32,
        }
        let damaged = |e: serde_json::Error| ArchiveError::Damaged(e.to_string());
        let Version { jamjar_archive: found } = serde_json::from_slice(&about).map_err(damaged)?;
        if found > VERSION {
            return Err(ArchiveError::Newer { found }.into());
        }
        let _: About = serde_json::from_slice(&about).map_err(damaged)?;
        let rows = self.entry(RECORD, MOST_ROWS)?;
        Ok(serde_json::from_slice(&rows).map_err(damaged)?)
    }

    /// Refuses when a file is not what its name says, or an entry is missing.
    fn check(&mut self, shop: &Shop) -> Result<(), WorkflowError> {
        let mut piece = vec![0u8; PIECE];
        for f in &shop.files {
            let name = file_entry(&f.sha256);
            let mut entry = self.zip.by_name(&name).map_err(|e| missing(&name, &e))?;
            let mut hash = Sha256::new();
            loop {
                match entry.read(&mut piece).map_err(|e| ArchiveError::Damaged(format!("{name}: {e}")))? {
                    0 => break,
                    n => hash.update(&piece[..n]),
                }
            }
            if hex::encode(hash.finalize()) != f.sha256 {
                return Err(ArchiveError::Damaged(format!("{} is not what its hash says", f.name)).into());
            }
        }
        let there = |p: i64| self.zip.index_for_name(&samples_entry(p)).is_some();
        match shop.pulls.iter().filter_map(|p| p.id).find(|id| !there(*id)) {
            Some(id) => Err(ArchiveError::Damaged(format!("the samples of pull {id} are missing")).into()),
            None => Ok(()),
        }
    }
}

fn missing(name: &str, e: &ZipError) -> WorkflowError {
    ArchiveError::Damaged(format!("{name}: {e}")).into()
}

/// Reads an archive back: says the new ids of its vehicles. Files go into custody first, where they harm
/// nothing; the rows come in one transaction.
///
/// # Errors
/// [`ArchiveError`] in words, as [`WorkflowError::Bad`], for an archive that cannot be read back; then nothing
/// of it is stored but files.
pub async fn read_back(store: &Store, path: &Path) -> Result<Vec<i64>, WorkflowError> {
    let own = path.to_owned();
    let (archive, shop) = blocking(move || {
        let mut archive = Opened::open(&own)?;
        let shop = archive.shop()?;
        archive.check(&shop)?;
        Ok::<_, WorkflowError>((archive, shop))
    })
    .await??;
    let here: HashSet<String> = store.vehicle_names().await?.into_iter().collect();
    if let Some(v) = shop.vehicles.iter().find(|v| here.contains(&v.name)) {
        return Err(ArchiveError::Known(v.name.clone()).into());
    }
    let mut files = HashMap::new();
    for f in &shop.files {
        let input = Entry::open(archive.clone(), file_entry(&f.sha256));
        files.insert(f.id, store.receive_file(&f.name, input).await?.id);
    }
    let (mut own, read) = (archive.clone(), Arc::new(shop));
    let shop = read.clone();
    let summaries = blocking(move || summaries(&mut own, &shop)).await??;
    let block = move |pull: i64| -> Result<Vec<u8>, StoreError> {
        let read = archive.clone().entry(&samples_entry(pull), u64::MAX);
        read.map_err(|e| StoreError::Damaged(e.to_string()))
    };
    match store.put_back(&read, &files, &summaries, &block).await {
        Err(StoreError::Duplicate) => {
            let name = read.vehicles.first().map_or_else(String::new, |v| v.name.clone());
            Err(ArchiveError::Known(name).into())
        }
        Err(StoreError::Damaged(what)) => Err(ArchiveError::Damaged(what).into()),
        other => Ok(other?),
    }
}

/// An entry as a stream of its own.
struct Entry {
    pieces: std::sync::mpsc::Receiver<std::io::Result<Vec<u8>>>,
    open: std::io::Cursor<Vec<u8>>,
}

impl Entry {
    fn open(mut archive: Opened, name: String) -> Self {
        let (sender, pieces) = std::sync::mpsc::sync_channel(2);
        std::thread::spawn(move || {
            let Ok(mut entry) = archive.zip.by_name(&name) else {
                let _ = sender.send(Err(std::io::Error::other(format!("{name} is gone"))));
                return;
            };
            loop {
                let mut piece = Vec::new();
                let read = entry.by_ref().take(1 << 20).read_to_end(&mut piece);
                let last = !matches!(read, Ok(n) if n > 0);
                if matches!(read, Ok(0)) || sender.send(read.map(|_| piece)).is_err() || last {
                    return;
                }
            }
        });
        Self { pieces, open: std::io::Cursor::default() }
    }
}

impl Read for Entry {
    fn read(&mut self, buf: &mut [u8]) -> std::io::Result<usize> {
        loop {
            let n = self.open.read(buf)?;
            if n > 0 || buf.is_empty() {
                return Ok(n);
            }
            match self.pieces.recv() {
                Ok(piece) => self.open = std::io::Cursor::new(piece?),
                Err(_) => return Ok(0),
            }
        }
    }
}

/// A vehicle and its limits out of their rows.
///
/// # Errors
/// [`serde_json::Error`] for a row that this program cannot read.
pub(crate) fn vehicle_in<'a>(
    row: &VehicleRow,
    limits: impl IntoIterator<Item = &'a LimitRow>,
) -> Result<(Vehicle, Vec<Limit>), serde_json::Error> {
    let sheet: VehicleSheet = serde_json::from_str(&row.sheet)?;
    let vehicle = Vehicle {
        name: row.name.clone(),
        engine: serde_json::from_str::<Engine>(&row.engine)?,
        dyno: serde_json::from_str::<Dyno>(&row.dyno)?,
        gears: sheet.as_gears(),
        computed: sheet.computed,
    };
    let limits = limits.into_iter().map(|l| serde_json::from_str(&l.definition)).collect::<Result<_, _>>()?;
    Ok((vehicle, limits))
}

/// What is measured of every pull, day by day, for searching; the first look at a page measures once more and
/// keeps what it finds.
fn summaries(archive: &mut Opened, shop: &Shop) -> Result<HashMap<i64, PackedSummary>, WorkflowError> {
    let mut out = HashMap::new();
    let mut sets_of: HashMap<i64, Vec<&SetRow>> = HashMap::new();
    shop.sets.iter().for_each(|s| sets_of.entry(s.day_id).or_default().push(s));
    let mut pulls_of: HashMap<i64, Vec<&PullOut>> = HashMap::new();
    shop.pulls.iter().for_each(|p| pulls_of.entry(p.set_id).or_default().push(p));
    for day in &shop.days {
        let vehicle = shop.vehicles.iter().find(|v| v.id == Some(day.vehicle_id));
        let vehicle = vehicle.ok_or_else(|| ArchiveError::Damaged("a day without a vehicle".into()))?;
        let damaged = |e: serde_json::Error| ArchiveError::Damaged(e.to_string());
        let own = shop.limits.iter().filter(|l| l.vehicle_id == day.vehicle_id);
        let (v, limits) = vehicle_in(vehicle, own).map_err(damaged)?;
        let (mut inputs, mut ids) = (Vec::new(), Vec::new());
        for set in day.id.and_then(|d| sets_of.get(&d)).into_iter().flatten() {
            let mut input = SetInput {
                id: set.id.unwrap_or_default().to_string(),
                day: day.on_date.to_string(),
                factors: factors(shop, set),
                order: f64::from(set.position),
                ..SetInput::default()
            };
            let per_rev = v.engine.injections_per_rev();
            for p in set.id.and_then(|s| pulls_of.get(&s)).into_iter().flatten() {
                let id = p.id.unwrap_or_default();
                let block = archive.entry(&samples_entry(id), u64::MAX)?;
                let (dyno, ecu) = decode_block(&block)
                    .map_err(|e| ArchiveError::Damaged(format!("the samples of pull {id}: {e}")))?;
                let finished: Option<Finished> =
                    p.finished.as_deref().map(serde_json::from_str).transpose().map_err(damaged)?;
                input.pulls.push(PullInput {
                    id: format!("p{}", p.position),
                    dyno: dyno.with_duty(per_rev),
                    ecu: ecu.map(|e| Arc::new(e.with_duty(per_rev))),
                    air: AirState::whole([p.temperature_c, p.humidity, p.pressure_hpa])
                        .or_else(|| AirState::whole([day.temperature_c, day.humidity, day.pressure_hpa])),
                    lag_s: p.lag_s,
                    excluded: p.excluded_reason.clone(),
                    finished,
                    overall_ratio: ratio_in(&v, &set.gear),
                    ..PullInput::default()
                });
                ids.push(id);
            }
            inputs.push(input);
        }
        let measured = measure_sets(&inputs, &v, &Settings::default(), &limits)
            .map_err(|e| ArchiveError::Damaged(e.to_string()))?;
        for (id, m) in ids.into_iter().zip(measured.into_iter().flatten()) {
            out.insert(id, summary(m)?);
        }
    }
    Ok(out)
}

/// Of an algorithm that is none, so that it is made again when it is looked at.
fn summary(measured: Measured) -> Result<PackedSummary, WorkflowError> {
    Ok(Summary { algorithm: 0, settings: "0000000000000000".into(), measured: Arc::new(measured) }.pack()?)
}

fn factors(shop: &Shop, set: &SetRow) -> Factors {
    let name = |of: Option<&String>| of.cloned().unwrap_or_default();
    let config = Configuration {
        map: name(shop.maps.iter().find(|m| m.id == Some(set.map_id)).map(|m| &m.name)),
        fuel: name(shop.fuels.iter().find(|f| f.id == Some(set.fuel_id)).map(|f| &f.name)),
        build: name(shop.builds.iter().find(|b| b.id == Some(set.build_id)).map(|b| &b.name)),
        boost: set.boost.clone(),
        gear: set.gear.clone(),
        extras: serde_json::from_str(&set.extras).unwrap_or_default(),
        ..Configuration::default()
    };
    config.factors()
}
