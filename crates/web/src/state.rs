//! What handlers share. Everything durable is in the store.

use jamjar_store::Store;
use std::path::PathBuf;
use std::sync::Arc;

/// Cheap to clone; several instances may serve one database.
#[derive(Debug, Clone)]
pub struct AppState {
    pub(crate) store: Store,
    pub(crate) spool: Arc<PathBuf>,
}

impl AppState {
    /// `spool` is a folder for uploads in flight.
    pub fn new(store: Store, spool: PathBuf) -> Self {
        Self { store, spool: Arc::new(spool) }
    }
}
