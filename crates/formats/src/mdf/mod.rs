//! MDF 4 (ASAM MDF 4.x, an open standard of measurement files), read and written: channel groups with their own time
//! bases, integers and floating point of any width, linear and tabular conversions, deflated data.
//!
//! Not read: text channels, arrays, bus events, formulas as conversions, and packings other than deflate. A channel that
//! is not read is not there; a file whose data cannot be unpacked is refused, and says why.

mod block;
mod channel;
mod conversion;
mod data;
mod table;
#[cfg(test)]
mod tests;
mod write;

pub(crate) use table::{MAGIC, UNFINISHED, headers, table};
pub use write::{Master, OutChannel, OutGroup, write_mdf};
