//! Custody of raw files: whole, immutable, by SHA-256, in compressed chunks that fit any packet limit.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::{raw_chunk, raw_file};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::io::{self, Cursor, Read};
use tokio::sync::mpsc::Receiver;

/// Raw bytes per chunk before compression; stays below the 16 MiB packet even when incompressible.
const CHUNK: usize = 4 << 20;

/// A file as known to the store.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileInfo {
    /// Id.
    pub id: i64,
    /// SHA-256 in hexadecimal.
    pub sha256: String,
    /// First name it came under.
    pub name: String,
    /// Size, bytes.
    pub bytes: i64,
}

/// A file taken in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Received {
    /// Id.
    pub id: i64,
    /// True when the very same bytes were here already (for a day's inbox: on that day).
    pub known: bool,
    /// True when the very same bytes already belong to a pull of another day.
    pub elsewhere: bool,
}

/// Hexadecimal of bytes.
pub(crate) fn hex(bytes: &[u8]) -> String {
    hex::encode(bytes)
}

/// Stores the bytes within the caller's transaction; the same bytes twice are one file.
pub(crate) async fn receive(
    c: &mut AsyncMysqlConnection,
    name: &str,
    sha: &[u8],
    chunks: &[Vec<u8>],
    bytes: i64,
) -> Result<Received, StoreError> {
    let found: Option<i64> =
        raw_file::table.filter(raw_file::sha256.eq(sha)).select(raw_file::id).first(c).await.optional()?;
    if let Some(id) = found {
        return Ok(Received { id, known: true, elsewhere: false });
    }
    diesel::insert_into(raw_file::table)
        .values((raw_file::sha256.eq(sha), raw_file::name.eq(name), raw_file::bytes.eq(bytes)))
        .execute(c)
        .await?;
    let id = inserted(c).await?;
    for (seq, data) in chunks.iter().enumerate() {
        diesel::insert_into(raw_chunk::table)
            .values((raw_chunk::file_id.eq(id), raw_chunk::seq.eq(seq as i32), raw_chunk::data.eq(data)))
            .execute(c)
            .await?;
    }
    Ok(Received { id, known: false, elsewhere: false })
}

/// Hash and compressed chunks of a stream, holding one raw chunk at a time.
pub(crate) fn pack(mut input: impl Read) -> std::io::Result<(Vec<u8>, Vec<Vec<u8>>, i64)> {
    let (mut hash, mut chunks, mut total) = (Sha256::new(), Vec::new(), 0i64);
    let mut buffer = vec![0u8; CHUNK];
    loop {
        let mut filled = 0;
        while filled < CHUNK {
            match input.read(&mut buffer[filled..])? {
                0 => break,
                n => filled += n,
            }
        }
        if filled == 0 {
            break;
        }
        hash.update(&buffer[..filled]);
        total += filled as i64;
        chunks.push(zstd::encode_all(&buffer[..filled], 3)?);
        if filled < CHUNK {
            break;
        }
    }
    Ok((hash.finalize().to_vec(), chunks, total))
}

/// The same, away from the threads that serve.
pub(crate) async fn packed(
    input: impl Read + Send + 'static,
) -> Result<(Vec<u8>, Vec<Vec<u8>>, i64), StoreError> {
    let done = tokio::task::spawn_blocking(move || pack(input)).await;
    done.map_err(|e| StoreError::Other(e.to_string()))?.map_err(|e| StoreError::Other(e.to_string()))
}

/// A file with its one chunk.
#[derive(Queryable)]
struct Small {
    id: i64,
    sha256: Vec<u8>,
    name: String,
    bytes: i64,
    data: Option<Vec<u8>>,
}

/// Packed chunks fetched ahead of a reader.
const AHEAD: usize = 2;

/// A file coming out of custody, a few chunks in memory at a time. It is read away from the threads that
/// serve: reading waits for the database. Whoever has read it asks [`FileReader::intact`] before trusting
/// what was read.
pub struct FileReader {
    info: FileInfo,
    chunks: Receiver<Result<Vec<u8>, StoreError>>,
    open: Cursor<Vec<u8>>,
    hash: Sha256,
}

impl FileReader {
    /// Reads what is left and compares the whole with its hash.
    ///
    /// # Errors
    /// [`StoreError::Damaged`] when a chunk cannot be unpacked or the hash does not match.
    pub fn intact(mut self) -> Result<(), StoreError> {
        io::copy(&mut self, &mut io::sink())
            .map_err(|e| StoreError::Damaged(format!("file {}: {e}", self.info.name)))?;
        if hex(&self.hash.finalize()) == self.info.sha256 {
            Ok(())
        } else {
            Err(StoreError::Damaged(format!("file {} does not match its hash", self.info.name)))
        }
    }
}

