//! Samples and measurements as the bytes they are kept as: what a page reads first, so it is a crate of its own that is
//! optimised in full wherever the rest is built quickly.

mod blocks;
mod summary;

pub use blocks::{BLOCK_VERSION, BlockError, decode_block, encode_block};
pub use summary::{SummaryError, pack, unpack};
