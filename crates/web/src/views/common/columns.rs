//! Every column of a source as a row: what it was taken for, how sure, its first values, and what else it may
//! be.

use super::words::{id_of, number_words};
use jamjar_core::channel::KINDS;
use jamjar_core::units::Unit;
use jamjar_formats::{ColumnReport, Confidence};

/// A column.
#[derive(Debug, Clone)]
pub(crate) struct ColumnRow {
    pub(crate) header: String,
    pub(crate) channel: String,
    pub(crate) unit: String,
    pub(crate) sure: &'static str,
    /// Nobody and nothing said what it is.
    pub(crate) open: bool,
    pub(crate) first: String,
    pub(crate) range: String,
}

/// The columns of one source, and where answers go.
#[derive(Debug, Clone, Default)]
pub(crate) struct ColumnTable {
    pub(crate) action: String,
    /// Answers come back into the inbox of a day sheet.
    pub(crate) inbox: bool,
    /// Which recording, or which source.
    pub(crate) key: String,
    pub(crate) title: String,
    pub(crate) rows: Vec<ColumnRow>,
}

impl ColumnTable {
    /// Columns nobody knows.
    pub(crate) fn open(&self) -> usize {
        self.rows.iter().filter(|r| r.open).count()
    }
}

/// Channels offered: names and words.
pub(crate) fn channels() -> Vec<(String, &'static str)> {
    let numbered =
        |k: &jamjar_core::channel::Kind| if k.numbered { format!("{}_1", k.name) } else { k.name.to_owned() };
    KINDS.iter().map(|k| (numbered(k), k.label)).collect()
}

/// Units offered, a clock is none: ids and words.
pub(crate) fn units() -> Vec<(String, &'static str)> {
    let words = |u: Unit| if u == Unit::None { "no unit" } else { u.label() };
    Unit::ALL.into_iter().filter(|u| *u != Unit::Clock).map(|u| (id_of(&u), words(u))).collect()
}

/// Rows of a source's columns: those that are open first.
pub(crate) fn column_rows(columns: &[ColumnReport]) -> Vec<ColumnRow> {
    let mut rows: Vec<ColumnRow> = columns
        .iter()
        .map(|c| ColumnRow {
            header: c.header.clone(),
            channel: c.channel.as_ref().map_or_else(String::new, ToString::to_string),
            unit: c.unit.map_or_else(String::new, |u| id_of(&u)),
            sure: match (&c.channel, c.confidence) {
                (None, _) => "not used",
                (_, Confidence::Given) => "you said so",
                (_, Confidence::High) => "sure",
                (_, Confidence::Medium) => "probably",
                (_, Confidence::Low) => "a guess",
            },
            open: c.channel.is_none(),
            first: c.first.join(" · "),
            range: c
                .range
                .map_or_else(String::new, |[a, b]| format!("{} to {}", number_words(a), number_words(b))),
        })
        .collect();
    rows.sort_by_key(|r| !r.open);
    rows
}
