//! Parquet out: one row a sample, one column a channel, null where nothing was measured, packed with zstd.

use super::UNITS;
use parquet::basic::{Compression, Encoding, Repetition, Type as Physical, ZstdLevel};
use parquet::data_type::DoubleType;
use parquet::errors::ParquetError;
use parquet::file::metadata::KeyValue;
use parquet::file::properties::{EnabledStatistics, WriterProperties};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::Type;
use std::io::{self, Write};
use std::sync::Arc;

/// Rows of a row group (our choice: hours of one log stay in one).
const GROUP: usize = 1 << 20;

/// A column to be written.
#[derive(Debug, Clone, Copy)]
pub struct ParquetColumn<'a> {
    /// Name.
    pub name: &'a str,
    /// Unit; blank for none.
    pub unit: &'a str,
    /// Values; blanks are NaN and become null.
    pub values: &'a [f64],
}

/// Writes columns of one length; `about` stands in the metadata under `about`.
///
/// # Errors
/// Whatever writing refuses with; columns of differing lengths, or two of one name ([`io::ErrorKind::InvalidInput`]).
pub fn write_parquet(out: impl Write + Send, columns: &[ParquetColumn<'_>], about: &str) -> io::Result<()> {
    let rows = columns.first().map_or(0, |c| c.values.len());
    let twice = |c: &ParquetColumn<'_>| columns.iter().filter(|o| o.name == c.name).count() > 1;
    if columns.iter().any(|c| c.values.len() != rows || twice(c)) {
        let text = "columns differ in length, or two have one name";
        return Err(io::Error::new(io::ErrorKind::InvalidInput, text));
    }
    write(out, columns, rows, about).map_err(io::Error::other)
}

fn write(
    out: impl Write + Send,
    columns: &[ParquetColumn<'_>],
    rows: usize,
    about: &str,
) -> Result<(), ParquetError> {
    let gaps: Vec<bool> = columns.iter().map(|c| c.values.iter().any(|v| v.is_nan())).collect();
    let field = |(c, gaps): (&ParquetColumn<'_>, &bool)| {
        let how = if *gaps { Repetition::OPTIONAL } else { Repetition::REQUIRED };
        Type::primitive_type_builder(c.name, Physical::DOUBLE).with_repetition(how).build().map(Arc::new)
    };
    let fields = columns.iter().zip(&gaps).map(field).collect::<Result<_, _>>()?;
    let schema = Arc::new(Type::group_type_builder("recording").with_fields(fields).build()?);
    let units: serde_json::Map<String, serde_json::Value> =
        columns.iter().map(|c| (c.name.to_owned(), c.unit.into())).collect();
    let pair = |key: &str, value: String| KeyValue::new(key.to_owned(), value);
    let units = serde_json::Value::Object(units).to_string();
    let properties = WriterProperties::builder()
        .set_created_by(format!("Jamjar {}", env!("CARGO_PKG_VERSION")))
        .set_compression(Compression::ZSTD(ZstdLevel::try_new(3)?))
        .set_dictionary_enabled(false)
        .set_statistics_enabled(EnabledStatistics::None)
        .set_encoding(Encoding::BYTE_STREAM_SPLIT)
        .set_key_value_metadata(Some(vec![pair(UNITS, units), pair("about", about.to_owned())]))
        .build();
    let mut file = SerializedFileWriter::new(out, schema, Arc::new(properties))?;
    let (mut there, mut levels): (Vec<f64>, Vec<i16>) = (Vec::new(), Vec::new());
    for from in (0..rows).step_by(GROUP) {
        let mut group = file.next_row_group()?;
        for (c, gaps) in columns.iter().zip(&gaps) {
            let part = &c.values[from..(from + GROUP).min(rows)];
            let Some(mut column) = group.next_column()? else { break };
            if *gaps {
                there.clear();
                there.extend(part.iter().filter(|v| !v.is_nan()));
                levels.clear();
                levels.extend(part.iter().map(|v| i16::from(!v.is_nan())));
                column.typed::<DoubleType>().write_batch(&there, Some(&levels), None)?;
            } else {
                column.typed::<DoubleType>().write_batch(part, None, None)?;
            }
            column.close()?;
        }
        group.close()?;
    }
    file.close()?;
    Ok(())
}
