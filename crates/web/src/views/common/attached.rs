//! Pictures, prints and papers beside what they belong to.

use crate::written::Written;
use jamjar_store::{Attached, Attachment};

pub(crate) struct AttachedRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    /// Shown as a picture.
    pub(crate) picture: bool,
    /// What it belongs to, size and who brought it.
    pub(crate) words: String,
}

/// “340 kB”, “2.1 MB”.
pub(crate) fn size_words(bytes: i64) -> String {
    match bytes {
        b if b < 1_000 => format!("{b} bytes"),
        b if b < 1_000_000 => format!("{:.0} kB", b as f64 / 1e3),
        b => format!("{:.1} MB", b as f64 / 1e6),
    }
}

/// Rows in the order they came; `called` says what they belong to, blank for the page's own thing.
pub(crate) fn attached_rows(
    all: &[Attachment],
    written: &Written,
    called: impl Fn(Attached) -> String,
) -> Vec<AttachedRow> {
    all.iter()
        .map(|a| {
            let of = a.to().map(&called).unwrap_or_default();
            let parts = [of, size_words(a.bytes), a.written_by.clone(), written.date(a.created_at.date())];
            AttachedRow {
                id: a.id,
                name: a.name.clone(),
                picture: a.media.starts_with("image/"),
                words: parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(" · "),
            }
        })
        .collect()
}
