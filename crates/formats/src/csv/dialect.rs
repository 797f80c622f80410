//! Finding the dialect from the first lines of a file.

use super::cell::{Cell, clock, number};
use crate::error::{FormatError, FormatProblem};
use crate::units::said;

/// How a file is written. Lines count from 1.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dialect {
    /// Field separator.
    pub delimiter: u8,
    /// True when numbers use a comma.
    pub decimal_comma: bool,
    /// Line of the header.
    pub header_line: u64,
    /// Line of the units row, when there is one.
    pub units_line: Option<u64>,
    /// First line of data.
    pub first_data_line: u64,
    /// Header texts.
    pub headers: Vec<String>,
    /// Unit texts from the units row or from brackets in the header; empty when none.
    pub units: Vec<String>,
    /// First rows of data, as they stand in the file.
    pub first_rows: Vec<Vec<String>>,
}

/// Text of a header cell, in UTF-8 or else Windows-1252 (a superset of Latin-1).
pub(super) fn text(raw: &[u8]) -> String {
    match std::str::from_utf8(raw) {
        Ok(s) => s.trim().to_owned(),
        Err(_) => encoding_rs::WINDOWS_1252.decode(raw).0.trim().to_owned(),
    }
}

/// Fields of each line at a delimiter, honouring double quotes: each line by itself, so that an odd quote in
/// a preamble swallows no more than its line.
pub(super) fn split(lines: &[&[u8]], delimiter: u8) -> Vec<Vec<Vec<u8>>> {
    let mut reader = csv_core::ReaderBuilder::new().delimiter(delimiter).build();
    let (mut text, mut ends) = (Vec::new(), Vec::new());
    let mut one = |line: &&[u8]| {
        reader.reset();
        text.resize(line.len(), 0);
        ends.resize(line.len() + 1, 0);
        let (_, _, written, fields) = reader.read_record(line, &mut text, &mut ends);
        let (_, _, _, last) = reader.read_record(&[], &mut text[written..], &mut ends[fields..]);
        let starts = std::iter::once(0).chain(ends.iter().copied());
        let found = starts.zip(&ends[..fields + last]).map(|(a, b)| text[a..*b].to_vec()).collect::<Vec<_>>();
        if found.is_empty() { vec![Vec::new()] } else { found }
    };
    lines.iter().map(&mut one).collect()
}

/// What fields are separated by, in the order tried.
pub(super) const DELIMITERS: [u8; 3] = [b';', b'\t', b','];

pub(super) fn is_value(cell: &[u8], comma: bool) -> bool {
    matches!(number(cell, comma), Cell::Number(_) | Cell::Infinite) || clock(cell).is_some()
}

fn is_data(fields: &[Vec<u8>], comma: bool) -> bool {
    let filled: Vec<&Vec<u8>> = fields.iter().filter(|f| !matches!(number(f, comma), Cell::Blank)).collect();
    let values = filled.iter().filter(|f| is_value(f, comma)).count();
    fields.len() >= 2 && values >= 2 && values * 10 >= filled.len() * 6
}

fn brackets(header: &str) -> Option<&str> {
    let open = header.rfind(['[', '('])?;
    header[open + 1..].trim_end().strip_suffix([']', ')'])
}

/// Finds the dialect in the head of a file (at least its first data rows).
///
/// # Errors
/// [`FormatError`] for empty, binary or header-only files and for files without columns or header.
pub fn sniff(head: &[u8], file: &str) -> Result<Dialect, FormatError> {
    let head = head.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(head);
    if head.trim_ascii().is_empty() {
        return Err(FormatError::whole(file, FormatProblem::Empty));
    }
    let control = head.iter().filter(|b| **b < 9 || (**b > 13 && **b < 32)).count();
    if head.contains(&0) || control * 50 > head.len() {
        return Err(FormatError::whole(file, FormatProblem::NotText));
    }
    let lines: Vec<&[u8]> =
        head.split(|b| *b == b'\n').take(400).map(|l| l.strip_suffix(b"\r").unwrap_or(l)).collect();
    let split = DELIMITERS.map(|d| split(&lines, d));
    let mut best: Option<Layout> = None;
    for (delimiter, comma) in [(0, true), (0, false), (1, true), (1, false), (2, false)] {
        let rows: Vec<usize> = split[delimiter].iter().filter(|f| is_data(f, comma)).map(Vec::len).collect();
        let Some(width) = rows.iter().copied().max_by_key(|w| rows.iter().filter(|r| *r == w).count()) else {
            continue;
        };
        let score = rows.iter().filter(|r| **r == width).count();
        if best.is_none_or(|b| (score, width) > (b.score, b.width)) {
            best = Some(Layout { score, width, delimiter, comma });
        }
    }
    let Some(Layout { width, delimiter, comma, .. }) = best else { return Err(no_data(&split, file)) };
    let fields = &split[delimiter];
    let decimal_comma =
        comma && fields.iter().any(|l| l.iter().any(|f| f.contains(&b',') && is_value(f, true)));
    let first = fields.iter().position(|f| f.len() == width && is_data(f, comma)).expect("scored above");
    let wide: Vec<usize> =
        (0..first).rev().filter(|&i| fields[i].len() >= 2 && fields[i].len().abs_diff(width) <= 1).collect();
    let Some(&nearest) = wide.first() else {
        return Err(FormatError::at(file, first as u64 + 1, 1, FormatProblem::NoHeader));
    };
    let texts = |i: usize| fields[i].iter().map(|f| text(f)).collect::<Vec<_>>();
    let row = texts(nearest);
    let filled: Vec<&String> = row.iter().filter(|s| !s.is_empty()).collect();
    let unit_like = filled.iter().filter(|s| said(s).is_some()).count();
    let is_units = wide.len() > 1
        && wide[1] + 1 == nearest
        && unit_like * 2 > filled.len()
        && texts(wide[1]).iter().filter(|s| !s.is_empty()).count() >= 2;
    let (header_at, units_at) = if is_units { (wide[1], Some(nearest)) } else { (nearest, None) };
    let mut headers = texts(header_at);
    headers.resize(width, String::new());
    let mut units = match units_at {
        Some(i) => texts(i),
        None => headers.iter().map(|h| brackets(h).unwrap_or("").to_owned()).collect(),
    };
    units.resize(width, String::new());
    Ok(Dialect {
        delimiter: DELIMITERS[delimiter],
        decimal_comma,
        header_line: header_at as u64 + 1,
        units_line: units_at.map(|i| i as u64 + 1),
        first_data_line: first as u64 + 1,
        headers,
        units,
        first_rows: fields[first..].iter().take(3).map(|r| r.iter().map(|f| text(f)).collect()).collect(),
    })
}

/// A way to read the lines, and how many of them it makes rows of one width.
#[derive(Clone, Copy)]
struct Layout {
    score: usize,
    width: usize,
    delimiter: usize,
    comma: bool,
}

fn no_data(split: &[Vec<Vec<Vec<u8>>>; 3], file: &str) -> FormatError {
    let header = (0..split[0].len()).find(|&i| split.iter().any(|lines| lines[i].len() >= 2));
    match header {
        Some(i) => FormatError::at(file, i as u64 + 1, 1, FormatProblem::NoRows),
        None => FormatError::whole(file, FormatProblem::NoColumns),
    }
}
