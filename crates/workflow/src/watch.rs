//! Folders that are watched: a recording that appears in the folder of a cell is taken into the day that runs
//! there, and stored in the set that runs now when it leaves no question.

use crate::WorkflowError;
use crate::import::{self, ChosenSet, FilePreview, MadeOf, ProposedPull};
use chrono::{DateTime, NaiveDateTime, Utc};
use jamjar_store::{Begun, InboxItem, Role, RunState, Running, Store, Watched};
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, SystemTime};

/// A file is taken when it has not changed for this long: until then somebody may still be writing it.
pub const AT_REST: Duration = Duration::from_millis(500);
/// What waits for an answer is looked at again this often.
const RETRY: Duration = Duration::from_secs(1);
/// Clocks of the file system and of the database may differ by this much.
const SLACK: chrono::Duration = chrono::Duration::seconds(2);
/// More files at one look wait for the next (our choice: a folder may hold years).
const MOST_FILES: usize = 2_000;

/// What is known of a file.
#[derive(Debug, Clone, Copy)]
struct File {
    len: u64,
    modified: SystemTime,
    /// Since when it has been as it is.
    since: Instant,
    /// Taken or refused as it is.
    done: bool,
    /// An earlier state of it was taken.
    before: bool,
}

/// What a cell's folder says beside its recordings.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FolderNews {
    /// The folder cannot be read, and why.
    pub away: Option<String>,
    /// Files that were refused, with what to do.
    pub refused: Vec<String>,
    /// Files taken that wait: for the other log, or for an answer.
    pub waiting: Vec<String>,
}

/// Folders under watch.
#[derive(Debug, Default)]
pub struct Watch {
    files: HashMap<PathBuf, File>,
    /// When a day's storing was last tried, and what its inbox and running set were: the same again is not tried
    /// again.
    tried: HashMap<i64, (Instant, String)>,
    news: BTreeMap<i64, FolderNews>,
}

impl Watch {
    /// What each cell's folder said last.
    pub fn news(&self) -> &BTreeMap<i64, FolderNews> {
        &self.news
    }

    /// Looks at every watched folder once; true when anything was taken or stored.
    ///
    /// # Errors
    /// [`WorkflowError`] when the store refuses; a folder or file that cannot be read is news, not an error.
    pub async fn look(&mut self, store: &Store, watched: &[Watched]) -> Result<bool, WorkflowError> {
        self.news.retain(|cell, _| watched.iter().any(|w| w.cell == *cell));
        let mut any = false;
        for w in watched {
            let folder = PathBuf::from(&w.folder);
            let since = w.since;
            let found = tokio::task::spawn_blocking(move || listed(&folder, since)).await;
            let found = match found.map_err(|e| WorkflowError::Internal(e.to_string()))? {
                Ok(found) => {
                    self.news.entry(w.cell).or_default().away = None;
                    found
                }
                Err(e) => {
                    self.news.entry(w.cell).or_default().away = Some(e.to_string());
                    continue;
                }
            };
            let mut took = false;
            for (path, len, modified) in found {
                if self.is_ready(&path, len, modified) {
                    took |= self.take(store, w, &path).await?;
                }
            }
            let waits = self.news.get(&w.cell).is_some_and(|n| !n.waiting.is_empty());
            let due = self.tried.get(&w.day).is_none_or(|t| t.0.elapsed() >= RETRY);
            let stored = (took || waits && due) && self.store(store, w).await?;
            any |= took || stored;
        }
        Ok(any)
    }

    /// Stores what leaves no question, where anything has changed since that was last tried.
    async fn store(&mut self, store: &Store, w: &Watched) -> Result<bool, WorkflowError> {
        let items = store.inbox(w.day).await?;
        let running = store.running(w.day).await?;
        let state = format!("{items:?} {running:?}");
        let before = self.tried.insert(w.day, (Instant::now(), state.clone()));
        if before.is_some_and(|b| b.1 == state) {
            return Ok(false);
        }
        let Some(running) = running else { return Ok(false) };
        let (stored, waiting) = store_ready(store, w.day, &items, running).await?;
        self.news.entry(w.cell).or_default().waiting = waiting;
        Ok(stored)
    }

