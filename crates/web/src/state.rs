//! What handlers share. Everything durable is in the store.

use jamjar_store::Store;
use jamjar_workflow::finder::Finder;
use std::path::PathBuf;
use std::sync::Arc;

/// Cheap to clone; several instances may serve one database.
#[derive(Debug, Clone)]
pub struct AppState {
    pub(crate) store: Store,
    pub(crate) spool: Arc<PathBuf>,
    pub(crate) finder: Finder,
}

impl AppState {
    /// `spool` is a folder for uploads in flight.
    pub fn new(store: Store, spool: PathBuf) -> Self {
        Self { store, spool: Arc::new(spool), finder: Finder::default() }
    }

    /// Reads every pull into the index that finds them, so that the first search need not wait.
    pub async fn warm(&self) {
        if let Err(e) = self.finder.refresh(&self.store).await {
            tracing::warn!("the index of pulls is not read yet: {e}");
        }
    }
}
