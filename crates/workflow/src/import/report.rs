//! What a file holds, as it waits on its day: its columns, its pulls, or its prints.

use super::short_hash;
use crate::printed::Typed;
use jamjar_core::findings::Finding;
use jamjar_core::printed::PrintedAxis;
use jamjar_core::pull::span::{EndedBy, PullKind};
use jamjar_formats::{ColumnReport, Mapping, Question};
use serde::{Deserialize, Serialize};

/// A pull found in a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PreviewPull {
    pub from_s: f64,
    pub to_s: f64,
    pub from_rpm: f64,
    pub to_rpm: f64,
    pub ended_by: EndedBy,
    pub kind: PullKind,
}

/// A file as read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct FilePreview {
    pub rows: usize,
    pub seconds: f64,
    pub columns: Vec<ColumnReport>,
    pub questions: Vec<Question>,
    /// Its pulls in order, as they are offered and numbered.
    pub pulls: Vec<PreviewPull>,
    /// What was found while reading, but what is asked.
    #[serde(default)]
    pub findings: Vec<Finding>,
    pub mapping: Mapping,
    /// What it holds when it is a print and no recording.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub print: Option<PrintPreview>,
}

/// A run of a table, as it is offered.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct RunPreview {
    /// Its name in the table; blank when it is the only one.
    pub name: String,
    pub axis: PrintedAxis,
    /// First and last speed, rpm or km/h.
    pub span: [f64; 2],
    pub points: usize,
    /// Highest power, kW, and where, when it has power or torque against rpm.
    pub peak_kw: Option<[f64; 2]>,
    /// Quantities whose unit nobody said.
    pub guessed: Vec<String>,
}

/// What a print holds.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct PrintPreview {
    /// Runs of a table, in the order they stand.
    pub runs: Vec<RunPreview>,
    /// Or peaks somebody typed.
    #[serde(default)]
    pub typed: Option<Typed>,
}

/// Signature of a source: the same recorder writes the same header.
pub(super) fn source_of(headers: &[String]) -> String {
    short_hash(&headers.join("\u{1f}"))
}