    /// Whether a file is at rest and not yet taken as it is.
    fn is_ready(&mut self, path: &Path, len: u64, modified: SystemTime) -> bool {
        let now = Instant::now();
        let known = self.files.get(path).copied();
        match known {
            Some(f) if f.len == len && f.modified == modified => {
                !f.done && len > 0 && now.duration_since(f.since) >= AT_REST
            }
            _ => {
                let before = known.is_some_and(|f| f.done || f.before);
                let fresh = File { len, modified, since: now, done: false, before };
                self.files.insert(path.to_owned(), fresh);
                false
            }
        }
    }

    /// Takes a file into the day's inbox. One that grew after it was taken stands in the place of what was taken
    /// before, as long as that was not stored.
    async fn take(&mut self, store: &Store, w: &Watched, path: &Path) -> Result<bool, WorkflowError> {
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let before = self.files.get(path).is_some_and(|f| f.before);
        if before {
            for old in store.inbox(w.day).await?.iter().filter(|i| i.name == name) {
                store.clear_inbox(w.day, Some(old.id)).await?;
            }
        }
        let day = store.day(w.day).await?;
        let ratio = store.vehicle(day.vehicle_id).await?.vehicle.dyno.overall_ratio;
        let ambient = day.air.map(|a| a.pressure_hpa / 10.0);
        let taken = import::drop_spooled(store, w.day, ratio, ambient, &name, path).await;
        if let Some(f) = self.files.get_mut(path) {
            f.done = true;
        }
        let news = self.news.entry(w.cell).or_default();
        news.refused.retain(|r| !r.starts_with(&format!("{name}:")));
        match taken {
            Ok(received) => Ok(!received.known),
            Err(WorkflowError::Format(e)) => {
                news.refused.push(e.to_string());
                Ok(false)
            }
            Err(e) => Err(e),
        }
    }
}

/// Recordings in a folder that changed since the day began.
fn listed(folder: &Path, since: NaiveDateTime) -> std::io::Result<Vec<(PathBuf, u64, SystemTime)>> {
    let mut out = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        let Ok(entry) = entry else { continue };
        let path = entry.path();
        let Ok(meta) = entry.metadata() else { continue };
        let Ok(modified) = meta.modified() else { continue };
        let changed = DateTime::<Utc>::from(modified).naive_utc();
        if meta.is_file() && is_recording(&path) && changed + SLACK >= since {
            out.push((path, meta.len(), modified));
        }
    }
    // The oldest first: the order of running.
    out.sort_by(|a, b| a.2.cmp(&b.2).then(a.0.cmp(&b.0)));
    out.truncate(MOST_FILES);
    Ok(out)
}

fn is_recording(path: &Path) -> bool {
    let name = path.file_name().map(|n| n.to_string_lossy().to_lowercase()).unwrap_or_default();
    let ends = [".csv", ".txt", ".tsv", ".log", ".gz", ".xlsx", ".ods", ".mf4", ".mdf", ".parquet"];
    !name.starts_with('.') && ends.iter().any(|e| name.ends_with(e))
}

