//! Streaming a CSV into columns: bounded lines, bounded memory, errors with line and field.

use super::cell::{Cell, clock, number};
use super::dialect::{Dialect, sniff};
use crate::error::{FormatError, FormatProblem};
use crate::packed::unpacked;
use encoding_rs_io::{DecodeReaderBytes, DecodeReaderBytesBuilder};
use std::io::{self, BufReader, Read};

/// A longer line is refused.
const MAX_LINE: usize = 1 << 20;
/// A longer field is refused.
const MAX_FIELD: usize = 1 << 16;
/// Memory for one table, bytes: the values of known columns, and what finding pulls in them takes for each
/// row. Two million rows of two channels stay below, or half a million of forty: some hours at a hundred
/// readings a second (our choice; the whole program is to stay within 300 MB).
const ROOM: usize = 190_000_000;
const PER_ROW: usize = 72;
const HEAD: usize = 256 * 1024;

/// How the time column was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeKind {
    /// Plain numbers.
    Numbers,
    /// Clock times, read as seconds of the day.
    Clock,
}

/// Columns as read, before units. Blank cells are NaN.
#[derive(Debug, Clone, PartialEq)]
pub struct RawTable {
    /// The dialect found.
    pub dialect: Dialect,
    /// Kept columns, by index into the headers.
    pub columns: Vec<(usize, Vec<f64>)>,
    /// File line of each row.
    pub lines: Vec<u32>,
    /// How the clock column was written, if one was asked for.
    pub time: TimeKind,
    /// True when the last line was cut short and left out.
    pub truncated: bool,
}

/// A line grew beyond the bound.
#[derive(Debug, thiserror::Error)]
#[error("a line longer than {MAX_LINE} bytes")]
struct TooLong;

/// Passes bytes through and fails once a line grows beyond the bound.
struct LineGuard<R> {
    inner: R,
    since_newline: usize,
}

impl<R: Read> Read for LineGuard<R> {
    fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
        let n = self.inner.read(buf)?;
        match buf[..n].iter().rposition(|b| *b == b'\n') {
            Some(i) => self.since_newline = n - 1 - i,
            None => self.since_newline += n,
        }
        if self.since_newline > MAX_LINE { Err(io::Error::other(TooLong)) } else { Ok(n) }
    }
}

/// A file as text: how its head reads, the head, and what follows it.
struct Opened<R> {
    dialect: Dialect,
    head: Vec<u8>,
    rest: R,
}

/// What is in a file, unpacked and decoded to UTF-8.
pub(super) fn decoded<'a>(
    input: impl Read + 'a,
    file: &str,
) -> Result<DecodeReaderBytes<Box<dyn Read + 'a>, Vec<u8>>, FormatError> {
    let input = unpacked(input, file)?;
    Ok(DecodeReaderBytesBuilder::new().bom_sniffing(true).strip_bom(true).utf8_passthru(true).build(input))
}

/// Decodes and finds the dialect from the head.
fn open<'a, R: Read + 'a>(input: R, file: &str) -> Result<Opened<impl Read + use<'a, R>>, FormatError> {
    let mut decoded = decoded(input, file)?;
    let mut head = Vec::with_capacity(HEAD);
    decoded
        .by_ref()
        .take(HEAD as u64)
        .read_to_end(&mut head)
        .map_err(|e| FormatError::whole(file, FormatProblem::Unreadable(e.to_string())))?;
    Ok(Opened { dialect: sniff(&head, file)?, head, rest: decoded })
}

/// The dialect of a file, from its head alone.
///
/// # Errors
/// [`FormatError`] for unreadable input and everything [`sniff`] refuses.
pub fn dialect_of(input: impl Read, file: &str) -> Result<Dialect, FormatError> {
    open(input, file).map(|o| o.dialect)
}

