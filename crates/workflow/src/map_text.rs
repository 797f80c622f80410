//! The tables of a map file in custody, where it is in the open text form.

use crate::error::WorkflowError;
use jamjar_core::maps::MapFile;
use jamjar_formats::read_map;
use jamjar_store::{MapRecord, Store};

/// Files larger than this are no table text, bytes (our choice).
const LARGEST: i64 = 4 << 20;

/// Reads it; the inner error says why its tables cannot be read.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub(crate) async fn map_text(
    store: &Store,
    map: &MapRecord,
) -> Result<Result<MapFile, String>, WorkflowError> {
    let Some(held) = &map.file else { return Ok(Err(format!("no file of {} is in custody", map.name))) };
    if store.file(held.id).await?.bytes > LARGEST {
        return Ok(Err(format!("the file of {} is larger than a table text", map.name)));
    }
    let text = String::from_utf8(store.file_bytes(held.id).await?).map_err(|_| {
        format!("the file of {} is not in the open text form: its tables cannot be read", map.name)
    });
    Ok(text.and_then(|t| read_map(&t, &held.name).map_err(|e| e.to_string())))
}
