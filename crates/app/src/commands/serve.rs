//! `jamjar serve`: database up, migrate, pages, and a clean end on Ctrl-C.

use super::bad_input;
use super::db::{open, private};
use crate::Place;
use jamjar_store::Store;
use jamjar_web::{AppState, router};
use std::net::TcpListener;
use std::process::ExitCode;
use tokio::signal::unix::{SignalKind, signal};
use tracing_subscriber::EnvFilter;

pub(crate) fn run(place: &Place, port: u16, demo: bool) -> ExitCode {
    tracing_subscriber::fmt()
        .with_env_filter(EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new("warn")))
        .with_writer(std::io::stderr)
        .init();
    let listener = match TcpListener::bind(("127.0.0.1", port)) {
        Ok(l) => l,
        Err(e) if e.kind() == std::io::ErrorKind::AddrInUse => {
            return bad_input(format!("port {port} is in use; choose another with --port, or end what listens there"));
        }
        Err(e) => return bad_input(format!("port {port} cannot be opened: {e}")),
    };
    println!("starting the database in {} …", place.data.display());
    let (mut db, url) = match private(place) {
        Ok(x) => x,
        Err(e) => return bad_input(e),
    };
    let result = match tokio::runtime::Runtime::new() {
        Ok(r) => r.block_on(serve(listener, &url, place, demo)),
        Err(e) => Err(e.to_string()),
    };
    if let Some(db) = db.as_mut() {
        println!("stopping the database …");
        db.release();
    }
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => bad_input(e),
    }
}

async fn serve(listener: TcpListener, url: &str, place: &Place, demo: bool) -> Result<(), String> {
    let text = |e: std::io::Error| e.to_string();
    let store = open(url).await?;
    let spool = place.data.join("spool");
    std::fs::create_dir_all(&spool).map_err(|e| format!("{}: {e}", spool.display()))?;
    if demo {
        begin_demo(&store).await?;
    }
    listener.set_nonblocking(true).map_err(text)?;
    let at = listener.local_addr().map_err(text)?;
    let listener = tokio::net::TcpListener::from_std(listener).map_err(text)?;
    println!("Jamjar is at http://{at} (Ctrl-C ends it)");
    let state = AppState::new(store, spool);
    let warmed = state.clone();
    tokio::spawn(async move { warmed.warm().await });
    axum::serve(listener, router(state)).with_graceful_shutdown(asked_to_end()).await.map_err(text)
}

async fn begin_demo(store: &Store) -> Result<(), String> {
    if let Some(run) = jamjar_workflow::demo::begin(store).await.map_err(|e| e.to_string())? {
        println!("loading the demo; the workshop shows how far it is");
        let store = store.clone();
        tokio::spawn(async move {
            if let Err(e) = jamjar_workflow::demo::load(&store, run).await {
                tracing::error!(%e, "the demo could not be loaded");
            }
        });
    }
    Ok(())
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
