//! Writing an archive as a stream: a handful of small files or blocks, or a piece of a large one, in memory at a
//! time.

use super::{ABOUT, About, RECORD, VERSION, file_entry, samples_entry};
use crate::error::{WorkflowError, internal};
use jamjar_store::{FileRow, Shop, Store, StoreError};
use std::collections::HashMap;
use std::io::{Read, Write};
use tokio::runtime::Handle;
use zip::CompressionMethod;
use zip::write::{SimpleFileOptions, ZipWriter};

/// From so many bytes on an entry is written as a large one.
const LARGE: i64 = 0xffff_0000;
/// Files up to this size, bytes, and samples are fetched so many at once: each alone would wait for the
/// database.
const SMALL: i64 = 1 << 20;
const AT_ONCE: usize = 24;
/// Times the rows are read while somebody changes them.
const TRIES: usize = 5;
/// Bytes copied at a time.
const PIECE: usize = 256 << 10;

/// What is about to be written: the rows as of one moment, and in which version the days stood.
#[derive(Debug, Clone, PartialEq)]
pub struct Contents {
    shop: Shop,
    vehicles: Vec<i64>,
    days: HashMap<i64, i64>,
}

impl Contents {
    /// What the archive will say of itself.
    pub fn about(&self) -> About {
        let s = &self.shop;
        About {
            jamjar_archive: VERSION,
            program: env!("CARGO_PKG_VERSION").to_owned(),
            vehicles: s.vehicles.iter().map(|v| v.name.clone()).collect(),
            days: s.days.len(),
            pulls: s.pulls.len(),
            files: s.files.len(),
        }
    }
}

/// Everything of some vehicles, or of all.
///
/// # Errors
/// [`WorkflowError`] when there is no such vehicle or the store refuses.
pub async fn contents(store: &Store, vehicles: Option<&[i64]>) -> Result<Contents, WorkflowError> {
    let ids = match vehicles {
        Some(some) => some.to_vec(),
        None => store.vehicle_ids().await?,
    };
    for _ in 0..TRIES {
        // Known before its rows are read: what changes behind them is noticed, and so is what changes while they are.
        let days = store.measured_of(&ids).await?;
        let shop = store.take_out(&ids).await?;
        if store.measured_of(&ids).await? == days {
            return Ok(Contents { shop, days, vehicles: ids });
        }
    }
    Err(StoreError::Changed { what: "a day that was being taken out", now: None }.into())
}

/// Writes the archive; called where waiting is allowed, with a handle on the runtime that serves the store.
///
/// # Errors
/// [`WorkflowError`] when the store or the writer fails, or samples changed while they were written: what was
/// written then ends without a directory and is no archive.
pub fn write(store: &Store, runtime: &Handle, what: &Contents, out: impl Write) -> Result<(), WorkflowError> {
    let mut zip = ZipWriter::new_stream(out);
    let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    let plain = SimpleFileOptions::default().compression_method(CompressionMethod::Stored);
    let json = |v: Result<Vec<u8>, serde_json::Error>| v.map_err(internal);
    zip.start_file(ABOUT, plain).map_err(internal)?;
    zip.write_all(&json(serde_json::to_vec_pretty(&what.about()))?).map_err(internal)?;
    zip.start_file(RECORD, packed).map_err(internal)?;
    zip.write_all(&json(serde_json::to_vec(&what.shop))?).map_err(internal)?;
    let mut entry = |name: String, bytes: &[u8]| -> Result<(), WorkflowError> {
        zip.start_file(name, plain).map_err(internal)?;
        zip.write_all(bytes).map_err(internal)
    };
    let (small, large): (Vec<&FileRow>, Vec<&FileRow>) =
        what.shop.files.iter().partition(|f| f.bytes <= SMALL);
    for some in small.chunks(AT_ONCE) {
        let ids: Vec<i64> = some.iter().map(|f| f.id).collect();
        let bytes = runtime.block_on(store.small_files(&ids))?;
        some.iter().try_for_each(|f| entry(file_entry(&f.sha256), &bytes[&f.id]))?;
    }
    let pulls: Vec<i64> = what.shop.pulls.iter().filter_map(|p| p.id).collect();
    for some in pulls.chunks(AT_ONCE) {
        let blocks = runtime.block_on(store.blocks(some))?;
        some.iter().try_for_each(|id| entry(samples_entry(*id), &blocks[id]))?;
    }
    let mut piece = vec![0u8; PIECE];
    for f in large {
        zip.start_file(file_entry(&f.sha256), plain.large_file(f.bytes > LARGE)).map_err(internal)?;
        let mut file = runtime.block_on(store.open_file(f.id))?;
        loop {
            match file.read(&mut piece).map_err(internal)? {
                0 => break,
                n => zip.write_all(&piece[..n]).map_err(internal)?,
            }
        }
        file.intact()?;
    }
    let now = runtime.block_on(store.measured_of(&what.vehicles))?;
    if what.days.iter().any(|(day, measured)| now.get(day) != Some(measured)) {
        return Err(StoreError::Changed { what: "a day that was being taken out", now: None }.into());
    }
    zip.finish().map_err(internal)?;
    Ok(())
}
