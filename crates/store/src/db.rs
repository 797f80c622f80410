//! The pool, migrations, and the one door for writing.

use crate::boxed;
use crate::decoded::Decoded;
use crate::error::StoreError;
use diesel::QueryableByName;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_async::pooled_connection::{AsyncDieselConnectionManager, ManagerConfig};
use diesel_async::{
    AnsiTransactionManager, AsyncConnection, AsyncMigrationHarness, AsyncMysqlConnection, RunQueryDsl,
    SimpleAsyncConnection, TransactionManager,
};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// A connection from the pool.
pub(crate) type Conn = Object<AsyncMysqlConnection>;

/// Attempts of a transaction that meets others, and how long they may take together: with random waits in
/// between ten writers of one row get through in a second (our choice).
const ATTEMPTS: u32 = 12;
const PATIENCE: Duration = Duration::from_secs(20);
/// A database that went away is waited for this long: it is being started again.
const COMES_BACK: Duration = Duration::from_secs(10);
/// A transaction that does nothing for this long has lost its writer, s. Readers of the change log rely on
/// it: no number stays unseen longer.
pub(crate) const IDLE_WRITE_S: u32 = 60;

diesel::define_sql_function! {
    /// Id given by the last insert of this connection.
    fn last_insert_id() -> BigInt;
}

/// The store: cheap to clone.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncMysqlConnection>,
    /// Who this instance is, in rows of long work.
    pub(crate) owner: Arc<str>,
    pub(crate) decoded: Decoded,
}

impl std::fmt::Debug for Store {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Store").field("pool", &self.pool.status()).finish()
    }
}

/// What the questions of a transaction see.
#[derive(Debug, Clone, Copy)]
enum Sees {
    /// Each what was committed by then.
    Newest,
    /// All of them what was committed at the first.
    OneMoment,
}

/// What a transaction does; see [`Store::transact`]. Only names the future, so that it can be asked to be
/// [`Send`].
pub(crate) trait Work<'c, T>: Fn(&'c mut AsyncMysqlConnection) -> <Self as Work<'c, T>>::Fut {
    type Fut: Future<Output = Result<T, StoreError>>;
}

