//! Long work with progress: rows any instance can show and cancel.

use crate::boxed;
use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::import_run;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};

/// State of long work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum RunState {
    Running,
    Done,
    Failed,
    Cancelled,
    /// Its owner ended before it did.
    Interrupted,
}

impl RunState {
    fn id(self) -> &'static str {
        match self {
            Self::Running => "running",
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Cancelled => "cancelled",
            Self::Interrupted => "interrupted",
        }
    }

    fn from_id(id: &str) -> Self {
        match id {
            "running" => Self::Running,
            "done" => Self::Done,
            "cancelled" => Self::Cancelled,
            "interrupted" => Self::Interrupted,
            _ => Self::Failed,
        }
    }
}

/// Long work as it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Run {
    pub id: i64,
    pub day_id: Option<i64>,
    pub what: String,
    pub state: RunState,
    pub done: i32,
    pub total: i32,
    pub message: String,
    pub cancel_asked: bool,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = import_run)]
struct Row {
    id: i64,
    day_id: Option<i64>,
    what: String,
    state: String,
    done: i32,
    total: i32,
    message: String,
    cancel_asked: bool,
}

fn run(r: Row) -> Run {
    Run {
        id: r.id,
        day_id: r.day_id,
        what: r.what,
        state: RunState::from_id(&r.state),
        done: r.done,
        total: r.total,
        message: r.message,
        cancel_asked: r.cancel_asked,
    }
}

/// An owner that has not said it is alive for this long is gone, s.
const SILENT_S: i64 = 60;
/// It says so this often, s.
pub const BEAT_S: u64 = 10;

/// Work begun, or the work that took the same things before.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Begun {
    /// A row of one's own.
    New(i64),
    /// The row of whoever was first.
    Before(i64),
}

/// Ends a row within the caller's transaction, as done.
pub(crate) async fn finish_run(
    c: &mut AsyncMysqlConnection,
    id: i64,
    message: &str,
) -> Result<(), StoreError> {
    let running =
        import_run::table.filter(import_run::id.eq(id).and(import_run::state.eq(RunState::Running.id())));
    let n = diesel::update(running)
        .set((import_run::state.eq(RunState::Done.id()), import_run::message.eq(message)))
        .execute(c)
        .await?;
    // Somebody took it for orphaned: what it did must not be made final any more.
    if n == 1 { Ok(()) } else { Err(StoreError::Taken) }
}

