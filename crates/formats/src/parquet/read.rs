//! Parquet in: every flat column of numbers, row group after row group.

use super::UNITS;
use crate::binary;
use crate::csv::{Dialect, RawTable};
use crate::error::{FormatError, FormatProblem};
use bytes::Bytes;
use parquet::basic::{ConvertedType, LogicalType, TimeUnit, Type};
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::data_type::DataType;
use parquet::errors::ParquetError;
use parquet::file::reader::{FileReader, SerializedFileReader};
use parquet::schema::types::ColumnDescriptor;
use rayon::prelude::*;
use std::collections::HashMap;

/// How a file begins, and ends.
pub(crate) const MAGIC: &[u8] = b"PAR1";
/// Records read at a time.
const AT_ONCE: usize = 8192;
/// Most rows of a file: what is asked of it stays within memory (as for tables of text).
const ROOM: usize = 190_000_000;
const PER_ROW: usize = 72;

/// A column that can be read.
struct Offered {
    /// Its place among all columns of the file.
    leaf: usize,
    name: String,
    unit: String,
    /// What a number of it is worth in that unit.
    scale: f64,
}

fn open(bytes: Vec<u8>, file: &str) -> Result<SerializedFileReader<Bytes>, FormatError> {
    SerializedFileReader::new(Bytes::from(bytes)).map_err(|e| refused(&e, file))
}

fn refused(e: &ParquetError, file: &str) -> FormatError {
    let problem = match e {
        ParquetError::NYI(what) => FormatProblem::ParquetNotRead { what: what.clone() },
        e if e.to_string().contains("isn't enabled") || e.to_string().contains("feature") => {
            FormatProblem::ParquetNotRead { what: e.to_string() }
        }
        _ => FormatProblem::Damaged,
    };
    FormatError::whole(file, problem)
}

/// A unit in brackets behind a name.
fn in_brackets(name: &str) -> Option<(&str, &str)> {
    let (before, rest) = name.trim().split_once(['[', '('])?;
    let unit = rest.strip_suffix([']', ')'])?;
    Some((before.trim(), unit.trim()))
}

/// Seconds of a stamp's smallest step; `None` for what is no time.
fn step_s(c: &ColumnDescriptor) -> Option<f64> {
    let unit = match c.logical_type_ref() {
        Some(LogicalType::Timestamp(t)) => &t.unit,
        Some(LogicalType::Time(t)) => &t.unit,
        _ => {
            return match c.converted_type() {
                ConvertedType::TIMESTAMP_MILLIS | ConvertedType::TIME_MILLIS => Some(1e-3),
                ConvertedType::TIMESTAMP_MICROS | ConvertedType::TIME_MICROS => Some(1e-6),
                _ => None,
            };
        }
    };
    Some(match unit {
        TimeUnit::MILLIS => 1e-3,
        TimeUnit::MICROS => 1e-6,
        TimeUnit::NANOS => 1e-9,
    })
}

fn offered(reader: &SerializedFileReader<Bytes>) -> Vec<Offered> {
    let about = reader.metadata().file_metadata();
    let pairs = about.key_value_metadata().map_or(&[][..], Vec::as_slice);
    let units: HashMap<String, String> = pairs
        .iter()
        .find(|p| p.key == UNITS)
        .and_then(|p| serde_json::from_str(p.value.as_deref()?).ok())
        .unwrap_or_default();
    let of = |(leaf, c): (usize, &std::sync::Arc<ColumnDescriptor>)| {
        let number = matches!(
            c.physical_type(),
            Type::DOUBLE | Type::FLOAT | Type::INT32 | Type::INT64 | Type::BOOLEAN
        ) && !matches!(c.converted_type(), ConvertedType::DECIMAL);
        if !number || c.path().parts().len() != 1 || c.max_rep_level() > 0 {
            return None;
        }
        let name = c.name().to_owned();
        let (unit, scale) = match step_s(c) {
            Some(step) => ("s".to_owned(), step),
            None => (
                units
                    .get(&name)
                    .cloned()
                    .or_else(|| in_brackets(&name).map(|n| n.1.to_owned()))
                    .unwrap_or_default(),
                1.0,
            ),
        };
        Some(Offered { leaf, name, unit, scale })
    };
    about.schema_descr().columns().iter().enumerate().filter_map(of).collect()
}

