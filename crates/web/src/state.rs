//! What handlers share. Everything durable is in the store; what is kept here is forgotten when the store says it has changed.

use crate::views::Encoding;
use axum::body::Bytes;
use jamjar_store::Store;
use jamjar_workflow::finder::Finder;
use jamjar_workflow::fresh::Freshness;
use jamjar_workflow::keep::Keep;
use jamjar_workflow::lineup::LineUp;
use jamjar_workflow::reading::Reading;
use std::path::PathBuf;
use std::sync::Arc;

/// Memory for rendered pages, line-ups and opened pulls, bytes (our choice: together a quarter of a small machine's gigabyte).
const ROOM: [usize; 3] = [32 << 20, 64 << 20, 160 << 20];

/// Cheap to clone; several instances may serve one database.
#[derive(Debug, Clone)]
pub struct AppState {
    pub(crate) store: Store,
    pub(crate) spool: Arc<PathBuf>,
    pub(crate) fresh: Freshness,
    pub(crate) finder: Finder,
    /// Pages by address and view settings.
    pub(crate) pages: Keep<String, Bytes>,
    /// Line-ups by sets, baseline and settings.
    pub(crate) lineups: Keep<String, (LineUp, Encoding)>,
    /// Pulls by id and settings.
    pub(crate) readings: Keep<(i64, String), (Reading, Encoding)>,
}

impl AppState {
    /// `spool` is a folder for uploads in flight.
    pub fn new(store: Store, spool: PathBuf) -> Self {
        Self {
            store,
            spool: Arc::new(spool),
            fresh: Freshness::default(),
            finder: Finder::default(),
            pages: Keep::new(ROOM[0]),
            lineups: Keep::new(ROOM[1]),
            readings: Keep::new(ROOM[2]),
        }
    }

    /// Reads every pull into the index that finds them, so that the first search need not wait.
    pub async fn warm(&self) {
        if let Err(e) = self.finder.refresh(&self.store, &self.fresh).await {
            tracing::warn!("the index of pulls is not read yet: {e}");
        }
    }
}
