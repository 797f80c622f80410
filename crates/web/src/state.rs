//! What handlers share. Everything durable is in the store; what is kept here is forgotten when the store
//! says it has changed.

use crate::error::WebError;
use crate::views::Encoding;
use axum::body::Bytes;
use jamjar_store::{Store, Thing, Watched, Ways};
use jamjar_workflow::finder::Finder;
use jamjar_workflow::fresh::Freshness;
use jamjar_workflow::keep::{Keep, Made};
use jamjar_workflow::lineup::{Channels, LineUp};
use jamjar_workflow::reading::Reading;
use jamjar_workflow::spool::Spool;
use jamjar_workflow::watch::{FolderNews, Watch};
use std::collections::BTreeMap;
use std::future::Future;
use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Memory for rendered pages, line-ups, opened pulls and channels of line-ups, bytes (our choice: together a quarter of a small
/// machine's gigabyte).
const ROOM: [usize; 4] = [32 << 20, 64 << 20, 160 << 20, 24 << 20];

/// Memory in which files are read at one time, as MiB of files; a larger one has it alone.
const BUDGET_MB: u32 = 40;
/// A small file takes this much of it: as numbers it may become several times as large.
const SMALL_MB: u32 = 10;

/// A watched folder is looked at this often.
const LOOK: Duration = Duration::from_millis(200);
/// And whether another is watched, or another day runs.
const ASK: Duration = Duration::from_secs(1);

/// A page just rendered.
pub(crate) struct PageMade {
    pub(crate) body: String,
    /// What must not change while it is kept.
    pub(crate) rests_on: Vec<Thing>,
    /// False for one that the next who asks must have made anew.
    pub(crate) lasts: bool,
}

/// What an instance is told when it starts.
#[derive(Debug, Clone)]
pub struct Instance {
    /// The data folder.
    pub data: PathBuf,
    /// Host names that may be asked for beside those of the loopback.
    pub hosts: Vec<String>,
    /// Kept free on the disk, bytes: a database that finds none cannot even go on as it is.
    pub spare_bytes: u64,
}

impl Instance {
    /// Kept free unless somebody says otherwise, bytes.
    pub const SPARE_BYTES: u64 = 64 << 20;
}

/// Cheap to clone; several instances may serve one database.
#[derive(Debug, Clone)]
pub struct AppState {
    pub(crate) store: Store,
    /// Uploads in flight.
    pub(crate) spool: Spool,
    /// Host names that may be asked for beside those of the loopback.
    pub(crate) hosts: Arc<[String]>,
    /// Room for files that are being read, in MiB.
    pub(crate) budget: Arc<Semaphore>,
    pub(crate) fresh: Freshness,
    pub(crate) finder: Finder,
    /// Pages by address and view settings.
    pub(crate) pages: Keep<String, Bytes>,
    /// What the shop has chosen for everybody.
    ways: Keep<(), Ways>,
    /// Line-ups by sets, baseline and settings.
    pub(crate) lineups: Keep<String, (LineUp, Encoding)>,
    /// Channels of line-ups, by the same.
    pub(crate) channels: Keep<String, Channels>,
    /// What the watched folders of cells said last, by cell.
    pub(crate) folders: Arc<Mutex<BTreeMap<i64, FolderNews>>>,
    /// Pulls by id and settings.
    pub(crate) readings: Keep<(i64, String), (Reading, Encoding)>,
}

impl AppState {
    /// Makes what handlers share; uploads in flight stand in a folder of their own within the data folder.
    ///
    /// # Errors
    /// When that folder cannot be made.
    pub fn new(store: Store, settings: Instance) -> io::Result<Self> {
        Ok(Self {
            store,
            spool: Spool::new(&settings.data, settings.spare_bytes)?,
            hosts: settings.hosts.into(),
            budget: Arc::new(Semaphore::new(BUDGET_MB as usize)),
            fresh: Freshness::default(),
            finder: Finder::default(),
            pages: Keep::new(ROOM[0]),
            ways: Keep::new(4),
            lineups: Keep::new(ROOM[1]),
            readings: Keep::new(ROOM[2]),
            channels: Keep::new(ROOM[3]),
            folders: Arc::default(),
        })
    }

    /// Takes away uploads that an earlier run left behind. Only who owns the data folder may.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn sweep_spool(&self) -> io::Result<()> {
        self.spool.sweep()
    }

    /// A page as it was made before, when nothing it rests on has changed since, or made now.
    ///
    /// # Errors
    /// That of making it, or when the database cannot say what has changed.
    pub(crate) async fn page<F>(&self, key: String, make: impl Fn() -> F) -> Result<Bytes, WebError>
    where
        F: Future<Output = Result<PageMade, WebError>>,
    {
        let since = self.fresh.look(&self.store).await?;
        let room = key.len();
        let made = || async {
            let p = make().await?;
            let weight = room + p.body.len();
            let value = Bytes::from(p.body);
            Ok::<_, WebError>(Made { value, rests_on: p.rests_on, weight, lasts: p.lasts })
        };
        Ok(Bytes::clone(&*self.pages.get_or_make(key, &self.fresh, since, made).await?))
    }

    /// What the shop has chosen, as it is now.
    ///
    /// # Errors
    /// When the database cannot answer.
    pub(crate) async fn ways(&self) -> Result<Arc<Ways>, WebError> {
        let since = self.fresh.look(&self.store).await?;
        let made = || async {
            let value = self.store.ways().await?;
            Ok::<_, WebError>(Made { value, rests_on: Vec::new(), weight: 1, lasts: true })
        };
        self.ways.get_or_make((), &self.fresh, since, made).await
    }

    /// Waits for a share of the memory in which files are read.
    pub(crate) async fn share(&self, bytes: u64) -> Option<OwnedSemaphorePermit> {
        let mb = u32::try_from(bytes >> 20).unwrap_or(u32::MAX).clamp(SMALL_MB, BUDGET_MB);
        self.budget.clone().acquire_many_owned(mb).await.ok()
    }

    /// Takes in recordings as they appear in the folders of cells, for as long as the program runs.
    pub async fn watch_folders(self) {
        let mut watch = Watch::default();
        let mut watched: Vec<Watched> = Vec::new();
        let mut asked: Option<Instant> = None;
        loop {
            tokio::time::sleep(LOOK).await;
            if asked.is_none_or(|at| at.elapsed() >= ASK) {
                asked = Some(Instant::now());
                match self.store.watched().await {
                    Ok(now) => watched = now,
                    Err(e) => {
                        tracing::debug!(%e, "which folders are watched cannot be said");
                        continue;
                    }
                }
            }
            if let Err(e) = watch.look(&self.store, &watched).await {
                tracing::warn!(%e, "a watched folder could not be taken in");
            }
            watch.news().clone_into(&mut self.folders.lock().unwrap_or_else(PoisonError::into_inner));
        }
    }

    /// Reads every pull into the index that finds them, so that the first search need not wait.
    pub async fn warm(&self) {
        if let Err(e) = self.finder.refresh(&self.store, &self.fresh).await {
            tracing::warn!("the index of pulls is not read yet: {e}");
        }
    }
}
