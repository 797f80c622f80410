//! A recording as a table, whatever it is written in: text, MDF 4, Parquet.

use crate::csv::{self, Dialect, RawTable};
use crate::error::{FormatError, FormatProblem};
use crate::packed::begins;
use crate::{mdf, parquet};
use std::io::{Cursor, Read};

/// Largest binary recording, bytes: it is read whole (our choice, as for map files).
const MOST_BYTES: u64 = 256 << 20;

/// What a file is written in, by how it begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Text,
    Mdf,
    Parquet,
}

/// The first bytes, and the whole again.
fn form_of(mut input: impl Read, file: &str) -> Result<(Form, impl Read), FormatError> {
    let mut head = [0u8; 8];
    let n = begins(&mut input, &mut head).map_err(|e| FormatError::unreadable(file, &e))?;
    let form = match &head[..n] {
        h if h == mdf::MAGIC || h == mdf::UNFINISHED => Form::Mdf,
        h if h.starts_with(parquet::MAGIC) => Form::Parquet,
        _ => Form::Text,
    };
    Ok((form, Cursor::new(head[..n].to_vec()).chain(input)))
}

fn whole(input: impl Read, file: &str) -> Result<Vec<u8>, FormatError> {
    let mut bytes = Vec::new();
    input.take(MOST_BYTES + 1).read_to_end(&mut bytes).map_err(|e| FormatError::unreadable(file, &e))?;
    if bytes.len() as u64 > MOST_BYTES {
        return Err(FormatError::whole(file, FormatProblem::TableTooLarge { mib: MOST_BYTES >> 20 }));
    }
    Ok(bytes)
}

/// The columns of a recording and what they are called, without its values.
///
/// # Errors
/// [`FormatError`] for unreadable input and everything that cannot be a recording.
pub fn dialect_of(input: impl Read, file: &str) -> Result<Dialect, FormatError> {
    match form_of(input, file)? {
        (Form::Text, input) => csv::dialect_of(input, file),
        (Form::Mdf, input) => mdf::headers(&whole(input, file)?, file),
        (Form::Parquet, input) => parquet::headers(whole(input, file)?, file),
    }
}

/// Reads the columns that `keep` asks for; `keep` sees what they are called and returns (column, is_time) pairs.
///
/// # Errors
/// [`FormatError`] with what is wrong, where, and what to do.
pub(crate) fn read_table(
    input: impl Read,
    file: &str,
    keep: impl FnOnce(&Dialect) -> Result<Vec<(usize, bool)>, FormatError>,
) -> Result<RawTable, FormatError> {
    match form_of(input, file)? {
        (Form::Text, input) => csv::read_table(input, file, keep),
        (Form::Mdf, input) => mdf::table(&whole(input, file)?, file, keep),
        (Form::Parquet, input) => parquet::table(whole(input, file)?, file, keep),
    }
}
