//! Pages on which something stored is put right: fields with what stands there, what may be done beside them,
//! and what was done before.

use super::{ColumnTable, Shell};
use crate::written::Written;
use askama::Template;
use jamjar_store::AuditEntry;

/// One field of a form.
#[derive(Debug, Clone, Default)]
pub(crate) struct Field {
    pub(crate) name: &'static str,
    pub(crate) label: String,
    pub(crate) value: String,
    /// The only answers, id and words; free text when empty.
    pub(crate) choices: Vec<(String, String)>,
    /// Answers offered for free text.
    pub(crate) offered: Vec<String>,
    pub(crate) kind: &'static str,
    pub(crate) size: usize,
    /// What is wrong with what was typed.
    pub(crate) problem: String,
    pub(crate) hint: &'static str,
}

impl Field {
    /// Free text.
    pub(crate) fn text(name: &'static str, label: &str, value: impl Into<String>) -> Self {
        Self { name, label: label.to_owned(), value: value.into(), kind: "text", size: 16, ..Self::default() }
    }

    /// One of several.
    pub(crate) fn one_of(
        name: &'static str,
        label: &str,
        value: impl Into<String>,
        of: Vec<(String, String)>,
    ) -> Self {
        Self { choices: of, ..Self::text(name, label, value) }
    }

    pub(crate) fn offering(mut self, names: Vec<String>) -> Self {
        self.offered = names;
        self
    }

    pub(crate) fn wide(mut self, size: usize) -> Self {
        self.size = size;
        self
    }

    pub(crate) fn hint(mut self, hint: &'static str) -> Self {
        self.hint = hint;
        self
    }
}

/// A form whose answers go to `action`.
#[derive(Debug, Clone, Default)]
pub(crate) struct FieldForm {
    pub(crate) action: String,
    pub(crate) fields: Vec<Field>,
    /// Mark of what was shown.
    pub(crate) seen: String,
    pub(crate) button: &'static str,
    /// What keeping it does.
    pub(crate) says: String,
}

/// A pull that can be chosen.
#[derive(Debug, Clone)]
pub(crate) struct Standing {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) words: String,
}

/// Something that can be brought back.
#[derive(Debug, Clone)]
pub(crate) struct PutAway {
    pub(crate) kind: &'static str,
    pub(crate) id: i64,
    pub(crate) words: String,
}

/// One change, in words.
#[derive(Debug, Clone)]
pub(crate) struct Trail {
    pub(crate) at: String,
    pub(crate) who: String,
    pub(crate) field: String,
    pub(crate) old: String,
    pub(crate) new: String,
    pub(crate) why: String,
}

/// The trail as a page shows it.
pub(crate) fn trail(entries: &[AuditEntry], written: &Written) -> Vec<Trail> {
    let blank = |s: &str| if s.is_empty() { "nothing".to_owned() } else { s.to_owned() };
    entries
        .iter()
        .map(|e| Trail {
            at: format!("{} {} UTC", written.date(e.at.date()), e.at.format("%H:%M")),
            who: e.who.clone(),
            field: e.field.clone(),
            old: blank(&e.old_value),
            new: blank(&e.new_value),
            why: e.why.clone(),
        })
        .collect()
}

/// Changes shown at once; earlier ones are folded (our choice: what fits one screen under the forms).
const RECENT: usize = 8;

/// A page on which one thing is put right.
#[derive(Template)]
#[template(path = "right.html")]
pub(crate) struct RightPage {
    pub(crate) shell: Shell,
    /// Addresses and words of the way here.
    pub(crate) crumbs: Vec<(String, String)>,
    pub(crate) title: String,
    pub(crate) problem: String,
    pub(crate) form: FieldForm,
    /// Kind and id in addresses.
    pub(crate) kind: &'static str,
    pub(crate) id: i64,
    pub(crate) archived: bool,
    /// What archiving it does; blank where it cannot be archived.
    pub(crate) archive_says: String,
    /// Pulls of a set, and where they may go.
    pub(crate) pulls: Vec<Standing>,
    pub(crate) places: Vec<(String, String)>,
    /// Others this can be made one with.
    pub(crate) twins: Vec<(String, String)>,
    pub(crate) merge_says: &'static str,
    /// The import that can be undone: its run, and what it stored.
    pub(crate) undo: Option<(i64, String)>,
    pub(crate) put_away: Vec<PutAway>,
    pub(crate) trail: Vec<Trail>,
    pub(crate) person: String,
    /// Its lasting id; blank where it has none.
    pub(crate) lasting: String,
    /// A vehicle can be erased.
    pub(crate) can_erase: bool,
    /// What belongs to it: addresses and words.
    pub(crate) lines: Vec<(String, String)>,
    /// Columns of its recordings, with what to choose from.
    pub(crate) columns: Vec<ColumnTable>,
    pub(crate) channels: Vec<(String, &'static str)>,
    pub(crate) units: Vec<(String, &'static str)>,
}

impl RightPage {
    /// A page with a form and nothing else.
    pub(crate) fn new(shell: Shell, kind: &'static str, id: i64, title: String, form: FieldForm) -> Self {
        Self {
            shell,
            crumbs: Vec::new(),
            title,
            problem: String::new(),
            form,
            kind,
            id,
            archived: false,
            archive_says: String::new(),
            pulls: Vec::new(),
            places: Vec::new(),
            twins: Vec::new(),
            merge_says: "",
            undo: None,
            put_away: Vec::new(),
            trail: Vec::new(),
            person: String::new(),
            lasting: String::new(),
            can_erase: false,
            lines: Vec::new(),
            columns: Vec::new(),
            channels: Vec::new(),
            units: Vec::new(),
        }
    }
}
