//! Files that people send, on disk first: memory is only taken for what has arrived.

use std::fs::{self, File};
use std::io;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tempfile::{Builder, TempPath};
use thiserror::Error;
use tokio::io::AsyncWriteExt;

/// The disk could not take a file and what it becomes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
#[error("{} MiB are free on the disk that holds the data, and {} MiB are wanted", free >> 20, wanted >> 20)]
pub struct NoRoom {
    /// Free, bytes.
    pub free: u64,
    /// Wanted, bytes.
    pub wanted: u64,
}

/// The folder for files in flight.
#[derive(Debug, Clone)]
pub struct Spool {
    folder: Arc<Path>,
    spare_bytes: u64,
}

/// A file that is arriving; it goes when this goes.
#[derive(Debug)]
pub struct Arriving {
    file: tokio::fs::File,
    path: TempPath,
    bytes: u64,
}

/// A file that has arrived; it goes when this goes.
#[derive(Debug)]
pub struct Spooled {
    path: TempPath,
    bytes: u64,
}

impl Spool {
    /// A folder of its own within the data folder, for its owner alone. `spare_bytes` are kept free on the
    /// disk.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn new(data: &Path, spare_bytes: u64) -> io::Result<Self> {
        let folder: PathBuf = data.join("spool");
        fs::create_dir_all(&folder)?;
        fs::set_permissions(&folder, fs::Permissions::from_mode(0o700))?;
        Ok(Self { folder: folder.into(), spare_bytes })
    }

    /// Takes away what an earlier run left behind. Only who owns the data folder may.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn sweep(&self) -> io::Result<()> {
        for entry in fs::read_dir(&self.folder)? {
            let _ = fs::remove_file(entry?.path());
        }
        Ok(())
    }

    /// Refuses when the disk could not take `bytes` and what they become: the file itself, its copy in
    /// custody, its samples, and the database's own log of it.
    ///
    /// # Errors
    /// [`NoRoom`] with how much is free.
    pub fn room_for(&self, bytes: u64) -> Result<(), NoRoom> {
        let Ok(disk) = rustix::fs::statvfs(&*self.folder) else { return Ok(()) };
        let free = disk.f_bavail.saturating_mul(disk.f_frsize);
        let wanted = bytes.saturating_mul(3).saturating_add(self.spare_bytes);
        if free >= wanted { Ok(()) } else { Err(NoRoom { free, wanted }) }
    }

    /// An empty file that nobody else may read.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn begin(&self) -> io::Result<Arriving> {
        let (file, path) = Builder::new().prefix("").tempfile_in(&self.folder)?.into_parts();
        Ok(Arriving { file: file.into(), path, bytes: 0 })
    }
}

impl Arriving {
    /// Takes what came; how much there is by now.
    ///
    /// # Errors
    /// When the disk refuses.
    pub async fn take(&mut self, piece: &[u8]) -> io::Result<u64> {
        self.file.write_all(piece).await?;
        self.bytes += piece.len() as u64;
        Ok(self.bytes)
    }

    /// All of it is there.
    ///
    /// # Errors
    /// When the disk refuses.
    pub async fn finish(mut self) -> io::Result<Spooled> {
        self.file.flush().await?;
        Ok(Spooled { path: self.path, bytes: self.bytes })
    }
}

impl Spooled {
    /// How large it is, bytes.
    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// Where it stands.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Opens it for reading.
    ///
    /// # Errors
    /// When the disk fails.
    pub fn open(&self) -> io::Result<File> {
        File::open(&self.path)
    }

    /// All of it in memory.
    ///
    /// # Errors
    /// When the disk fails.
    pub async fn read(&self) -> io::Result<Vec<u8>> {
        tokio::fs::read(&self.path).await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_file_in_flight_is_private_whole_and_gone_with_its_owner() {
        let data = tempfile::tempdir().unwrap();
        let spool = Spool::new(data.path(), 0).unwrap();
        let mut arriving = spool.begin().unwrap();
        assert_eq!(arriving.take(b"time,").await.unwrap(), 5);
        assert_eq!(arriving.take(b"rpm\n").await.unwrap(), 9);
        let file = arriving.finish().await.unwrap();
        let path = file.path().to_owned();
        assert_eq!(fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
        assert_eq!((file.read().await.unwrap().as_slice(), file.bytes()), (&b"time,rpm\n"[..], 9));
        drop(file);
        assert!(!path.exists());
    }

    #[tokio::test]
    async fn what_an_earlier_run_left_is_swept_and_a_full_disk_is_told() {
        let data = tempfile::tempdir().unwrap();
        let spool = Spool::new(data.path(), 0).unwrap();
        fs::write(data.path().join("spool/left"), b"half").unwrap();
        spool.sweep().unwrap();
        assert_eq!(fs::read_dir(data.path().join("spool")).unwrap().count(), 0);
        assert_eq!(spool.room_for(0), Ok(()));
        let never = Spool::new(data.path(), u64::MAX).unwrap();
        assert!(never.room_for(1).unwrap_err().to_string().contains("MiB are wanted"));
    }
}
