//! Errors that say what, where and what to do.

use jamjar_core::maps::TableError;
use std::fmt;
use thiserror::Error;

/// What is wrong with a file, and what to do.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum FormatProblem {
    #[error("the file is empty")]
    Empty,
    #[error("this is not a text file: export the log as CSV")]
    NotText,
    /// Where it comes from fails, not the file.
    #[error("cannot be read: {0}")]
    Unreadable(String),
    #[error("there is no header row: add a line with the channel names above the numbers")]
    NoHeader,
    #[error("there are no rows of numbers below the header")]
    NoRows,
    #[error("no columns found: separate the fields with comma, semicolon or tab")]
    NoColumns,
    #[error("no time column found among: {among}")]
    NoTime { among: String },
    #[error("there is no column “{column}”; the header has: {among}")]
    NoSuchColumn { column: String, among: String },
    #[error("a line longer than {kib} KiB: is this really a log?")]
    LineTooLong { kib: usize },
    #[error("a field of {bytes} bytes is not a measurement")]
    FieldTooLong { bytes: usize },
    #[error("{fields} fields, but the header has {width}: is the delimiter “{delimiter}”?")]
    Ragged { fields: usize, width: usize, delimiter: &'static str },
    #[error("“{text}” is not a number in column “{column}”")]
    NotANumber { text: String, column: String },
    #[error(
        "“{text}” is an infinite value: leave the cell blank if it was not measured in column “{column}”"
    )]
    Infinite { text: String, column: String },
    #[error("“{text}” is neither a number nor a clock time in column “{column}”")]
    NotATime { text: String, column: String },
    #[error(
        "more than {rows} rows of {columns} known columns are too many to look at at once: split the log before this line"
    )]
    TooManyRows { rows: usize, columns: usize },
    #[error("time runs backward ({after} s after {before} s): two recordings in one file? Split it there")]
    TimeRunsBackward { before: f64, after: f64 },
    #[error("the recording spans {days:.0} days: is its time in another unit?")]
    TooLong { days: f64 },
    /// A column of readings that no sensor of its kind gives.
    #[error("“{column}” reads {value:.4e}{} as {kind}, which cannot be: name its unit, or the channel it really is", spaced(.unit))]
    CannotBe { column: String, value: f64, unit: &'static str, kind: &'static str },
    #[error("it is damaged or cut short: send it again, whole")]
    Damaged,
    #[error("it swells to more than any log when it is unpacked, and is refused")]
    Swells,
    #[error("this archive holds {n} files: {among}. Unpack it and send those that are meant")]
    SeveralFiles { n: usize, among: String },
    #[error("a spreadsheet of an old kind: save it as .xlsx, .ods or CSV")]
    OldSpreadsheet,
    #[error("the spreadsheet holds more than {cells} cells")]
    TooManyCells { cells: usize },
    #[error("a table of more than {mib} MiB is no finished curve: is it a log?")]
    TableTooLarge { mib: u64 },
    #[error("no engine speed and no road speed among: {among}")]
    NoAxis { among: String },
    #[error("neither power nor torque among: {among}")]
    NoPowerOrTorque { among: String },
    #[error("there is no run “{run}”; the table has: {among}")]
    NoSuchRun { run: String, among: String },
    #[error("the table holds several runs; say which is meant of: {among}")]
    WhichRun { among: String },
    #[error("the run “{run}” stands here twice")]
    RunTwice { run: String },
    #[error("the speed {speed} stands twice in run “{run}”: a curve has one value at a speed")]
    SpeedTwice { speed: f64, run: String },
    #[error("a flow sheet needs columns for pressure and duration; found: {among}")]
    NoFlowHeader { among: String },
    #[error(
        "a flow sheet needs a mass: a column of mg beside the injector's name, or one for each injector; found: {among}"
    )]
    NoFlowMass { among: String },
    #[error("{what} above zero is needed on every line of a flow sheet")]
    FlowBlank { what: &'static str },
    #[error("more than {most} points on one flow sheet")]
    FlowTooMany { most: usize },
    #[error("the block at byte {at} reaches beyond the end: the file was cut short; send it again, whole")]
    MdfCut { at: u64 },
    #[error("there is no block at byte {at} where one is named: the file is damaged; send it again")]
    MdfNoBlock { at: u64 },
    #[error(
        "its recorder never finished this file: open it once in the program that recorded it, and save it"
    )]
    MdfUnfinished,
    #[error("MDF of version {version} is not read, 4.x is: save it as MDF 4")]
    MdfVersion { version: String },
    #[error("its data is packed in a way (kind {kind}) that is not read: save it deflated or unpacked")]
    MdfPacking { kind: u8 },
    #[error("its data is kept in a kind of block ({kind}) that is not read: save it as MDF 4.1")]
    MdfUnknown { kind: String },
    #[error(
        "this Parquet file is written in a way that is not read here ({what}): write it with zstd, snappy or no packing"
    )]
    ParquetNotRead { what: String },
    #[error(transparent)]
    Map(#[from] MapProblem),
}