impl<'c, T, F, Fut> Work<'c, T> for F
where
    F: Fn(&'c mut AsyncMysqlConnection) -> Fut,
    Fut: Future<Output = Result<T, StoreError>>,
{
    type Fut = Fut;
}

impl Store {
    /// Makes a pool; nothing is contacted yet.
    ///
    /// # Errors
    /// [`StoreError::Other`] when the pool cannot be built.
    pub fn new(url: &str, connections: usize) -> Result<Self, StoreError> {
        let mut config = ManagerConfig::<AsyncMysqlConnection>::default();
        config.custom_setup = Box::new(|url| {
            let url = url.to_owned();
            Box::pin(async move {
                let mut c = AsyncMysqlConnection::establish(&url).await?;
                // A read sees what another node of a cluster has written, and no transaction outlives its
                // writer. Who waited for another to finish reads what that one left, not what stood when the wait
                // began: a change is held against what is there.
                let setup = format!(
                    "SET SESSION idle_write_transaction_timeout = {IDLE_WRITE_S}, max_statement_time = {IDLE_WRITE_S}, innodb_lock_wait_timeout = 10"
                );
                for set in ["SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED", &setup] {
                    c.batch_execute(set).await.map_err(diesel::ConnectionError::CouldntSetupConfiguration)?;
                }
                let _ = c.batch_execute("SET SESSION wsrep_sync_wait = 1").await;
                Ok(c)
            })
        });
        let manager = AsyncDieselConnectionManager::<AsyncMysqlConnection>::new_with_config(url, config);
        let pool = Pool::builder(manager)
            .max_size(connections)
            .wait_timeout(Some(Duration::from_secs(10)))
            .runtime(deadpool::Runtime::Tokio1)
            .build()
            .map_err(|e| StoreError::Other(e.to_string()))?;
        Ok(Self { pool, owner: owner().into(), decoded: Decoded::default() })
    }

    /// A connection. While the database does not answer it is asked again for ten seconds: a server that died
    /// is started again.
    pub(crate) async fn conn(&self) -> Result<Conn, StoreError> {
        let start = Instant::now();
        loop {
            match self.pool.get().await {
                Ok(c) => return Ok(c),
                Err(e) if start.elapsed() > COMES_BACK => return Err(StoreError::Unreachable(e.to_string())),
                Err(_) => tokio::time::sleep(Duration::from_millis(150)).await,
            }
        }
    }

    /// The one door for writing: runs the work in a transaction, and again when another writer was faster,
    /// with a random wait that grows.
    ///
    /// The work may run several times and must do nothing but talk to the database; encoding and compression
    /// belong before it.
    pub(crate) async fn transact<T, F>(&self, work: F) -> Result<T, StoreError>
    where
        F: for<'c> AsyncFn(&'c mut AsyncMysqlConnection) -> Result<T, StoreError>,
        F: for<'c> Work<'c, T, Fut: Send> + Send + Sync,
        T: Send,
    {
        self.repeated(&work, Sees::Newest).await
    }

    /// The same for reading much of what belongs together: all of it is of the moment of its first question.
    pub(crate) async fn at_one_moment<T, F>(&self, work: F) -> Result<T, StoreError>
    where
        F: for<'c> AsyncFn(&'c mut AsyncMysqlConnection) -> Result<T, StoreError>,
        F: for<'c> Work<'c, T, Fut: Send> + Send + Sync,
        T: Send,
    {
        self.repeated(&work, Sees::OneMoment).await
    }

    async fn repeated<T, F>(&self, work: &F, sees: Sees) -> Result<T, StoreError>
    where
        F: for<'c> Work<'c, T, Fut: Send> + Send + Sync,
        T: Send,
    {
        let start = Instant::now();
        let mut attempt = 0;
        loop {
            attempt += 1;
            let result = self.attempt(work, sees).await;
            let again = match &result {
                Err(StoreError::Conflict) => attempt < ATTEMPTS && start.elapsed() < PATIENCE,
                // Nothing was asked for yet, or it was rolled back with its connection. A lost answer to
                // COMMIT is not among these.
                Err(StoreError::Unreachable(_)) => attempt < 3 && start.elapsed() < COMES_BACK,
                // A node of a cluster that gives way while it opens a table says its triggers cannot be
                // parsed. Ours can.
                Err(StoreError::Other(text)) => text.starts_with("1064:") && attempt < 3,
                _ => false,
            };
            if !again {
                return result;
            }
            tokio::time::sleep(wait(attempt)).await;
        }
    }

    async fn attempt<T, F>(&self, work: &F, sees: Sees) -> Result<T, StoreError>
    where
        F: for<'c> Work<'c, T, Fut: Send> + Send + Sync,
        T: Send,
    {
        type Manager = AnsiTransactionManager;
        let mut c = self.conn().await?;
        let begun = match sees {
            Sees::Newest => Manager::begin_transaction(&mut *c).await,
            Sees::OneMoment => match c.batch_execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ").await
            {
                Ok(()) => Manager::begin_transaction(&mut *c).await,
                Err(e) => Err(e),
            },
        };
        if let Err(e) = begun {
            let last = Last::of(&mut c).await;
            drop(Object::take(c));
            return Err(last.of_error(e));
        }
        match work(&mut c).await {
            Ok(value) => match Manager::commit_transaction(&mut *c).await {
                Ok(()) => Ok(value),
                Err(e) => {
                    let last = Last::of(&mut c).await;
                    drop(Object::take(c));
                    Err(match last.of_error(e) {
                        // The answer to COMMIT was lost: whether it was carried out nobody here can say.
                        StoreError::Unreachable(_) => StoreError::Unknown,
                        known => known,
                    })
                }
            },
            Err(e) => {
                let e = match e {
                    StoreError::Other(text) => Last::of(&mut c).await.of_text(text),
                    other => other,
                };
                if Manager::rollback_transaction(&mut *c).await.is_err() {
                    // Half a transaction on a connection that no longer listens: it goes, and the server
                    // undoes it.
                    drop(Object::take(c));
                }
                Err(e)
            }
        }
    }

    /// A connection of one's own that never goes back to the pool, for work that sets variables of its
    /// session.
    pub(crate) async fn detached(&self) -> Result<AsyncMysqlConnection, StoreError> {
        Ok(Object::take(self.conn().await?))
    }

    /// Brings the database to this version. Every migration may be run again after dying at any of its
    /// statements. Needs a multi-threaded runtime.
    ///
    /// # Errors
    /// [`StoreError::Newer`] when the data was written by a newer version; [`StoreError`] when the server
    /// cannot be reached or a migration fails.
    #[boxed]
    pub async fn migrate(&self) -> Result<usize, StoreError> {
        let mut c = self.detached().await?;
        // One instance at a time; the lock goes with the connection. A cluster knows no such locks; there the
        // statements themselves, which may all be run twice, are enough.
        let _ = diesel::sql_query("DO GET_LOCK('jamjar_migrate', 60)").execute(&mut c).await;
        // A table of a million pulls takes longer to be changed than any other statement may.
        diesel::sql_query("SET SESSION max_statement_time = 0").execute(&mut c).await?;
        let mut harness = AsyncMigrationHarness::new(c);
        let other = |e: Box<dyn std::error::Error + Send + Sync>| StoreError::Other(e.to_string());
        let known: Vec<String> =
            diesel::migration::MigrationSource::<diesel::mysql::Mysql>::migrations(&MIGRATIONS)
                .map_err(other)?
                .iter()
                .map(|m| m.name().version().to_string())
                .collect();
        let applied = harness.applied_migrations().map_err(other)?;
        if let Some(newer) = applied.iter().map(ToString::to_string).find(|v| !known.contains(v)) {
            return Err(StoreError::Newer(newer));
        }
        harness.run_pending_migrations(MIGRATIONS).map(|v| v.len()).map_err(other)
    }

    /// Whether the server answers, with data.
    ///
    /// # Errors
    /// [`StoreError::Unreachable`] when it does not: it is away, or a node of a cluster that is not with the
    /// others.
    #[boxed]
    pub async fn ping(&self) -> Result<(), StoreError> {
        let mut c = self.conn().await?;
        match diesel::sql_query("SELECT id FROM vehicle LIMIT 1").execute(&mut c).await {
            Ok(_) => Ok(()),
            Err(e) => match Last::of(&mut c).await.of_error(e) {
                // Reading meets no other writer: it waited in vain for nodes that are not there.
                StoreError::Conflict => Err(StoreError::Unreachable("the other nodes do not answer".into())),
                other => Err(other),
            },
        }
    }
}

