//! Streaming a CSV into columns: bounded lines, bounded memory, errors with line and field.

use super::batch::{Batch, Then};
use super::blocks::{Blocks, MAX_LINE, TooLong};
use super::decimal::Plan;
use super::dialect::{Dialect, sniff};
use super::parts::Parts;
use super::rows::{Fields, Part, Rows, TimeKind, Trouble, Wanted, ragged};
use crate::error::{FormatError, FormatProblem};
use crate::packed::unpacked;
use encoding_rs_io::{DecodeReaderBytes, DecodeReaderBytesBuilder};
use std::io::{self, Read};

/// Memory for one table, bytes: the values of known columns, and what finding pulls in them takes for each
/// row. Two million rows of two channels stay below, or half a million of forty: some hours at a hundred
/// readings a second (our choice; the whole program is to stay within 300 MB).
const ROOM: usize = 190_000_000;
const PER_ROW: usize = 72;
const HEAD: usize = 256 * 1024;

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
    let Opened { dialect, mut head, rest } = open(input, file)?;
    let wanted = keep(&dialect)?;
    let before = dialect.first_data_line - 1;
    let at = memchr::memchr_iter(b'\n', &head).take(before as usize).last().map_or(0, |i| i + 1);
    let reading = Reading {
        file,
        dialect: &dialect,
        wanted: &wanted,
        most_rows: room / (8 * wanted.len() + PER_ROW),
        parts: Parts::default(),
        line: before,
    };
    let (parts, truncated) = reading.all(Blocks::new(head.split_off(at), rest))?;
    let rows = parts.together(&wanted);
    let columns = wanted.iter().map(|(i, _)| *i).zip(rows.columns).collect();
    Ok(RawTable { columns, lines: rows.lines, time: rows.time, truncated, dialect })
}

/// Reading under way.
struct Reading<'a> {
    file: &'a str,
    dialect: &'a Dialect,
    wanted: &'a Wanted,
    most_rows: usize,
    parts: Parts,
    /// The last line read.
    line: u64,
}

impl Reading<'_> {
    /// The rows of all blocks, and whether the last record was cut short: the next blocks are read while those at
    /// hand are parsed by as many threads as there are, and from the first quote on one record goes after the other.
    fn all(mut self, mut blocks: Blocks<impl Read>) -> Result<(Parts, bool), FormatError> {
        let (d, wanted) = (self.dialect, self.wanted);
        let plan = Plan::of(wanted, d.headers.len(), d.delimiter, d.decimal_comma);
        let read = |block: &[u8]| Part::of(block, d, wanted, plan.as_ref());
        let mut now = Batch::read(&mut blocks);
        loop {
            let (parts, next) = now.parsed(&mut blocks, &read);
            let (n, mut stopped) = (parts.len(), None);
            for (k, part) in parts.into_iter().enumerate() {
                let base = self.line;
                self.line += part.line;
                self.parts.put(part.rows, base);
                if let Some(trouble) = part.trouble {
                    stopped = Some((base, trouble, part.more || k + 1 < n));
                    break;
                }
            }
            self.within_room()?;
            match stopped {
                None => {}
                Some((_, Trouble::Short { .. }, false)) if now.then.is_end(next.as_ref(), &mut blocks) => {
                    return Ok((self.parts, true));
                }
                Some((base, trouble, _)) => return Err(self.refused(base, trouble)),
            }
            match now.then {
                Then::More => now = next.unwrap_or_else(|| Batch::read(&mut blocks)),
                Then::End => return Ok((self.parts, false)),
                Then::Quotes(block) => return self.quoted(blocks.rest(block)),
                Then::Failed(e) => return Err(self.unreadable(self.line + 1, &e)),
            }
        }
    }

    /// Records in which quotes may hold delimiters and line ends.
    fn quoted(mut self, text: impl Read) -> Result<(Parts, bool), FormatError> {
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(self.dialect.delimiter)
            .has_headers(false)
            .flexible(true)
            .from_reader(text);
        let (mut record, mut ends) = (csv::ByteRecord::new(), Vec::new());
        let (base, mut rows) = (self.line, Rows::new(self.wanted));
        loop {
            let line = reader.position().line();
            if !reader.read_byte_record(&mut record).map_err(|e| self.unreadable(base + line, &of_io(e)))? {
                self.parts.put(rows, 0);
                return Ok((self.parts, false));
            }
            ends.clear();
            ends.extend((0..record.len()).filter_map(|i| record.range(i)).map(|r| r.end));
            let fields = Fields { bytes: record.as_slice(), ends: &ends, gap: 0 };
            match rows.take(fields, base + line, self.dialect, self.wanted) {
                Ok(()) if self.parts.rows() + rows.lines.len() <= self.most_rows => {}
                Ok(()) => return Err(self.too_many(rows.lines.last().copied().unwrap_or_default())),
                Err(Trouble::Short { .. }) if !reader.read_byte_record(&mut record).unwrap_or(true) => {
                    self.parts.put(rows, 0);
                    return Ok((self.parts, true));
                }
                Err(trouble) => return Err(self.refused(0, trouble)),
            }
        }
    }

    fn within_room(&self) -> Result<(), FormatError> {
        match self.parts.line_of(self.most_rows) {
            None => Ok(()),
            Some(line) => Err(self.too_many(line)),
        }
    }

    fn too_many(&self, line: u32) -> FormatError {
        let problem = FormatProblem::TooManyRows { rows: self.most_rows, columns: self.wanted.len() };
        FormatError::at(self.file, u64::from(line), 1, problem)
    }

    /// The error for a record whose line counts from `base`.
    fn refused(&self, base: u64, trouble: Trouble) -> FormatError {
        match trouble {
            Trouble::Wrong { line, field, problem } => {
                FormatError::at(self.file, base + line, field as u64, problem)
            }
            Trouble::Short { line, fields } => {
                FormatError::at(self.file, base + line, fields as u64, ragged(fields, self.dialect))
            }
        }
    }

    /// Why reading stopped: the line's own fault, or that of where it comes from.
    fn unreadable(&self, line: u64, e: &io::Error) -> FormatError {
        let problem = match e.get_ref().and_then(|inner| inner.downcast_ref::<TooLong>()) {
            Some(TooLong) => FormatProblem::LineTooLong { kib: MAX_LINE / 1024 },
            None => FormatProblem::Unreadable(e.to_string()),
        };
        FormatError::at(self.file, line, 1, problem)
    }
}

fn of_io(e: csv::Error) -> io::Error {
    match e.into_kind() {
        csv::ErrorKind::Io(e) => e,
        other => io::Error::other(format!("{other:?}")),
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
