//! `jamjar recorder FOLDER`: stands in for a cell's recorders, and drops simulated pulls into a folder.

use super::bad_input;
use jamjar_workflow::{scenarios, simulate};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Duration;

/// A file is written in so many pieces with a pause between them, as a recorder writes it.
const PIECES: usize = 8;
const PAUSE: Duration = Duration::from_millis(60);

/// What is recorded.
pub(crate) struct Asked {
    pub(crate) scenario: String,
    pub(crate) seed: Option<u64>,
    /// Between two pulls, s.
    pub(crate) every_s: f64,
    pub(crate) pulls: usize,
    /// Only recordings whose names begin so.
    pub(crate) only: String,
}

/// Writes one pull after the other.
pub(crate) fn run(folder: &Path, asked: &Asked) -> ExitCode {
    match record(folder, asked) {
        Ok(n) => {
            println!("{n} pulls stand in {}", folder.display());
            ExitCode::SUCCESS
        }
        Err(e) => bad_input(e),
    }
}

fn record(folder: &Path, asked: &Asked) -> Result<usize, String> {
    if !(0.0..=3600.0).contains(&asked.every_s) {
        return Err(format!("--every {}: give seconds from 0 to 3600", asked.every_s));
    }
    std::fs::create_dir_all(folder).map_err(|e| format!("{}: {e}", folder.display()))?;
    let l = scenarios::open(&asked.scenario)?;
    let run = l.run(asked.seed, None)?;
    let made = tempfile::tempdir().map_err(|e| e.to_string())?;
    simulate::write_days(&l, &run, made.path()).map_err(|e| e.to_string())?;
    let all = recordings(made.path(), &asked.only).map_err(|e| e.to_string())?;
    if all.is_empty() {
        return Err(format!("no recording of {} begins with “{}”", asked.scenario, asked.only));
    }
    let mut n = 0;
    for (dyno, others) in all.into_iter().take(asked.pulls) {
        if n > 0 {
            std::thread::sleep(Duration::from_secs_f64(asked.every_s));
        }
        n += 1;
        for path in std::iter::once(dyno).chain(others) {
            let own = path.file_name().map(|f| f.to_string_lossy().into_owned()).unwrap_or_default();
            let to = folder.join(format!("r{n:03}_{own}"));
            piecewise(&path, &to).map_err(|e| format!("{}: {e}", to.display()))?;
            println!("{}", to.display());
        }
    }
    Ok(n)
}

/// Dyno recordings in the order of their names, each with the engine computer's file beside it.
fn recordings(root: &Path, only: &str) -> std::io::Result<Vec<(PathBuf, Vec<PathBuf>)>> {
    let mut out = Vec::new();
    let mut folders = vec![root.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder)? {
            let path = entry?.path();
            let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
            if path.is_dir() {
                folders.push(path);
            } else if name.starts_with(only) && name.ends_with("_dyno.csv") {
                let beside = path.with_file_name(name.replace("_dyno.csv", "_ecu.csv"));
                out.push((path, beside.is_file().then_some(beside).into_iter().collect()));
            }
        }
    }
    out.sort();
    Ok(out)
}

fn piecewise(from: &Path, to: &Path) -> std::io::Result<()> {
    let bytes = std::fs::read(from)?;
    let mut out = std::fs::File::create(to)?;
    for piece in bytes.chunks(bytes.len().div_ceil(PIECES).max(1)) {
        out.write_all(piece)?;
        out.flush()?;
        std::thread::sleep(PAUSE);
    }
    Ok(())
}
