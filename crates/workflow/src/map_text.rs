//! The tables of a map file in custody, where it is in one of the open forms.

use crate::error::WorkflowError;
use jamjar_core::maps::MapFile;
use jamjar_formats::TableForm;
use jamjar_store::{MapRecord, Store};

/// Files larger than this are no table text, bytes (our choice).
pub const LARGEST_TEXT: u64 = 4 << 20;

/// Reads it; the inner error says why its tables cannot be read.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn map_text(store: &Store, map: &MapRecord) -> Result<Result<MapFile, String>, WorkflowError> {
    let Some(held) = &map.file else { return Ok(Err(format!("no file of {} is in custody", map.name))) };
    if store.file(held.id).await?.bytes.unsigned_abs() > LARGEST_TEXT {
        return Ok(Err(format!("the file of {} is larger than a table text", map.name)));
    }
    let closed =
        || format!("the file of {} is in none of the open forms: its tables cannot be read", map.name);
    let Ok(text) = String::from_utf8(store.file_bytes(held.id).await?) else { return Ok(Err(closed())) };
    Ok(match TableForm::of(&text) {
        Some(form) => form.read(&text, &held.name).map_err(|e| e.to_string()),
        None => Err(closed()),
    })
}
