//! `jamjar db`, `migrate` and `demo load`.

use super::bad_input;
use crate::{DbAction, Place};
use jamjar_store::Store;
use jamjar_store::private::{self, PrivateDb};
use std::process::ExitCode;

/// Connections of the pool.
const CONNECTIONS: usize = 12;

/// The private server of a place, unless another database was named.
pub(crate) fn private(place: &Place) -> Result<(Option<PrivateDb>, String), String> {
    match &place.database_url {
        Some(url) => Ok((None, url.clone())),
        None => {
            let db = PrivateDb::start(&place.data, place.db_port).map_err(|e| e.to_string())?;
            let url = db.url("jamjar");
            Ok((Some(db), url))
        }
    }
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
        DbAction::Down { place } => match private::stop(&place.data) {
            Ok(true) => {
                println!("stopped");
                ExitCode::SUCCESS
            }
            Ok(false) => {
                println!("it was not running");
                ExitCode::SUCCESS
            }
            Err(e) => bad_input(e),
        },
        DbAction::Status { place, json } => {
            let at = private::running(&place.data);
            match (json, at) {
                (true, at) => println!("{}", serde_json::json!({"running": at.is_some(), "pid": at.map(|a| a.0), "port": at.map(|a| a.1)})),
                (false, Some((pid, port))) => println!("running as process {pid} on 127.0.0.1:{port}"),
                (false, None) => println!("not running"),
            }
            ExitCode::SUCCESS
        }
    }
}

fn with_store<F: Future<Output = Result<String, String>>>(place: &Place, work: impl FnOnce(Store) -> F) -> ExitCode {
    let (_db, url) = match private(place) {
        Ok(x) => x,
        Err(e) => return bad_input(e),
    };
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(r) => r,
        Err(e) => return bad_input(e),
    };
    let result = runtime.block_on(async { work(open(&url).await?).await });
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
            store.remove_demo().await.map_err(|e| e.to_string())?;
        }
        match jamjar_workflow::demo::begin(&store).await.map_err(text)? {
            Some(run) => jamjar_workflow::demo::load(&store, run).await.map(|()| "the demo is loaded".to_owned()).map_err(text),
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
