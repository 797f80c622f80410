//! `jamjar db`, `migrate` and `demo load`.

use super::bad_input;
use crate::{DbAction, Place};
use jamjar_store::Store;
use jamjar_store::private::{self, Owner, PrivateDb, PrivateError};
use std::process::ExitCode;

/// Connections of the pool.
const CONNECTIONS: usize = 12;

/// A database that answers.
pub(crate) struct Reached {
    /// The private server, unless another database was named. It ends before the folder is given back.
    pub(crate) server: Option<PrivateDb>,
    /// The folder is this process's own while this is held.
    pub(crate) owner: Option<Owner>,
    pub(crate) url: String,
}

/// The database that was named.
pub(crate) fn named(place: &Place) -> Option<Reached> {
    place.database_url.clone().map(|url| Reached { owner: None, server: None, url })
}

/// The private server of a folder that is one's own.
pub(crate) fn owned(place: &Place, owner: Owner) -> Result<Reached, String> {
    let db = PrivateDb::start(&place.data, place.db_port).map_err(|e| e.to_string())?;
    Ok(Reached { owner: Some(owner), url: db.url("jamjar"), server: Some(db) })
}

/// The private server of a folder that another process owns.
pub(crate) fn joined(place: &Place) -> Result<Reached, String> {
    let db = PrivateDb::join(&place.data).map_err(|e| e.to_string())?;
    Ok(Reached { owner: None, url: db.url("jamjar"), server: Some(db) })
}

/// A migrated store.
pub(crate) async fn open(url: &str) -> Result<Store, String> {
    let store = Store::new(url, CONNECTIONS).map_err(|e| e.to_string())?;
    store.migrate().await.map_err(|e| e.to_string())?;
    Ok(store)
}

pub(crate) fn run(action: DbAction) -> ExitCode {
    match action {
        DbAction::Up { place } => match PrivateDb::start(&place.data, place.db_port) {
            Ok(db) => {
                println!("the database of {} listens on 127.0.0.1:{}", place.data.display(), db.port());
                match db.detach() {
                    Ok(()) => ExitCode::SUCCESS,
                    Err(e) => bad_input(e),
                }
            }
            Err(e) => bad_input(e),
        },
        DbAction::Down { place } => {
            match Owner::take(&place.data)
                .map_err(|e| e.to_string())
                .and_then(|_own| private::stop(&place.data).map_err(|e| e.to_string()))
            {
                Ok(true) => {
                    println!("stopped");
                    ExitCode::SUCCESS
                }
                Ok(false) => {
                    println!("it was not running");
                    ExitCode::SUCCESS
                }
                Err(e) => bad_input(e),
            }
        }
        DbAction::Status { place, json } => {
            let at = private::running(&place.data);
            match (json, at) {
                (true, at) => println!(
                    "{}",
                    serde_json::json!({"running": at.is_some(), "pid": at.map(|a| a.0), "port": at.map(|a| a.1)})
                ),
                (false, Some((pid, port))) => println!("running as process {pid} on 127.0.0.1:{port}"),
                (false, None) => println!("not running"),
            }
            ExitCode::SUCCESS
        }
    }
}

fn owned_or_joined(place: &Place) -> Result<Reached, String> {
    if let Some(db) = named(place) {
        return Ok(db);
    }
    match Owner::take(&place.data) {
        Ok(owner) => owned(place, owner),
        Err(PrivateError::Held { .. }) => joined(place),
        Err(e) => Err(e.to_string()),
    }
}

/// Holds everything stored against everything else; exit 2 when something does not agree.
pub(crate) fn verify(place: &Place, json: bool) -> ExitCode {
    with_store(place, move |store| async move {
        let found = jamjar_workflow::verify::verify(&store).await.map_err(|e| e.to_string())?;
        let text = if json { found.to_json().to_string() } else { found.words() };
        if found.is_whole() { Ok(text) } else { Err(text) }
    })
}

pub(super) fn with_store<F: Future<Output = Result<String, String>>>(
    place: &Place,
    work: impl FnOnce(Store) -> F,
) -> ExitCode {
    // Beside a Jamjar that owns the folder a command is one more client; else it owns the folder while it
    // works.
    let reached = match owned_or_joined(place) {
        Ok(x) => x,
        Err(e) => return bad_input(e),
    };
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(r) => r,
        Err(e) => return bad_input(e),
    };
    let result = runtime.block_on(async { work(open(&reached.url).await?).await });
    match result {
        Ok(said) => {
            println!("{said}");
            ExitCode::SUCCESS
        }
        Err(e) => bad_input(e),
    }
}

pub(crate) fn migrate(place: &Place) -> ExitCode {
    with_store(place, |_| async { Ok("the database is at this version".to_owned()) })
}

pub(crate) fn load_demo(place: &Place, afresh: bool) -> ExitCode {
    with_store(place, move |store| async move {
        let text = |e: jamjar_workflow::WorkflowError| e.to_string();
        if afresh {
            store.end_orphans().await.map_err(|e| e.to_string())?;
            let loading = store.latest_run(jamjar_workflow::demo::RUN).await.map_err(|e| e.to_string())?;
            if loading.is_some_and(|r| r.state == jamjar_store::RunState::Running) {
                return Err("the demo is being loaded just now: wait until it is there, or cancel it on the workshop page".to_owned());
            }
            store.remove_demo().await.map_err(|e| e.to_string())?;
        }
        match jamjar_workflow::demo::begin(&store).await.map_err(text)? {
            Some(run) => jamjar_workflow::demo::load(&store, run)
                .await
                .map(|()| "the demo is loaded".to_owned())
                .map_err(text),
            None => Ok("the demo is there already".to_owned()),
        }
    })
}

pub(crate) fn bulk(place: &Place, pulls: u32) -> ExitCode {
    with_store(place, move |store| async move {
        let start = std::time::Instant::now();
        jamjar_workflow::demo::bulk(&store, i64::from(pulls)).await.map_err(|e| e.to_string())?;
        let all = store.pull_count().await.map_err(|e| e.to_string())?;
        Ok(format!("{pulls} pulls made in {:.0} s; the store holds {all}", start.elapsed().as_secs_f64()))
    })
}
