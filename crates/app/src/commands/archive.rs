//! `jamjar export` and `jamjar import`: a shop in one file.

use super::bad_input;
use super::db::with_store;
use crate::Place;
use jamjar_store::Store;
use jamjar_workflow::archive::{About, Contents, contents, read_back, write};
use std::fs::File;
use std::io::BufWriter;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

pub(crate) fn export(place: &Place, vehicles: Vec<String>, to: PathBuf, json: bool) -> ExitCode {
    if to.exists() {
        return bad_input(format!("{} is there already: name another file", to.display()));
    }
    with_store(place, move |store| async move {
        let what = asked(&store, &vehicles).await?;
        let about = what.about();
        // Under a name of its own until it is whole.
        let part = to.with_extension("part");
        let (path, runtime) = (part.clone(), tokio::runtime::Handle::current());
        let written = tokio::task::spawn_blocking(move || onto(&path, &store, &runtime, &what));
        let written = written.await.map_err(|e| e.to_string())?;
        let moved = written.and_then(|()| std::fs::rename(&part, &to).map_err(|e| at(&to, &e)));
        if let Err(e) = moved {
            let _ = std::fs::remove_file(&part);
            return Err(e);
        }
        Ok(if json { serde_json::json!(about).to_string() } else { words(&to, &about) })
    })
}

async fn asked(store: &Store, vehicles: &[String]) -> Result<Contents, String> {
    let mut ids = Vec::new();
    for name in vehicles {
        let found = store.vehicle_called(name).await.map_err(|e| e.to_string())?;
        ids.push(found.ok_or_else(|| format!("there is no vehicle called {name}"))?);
    }
    contents(store, (!ids.is_empty()).then_some(&ids)).await.map_err(|e| e.to_string())
}

fn at(path: &Path, e: &std::io::Error) -> String {
    format!("{}: {e}", path.display())
}

fn onto(path: &Path, store: &Store, runtime: &tokio::runtime::Handle, what: &Contents) -> Result<(), String> {
    let mut out = BufWriter::with_capacity(1 << 20, File::create(path).map_err(|e| at(path, &e))?);
    write(store, runtime, what, &mut out).map_err(|e| e.to_string())?;
    let file = out.into_inner().map_err(|e| e.to_string())?;
    file.sync_all().map_err(|e| at(path, &e))
}

fn words(to: &Path, a: &About) -> String {
    let (n, names) = (a.vehicles.len(), a.vehicles.join(", "));
    format!("{}: {n} vehicles ({names}), {} days, {} pulls, {} files", to.display(), a.days, a.pulls, a.files)
}

pub(crate) fn import(place: &Place, from: PathBuf, json: bool) -> ExitCode {
    if !from.is_file() {
        return bad_input(format!("{} is not a file", from.display()));
    }
    with_store(place, move |store| async move {
        let ids = read_back(&store, &from).await.map_err(|e| format!("{}: {e}", from.display()))?;
        Ok(if json {
            serde_json::json!({"vehicles": ids}).to_string()
        } else {
            format!("{} vehicles read back", ids.len())
        })
    })
}
