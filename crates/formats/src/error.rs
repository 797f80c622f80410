//! Errors that say what, where and what to do.

use std::fmt;
use thiserror::Error;

/// A file that cannot be read, with its place.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub struct FormatError {
    /// File name as given.
    pub file: String,
    /// Line from 1, when known.
    pub line: Option<u64>,
    /// Field from 1, when known.
    pub column: Option<u64>,
    /// What is wrong and what to do.
    pub problem: String,
}

impl FormatError {
    /// An error about the file as a whole.
    pub fn whole(file: &str, problem: impl Into<String>) -> Self {
        Self { file: file.to_owned(), line: None, column: None, problem: problem.into() }
    }

    /// An error at a place.
    pub fn at(file: &str, line: u64, column: u64, problem: impl Into<String>) -> Self {
        Self { file: file.to_owned(), line: Some(line), column: Some(column), problem: problem.into() }
    }
}

impl fmt::Display for FormatError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.file)?;
        if let Some(l) = self.line {
            write!(f, ":{l}")?;
        }
        if let Some(c) = self.column {
            write!(f, ":{c}")?;
        }
        write!(f, ": {}", self.problem)
    }
}