/// A random share of a wait that doubles: 5, 10, 20 … 640 ms.
fn wait(attempt: u32) -> Duration {
    let most = 5_000u64 << attempt.min(7);
    Duration::from_micros(most / 4 + random() % most)
}

/// A number that differs from call to call and from process to process; good enough to keep writers apart.
fn random() -> u64 {
    use std::hash::{BuildHasher, Hasher, RandomState};
    static CALLS: AtomicU64 = AtomicU64::new(0);
    let mut h = RandomState::new().build_hasher();
    h.write_u64(CALLS.fetch_add(1, Ordering::Relaxed));
    h.finish()
}

/// Host, process and a random part: unique, and says whose process it was.
fn owner() -> String {
    let host = rustix::system::uname().nodename().to_string_lossy().into_owned();
    let host: String = host.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '-').take(60).collect();
    format!("{host}:{}:{:016x}", std::process::id(), random())
}

/// What a connection remembers of the error it met last.
enum Last {
    Code(u16),
    Nothing,
    /// It cannot be asked any more.
    Gone,
}

impl Last {
    async fn of(c: &mut AsyncMysqlConnection) -> Self {
        #[derive(QueryableByName)]
        struct Row {
            #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>, column_name = "Code")]
            code: u32,
        }
        match diesel::sql_query("SHOW ERRORS").load::<Row>(c).await {
            Ok(rows) => {
                rows.last().and_then(|r| u16::try_from(r.code).ok()).map_or(Self::Nothing, Self::Code)
            }
            Err(_) => Self::Gone,
        }
    }

    /// The error by its code; one that nobody can be asked about came with the end of the connection.
    fn of_text(&self, text: String) -> StoreError {
        match self {
            Self::Code(n) => StoreError::of_code(Some(*n), text),
            Self::Nothing => StoreError::Other(text),
            Self::Gone => StoreError::Unreachable(text),
        }
    }

    fn of_error(&self, e: diesel::result::Error) -> StoreError {
        match StoreError::from(e) {
            StoreError::Other(text) => self.of_text(text),
            known => known,
        }
    }
}

/// Id of the row just inserted on this connection.
pub(crate) async fn inserted(c: &mut AsyncMysqlConnection) -> Result<i64, StoreError> {
    Ok(diesel::select(last_insert_id()).get_result::<i64>(c).await?)
}