impl Read for FileReader {
    fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
        loop {
            let n = self.open.read(buf)?;
            if n > 0 || buf.is_empty() {
                return Ok(n);
            }
            let Some(chunk) = self.chunks.blocking_recv() else { return Ok(0) };
            // After a chunk that cannot be had the hash never comes out right.
            let raw = chunk
                .map_err(io::Error::other)
                .and_then(|c| zstd::decode_all(c.as_slice()))
                .inspect_err(|_| self.hash.update(b"lost"))?;
            self.hash.update(&raw);
            self.open = Cursor::new(raw);
        }
    }
}

impl Store {
    /// Takes a file into custody in one transaction.
    ///
    /// # Errors
    /// [`StoreError`] when the stream or the database fails; then nothing is stored.
    #[boxed]
    pub async fn receive_file(
        &self,
        name: &str,
        input: impl Read + Send + 'static,
    ) -> Result<Received, StoreError> {
        let (sha, chunks, bytes) = packed(input).await?;
        self.transact(async |c| receive(c, name, &sha, &chunks, bytes).await).await
    }

    /// Ids of all files in custody.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn file_ids(&self) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        Ok(raw_file::table.order(raw_file::id).select(raw_file::id).load(&mut c).await?)
    }

    /// The bytes of a file, checked against its hash.
    ///
    /// # Errors
    /// [`StoreError::NotFound`], or [`StoreError::Damaged`] when the hash does not match.
    #[boxed]
    pub async fn file_bytes(&self, id: i64) -> Result<Vec<u8>, StoreError> {
        let mut file = self.open_file(id).await?;
        let read = move || {
            let mut out = Vec::with_capacity(usize::try_from(file.info.bytes).unwrap_or(0));
            // What cannot be read is said by the check that follows.
            let _ = file.read_to_end(&mut out);
            file.intact().map(|()| out)
        };
        tokio::task::spawn_blocking(read).await.map_err(|e| StoreError::Other(e.to_string()))?
    }

    /// A file to be read from its beginning, one chunk unpacked at a time.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    #[boxed]
    pub async fn open_file(&self, id: i64) -> Result<FileReader, StoreError> {
        let info = self.file(id).await?;
        let (sender, chunks) = tokio::sync::mpsc::channel(AHEAD);
        let store = self.clone();
        tokio::spawn(async move {
            for seq in 0.. {
                // No connection is held while the reader takes its time.
                let Some(chunk) = store.chunk(id, seq).await.transpose() else { return };
                let failed = chunk.is_err();
                if sender.send(chunk).await.is_err() || failed {
                    return;
                }
            }
        });
        Ok(FileReader { info, chunks, open: Cursor::default(), hash: Sha256::new() })
    }

    /// The bytes of several files of one chunk each, checked against their hashes: one query for all of them.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when one is missing, [`StoreError::Damaged`] when its hash does not match or it has
    /// more than one chunk.
    #[boxed]
    pub async fn small_files(&self, ids: &[i64]) -> Result<HashMap<i64, Vec<u8>>, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<Small> = raw_file::table
            .left_join(raw_chunk::table)
            .filter(raw_file::id.eq_any(ids))
            .select((
                raw_file::id,
                raw_file::sha256,
                raw_file::name,
                raw_file::bytes,
                raw_chunk::data.nullable(),
            ))
            .load(&mut c)
            .await?;
        drop(c);
        let unpacked = move || {
            let mut out = HashMap::new();
            for Small { id, sha256, name, bytes, data } in rows {
                let damaged = |why: String| StoreError::Damaged(format!("file {name}: {why}"));
                let packed = data.unwrap_or_default();
                let raw =
                    if packed.is_empty() { Ok(Vec::new()) } else { zstd::decode_all(packed.as_slice()) };
                let raw = raw.map_err(|e| damaged(e.to_string()))?;
                if raw.len() as i64 != bytes || Sha256::digest(&raw).as_slice() != sha256 {
                    return Err(damaged("it does not match its hash".into()));
                }
                out.insert(id, raw);
            }
            Ok(out)
        };
        let out =
            tokio::task::spawn_blocking(unpacked).await.map_err(|e| StoreError::Other(e.to_string()))??;
        match ids.iter().find(|id| !out.contains_key(id)) {
            Some(id) => Err(StoreError::NotFound { what: "file", id: *id }),
            None => Ok(out),
        }
    }

    async fn chunk(&self, file: i64, seq: i32) -> Result<Option<Vec<u8>>, StoreError> {
        let mut c = self.conn().await?;
        let found = raw_chunk::table.find((file, seq)).select(raw_chunk::data).first(&mut c).await.optional();
        Ok(found?)
    }

    /// What is known of a file.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    #[boxed]
    pub async fn file(&self, id: i64) -> Result<FileInfo, StoreError> {
        let mut c = self.conn().await?;
        let row: (i64, Vec<u8>, String, i64) = raw_file::table
            .find(id)
            .select((raw_file::id, raw_file::sha256, raw_file::name, raw_file::bytes))
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("file", id))?;
        Ok(FileInfo { id: row.0, sha256: hex(&row.1), name: row.2, bytes: row.3 })
    }
}
