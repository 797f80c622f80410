//! The pool, migrations, and transactions that are run again after a conflict.

use crate::error::StoreError;
use diesel_async::pooled_connection::AsyncDieselConnectionManager;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_async::{AsyncMigrationHarness, AsyncMysqlConnection, RunQueryDsl};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::time::Duration;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// A connection from the pool.
pub(crate) type Conn = Object<AsyncMysqlConnection>;

/// Attempts of a conflicting transaction.
pub(crate) const ATTEMPTS: usize = 5;

diesel::define_sql_function! {
    /// Id given by the last insert of this connection.
    fn last_insert_id() -> BigInt;
}

/// The store: cheap to clone.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncMysqlConnection>,
}

impl std::fmt::Debug for Store {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Store").field("pool", &self.pool.status()).finish()
    }
}

impl Store {
    /// Makes a pool; nothing is contacted yet.
    ///
    /// # Errors
    /// [`StoreError::Other`] when the pool cannot be built.
    pub fn new(url: &str, connections: usize) -> Result<Self, StoreError> {
        let manager = AsyncDieselConnectionManager::<AsyncMysqlConnection>::new(url);
        let pool = Pool::builder(manager)
            .max_size(connections)
            .wait_timeout(Some(Duration::from_secs(10)))
            .runtime(deadpool::Runtime::Tokio1)
            .build()
            .map_err(|e| StoreError::Other(e.to_string()))?;
        Ok(Self { pool })
    }

    pub(crate) async fn conn(&self) -> Result<Conn, StoreError> {
        self.pool.get().await.map_err(|e| StoreError::Unreachable(e.to_string()))
    }

    /// Runs pending migrations. Needs a multi-threaded runtime.
    ///
    /// # Errors
    /// [`StoreError`] when the server cannot be reached or a migration fails.
    pub async fn migrate(&self) -> Result<usize, StoreError> {
        let mut harness = AsyncMigrationHarness::new(self.conn().await?);
        harness.run_pending_migrations(MIGRATIONS).map(|v| v.len()).map_err(|e| StoreError::Other(e.to_string()))
    }

    /// Whether the server answers.
    ///
    /// # Errors
    /// [`StoreError::Unreachable`] when it does not.
    pub async fn ping(&self) -> Result<(), StoreError> {
        let mut c = self.conn().await?;
        diesel::sql_query("SELECT 1").execute(&mut c).await?;
        Ok(())
    }
}

/// Id of the row just inserted on this connection.
pub(crate) async fn inserted(c: &mut AsyncMysqlConnection) -> Result<i64, StoreError> {
    Ok(diesel::select(last_insert_id()).get_result::<i64>(c).await?)
}