fn dialect(all: &[Offered]) -> Dialect {
    binary::dialect(all.iter().map(|o| (o.name.clone(), o.unit.clone())))
}

/// The names of the columns, without their values.
///
/// # Errors
/// [`FormatError`] for a damaged file.
pub(crate) fn headers(bytes: Vec<u8>, file: &str) -> Result<Dialect, FormatError> {
    Ok(dialect(&offered(&open(bytes, file)?)))
}

/// Reads the columns that `keep` asks for, as a table of text is read; what is null is blank.
///
/// # Errors
/// As [`headers`]; also for more rows than fit, and what `keep` refuses.
pub(crate) fn table(
    bytes: Vec<u8>,
    file: &str,
    keep: impl FnOnce(&Dialect) -> Result<Vec<(usize, bool)>, FormatError>,
) -> Result<RawTable, FormatError> {
    let reader = open(bytes, file)?;
    let all = offered(&reader);
    let dialect = dialect(&all);
    let wanted = keep(&dialect)?;
    let rows = usize::try_from(reader.metadata().file_metadata().num_rows()).unwrap_or(usize::MAX);
    let most = ROOM / (8 * wanted.len() + PER_ROW);
    if rows > most {
        return Err(FormatError::whole(
            file,
            FormatProblem::TooManyRows { rows: most, columns: wanted.len() },
        ));
    }
    if rows == 0 {
        return Err(FormatError::whole(file, FormatProblem::NoRows));
    }
    let read = |(k, _): &(usize, bool)| {
        let values = column(&reader, &all[*k], rows).map_err(|e| refused(&e, file))?;
        if values.len() == rows {
            Ok((*k, values))
        } else {
            Err(FormatError::whole(file, FormatProblem::Damaged))
        }
    };
    let columns: Vec<(usize, Vec<f64>)> = wanted.par_iter().map(read).collect::<Result<_, _>>()?;
    Ok(binary::table(dialect, columns, rows))
}

fn column(reader: &SerializedFileReader<Bytes>, of: &Offered, rows: usize) -> Result<Vec<f64>, ParquetError> {
    let mut out = Vec::with_capacity(rows);
    for g in 0..reader.num_row_groups() {
        match reader.get_row_group(g)?.get_column_reader(of.leaf)? {
            ColumnReader::DoubleColumnReader(r) => numbers(r, &mut out, |v| v)?,
            ColumnReader::FloatColumnReader(r) => numbers(r, &mut out, f64::from)?,
            ColumnReader::Int32ColumnReader(r) => numbers(r, &mut out, f64::from)?,
            ColumnReader::Int64ColumnReader(r) => numbers(r, &mut out, |v| v as f64)?,
            ColumnReader::BoolColumnReader(r) => numbers(r, &mut out, f64::from)?,
            _ => {}
        }
    }
    if of.scale.total_cmp(&1.0).is_ne() {
        out.iter_mut().for_each(|v| *v *= of.scale);
    }
    Ok(out)
}

/// Appends the values of a column of a row group, blanks where it is null.
fn numbers<T: DataType>(
    mut from: ColumnReaderImpl<T>,
    out: &mut Vec<f64>,
    of: impl Fn(T::T) -> f64,
) -> Result<(), ParquetError> {
    let (mut levels, mut values): (Vec<i16>, Vec<T::T>) = (Vec::new(), Vec::new());
    loop {
        levels.clear();
        values.clear();
        let (records, ..) = from.read_records(AT_ONCE, Some(&mut levels), None, &mut values)?;
        if records == 0 {
            return Ok(());
        }
        if levels.is_empty() || values.len() == levels.len() {
            out.extend(values.drain(..).map(&of));
        } else {
            let mut there = values.drain(..);
            out.extend(
                levels.iter().map(|l| if *l == 0 { f64::NAN } else { there.next().map_or(f64::NAN, &of) }),
            );
        }
    }
}
