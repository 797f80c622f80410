//! What a person sends, on disk first: memory is only taken for what has arrived, and only in turn.

use super::custody::cut;
use crate::error::WebError;
use crate::state::AppState;
use axum::extract::multipart::Field;
use std::io;
use std::path::PathBuf;
use tokio::io::AsyncWriteExt;
use tokio::sync::OwnedSemaphorePermit;

/// Largest single file (our choice: packed, it stays within what the program may take).
const MOST_BYTES: u64 = 256 << 20;

/// A file in flight; it goes when this goes.
pub(super) struct Spooled {
    /// Where it stands.
    pub(super) path: PathBuf,
    /// What it was called, without control characters; empty when no file was chosen.
    pub(super) name: String,
    bytes: u64,
}

impl Spooled {
    /// Takes a field of a form to disk.
    ///
    /// # Errors
    /// [`WebError::Bad`] when it does not arrive whole, [`WebError::NoRoom`] when the disk cannot take it.
    pub(super) async fn take(state: &AppState, mut field: Field<'_>) -> Result<Self, WebError> {
        let name =
            field.file_name().unwrap_or_default().chars().filter(|c| !c.is_control()).take(200).collect();
        let path = state.spool.join(format!("{:016x}{:016x}", unguessed(), unguessed()));
        let mut spooled = Self { path, name, bytes: 0 };
        let mut file = tokio::fs::OpenOptions::new()
            .write(true)
            .create_new(true)
            .mode(0o600)
            .open(&spooled.path)
            .await
            .map_err(lost)?;
        while let Some(bytes) = field.chunk().await.map_err(cut)? {
            file.write_all(&bytes).await.map_err(lost)?;
            spooled.bytes += bytes.len() as u64;
            if spooled.bytes > MOST_BYTES {
                return Err(WebError::TooLarge(format!(
                    "{} is larger than {} MiB: split it.",
                    spooled.name,
                    MOST_BYTES >> 20
                )));
            }
        }
        file.flush().await.map_err(lost)?;
        state.room_for(spooled.bytes)?;
        Ok(spooled)
    }

    /// Waits for the memory in which it may be read.
    pub(super) async fn turn(&self, state: &AppState) -> Option<OwnedSemaphorePermit> {
        state.share(self.bytes).await
    }

    /// All of it.
    ///
    /// # Errors
    /// [`WebError::Internal`] when the disk fails.
    pub(super) async fn read(&self) -> Result<Vec<u8>, WebError> {
        tokio::fs::read(&self.path).await.map_err(lost)
    }
}

impl Drop for Spooled {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

#[allow(clippy::needless_pass_by_value)]
fn lost(e: io::Error) -> WebError {
    match e.kind() {
        io::ErrorKind::StorageFull => WebError::NoRoom(e.to_string()),
        _ => WebError::Internal(e.to_string()),
    }
}

/// From the random keys every hasher of this process is given.
fn unguessed() -> u64 {
    use std::hash::{BuildHasher, Hasher, RandomState};
    RandomState::new().build_hasher().finish()
}
