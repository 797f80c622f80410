//! Rows of a table as columns of numbers: what makes a row, a value, a fault. Where fields begin and end was
//! found before, in plain blocks by looking for delimiters and elsewhere by the csv crate.

use super::blocks::MAX_LINE;
use super::cell::{Cell, clock, number};
use super::decimal::Plan;
use super::dialect::Dialect;
use crate::error::FormatProblem;

/// A longer field is refused.
const MAX_FIELD: usize = 1 << 16;

/// How the time column was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeKind {
    /// Plain numbers.
    Numbers,
    /// Clock times, read as seconds of the day.
    Clock,
}

/// The fields of one record: where each ends in the bytes, and how many bytes stand between two.
#[derive(Clone, Copy)]
pub(super) struct Fields<'a> {
    pub(super) bytes: &'a [u8],
    pub(super) ends: &'a [usize],
    pub(super) gap: usize,
}

impl<'a> Fields<'a> {
    fn get(self, i: usize) -> &'a [u8] {
        let start = if i == 0 { 0 } else { self.ends[i - 1] + self.gap };
        &self.bytes[start..self.ends[i]]
    }

    fn all_blank(self, mut among: std::ops::Range<usize>) -> bool {
        among.all(|i| self.get(i).trim_ascii().is_empty())
    }
}

/// What is wrong with a record, by line of the block and field, from 1.
#[derive(Debug)]
pub(super) enum Trouble {
    /// Refuses the table.
    Wrong { line: u64, field: usize, problem: FormatProblem },
    /// Fewer fields than the header: the table was cut off here when nothing follows.
    Short { line: u64, fields: usize },
}

/// The columns asked for, and whether each is the clock.
pub(super) type Wanted = [(usize, bool)];

/// Rows read so far.
pub(super) struct Rows {
    pub(super) columns: Vec<Vec<f64>>,
    /// Line of each row.
    pub(super) lines: Vec<u32>,
    pub(super) time: TimeKind,
}

impl Rows {
    pub(super) fn new(wanted: &Wanted) -> Self {
        Self { columns: vec![Vec::new(); wanted.len()], lines: Vec::new(), time: TimeKind::Numbers }
    }

    /// Makes room for the rows of a block as long as its first.
    fn reserve_for(&mut self, block: &[u8]) {
        // A row has a delimiter for each column: a short line at the beginning makes no room for millions.
        let least = 2 * self.columns.len().max(1);
        let first = (memchr::memchr(b'\n', block).unwrap_or(block.len()) + 1).max(least);
        let rows = block.len() / first + block.len() / (16 * first) + 8;
        self.columns.iter_mut().for_each(|c| c.reserve(rows));
        self.lines.reserve(rows);
    }

    /// Takes one record; blank ones and remarks are passed over.
    pub(super) fn take(
        &mut self,
        fields: Fields,
        line: u64,
        d: &Dialect,
        wanted: &Wanted,
    ) -> Result<(), Trouble> {
        let (n, width) = (fields.ends.len(), d.headers.len());
        if fields.all_blank(0..n) || fields.get(0).starts_with(b"#") {
            return Ok(());
        }
        let wrong = |field, problem| Err(Trouble::Wrong { line, field, problem });
        if fields.bytes.len() > MAX_FIELD
            && let Some(i) = (0..n).find(|i| fields.get(*i).len() > MAX_FIELD)
        {
            return wrong(i + 1, FormatProblem::FieldTooLong { bytes: fields.get(i).len() });
        }
        if n < width {
            return Err(Trouble::Short { line, fields: n });
        }
        if n > width && !fields.all_blank(width..n) {
            return wrong(width, ragged(n, d));
        }
        for (out, (column, is_time)) in self.columns.iter_mut().zip(wanted) {
            let raw = fields.get(*column);
            match value(raw, *is_time, &mut self.time, d.decimal_comma) {
                Ok(v) => out.push(v),
                Err(fault) => return wrong(column + 1, fault.in_column(raw, &d.headers[*column])),
            }
        }
        self.lines.push(saturated(line));
        Ok(())
    }
}

/// A line number as it is kept.
pub(super) fn saturated(line: u64) -> u32 {
    u32::try_from(line).unwrap_or(u32::MAX)
}

pub(super) fn ragged(fields: usize, d: &Dialect) -> FormatProblem {
    let delimiter = match d.delimiter {
        b'\t' => "tab",
        b';' => ";",
        _ => ",",
    };
    FormatProblem::Ragged { fields, width: d.headers.len(), delimiter }
}

