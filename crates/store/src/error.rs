//! Database errors as a small vocabulary.

use diesel::result::{DatabaseErrorKind, Error as DieselError};
use thiserror::Error;

/// What can go wrong in the store.
#[derive(Debug, Error)]
pub enum StoreError {
    /// Nothing with that id.
    #[error("{what} {id} does not exist")]
    NotFound {
        /// Kind of thing.
        what: &'static str,
        /// Its id.
        id: i64,
    },
    /// Something unique exists already.
    #[error("it exists already")]
    Duplicate,
    /// A value broke a rule of the database (MariaDB error 4025, which the driver does not classify).
    #[error("a value is outside what the database accepts: {0}")]
    Check(String),
    /// A block or cached result cannot be read.
    #[error("stored data is damaged: {0}")]
    Damaged(String),
    /// Two writers collided; the transaction may be run again.
    #[error("another writer was faster; try again")]
    Conflict,
    /// The server cannot be reached.
    #[error("the database cannot be reached: {0}")]
    Unreachable(String),
    /// Anything else.
    #[error("database error: {0}")]
    Other(String),
}

impl From<DieselError> for StoreError {
    fn from(e: DieselError) -> Self {
        match &e {
            DieselError::DatabaseError(DatabaseErrorKind::UniqueViolation, _) => Self::Duplicate,
            DieselError::DatabaseError(DatabaseErrorKind::SerializationFailure, _) => Self::Conflict,
            DieselError::DatabaseError(DatabaseErrorKind::CheckViolation, i) => Self::Check(i.message().to_owned()),
            DieselError::DatabaseError(DatabaseErrorKind::ClosedConnection | DatabaseErrorKind::UnableToSendCommand, i) => {
                Self::Unreachable(i.message().to_owned())
            }
            DieselError::DatabaseError(_, i) => by_message(i.message()),
            DieselError::NotFound => Self::NotFound { what: "row", id: 0 },
            other => by_message(&other.to_string()),
        }
    }
}

/// Errors the driver leaves unclassified, by MariaDB's own words.
fn by_message(m: &str) -> StoreError {
    let low = m.to_lowercase();
    if low.contains("constraint") && low.contains("failed for") {
        StoreError::Check(m.to_owned())
    } else if low.contains("deadlock") || low.contains("record has changed since last read") || low.contains("wsrep") {
        StoreError::Conflict
    } else if low.contains("gone away")
        || low.contains("connection closed")
        || low.contains("i/o error")
        || low.contains("connection refused")
        || low.contains("broken pipe")
    {
        StoreError::Unreachable(m.to_owned())
    } else {
        StoreError::Other(m.to_owned())
    }
}

impl StoreError {
    /// Gives a "not found" its kind and id.
    #[must_use]
    pub(crate) fn about(self, what: &'static str, id: i64) -> Self {
        match self {
            Self::NotFound { .. } => Self::NotFound { what, id },
            other => other,
        }
    }
}
