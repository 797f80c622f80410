//! `jamjar serve`: the folder is taken, database up, migrate, pages, and a clean end on Ctrl-C.

use super::bad_input;
use super::db::{self, Reached, open};
use crate::Place;
use jamjar_store::private::{Owner, PrivateDb};
use jamjar_store::{BEAT_S, Store};
use jamjar_web::{AppState, Instance, listen, router, start_demo};
use std::net::{IpAddr, TcpListener};
use std::process::ExitCode;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::signal::unix::{SignalKind, signal};
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

/// Requests under way are given this long when the program is asked to end.
const GRACE: Duration = Duration::from_millis(1200);
/// The database is looked at this often.
const LOOK: Duration = Duration::from_millis(250);

/// What was asked for.
pub(crate) struct Asked {
    pub(crate) place: Place,
    pub(crate) port: u16,
    pub(crate) listen: IpAddr,
    pub(crate) hosts: Vec<String>,
    pub(crate) join: bool,
    pub(crate) demo: bool,
}

pub(crate) fn run(asked: &Asked) -> ExitCode {
    let spoken = std::env::var("RUST_LOG").ok().and_then(|asked| asked.parse::<Targets>().ok());
    tracing_subscriber::registry()
        .with(tracing_subscriber::fmt::layer().with_writer(std::io::stderr))
        .with(spoken.unwrap_or_else(|| Targets::new().with_default(LevelFilter::WARN)))
        .init();
    if !asked.listen.is_loopback() {
        return bad_input(format!(
            "{} is not a loopback address: nobody can sign in yet, so the pages are served on this machine only",
            asked.listen
        ));
    }
    let listener = match TcpListener::bind((asked.listen, asked.port)) {
        Ok(l) => l,
        Err(e) if e.kind() == std::io::ErrorKind::AddrInUse => {
            return bad_input(format!(
                "port {} is in use; choose another with --port, or end what listens there",
                asked.port
            ));
        }
        Err(e) => return bad_input(format!("port {} cannot be opened: {e}", asked.port)),
    };
    let Reached { owner, server, url } = match database(asked) {
        Ok(x) => x,
        Err(e) => return bad_input(e),
    };
    let db = Arc::new(Mutex::new(server));
    let result = match tokio::runtime::Runtime::new() {
        Ok(r) => {
            let result = r.block_on(serve(listener, &url, asked, db.clone()));
            // Threads that still compute for nobody are not waited for.
            r.shutdown_timeout(Duration::from_millis(200));
            result
        }
        Err(e) => Err(e.to_string()),
    };
    if let Some(db) = db.lock().unwrap_or_else(PoisonError::into_inner).as_mut() {
        say("stopping the database …");
        db.release();
    }
    drop(owner);
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => bad_input(e),
    }
}

/// Tells whoever started the program; a terminal that is gone is no reason to fall over.
fn say(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stdout(), "{text}");
}

fn database(asked: &Asked) -> Result<Reached, String> {
    if let Some(db) = db::named(&asked.place) {
        return Ok(db);
    }
    if asked.join {
        return db::joined(&asked.place);
    }
    let owner = Owner::take(&asked.place.data).map_err(|e| e.to_string())?;
    say(&format!("starting the database in {} …", asked.place.data.display()));
    db::owned(&asked.place, owner)
}

async fn serve(
    listener: TcpListener,
    url: &str,
    asked: &Asked,
    db: Arc<Mutex<Option<PrivateDb>>>,
) -> Result<(), String> {
    let text = |e: std::io::Error| e.to_string();
    let store = open(url).await?;
    tokio::spawn(look_after(db));
    tokio::spawn(beat(store.clone()));
    store.end_orphans().await.map_err(|e| e.to_string())?;
    store.prune_changes().await.map_err(|e| e.to_string())?;
    let settings = Instance {
        data: asked.place.data.clone(),
        hosts: asked.hosts.clone(),
        spare_bytes: Instance::SPARE_BYTES,
    };
    let state = AppState::new(store.clone(), settings).map_err(text)?;
    if !asked.join {
        state.sweep_spool().map_err(text)?;
    }
    if asked.demo && start_demo(&state).await.map_err(|e| e.to_string())? {
        say("loading the demo; the workshop shows how far it is");
    }
    let at = listener.local_addr().map_err(text)?;
    say(&format!("Jamjar is at http://{at} (Ctrl-C ends it)"));
    let warmed = state.clone();
    tokio::spawn(async move { warmed.warm().await });
    tokio::spawn(state.clone().watch_folders());
    let result = listen(listener, router(state), asked_to_end(), GRACE).await.map_err(text);
    // What still runs is said to be interrupted, so that it can be taken up again; a database that is gone is
    // not waited for.
    let _ = tokio::time::timeout(Duration::from_millis(800), store.interrupt_own()).await;
    result
}

/// Starts a database that died again, for as long as the program runs.
async fn look_after(db: Arc<Mutex<Option<PrivateDb>>>) {
    loop {
        tokio::time::sleep(LOOK).await;
        let db = db.clone();
        let looked = tokio::task::spawn_blocking(move || {
            let mut db = db.lock().unwrap_or_else(PoisonError::into_inner);
            db.as_mut().map_or(Ok(false), PrivateDb::revive)
        });
        match looked.await {
            Ok(Ok(true)) => tracing::warn!("the database had died and was started again"),
            Ok(Err(e)) => {
                tracing::error!("the database died and does not come back: {e}");
                tokio::time::sleep(Duration::from_secs(5)).await;
            }
            Ok(Ok(false)) | Err(_) => {}
        }
    }
}

/// Says that this instance's work is alive, and ends work whose owner is not.
async fn beat(store: Store) {
    loop {
        tokio::time::sleep(Duration::from_secs(BEAT_S)).await;
        let done = async {
            store.beat().await?;
            store.end_orphans().await
        };
        if let Err(e) = done.await {
            tracing::warn!("long work could not be looked at: {e}");
        }
    }
}

async fn asked_to_end() {
    let term = async {
        match signal(SignalKind::terminate()) {
            Ok(mut s) => {
                s.recv().await;
            }
            Err(_) => std::future::pending().await,
        }
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        () = term => {}
    }
}
