//! Pulls of a job that come finished: tables, typed peaks, the engine computer's recording alone.

use super::JobError;
use super::input::{Column, JobPull, TypedPeak};
use jamjar_core::analysis::{Finished, PrintedCurve, TypedPeaks};
use jamjar_core::correction::Correction;
use jamjar_core::figures::Peak;
use jamjar_core::printed::{Applied, Place, Print, PrintedAxis};
use jamjar_core::units::Unit;
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
        return Ok(Some(Finished::Curve(curve(&run, print(p, &field)?))));
    }
    if let Some(t) = &p.typed {
        let power =
            t.peak_power.as_ref().map(|x| peak(x, &POWER, "typed.peak_power")).transpose().map_err(field)?;
        let torque = t
            .peak_torque
            .as_ref()
            .map(|x| peak(x, &TORQUE, "typed.peak_torque"))
            .transpose()
            .map_err(field)?;
        if power.is_none() && torque.is_none() {
            return Err(field("typed names neither peak_power nor peak_torque".into()));
        }
        return Ok(Some(Finished::Peaks(TypedPeaks { power, torque, print: print(p, &field)? })));
    }
    Ok((p.dyno.is_none() && p.ecu.is_some()).then_some(Finished::LogOnly))
}

const POWER: [Unit; 3] = [Unit::KiloWatt, Unit::HorsePower, Unit::MetricHorsePower];
const TORQUE: [Unit; 2] = [Unit::NewtonMetre, Unit::PoundFoot];

fn peak(t: &TypedPeak, units: &[Unit], name: &str) -> Result<Peak, String> {
    let unit = parse_unit(&t.unit).filter(|u| units.contains(u)).ok_or_else(|| {
        let known: Vec<&str> = units.iter().map(|u| u.label()).collect();
        format!("{name}: “{}” is not one of its units: {}", t.unit, known.join(", "))
    })?;
    let value = t.value * unit.to_si(0.0).0;
    if !(value.is_finite() && value > 0.0 && value < 20_000.0) {
        return Err(format!("{name}: {} {} cannot be", t.value, t.unit));
    }
    if let Some(rpm) = t.rpm.filter(|r| !(1.0..=30_000.0).contains(r)) {
        return Err(format!("{name}: {rpm} rpm cannot be"));
    }
    Ok(Peak { value, rpm: t.rpm.unwrap_or(f64::NAN) })
}

fn print(p: &JobPull, field: &dyn Fn(String) -> JobError) -> Result<Print, JobError> {
    let applied = match p.applied_correction.as_deref() {
        None | Some("unknown") => Applied::Unknown,
        Some(id) => Applied::Family(Correction::from_id(id).ok_or_else(|| {
            let known: Vec<&str> = Correction::ALL.iter().map(|c| c.id()).collect();
            field(format!("applied_correction “{id}” is not one of {}, unknown", known.join(", ")))
        })?),
    };
    let place = match p.place.as_deref() {
        None => None,
        Some("wheel") => Some(Place::Wheel),
        Some("hub") => Some(Place::Hub),
        Some("crank") => Some(Place::Crank),
        Some("estimated") => Some(Place::Estimated),
        Some(other) => {
            return Err(field(format!("place “{other}” is not one of wheel, hub, crank, estimated")));
        }
    };
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

fn curve(run: &FinishedRun, print: Print) -> PrintedCurve {
    let road = run.rpm.is_empty();
    PrintedCurve {
        axis: if road { PrintedAxis::RoadSpeed } else { PrintedAxis::EngineSpeed },
        at: if road { run.road_kmh.clone() } else { run.rpm.clone() },
        power_kw: run.power_kw.clone(),
        torque_nm: if road { Vec::new() } else { run.torque_nm.clone() },
        print,
    }
}
