//! Database errors as a small vocabulary. Codes decide, never the server's words, which come in its own
//! language.

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
    /// A value broke a rule of the database.
    #[error("a value is outside what can be stored")]
    Check,
    /// A text is longer than its place, or holds what its place cannot.
    #[error("a text is too long, or holds characters that cannot be stored")]
    Unfit,
    /// A block or cached result cannot be read.
    #[error("stored data is damaged: {0}")]
    Damaged(String),
    /// Two writers collided; the transaction was run again as often as makes sense.
    #[error("another writer was faster; try again")]
    Conflict,
    /// What was to be changed has been changed since it was looked at.
    #[error("{what} has been changed since it was looked at")]
    Changed {
        /// Kind of thing.
        what: &'static str,
        /// What it says by now, where that is a text.
        now: Option<String>,
    },
    /// What was asked for cannot be, and why.
    #[error("{0}")]
    Refused(String),
    /// What it belongs to does not exist.
    #[error("what this belongs to does not exist")]
    Orphan,
    /// What was to be taken has been taken.
    #[error("what was to be stored is no longer waiting: another request has taken it")]
    Taken,
    /// The disk of the database is full.
    #[error("the disk of the database is full")]
    NoRoom,
    /// The data was written by a newer version of the program.
    #[error("the data was written by a newer version of Jamjar (it knows {0}): use that version")]
    Newer(String),
    /// The server cannot be reached.
    #[error("the database cannot be reached: {0}")]
    Unreachable(String),
    /// The connection was lost while a change was being made final: whether it was is not known.
    #[error("the connection was lost at the end of a change: look whether it was made")]
    Unknown,
    /// Anything else.
    #[error("database error: {0}")]
    Other(String),
}

/// Codes of MariaDB that mean something here.
mod code {
    pub(super) const CONFLICT: [u16; 4] = [1213, 1205, 1020, 1180];
    /// A statement that cannot be parsed: of ours there is none.
    pub(super) const PARSE: u16 = 1064;
    /// Except a trigger that a node of a cluster reads while its tables are closed for another that joins: seen
    /// once, and worth another attempt.
    pub(super) const TRIGGER: &str = "Unknown trigger has an error in its body";
    /// A node of a cluster that is not with the others, or not yet.
    pub(super) const AWAY: [u16; 2] = [1047, 1053];
    pub(super) const DUPLICATE: [u16; 3] = [1062, 1586, 1859];
    pub(super) const CHECK: [u16; 4] = [4025, 3819, 1264, 1292];
    pub(super) const UNFIT: [u16; 3] = [1406, 1366, 3140];
    pub(super) const ORPHAN: [u16; 2] = [1452, 1216];
    pub(super) const NO_ROOM: [u16; 4] = [1021, 1114, 1026, 3];
}

impl StoreError {
    /// From a code; the text goes to the log.
    pub(crate) fn of_code(number: Option<u16>, text: String) -> Self {
        let Some(n) = number else { return Self::Other(text) };
        if n == code::PARSE && text.starts_with(code::TRIGGER) {
            Self::Conflict
        } else if code::AWAY.contains(&n) {
            Self::Unreachable(text)
        } else if code::CONFLICT.contains(&n) {
            Self::Conflict
        } else if code::DUPLICATE.contains(&n) {
            Self::Duplicate
        } else if code::CHECK.contains(&n) {
            Self::Check
        } else if code::UNFIT.contains(&n) {
            Self::Unfit
        } else if code::ORPHAN.contains(&n) {
            Self::Orphan
        } else if code::NO_ROOM.contains(&n) {
            Self::NoRoom
        } else {
            Self::Other(format!("{n}: {text}"))
        }
    }

    /// Gives a "not found" its kind and id.
    #[must_use]
    pub(crate) fn about(self, what: &'static str, id: i64) -> Self {
        match self {
            Self::NotFound { .. } => Self::NotFound { what, id },
            other => other,
        }
    }
}

impl From<DieselError> for StoreError {
    fn from(e: DieselError) -> Self {
        match &e {
            DieselError::DatabaseError(DatabaseErrorKind::UniqueViolation, _) => Self::Duplicate,
            DieselError::DatabaseError(DatabaseErrorKind::SerializationFailure, _) => Self::Conflict,
            DieselError::DatabaseError(DatabaseErrorKind::CheckViolation, _) => Self::Check,
            DieselError::DatabaseError(
                DatabaseErrorKind::ClosedConnection | DatabaseErrorKind::UnableToSendCommand,
                i,
            ) => Self::Unreachable(i.message().to_owned()),
            DieselError::DatabaseError(_, i) => by_driver(i.message()),
            DieselError::NotFound => Self::NotFound { what: "row", id: 0 },
            other => by_driver(&other.to_string()),
        }
    }
}

/// A connection that is gone, by the driver's own words, which do not change with the server's language.
fn by_driver(m: &str) -> StoreError {
    let gone = [
        "Input/output error",
        "Driver error",
        "Io error",
        "connection closed",
        "Connection was closed",
        "broken transaction manager",
    ];
    if gone.iter().any(|w| m.contains(w)) {
        StoreError::Unreachable(m.to_owned())
    } else {
        StoreError::Other(m.to_owned())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_words_and_words_are_not_looked_at() {
        let of = |n| StoreError::of_code(Some(n), "Sperre nicht erhalten".into());
        for n in [1213, 1205, 1020] {
            assert!(matches!(of(n), StoreError::Conflict), "{n}");
        }
        assert!(matches!(of(1047), StoreError::Unreachable(_)));
        assert!(matches!(of(1062), StoreError::Duplicate));
        assert!(matches!(of(4025), StoreError::Check));
        assert!(matches!(of(1406), StoreError::Unfit));
        assert!(matches!(of(1452), StoreError::Orphan));
        assert!(matches!(of(1114), StoreError::NoRoom));
        assert!(matches!(of(1064), StoreError::Other(t) if t.contains("1064")));
        let torn = "Unknown trigger has an error in its body: 'You have an error'".to_owned();
        assert!(matches!(StoreError::of_code(Some(1064), torn), StoreError::Conflict));
        assert!(
            matches!(StoreError::of_code(None, "deadlock".into()), StoreError::Other(_)),
            "no code, no guess"
        );
    }
}
