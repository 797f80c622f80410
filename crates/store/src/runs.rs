//! Long work with progress: rows any instance can show and cancel.

use crate::db::{Store, inserted};
use crate::error::StoreError;
use crate::schema::import_run;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// State of long work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum RunState {
    Running,
    Done,
    Failed,
    Cancelled,
}

impl RunState {
    fn id(self) -> &'static str {
        match self {
            Self::Running => "running",
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Cancelled => "cancelled",
        }
    }

    fn from_id(id: &str) -> Self {
        match id {
            "running" => Self::Running,
            "done" => Self::Done,
            "cancelled" => Self::Cancelled,
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

type Row = (i64, Option<i64>, String, String, i32, i32, String, bool);

fn run(r: Row) -> Run {
    Run { id: r.0, day_id: r.1, what: r.2, state: RunState::from_id(&r.3), done: r.4, total: r.5, message: r.6, cancel_asked: r.7 }
}

macro_rules! columns {
    () => {
        (
            import_run::id,
            import_run::day_id,
            import_run::what,
            import_run::state,
            import_run::done,
            import_run::total,
            import_run::message,
            import_run::cancel_asked,
        )
    };
}

impl Store {
    /// Starts a row.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    pub async fn start_run(&self, day_id: Option<i64>, what: &str, total: i32) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        diesel::insert_into(import_run::table)
            .values((
                import_run::day_id.eq(day_id),
                import_run::what.eq(what),
                import_run::state.eq(RunState::Running.id()),
                import_run::done.eq(0),
                import_run::total.eq(total),
                import_run::message.eq(""),
            ))
            .execute(&mut c)
            .await?;
        inserted(&mut c).await
    }

    /// Notes progress; returns true when somebody asked to cancel.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    pub async fn progress(&self, id: i64, done: i32, message: &str) -> Result<bool, StoreError> {
        let mut c = self.conn().await?;
        diesel::update(import_run::table.find(id)).set((import_run::done.eq(done), import_run::message.eq(message))).execute(&mut c).await?;
        Ok(import_run::table.find(id).select(import_run::cancel_asked).first(&mut c).await?)
    }

    /// Ends a row.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    pub async fn end_run(&self, id: i64, state: RunState, message: &str) -> Result<(), StoreError> {
        let mut c = self.conn().await?;
        diesel::update(import_run::table.find(id)).set((import_run::state.eq(state.id()), import_run::message.eq(message))).execute(&mut c).await?;
        Ok(())
    }

    /// Asks running work to stop.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    pub async fn cancel_run(&self, id: i64) -> Result<(), StoreError> {
        let mut c = self.conn().await?;
        diesel::update(import_run::table.find(id)).set(import_run::cancel_asked.eq(true)).execute(&mut c).await?;
        Ok(())
    }

    /// One row.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none with that id.
    pub async fn run(&self, id: i64) -> Result<Run, StoreError> {
        let mut c = self.conn().await?;
        let row: Row = import_run::table.find(id).select(columns!()).first(&mut c).await.map_err(|e| StoreError::from(e).about("run", id))?;
        Ok(run(row))
    }

    /// The newest row of some work, by its name.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    pub async fn latest_run(&self, what: &str) -> Result<Option<Run>, StoreError> {
        let mut c = self.conn().await?;
        let row: Option<Row> =
            import_run::table.filter(import_run::what.eq(what)).order(import_run::id.desc()).select(columns!()).first(&mut c).await.optional()?;
        Ok(row.map(run))
    }
}