/// Stores what waits on a day and leaves no question in the set that runs now; says whether anything was stored
/// and what still waits.
async fn store_ready(
    store: &Store,
    day_id: i64,
    items: &[InboxItem],
    running: Running,
) -> Result<(bool, Vec<String>), WorkflowError> {
    let day = store.day(day_id).await?;
    let (maps, fuels) = store.known_names(day.vehicle_id).await?;
    let sets = store.sets_of_day(day_id).await?;
    let logs_come = sets.iter().flat_map(|s| &s.pulls).any(|(p, _)| p.ecu_file_id.is_some());
    let any_stored = sets.iter().any(|s| !s.pulls.is_empty());
    let (mut pulls, mut waiting) = (Vec::new(), Vec::new());
    for p in import::propose(items, &maps, &fuels) {
        let other = import::is_another_map(&p.map, &running.config);
        for pull in &p.pulls {
            let wants_log = pull.ecu.is_none() && (logs_come || !any_stored);
            match why_not(pull, items, other, wants_log) {
                None => pulls.push(pull.chosen()),
                Some(why) => waiting.push(format!("{}: {why}", pull.names)),
            }
        }
    }
    if pulls.is_empty() {
        return Ok((false, waiting));
    }
    let set =
        ChosenSet { config: running.config, into: running.set, runs: true, pulls, ..ChosenSet::default() };
    let total = set.pulls.len() as i32;
    let name = import::run_name(day_id);
    let Begun::New(run) = store.claim_run(Some(day_id), &name, total, None).await? else {
        return Ok((false, waiting));
    };
    match import::commit(store, run, 0, day_id, &[set], true).await {
        Ok(_) => Ok((true, waiting)),
        Err(e) => {
            store.end_run(run, RunState::Failed, &e.to_string()).await?;
            waiting.push(format!("not stored: {e}"));
            Ok((false, waiting))
        }
    }
}

/// Why a pull is left for a person to store.
fn why_not(p: &ProposedPull, items: &[InboxItem], other_map: bool, wants_log: bool) -> Option<String> {
    let file = |id: i64| items.iter().find(|i| i.id == id);
    let asked = |id: i64| {
        let report: Option<FilePreview> = file(id).and_then(|i| serde_json::from_str(&i.report).ok());
        report.is_none_or(|r| !r.questions.is_empty())
    };
    if p.made_of != MadeOf::Recordings || file(p.dyno).is_none_or(|i| i.role != Role::Dyno) {
        return Some("waits for the dyno's recording".into());
    }
    if other_map {
        return Some("its name says another map than the one that runs: store it on the day sheet".into());
    }
    if [Some(p.dyno), p.ecu].into_iter().flatten().any(asked) {
        return Some("has a question: answer it on the day sheet".into());
    }
    wants_log.then(|| "waits for the engine computer's log".into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_taken_once_at_rest_and_again_when_it_grew() {
        let mut w = Watch::default();
        let (path, t) = (Path::new("p1.csv"), SystemTime::UNIX_EPOCH);
        let rest = |w: &mut Watch| {
            if let Some(f) = w.files.get_mut(path) {
                f.since = f.since.checked_sub(AT_REST).unwrap();
            }
        };
        assert!(!w.is_ready(path, 10, t), "just seen");
        assert!(!w.is_ready(path, 20, t), "still growing");
        rest(&mut w);
        assert!(w.is_ready(path, 20, t));
        w.files.get_mut(path).unwrap().done = true;
        assert!(!w.is_ready(path, 20, t), "taken once");
        assert!(!w.is_ready(path, 30, t), "grew");
        rest(&mut w);
        assert!(w.is_ready(path, 30, t) && w.files[path].before, "and stands for what was taken before");
        assert!(!w.is_ready(Path::new("empty.csv"), 0, t));
    }

    #[test]
    fn only_recordings_that_changed_since_the_day_began_are_listed() {
        let folder = tempfile::tempdir().unwrap();
        for name in ["a.csv", ".hidden.csv", "b.part", "notes.pdf", "c.LOG"] {
            std::fs::write(folder.path().join(name), "x").unwrap();
        }
        let names = |since: NaiveDateTime| {
            let all = listed(folder.path(), since).unwrap();
            let mut names: Vec<String> =
                all.iter().map(|f| f.0.file_name().unwrap().to_string_lossy().into_owned()).collect();
            names.sort();
            names
        };
        let now = Utc::now().naive_utc();
        assert_eq!(names(now - chrono::Duration::hours(1)), ["a.csv", "c.LOG"]);
        assert!(names(now + chrono::Duration::hours(1)).is_empty(), "from before the day");
        assert!(listed(&folder.path().join("gone"), now).is_err());
    }
}