fn spaced(unit: &str) -> String {
    if unit.is_empty() { String::new() } else { format!(" {unit}") }
}

/// What is wrong with a map in text form.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum MapProblem {
    #[error("“{text}” is not the first line of a map: it must read “{wanted}”")]
    FirstLine { text: String, wanted: &'static str },
    #[error("the map has no name: add a line “name …” below the first")]
    NoName,
    #[error(
        "“{text}” is neither a header (name, kind, revision of, for fuel, note) nor “value …” nor “table …”"
    )]
    Line { text: String },
    #[error("“{text}” is not a kind of map: it is one of {kinds}")]
    Kind { text: String, kinds: String },
    #[error("“{text}” is not a name: use lower-case letters, digits and underscores")]
    Name { text: String },
    #[error("{name} needs its unit in brackets, such as {name} [kPa]; [] when it has none")]
    NoUnit { name: String },
    #[error("“{text}” is not a number")]
    NotANumber { text: String },
    #[error("“{text}” is not a number in table {table}")]
    NotANumberIn { text: String, table: String },
    #[error("the {what} {name} stands here twice")]
    Twice { what: &'static str, name: String },
    #[error("the table {table} does not say “over” which axes")]
    NoAxes { table: String },
    #[error("the table {table} has more than two axes")]
    ManyAxes { table: String },
    #[error("the table {table} ends before its places")]
    Cut { table: String },
    #[error("{text}")]
    Syntax { text: String },
    #[error("version {found} of the form is not known here: this program reads version 1")]
    Version { found: u32 },
    /// Axes and values that do not belong together.
    #[error(transparent)]
    Table(#[from] TableError),
}

/// A file that cannot be read, with its place.
#[derive(Debug, Clone, PartialEq, Error)]
pub struct FormatError {
    /// File name as given.
    pub file: String,
    /// Line from 1, when known.
    pub line: Option<u64>,
    /// Field from 1, when known.
    pub column: Option<u64>,
    /// What is wrong and what to do.
    pub problem: Box<FormatProblem>,
}

impl FormatError {
    /// An error about the file as a whole.
    pub fn whole(file: &str, problem: impl Into<FormatProblem>) -> Self {
        Self { file: file.to_owned(), line: None, column: None, problem: Box::new(problem.into()) }
    }

    /// What a file came from failed, not the file.
    pub fn unreadable(file: &str, e: &std::io::Error) -> Self {
        Self::whole(file, FormatProblem::Unreadable(e.to_string()))
    }

    /// An error at a place.
    pub fn at(file: &str, line: u64, column: u64, problem: impl Into<FormatProblem>) -> Self {
        Self {
            file: file.to_owned(),
            line: Some(line),
            column: Some(column),
            problem: Box::new(problem.into()),
        }
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
