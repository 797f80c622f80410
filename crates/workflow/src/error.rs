//! Why a use case stopped.

use jamjar_formats::FormatError;
use jamjar_store::StoreError;
use thiserror::Error;

/// Runs computation away from the threads that serve. A panic there is a fault of the program, and stays one.
pub(crate) async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, WorkflowError> {
    tokio::task::spawn_blocking(work).await.map_err(internal)
}

/// A fault of the program: what a task died of.
pub(crate) fn internal(e: impl std::fmt::Display) -> WorkflowError {
    WorkflowError::Internal(e.to_string())
}

/// One error for all use cases; the page and the command word it the same way.
#[derive(Debug, Error)]
pub enum WorkflowError {
    /// A file cannot be read.
    #[error(transparent)]
    Format(#[from] FormatError),
    /// The store refused.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The request makes no sense; the sentence says why and what to do.
    #[error("{0}")]
    Bad(String),
    /// A fault of the program; the text is for the log, never for a page.
    #[error("something broke: {0}")]
    Internal(String),
    /// Somebody cancelled.
    #[error("cancelled; nothing was stored")]
    Cancelled,
}
