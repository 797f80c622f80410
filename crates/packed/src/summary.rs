//! The measurement of a pull, packed: zstd of its fields by name, in MessagePack. Text as JSON, which was written before,
//! is read as well.

use jamjar_core::analysis::Measured;
use thiserror::Error;

/// zstd's level: what is gained beyond it is a tenth of the room for twice the time (our choice).
const LEVEL: i32 = 3;

/// A measurement that cannot be packed or read.
#[derive(Debug, Error)]
#[allow(missing_docs)]
pub enum SummaryError {
    #[error("it cannot be unpacked: {0}")]
    Zstd(#[from] std::io::Error),
    #[error("it cannot be written: {0}")]
    Write(#[from] rmp_serde::encode::Error),
    #[error("it cannot be read: {0}")]
    Read(#[from] rmp_serde::decode::Error),
    #[error("it cannot be read as text: {0}")]
    Text(#[from] serde_json::Error),
}

/// Packs a measurement.
///
/// # Errors
/// [`SummaryError`] when it cannot be written, which no measurement of ours is known to do.
pub fn pack(m: &Measured) -> Result<Vec<u8>, SummaryError> {
    Ok(zstd::encode_all(rmp_serde::to_vec_named(m)?.as_slice(), LEVEL)?)
}

/// Unpacks one, in either form.
///
/// # Errors
/// [`SummaryError`] for what is damaged or no measurement.
pub fn unpack(packed: &[u8]) -> Result<Measured, SummaryError> {
    let plain = zstd::decode_all(packed)?;
    // A map of MessagePack begins with no brace.
    if plain.first() == Some(&b'{') {
        return Ok(serde_json::from_slice(&plain)?);
    }
    Ok(rmp_serde::from_slice(&plain)?)
}
