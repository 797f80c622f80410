//! A shop in one file: its recordings and map files as they came, its samples, and everything else as JSON;
//! written as a stream, and read back with the same figures. What stands where: `docs/archive.md`.

mod on_disk;
mod read;
mod write;

pub(crate) use on_disk::OnDisk;
pub(crate) use read::vehicle_in;
pub use read::{ArchiveError, read_back};
pub use write::{Contents, contents, write};

use serde::{Deserialize, Serialize};

/// Version of the archives this program writes, and the newest it reads.
pub const VERSION: u32 = 1;
/// First entry: what the archive is.
const ABOUT: &str = "jamjar-archive.json";
/// Second entry: every row.
const RECORD: &str = "record.json";

/// What an archive says of itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct About {
    pub jamjar_archive: u32,
    pub program: String,
    pub vehicles: Vec<String>,
    pub days: usize,
    pub pulls: usize,
    pub files: usize,
}

/// Where the bytes of a file stand.
fn file_entry(sha256: &str) -> String {
    format!("files/{sha256}")
}

/// Where the samples of a pull stand.
fn samples_entry(pull: i64) -> String {
    format!("samples/{pull}.block")
}