/// Whether the lines of a block are its records: no quotes, and no line ends of another kind.
pub(super) fn is_plain(block: &[u8]) -> bool {
    memchr::memchr(b'"', block).is_none()
        && memchr::memchr_iter(b'\r', block).all(|i| block.get(i + 1).is_none_or(|b| *b == b'\n'))
}

/// The rows of a plain block, and what stopped them.
pub(super) struct Part {
    pub(super) rows: Rows,
    pub(super) trouble: Option<Trouble>,
    /// The last line read.
    pub(super) line: u64,
    /// Whether anything but line ends follows the record that stopped it.
    pub(super) more: bool,
}

impl Part {
    /// Reads a plain block, lines counted from 1: those of short decimals by `plan`, others field by field.
    pub(super) fn of(block: &[u8], d: &Dialect, wanted: &Wanted, plan: Option<&Plan>) -> Self {
        let mut part = Self { rows: Rows::new(wanted), trouble: None, line: 0, more: false };
        part.rows.reserve_for(block);
        let mut ends = Vec::with_capacity(d.headers.len() + 1);
        let mut tile = Tile::new(wanted.len());
        let mut start = 0;
        while start < block.len() && part.trouble.is_none() {
            part.line += 1;
            let text = &block[start..];
            let length = match plan.and_then(|p| tile.take(p, text)) {
                Some(length) => {
                    part.rows.lines.push(saturated(part.line));
                    length
                }
                None => {
                    tile.empty_into(&mut part.rows.columns);
                    let length = scan(text, d.delimiter, &mut ends);
                    part.trouble = part.general(&text[..length], &mut ends, d, wanted).err();
                    length
                }
            };
            if tile.is_full() {
                tile.empty_into(&mut part.rows.columns);
            }
            start += length + 1;
        }
        tile.empty_into(&mut part.rows.columns);
        part.more = !only_line_ends(block.get(start..).unwrap_or_default());
        part
    }

    fn general(
        &mut self,
        line: &[u8],
        ends: &mut [usize],
        d: &Dialect,
        wanted: &Wanted,
    ) -> Result<(), Trouble> {
        let line = line.strip_suffix(b"\r").unwrap_or(line);
        *ends.last_mut().expect("a line has a field") = line.len();
        if line.len() > MAX_LINE {
            let problem = FormatProblem::LineTooLong { kib: MAX_LINE / 1024 };
            return Err(Trouble::Wrong { line: self.line, field: 1, problem });
        }
        self.rows.take(Fields { bytes: line, ends, gap: 1 }, self.line, d, wanted)
    }
}

/// Rows one behind the other, before they are taken apart into columns: divided together, and written so that
/// values of a column lie side by side.
struct Tile {
    width: usize,
    rows: usize,
    whole: Vec<f64>,
    by: Vec<f64>,
}

impl Tile {
    /// Rows held (our choice: forty columns of them fit the first cache).
    const ROWS: usize = 48;

    fn new(width: usize) -> Self {
        let room = vec![f64::NAN; width * Self::ROWS];
        Self { width, rows: 0, whole: room.clone(), by: room }
    }

    /// The length of the first line of a text, if the plan can read it.
    fn take(&mut self, plan: &Plan, text: &[u8]) -> Option<usize> {
        let here = self.rows * self.width..(self.rows + 1) * self.width;
        let length = plan.line(text, &mut self.whole[here.clone()], &mut self.by[here])?;
        self.rows += 1;
        Some(length)
    }

    fn is_full(&self) -> bool {
        self.rows == Self::ROWS
    }

    fn empty_into(&mut self, columns: &mut [Vec<f64>]) {
        let n = std::mem::take(&mut self.rows) * self.width;
        let held = &mut self.whole[..n];
        held.iter_mut().zip(&self.by).for_each(|(v, by)| *v /= by);
        for (k, column) in columns.iter_mut().enumerate() {
            column.extend(held.chunks_exact(self.width).map(|row| row[k]));
        }
    }
}

/// The length of the first line, and where its fields end.
fn scan(text: &[u8], delimiter: u8, ends: &mut Vec<usize>) -> usize {
    ends.clear();
    for i in memchr::memchr2_iter(delimiter, b'\n', text) {
        ends.push(i);
        if text[i] == b'\n' {
            return i;
        }
    }
    ends.push(text.len());
    text.len()
}

pub(super) fn only_line_ends(text: &[u8]) -> bool {
    text.iter().all(|b| matches!(b, b'\n' | b'\r'))
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

fn value(raw: &[u8], is_time: bool, kind: &mut TimeKind, comma: bool) -> Result<f64, Fault> {
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
