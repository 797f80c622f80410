//! Everything Jamjar computes: pure functions and types, no clock, files, network or printing.
//!
//! SI inside, with the field's habits kept: kW, N·m, kPa absolute, °C (K where a formula needs it), λ, rpm.
//! Sections of the domain notes map to modules: air and correction (1), `pull` (2), `figures` (3), `stats`
//! (4), `factors` (5), `calculators` (6, 8, 11, 12), `limits` (10); `analysis` puts them together. What they
//! find is data; `words` says it.
#![cfg_attr(test, allow(clippy::float_cmp))]

pub mod air;
pub mod analysis;
pub mod blank;
pub mod bounds;
pub mod calculators;
pub mod channel;
pub mod computed;
pub mod correction;
pub mod curve;
pub mod diesel;
pub mod driven;
pub mod factors;
pub mod figures;
pub mod find;
pub mod findings;
pub mod fuelling;
pub mod gears;
pub mod health;
pub mod limits;
mod linalg;
pub mod log;
pub mod maps;
pub mod pedal;
pub mod planning;
pub mod printed;
pub mod pull;
pub mod quoted;
pub mod signal;
pub mod software;
pub mod spark;
pub mod stats;
pub mod units;
pub mod vehicle_sheet;
pub mod words;

/// Version of the computation: derived results cached under another version are made again.
pub const ALGORITHM_VERSION: u32 = 12;