impl Store {
    /// Starts a row, owned by this instance.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn start_run(&self, day_id: Option<i64>, what: &str, total: i32) -> Result<i64, StoreError> {
        match self.claim_run(day_id, what, total, None).await? {
            Begun::New(id) | Begun::Before(id) => Ok(id),
        }
    }

    /// Starts a row that takes something nobody else may take at the same time or again: `claim` names it.
    /// While the first row runs and after it is done, the second request is given the first row; a row that
    /// failed, was cancelled or interrupted gives its claim back.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn claim_run(
        &self,
        day_id: Option<i64>,
        what: &str,
        total: i32,
        claim: Option<&str>,
    ) -> Result<Begun, StoreError> {
        self.end_orphans().await?;
        self.transact(async |c| {
            if let Some(claim) = claim {
                let before: Option<i64> = import_run::table
                    .filter(import_run::claim.eq(claim))
                    .select(import_run::id)
                    .first(c)
                    .await
                    .optional()?;
                if let Some(id) = before {
                    return Ok(Begun::Before(id));
                }
            }
            let made = diesel::insert_into(import_run::table)
                .values((
                    import_run::day_id.eq(day_id),
                    import_run::what.eq(what),
                    import_run::state.eq(RunState::Running.id()),
                    import_run::done.eq(0),
                    import_run::total.eq(total),
                    import_run::message.eq(""),
                    import_run::owner.eq(&*self.owner),
                    import_run::claim.eq(claim),
                ))
                .execute(c)
                .await
                .map_err(StoreError::from);
            match made {
                // Both came at once: the one that was slower looks again.
                Err(StoreError::Duplicate) => Err(StoreError::Conflict),
                other => other.map(|_| ()),
            }?;
            Ok(Begun::New(inserted(c).await?))
        })
        .await
    }

    /// Notes progress and that the owner is alive; returns true when somebody asked to cancel, or the row is
    /// no longer this owner's to go on with.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn progress(&self, id: i64, done: i32, message: &str) -> Result<bool, StoreError> {
        self.transact(async |c| {
            let values =
                (import_run::done.eq(done), import_run::message.eq(message), import_run::beat.eq(utc_now()));
            diesel::update(
                import_run::table
                    .filter(import_run::id.eq(id).and(import_run::state.eq(RunState::Running.id()))),
            )
            .set(values)
            .execute(c)
            .await?;
            let (asked, state): (bool, String) = import_run::table
                .find(id)
                .select((import_run::cancel_asked, import_run::state))
                .first(c)
                .await?;
            Ok(asked || state != RunState::Running.id())
        })
        .await
    }

    /// Ends a row that still runs. One that did not do its work gives its claim back.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn end_run(&self, id: i64, state: RunState, message: &str) -> Result<(), StoreError> {
        self.transact(async |c| {
            let running = import_run::table
                .filter(import_run::id.eq(id).and(import_run::state.eq(RunState::Running.id())));
            diesel::update(running)
                .set((import_run::state.eq(state.id()), import_run::message.eq(message)))
                .execute(c)
                .await?;
            if state != RunState::Done {
                let own = import_run::table
                    .filter(import_run::id.eq(id).and(import_run::state.ne(RunState::Done.id())));
                diesel::update(own).set(import_run::claim.eq(None::<String>)).execute(c).await?;
            }
            Ok(())
        })
        .await
    }

    /// Asks running work to stop.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn cancel_run(&self, id: i64) -> Result<(), StoreError> {
        self.transact(async |c| {
            diesel::update(import_run::table.find(id))
                .set(import_run::cancel_asked.eq(true))
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }

    /// Says that this instance's work is alive.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn beat(&self) -> Result<(), StoreError> {
        self.transact(async |c| {
            let own = import_run::table
                .filter(import_run::owner.eq(&*self.owner).and(import_run::state.eq(RunState::Running.id())));
            diesel::update(own).set(import_run::beat.eq(utc_now())).execute(c).await?;
            Ok(())
        })
        .await
    }

    /// Ends as interrupted what this instance still runs: it is about to end.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn interrupt_own(&self) -> Result<usize, StoreError> {
        self.transact(async |c| {
            let own = import_run::table
                .filter(import_run::owner.eq(&*self.owner).and(import_run::state.eq(RunState::Running.id())));
            Ok(diesel::update(own).set(interrupted("Jamjar was ended")).execute(c).await?)
        })
        .await
    }

    /// Ends as interrupted whatever has no owner any more: one that has been silent for a minute, or whose
    /// process on this machine is gone.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn end_orphans(&self) -> Result<usize, StoreError> {
        let running: Vec<(i64, String)> = {
            let mut c = self.conn().await?;
            let silent = diesel::dsl::sql::<diesel::sql_types::Bool>("beat < UTC_TIMESTAMP(3) - INTERVAL ")
                .bind::<diesel::sql_types::BigInt, _>(SILENT_S)
                .sql(" SECOND");
            let late: Vec<i64> = import_run::table
                .filter(import_run::state.eq(RunState::Running.id()))
                .filter(silent)
                .select(import_run::id)
                .load(&mut c)
                .await?;
            let all: Vec<(i64, String)> = import_run::table
                .filter(import_run::state.eq(RunState::Running.id()))
                .select((import_run::id, import_run::owner))
                .load(&mut c)
                .await?;
            all.into_iter().filter(|(id, owner)| late.contains(id) || is_gone(owner, &self.owner)).collect()
        };
        if running.is_empty() {
            return Ok(0);
        }
        let ids: Vec<i64> = running.iter().map(|r| r.0).collect();
        self.transact(async |c| {
            let orphans = import_run::table
                .filter(import_run::id.eq_any(&ids).and(import_run::state.eq(RunState::Running.id())));
            Ok(diesel::update(orphans)
                .set(interrupted("the program that did this ended before it was done"))
                .execute(c)
                .await?)
        })
        .await
    }

    /// One row.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    #[boxed]
    pub async fn run(&self, id: i64) -> Result<Run, StoreError> {
        let mut c = self.conn().await?;
        let row: Row = import_run::table
            .find(id)
            .select(Row::as_select())
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("run", id))?;
        Ok(run(row))
    }

    /// The newest row of some work, by its name.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn latest_run(&self, what: &str) -> Result<Option<Run>, StoreError> {
        let mut c = self.conn().await?;
        let row: Option<Row> = import_run::table
            .filter(import_run::what.eq(what))
            .order(import_run::id.desc())
            .select(Row::as_select())
            .first(&mut c)
            .await
            .optional()?;
        Ok(row.map(run))
    }
}

type Interrupted = (
    diesel::dsl::Eq<import_run::state, &'static str>,
    diesel::dsl::Eq<import_run::message, &'static str>,
    diesel::dsl::Eq<import_run::claim, Option<String>>,
);

fn interrupted(why: &'static str) -> Interrupted {
    (
        import_run::state.eq(RunState::Interrupted.id()),
        import_run::message.eq(why),
        import_run::claim.eq(None),
    )
}

fn utc_now() -> diesel::expression::SqlLiteral<diesel::sql_types::Datetime> {
    diesel::dsl::sql("UTC_TIMESTAMP(3)")
}

/// Whether an owner was a process of this machine that no longer is.
fn is_gone(owner: &str, own: &str) -> bool {
    let mut parts = owner.split(':');
    let (host, pid) = (parts.next().unwrap_or_default(), parts.next().and_then(|p| p.parse::<i32>().ok()));
    if owner == own || own.split(':').next() != Some(host) {
        return false;
    }
    match pid.and_then(rustix::process::Pid::from_raw) {
        Some(pid) => {
            pid.as_raw_nonzero().get() == std::process::id() as i32
                || rustix::process::test_kill_process(pid).is_err()
        }
        None => true,
    }
}
