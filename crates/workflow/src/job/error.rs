//! Why a job cannot be analysed, by kind and place.

use jamjar_core::air::AirError;
use jamjar_core::analysis::MeasureError;
use jamjar_core::pull::shaft::PowerError;
use jamjar_formats::FormatError;
use thiserror::Error;

/// Why a job cannot be analysed.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum JobError {
    /// A log cannot be read.
    #[error(transparent)]
    Log(#[from] FormatError),
    /// A log lacks what its dyno is measured by.
    #[error(transparent)]
    Measure(#[from] MeasureError),
    /// A file that cannot be opened.
    #[error("{file}: cannot be opened: {problem}")]
    Unreadable { file: String, problem: String },
    /// No JSON, or a field that no job has.
    #[error("{file}:{line}:{column}: {problem}")]
    Syntax { file: String, line: usize, column: usize, problem: String },
    /// A value that cannot be; the sentence begins with its field.
    #[error("{file}: {problem}")]
    Field { file: String, problem: String },
    #[error("{file}: channels: “{unit}” for {channel} is not a unit we know")]
    Unit { file: String, channel: String, unit: String },
    #[error("{file}: the baseline “{baseline}” is not a set; the sets are: {sets}")]
    NoBaseline { file: String, baseline: String, sets: String },
    #[error("{file}: set “{set}”, pull “{pull}”: {problem}")]
    Air { file: String, set: String, pull: String, problem: Box<AirError> },
    #[error("{file}: {problem}")]
    CoastDown { file: String, problem: PowerError },
}

impl JobError {
    pub(super) fn field(file: &str, problem: impl std::fmt::Display) -> Self {
        Self::Field { file: file.to_owned(), problem: problem.to_string() }
    }

    pub(super) fn unreadable(file: &str, e: &std::io::Error) -> Self {
        Self::Unreadable { file: file.to_owned(), problem: e.to_string() }
    }
}
