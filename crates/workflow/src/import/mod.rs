//! From dropped files to committed sets: preview, pairing, questions, one transaction.

pub(crate) mod air;
pub mod catalogue;
mod chosen;
mod columns;
mod commit;
mod key;
mod pairing;
mod preview;
mod prints;
mod recordings;
mod report;
mod undo;

use sha2::{Digest, Sha256};

/// First 64 bits of a SHA-256 in hexadecimal: enough to tell sources and settings apart.
fn short_hash(text: &str) -> String {
    in_hex(&Sha256::digest(text))
}

/// The first 64 bits of a hash.
fn in_hex(hash: &[u8]) -> String {
    hex::encode(&hash[..8.min(hash.len())])
}

pub use chosen::{ChosenPull, ChosenSet, MadeOf};
pub use columns::{ColumnAnswer, answer, columns_of, correct, files_of};
pub use commit::{commit, run_name};
pub(crate) use key::MeasureKey;
pub use pairing::{Proposal, ProposedPull, is_another_map, propose};
pub use preview::{drop_spooled, preview, take_in};
pub use prints::type_peaks;
pub use report::{FilePreview, PreviewPull, PrintPreview, RunPreview};
pub use undo::undo;