/// Reads the columns that `keep` asks for; `keep` sees the dialect and returns (column, is_time) pairs.
///
/// # Errors
/// [`FormatError`] with line and field for text among numbers, infinite values, ragged rows, over-long fields
/// or lines, unreadable input, and everything [`sniff`] refuses.
pub fn read_table(
    input: impl Read,
    file: &str,
    keep: impl FnOnce(&Dialect) -> Result<Vec<(usize, bool)>, FormatError>,
) -> Result<RawTable, FormatError> {
    read_within(ROOM, input, file, keep)
}

/// The same within `room` bytes.
fn read_within(
    room: usize,
    input: impl Read,
    file: &str,
    keep: impl FnOnce(&Dialect) -> Result<Vec<(usize, bool)>, FormatError>,
) -> Result<RawTable, FormatError> {
    let Opened { dialect, head, rest } = open(input, file)?;
    let wanted = keep(&dialect)?;
    let width = dialect.headers.len();
    let source = LineGuard { inner: io::Cursor::new(head).chain(rest), since_newline: 0 };
    let mut skipped =
        Skip { inner: BufReader::with_capacity(1 << 16, source), lines: dialect.first_data_line - 1 };
    skipped.advance().map_err(|e| unreadable(file, dialect.first_data_line, &e))?;
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(dialect.delimiter)
        .has_headers(false)
        .flexible(true)
        .from_reader(skipped.inner);
    let mut table = RawTable {
        columns: wanted.iter().map(|(i, _)| (*i, Vec::new())).collect(),
        lines: Vec::new(),
        time: TimeKind::Numbers,
        truncated: false,
        dialect,
    };
    let most_rows = room / (8 * wanted.len() + PER_ROW);
    let base = table.dialect.first_data_line - 1;
    let mut record = csv::ByteRecord::new();
    loop {
        let line = base + reader.position().line();
        if !reader.read_byte_record(&mut record).map_err(|e| unreadable(file, line, &of_io(e)))? {
            break;
        }
        if record.iter().all(|f| f.trim_ascii().is_empty()) {
            continue;
        }
        if record.get(0).is_some_and(|f| f.starts_with(b"#")) {
            continue;
        }
        if let Some(i) = record.iter().position(|f| f.len() > MAX_FIELD) {
            return Err(FormatError::at(
                file,
                line,
                i as u64 + 1,
                FormatProblem::FieldTooLong { bytes: record[i].len() },
            ));
        }
        if record.len() != width
            && !(record.len() > width && record.iter().skip(width).all(|f| f.trim_ascii().is_empty()))
        {
            let fields = record.len();
            if fields < width && !reader.read_byte_record(&mut record).unwrap_or(true) {
                table.truncated = true;
                break;
            }
            return Err(FormatError::at(
                file,
                line,
                fields.min(width) as u64,
                FormatProblem::Ragged { fields, width, delimiter: shown(table.dialect.delimiter) },
            ));
        }
        table.lines.push(u32::try_from(line).unwrap_or(u32::MAX));
        for (k, (column, is_time)) in wanted.iter().enumerate() {
            let value = read_cell(&record[*column], *is_time, &mut table.time, table.dialect.decimal_comma)
                .map_err(|fault| {
                FormatError::at(
                    file,
                    line,
                    *column as u64 + 1,
                    fault.in_column(&record[*column], &table.dialect.headers[*column]),
                )
            })?;
            table.columns[k].1.push(value);
        }
        if table.lines.len() > most_rows {
            return Err(FormatError::at(
                file,
                line,
                1,
                FormatProblem::TooManyRows { rows: most_rows, columns: wanted.len() },
            ));
        }
    }
    Ok(table)
}

fn shown(delimiter: u8) -> &'static str {
    match delimiter {
        b'\t' => "tab",
        b';' => ";",
        _ => ",",
    }
}

fn of_io(e: csv::Error) -> io::Error {
    match e.into_kind() {
        csv::ErrorKind::Io(e) => e,
        other => io::Error::other(format!("{other:?}")),
    }
}

