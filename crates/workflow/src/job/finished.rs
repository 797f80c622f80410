//! Pulls of a job that come finished: tables, typed peaks, the engine computer's recording alone.

use super::JobError;
use super::input::{Column, JobPull};
use crate::printed::curve;
use jamjar_core::analysis::Finished;
use jamjar_core::correction::Correction;
use jamjar_core::printed::{Applied, Place, Print};
use jamjar_formats::csv::read_cells;
use jamjar_formats::finished::{ColumnSaid, FinishedColumns, FinishedRun, read_finished};
use jamjar_formats::parse_unit;
use std::fs::File;
use std::path::Path;

/// What a pull is when it is not two recordings; `None` when it is.
///
/// # Errors
/// [`JobError`] for a table or a value that cannot be used, with its place.
pub(super) fn finished(
    p: &JobPull,
    folder: &Path,
    file: &str,
    place: &str,
) -> Result<Option<Finished>, JobError> {
    let field = |e: String| JobError::field(file, format!("{place}: {e}"));
    if let Some(table) = &p.table {
        let run = run_of(p, table, folder, &field)?;
        return Ok(Some(curve(&run, print(p, &field)?)));
    }
    if let Some(t) = &p.typed {
        let peaks = t.peaks(print(p, &field)?).map_err(|e| field(format!("typed: {e}")))?;
        return Ok(Some(Finished::Peaks(peaks)));
    }
    Ok((p.dyno.is_none() && p.ecu.is_some()).then_some(Finished::LogOnly))
}

fn print(p: &JobPull, field: &dyn Fn(String) -> JobError) -> Result<Print, JobError> {
    let applied = match p.applied_correction.as_deref() {
        None => Applied::Unknown,
        Some(id) => Applied::from_id(id).ok_or_else(|| {
            let known: Vec<&str> = Correction::ALL.iter().map(|c| c.id()).collect();
            field(format!("applied_correction “{id}” is not one of {}, unknown", known.join(", ")))
        })?,
    };
    let known = |id: &str| {
        Place::from_id(id).ok_or_else(|| {
            let known = Place::ALL.map(Place::id).join(", ");
            field(format!("place “{id}” is not one of {known}"))
        })
    };
    let place = p.place.as_deref().map(known).transpose()?;
    Ok(Print { applied, place, smoothing: p.smoothing.clone().unwrap_or_default() })
}

fn run_of(
    p: &JobPull,
    table: &str,
    folder: &Path,
    field: &dyn Fn(String) -> JobError,
) -> Result<FinishedRun, JobError> {
    let path = folder.join(table);
    let shown = path.display().to_string();
    let input = File::open(&path).map_err(|e| JobError::unreadable(&shown, &e))?;
    let cells = read_cells(input, &shown)?;
    let mut columns = FinishedColumns::default();
    for (name, c) in p.columns.iter().flatten() {
        let slot = match name.as_str() {
            "engine_speed" => &mut columns.engine_speed,
            "road_speed" => &mut columns.road_speed,
            "power" => &mut columns.power,
            "torque" => &mut columns.torque,
            other => {
                return Err(field(format!(
                    "columns.{other} is not one of engine_speed, road_speed, power, torque"
                )));
            }
        };
        *slot = Some(said(name, c, field)?);
    }
    let read = read_finished(&cells, &shown, &columns)?;
    Ok(read
        .run(
            &shown,
            p.run.as_ref().map(|r| r.as_str().map_or_else(|| r.to_string(), str::to_owned)).as_deref(),
        )?
        .clone())
}

fn said(name: &str, c: &Column, field: &dyn Fn(String) -> JobError) -> Result<ColumnSaid, JobError> {
    let unit = match &c.unit {
        None => None,
        Some(text) => {
            Some(parse_unit(text).ok_or_else(|| field(format!("columns.{name}: “{text}” is not a unit")))?)
        }
    };
    Ok(ColumnSaid { column: c.column.clone(), unit })
}
