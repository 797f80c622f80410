//! Where a vehicle is driven, from a recording made on the road.

use jamjar_core::driven::{Driven, Histogram};
use jamjar_formats::{Mapping, read_log};
use std::io::Read;

/// Reads a recording and weighs its engine speeds by time at load.
///
/// # Errors
/// A sentence with the file's name: what could not be read, or what it lacks.
pub fn driven_in(recording: impl Read, name: &str) -> Result<Driven, String> {
    let log = read_log(recording, name, &Mapping::default()).map_err(|e| e.to_string())?.log;
    Histogram::of_recording(&log).map(Driven::Histogram).map_err(|e| format!("{name}: {e}"))
}
