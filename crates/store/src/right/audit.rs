//! The trail of what was put right.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::audit;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// Characters of a field's name that are kept: names of builds and limits may be longer, and stand in its values.
const FIELD_CHARS: usize = 60;
/// Entries that a page shows of one thing.
const SHOWN: i64 = 200;

/// A thing that can be put right.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Subject {
    Vehicle(i64),
    Day(i64),
    Set(i64),
    Pull(i64),
    Map(i64),
    Fuel(i64),
    Cell(i64),
}

impl Subject {
    /// Kind as stored and as said.
    pub fn kind(self) -> &'static str {
        match self {
            Self::Vehicle(_) => "vehicle",
            Self::Day(_) => "day",
            Self::Set(_) => "set",
            Self::Pull(_) => "pull",
            Self::Map(_) => "map",
            Self::Fuel(_) => "fuel",
            Self::Cell(_) => "cell",
        }
    }

    /// One of every kind, under an id.
    pub fn kinds(id: i64) -> [Self; 7] {
        [
            Self::Vehicle(id),
            Self::Day(id),
            Self::Set(id),
            Self::Pull(id),
            Self::Map(id),
            Self::Fuel(id),
            Self::Cell(id),
        ]
    }

    /// The thing of a kind as stored.
    pub fn of(kind: &str, id: i64) -> Option<Self> {
        Self::kinds(id).into_iter().find(|s| s.kind() == kind)
    }

    /// Its id.
    pub fn id(self) -> i64 {
        match self {
            Self::Vehicle(id)
            | Self::Day(id)
            | Self::Set(id)
            | Self::Pull(id)
            | Self::Map(id)
            | Self::Fuel(id)
            | Self::Cell(id) => id,
        }
    }
}

/// Who puts something right, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct By {
    /// Name.
    pub who: String,
    /// Reason, blank where none is asked for.
    pub why: String,
}

impl By {
    /// A person with a reason.
    pub fn new(who: impl Into<String>, why: impl Into<String>) -> Self {
        Self { who: who.into(), why: why.into() }
    }
}

/// One change.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = audit)]
pub struct AuditEntry {
    /// What was changed of it.
    pub field: String,
    /// What stood there.
    pub old_value: String,
    /// What stands there.
    pub new_value: String,
    /// By whom.
    pub who: String,
    /// Why, blank where nobody said.
    pub why: String,
    /// When, UTC.
    pub at: NaiveDateTime,
}

/// A field with what stood there and what is to stand there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The field.
    pub field: String,
    /// What stood there.
    pub old: String,
    /// What is to stand there.
    pub new: String,
}

impl Change {
    /// A field with what stood there and what is to stand there.
    pub fn new(field: impl Into<String>, old: impl ToString, new: impl ToString) -> Self {
        Self { field: field.into(), old: old.to_string(), new: new.to_string() }
    }

    /// Whether it changes anything.
    pub(crate) fn differs(&self) -> bool {
        self.old != self.new
    }
}

/// Writes what is changed of a thing, within the caller's transaction; what stays as it was is no change.
pub(crate) async fn keep(
    c: &mut AsyncMysqlConnection,
    of: Subject,
    by: &By,
    changes: &[Change],
) -> Result<(), StoreError> {
    for change in changes.iter().filter(|c| c.differs()) {
        diesel::insert_into(audit::table)
            .values((
                audit::kind.eq(of.kind()),
                audit::thing.eq(of.id()),
                audit::field.eq(change.field.chars().take(FIELD_CHARS).collect::<String>()),
                audit::old_value.eq(&change.old),
                audit::new_value.eq(&change.new),
                audit::who.eq(&by.who),
                audit::why.eq(&by.why),
            ))
            .execute(c)
            .await?;
    }
    Ok(())
}

impl Store {
    /// What was put right of a thing, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn trail(&self, of: Subject) -> Result<Vec<AuditEntry>, StoreError> {
        let mut c = self.conn().await?;
        let entries = audit::table
            .filter(audit::kind.eq(of.kind()).and(audit::thing.eq(of.id())))
            .order(audit::id.desc())
            .limit(SHOWN)
            .select(AuditEntry::as_select());
        Ok(entries.load(&mut c).await?)
    }
}