/// Why reading stopped: the line's own fault, or that of where it comes from.
fn unreadable(file: &str, line: u64, e: &io::Error) -> FormatError {
    match e.get_ref().and_then(|inner| inner.downcast_ref::<TooLong>()) {
        Some(TooLong) => FormatError::at(file, line, 1, FormatProblem::LineTooLong { kib: MAX_LINE / 1024 }),
        None => FormatError::at(file, line, 1, FormatProblem::Unreadable(e.to_string())),
    }
}

/// Why a cell holds no value.
enum Fault {
    Text,
    NoTime,
    Infinite,
}

impl Fault {
    fn in_column(self, raw: &[u8], header: &str) -> FormatProblem {
        let (text, column) =
            (String::from_utf8_lossy(&raw[..raw.len().min(40)]).into_owned(), header.to_owned());
        match self {
            Self::Text => FormatProblem::NotANumber { text, column },
            Self::NoTime => FormatProblem::NotATime { text, column },
            Self::Infinite => FormatProblem::Infinite { text, column },
        }
    }
}

fn read_cell(raw: &[u8], is_time: bool, kind: &mut TimeKind, comma: bool) -> Result<f64, Fault> {
    match number(raw, comma) {
        Cell::Number(v) => Ok(v),
        Cell::Blank => Ok(f64::NAN),
        Cell::Infinite => Err(Fault::Infinite),
        Cell::Text if is_time => {
            let t = clock(raw).ok_or(Fault::NoTime)?;
            *kind = TimeKind::Clock;
            Ok(t)
        }
        Cell::Text => Err(Fault::Text),
    }
}

/// Skips whole lines of a buffered reader.
struct Skip<R> {
    inner: R,
    lines: u64,
}

impl<R: io::BufRead> Skip<R> {
    fn advance(&mut self) -> io::Result<()> {
        while self.lines > 0 {
            let buf = self.inner.fill_buf()?;
            if buf.is_empty() {
                return Ok(());
            }
            match buf.iter().position(|b| *b == b'\n') {
                Some(i) => {
                    self.inner.consume(i + 1);
                    self.lines -= 1;
                }
                None => {
                    let n = buf.len();
                    self.inner.consume(n);
                }
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const LOG: &str = "Time (s),RPM,Torque (N·m)\n0.0,2000,100\n0.1,2100,101\n0.2,2200,102\n0.3,2300,103\n";

    fn both(_: &Dialect) -> Result<Vec<(usize, bool)>, FormatError> {
        Ok(vec![(0, true), (1, false)])
    }

    #[test]
    fn a_table_takes_no_more_room_than_it_may_and_says_where_to_split() {
        let row = 2 * 8 + PER_ROW;
        assert_eq!(read_within(4 * row, LOG.as_bytes(), "p.csv", both).unwrap().lines.len(), 4);
        let e = read_within(3 * row, LOG.as_bytes(), "p.csv", both).unwrap_err().to_string();
        assert_eq!(
            e,
            "p.csv:5:1: more than 3 rows of 2 known columns are too many to look at at once: split the log before this line"
        );
    }

    /// A disk that fails after the head was read.
    struct Failing(usize);

    impl Read for Failing {
        fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
            if self.0 == 0 {
                return Err(io::Error::other("the disk is gone"));
            }
            let text: Vec<u8> =
                LOG.bytes().chain("0.4,2300,103\n".bytes().cycle()).take(HEAD + 100).collect();
            let from = text.len() - self.0;
            let n = buf.len().min(self.0);
            buf[..n].copy_from_slice(&text[from..from + n]);
            self.0 -= n;
            Ok(n)
        }
    }

    #[test]
    fn a_disk_that_fails_is_not_called_a_line_too_long() {
        let e = read_table(Failing(HEAD + 100), "p.csv", both).unwrap_err().to_string();
        assert!(e.contains("cannot be read: the disk is gone") && e.starts_with("p.csv:"), "{e}");
    }
}
