//! From dropped files to committed sets: preview, pairing, questions, one transaction.

mod commit;
mod pairing;
mod preview;

pub use commit::{ChosenPull, ChosenSet, commit, settings_hash};
pub use pairing::{Proposal, ProposedPull, propose};
pub use preview::{FilePreview, PreviewPull, answer, drop_spooled, preview};
