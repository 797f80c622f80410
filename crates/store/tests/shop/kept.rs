//! Data folders that a test binary makes once and then copies: installing a database and building its tables takes seconds,
//! copying them does not.
#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};

/// Where this process keeps a folder of a name. A static is never dropped: what processes that have ended left goes first.
pub(crate) fn folder(name: &str) -> PathBuf {
    let all = Path::new(env!("CARGO_TARGET_TMPDIR")).join("kept");
    std::fs::create_dir_all(&all).unwrap();
    for left in std::fs::read_dir(&all).unwrap().flatten() {
        if !Path::new("/proc").join(left.file_name()).exists() {
            let _ = std::fs::remove_dir_all(left.path());
        }
    }
    let own = all.join(std::process::id().to_string()).join(name);
    std::fs::create_dir_all(&own).unwrap();
    own
}

/// A folder with all that is in it but what belongs to a running server.
pub(crate) fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let (kind, name) = (entry.file_type().unwrap(), entry.file_name());
        if kind.is_dir() {
            copy(&entry.path(), &to.join(&name));
        } else if kind.is_file() && name != "db.pid" && name != "db.port" && name != "jamjar.lock" {
            std::fs::copy(entry.path(), to.join(&name)).unwrap();
        }
    }
}
