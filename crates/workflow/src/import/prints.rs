//! Prints that wait on a day: finished tables with their runs, and peaks somebody typed.

use super::report::{FilePreview, PrintPreview, RunPreview, source_of};
use crate::error::{WorkflowError, internal};
use crate::printed::{Typed, curve, named};
use jamjar_core::analysis::Finished;
use jamjar_core::channel::Channel;
use jamjar_core::printed::{Print, PrintedAxis};
use jamjar_formats::csv::read_cells;
use jamjar_formats::finished::{FinishedColumn, FinishedRun, FinishedTable, read_finished};
use jamjar_formats::{ColumnReport, Confidence, FormatError, FormatProblem, Mapping};
use jamjar_store::{NewInboxItem, Received, Role, Store};
use std::io::Read;

/// Reads a finished table under what was said of its columns.
///
/// # Errors
/// [`FormatError`] with line and field.
pub(super) fn table(input: impl Read, name: &str, mapping: &Mapping) -> Result<FinishedTable, FormatError> {
    read_finished(&read_cells(input, name)?, name, &named(mapping))
}

/// The signature of a table's source: the header of its first block.
pub(super) fn source(t: &FinishedTable) -> String {
    source_of(&t.columns.iter().map(|c| c.header.clone()).collect::<Vec<_>>())
}

/// A table as it is described before it is stored.
pub(super) fn described(t: &FinishedTable, mapping: &Mapping) -> FilePreview {
    let guessed = |holds: &str| t.runs.iter().any(|r| r.guessed.iter().any(|g| g.0 == holds));
    let column = |c: &FinishedColumn| {
        let confidence = match c.holds {
            _ if c.by_hand => Confidence::Given,
            Some(holds) if guessed(holds) => Confidence::Low,
            Some(_) => Confidence::High,
            None => Confidence::Low,
        };
        ColumnReport {
            header: c.header.clone(),
            channel: c.holds.and_then(|h| Channel::new(h).ok()),
            unit: c.unit,
            confidence,
            first: c.first.clone(),
            range: c.range,
        }
    };
    FilePreview {
        rows: t.runs.iter().map(points).max().unwrap_or(0),
        columns: t.columns.iter().map(column).collect(),
        questions: t.questions.clone(),
        mapping: mapping.clone(),
        print: Some(PrintPreview { runs: t.runs.iter().map(run).collect(), typed: None }),
        ..FilePreview::default()
    }
}

fn points(r: &FinishedRun) -> usize {
    r.rpm.len().max(r.road_kmh.len())
}

fn run(r: &FinishedRun) -> RunPreview {
    let axis = if r.rpm.is_empty() { PrintedAxis::RoadSpeed } else { PrintedAxis::EngineSpeed };
    let at = if r.rpm.is_empty() { &r.road_kmh } else { &r.rpm };
    let watts = |i: usize| match (r.power_kw.get(i), r.torque_nm.get(i)) {
        (Some(p), _) if p.is_finite() => Some(*p),
        (_, Some(q)) if q.is_finite() && axis == PrintedAxis::EngineSpeed => {
            Some(q * at[i] * jamjar_core::units::RAD_S_PER_RPM / 1000.0)
        }
        _ => None,
    };
    let peak = (0..at.len()).filter_map(|i| Some([watts(i)?, at[i]])).max_by(|a, b| a[0].total_cmp(&b[0]));
    RunPreview {
        name: r.name.clone(),
        axis,
        span: [at.first().copied().unwrap_or(0.0), at.last().copied().unwrap_or(0.0)],
        points: at.len(),
        peak_kw: peak,
        guessed: r
            .guessed
            .iter()
            .map(|g| format!("{} taken as {}", g.0.replace('_', " "), g.1.label()))
            .collect(),
    }
}

/// Whether a file that is no recording may be a print: it has a header, and what it lacks is time.
pub(super) fn may_be(problem: &FormatProblem) -> bool {
    matches!(
        problem,
        FormatProblem::NoTime { .. }
            | FormatProblem::NoHeader
            | FormatProblem::NoColumns
            | FormatProblem::NoRows
            | FormatProblem::Ragged { .. }
            | FormatProblem::NotANumber { .. }
            | FormatProblem::NotATime { .. }
    )
}

/// Which of two refusals tells more: that of the table, when it has the columns of one.
pub(super) fn better(recording: FormatError, table: FormatError) -> FormatError {
    match *table.problem {
        FormatProblem::NotANumber { .. }
        | FormatProblem::SpeedTwice { .. }
        | FormatProblem::RunTwice { .. }
        | FormatProblem::NoPowerOrTorque { .. }
        | FormatProblem::NoSuchColumn { .. } => table,
        _ => recording,
    }
}

/// The pull that a waiting print is, of its `number`-th run.
///
/// # Errors
/// [`WorkflowError`] when it can no longer be read, or has no such run.
pub(super) fn finished(
    mut input: impl Read,
    name: &str,
    preview: &FilePreview,
    number: usize,
    print: Print,
) -> Result<Finished, WorkflowError> {
    if preview.print.as_ref().is_some_and(|p| p.typed.is_some()) {
        let mut text = String::new();
        input.read_to_string(&mut text).map_err(internal)?;
        let typed: Typed = serde_json::from_str(&text).map_err(internal)?;
        return Ok(Finished::Peaks(typed.peaks(print).map_err(WorkflowError::Bad)?));
    }
    let table = table(input, name, &preview.mapping)?;
    let run = table.runs.get(number);
    let run = run.ok_or_else(|| WorkflowError::Bad(format!("{name} has no run {}", number + 1)))?;
    Ok(curve(run, print))
}

fn typed_preview(typed: Typed) -> FilePreview {
    FilePreview {
        print: Some(PrintPreview { runs: Vec::new(), typed: Some(typed) }),
        ..FilePreview::default()
    }
}

/// The source all typed peaks share.
pub(super) fn typed_source() -> String {
    source_of(&["typed peaks".to_owned()])
}

/// Longest file of typed peaks, bytes (our choice).
const LONGEST_TYPED: u64 = 64 << 10;

/// Typed peaks in a file of them; `None` when it is another one.
pub(super) fn typed_in(input: impl Read) -> Option<FilePreview> {
    let mut text = String::new();
    input.take(LONGEST_TYPED).read_to_string(&mut text).ok()?;
    let typed: Typed = serde_json::from_str(&text).ok()?;
    typed.peaks(Print::default()).ok()?;
    Some(typed_preview(typed))
}

/// Takes peaks from a print, as somebody typed them, into custody and the day's inbox: they wait there for
/// their map and fuel like a dropped file.
///
/// # Errors
/// [`WorkflowError::Bad`] with what is wrong with them; then nothing is stored.
pub async fn type_peaks(
    store: &Store,
    day_id: i64,
    name: &str,
    typed: &Typed,
) -> Result<Received, WorkflowError> {
    typed.peaks(Print::default()).map_err(WorkflowError::Bad)?;
    let preview = typed_preview(typed.clone());
    let text = serde_json::to_string_pretty(typed).map_err(internal)?;
    let item = NewInboxItem {
        day_id,
        name: format!("{name}.json"),
        role: Role::Print,
        source: typed_source(),
        report: serde_json::to_string(&preview).map_err(internal)?,
    };
    Ok(store.drop_file(&item, std::io::Cursor::new(text.into_bytes())).await?)
}
