//! Work at a distance: threads of revisions, recordings and remarks, and the file they travel in.

use super::spool::Sent as Upload;
use super::vehicles::Fields;
use super::{page, page_key, rests_on};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{thread_page, threads_page};
use axum::Form;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::Uri;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_core::analysis::Figure;
use jamjar_workflow::thread::{
    ThreadRead, read_thread, remark, say, send_recordings, send_revision, take_in_recordings,
};
use jamjar_workflow::thread_file::{pack, unpack};
use serde::Deserialize;

/// Longest words of a step.
const LONGEST: usize = 10_000;

async fn read(state: &AppState, id: i64, prefs: &Prefs) -> Result<ThreadRead, WebError> {
    Ok(read_thread(&state.store, id, Figure::PeakPower, &prefs.settings(None)).await?)
}

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct Of {
    vehicle: Option<i64>,
}

/// Threads of a vehicle, or of all.
pub(crate) async fn list(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(q): Query<Of>,
) -> Result<Html<String>, WebError> {
    let vehicle = match q.vehicle {
        Some(id) => Some(state.store.vehicle(id).await?),
        None => None,
    };
    let threads = state.store.threads(q.vehicle).await?;
    page(&threads_page(vehicle.as_ref(), &threads, &prefs))
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    uri: Uri,
) -> Result<Response, WebError> {
    let made = || async {
        let r = read(&state, id, &prefs).await?;
        let rests_on = rests_on(r.vehicle.id, r.days.iter().copied());
        Ok(PageMade { body: page(&thread_page(&r, &prefs))?.0, rests_on, lasts: false })
    };
    Ok(Html(state.page(page_key(&uri, &prefs), made).await?).into_response())
}

/// Words of a form.
fn words(f: &Fields, name: &str) -> String {
    f.get(name).map_or("", |s| s.trim()).chars().take(LONGEST).collect()
}

fn number(f: &Fields, name: &str, what: &str) -> Result<i64, WebError> {
    f.get(name).and_then(|s| s.parse().ok()).ok_or_else(|| WebError::Bad(format!("choose {what}")))
}

pub(crate) async fn open(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let vehicle = number(&f, "vehicle", "a vehicle")?;
    let title: String = words(&f, "title").chars().take(200).collect();
    if title.is_empty() {
        return Err(WebError::Bad("say what the thread is about".into()));
    }
    let id = state.store.open_thread(vehicle, &title, None, &who.by("")).await?;
    Ok(Redirect::to(&format!("/threads/{id}")))
}

/// A step: a revision, recordings, a remark or a word.
pub(crate) async fn step(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let (thread, _) = state.store.thread(id).await?;
    let said = words(&f, "words");
    match f.get("kind").map(String::as_str) {
        Some("revision") => {
            send_revision(&state.store, &thread, number(&f, "map", "a map")?, &said, &who.name).await?;
        }
        Some("recordings") => {
            send_recordings(&state.store, &thread, number(&f, "set", "a set")?, &said, &who.name).await?;
        }
        _ => say(&state.store, &thread, &said, &who.name).await?,
    }
    Ok(Redirect::to(&format!("/threads/{id}#last")))
}

/// A remark on a pull, from its page.
pub(crate) async fn on_pull(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(pull): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let id = number(&f, "thread", "a thread")?;
    let (thread, _) = state.store.thread(id).await?;
    let channel = f.get("channel").map_or("", |s| s.trim());
    if !channel.is_empty() && jamjar_core::channel::Channel::new(channel).is_err() {
        return Err(WebError::Bad(format!("“{channel}” is no channel: choose one of the list")));
    }
    let at = match f.get("at").map_or("", |s| s.trim()) {
        "" => None,
        typed => Some(jamjar_core::units::typed(typed).filter(|v| v.abs() < 1e7).ok_or_else(|| {
            WebError::Bad(format!("“{typed}” is no moment: seconds from tip-in, such as 3.2"))
        })?),
    };
    remark(&state.store, &thread, (pull, channel, at), &words(&f, "words"), &who.name).await?;
    Ok(Redirect::to(&format!("/pulls/{pull}#remarks")))
}

pub(crate) async fn close(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Redirect, WebError> {
    let closed = f.get("closed").is_some_and(|c| c == "yes");
    state.store.close_thread(id, closed, &who.by("")).await?;
    Ok(Redirect::to(&format!("/threads/{id}")))
}

/// The recordings of a step, put before the sheet of their day.
pub(crate) async fn take_in(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path((id, step)): Path<(i64, i64)>,
) -> Result<Redirect, WebError> {
    let day = take_in_recordings(&state.store, &read(&state, id, &prefs).await?, step).await?;
    Ok(Redirect::to(&format!("/days/{day}")))
}

/// The thread as one file.
pub(crate) async fn file(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let bytes = pack(&state.store, id).await?;
    let headers = [
        (CONTENT_TYPE, "application/zip".to_owned()),
        (CONTENT_DISPOSITION, format!("attachment; filename=\"jamjar-thread-{id}.zip\"")),
    ];
    Ok((headers, bytes).into_response())
}

/// Takes a thread in that came as a file.
pub(crate) async fn arrived(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    mut form: Multipart,
) -> Result<Redirect, WebError> {
    let file = Upload::first(&state, &mut form, "the file of a thread").await?;
    let _turn = file.turn(&state).await;
    let id = unpack(&state.store, file.file.path(), &who.by("came as a file")).await?;
    Ok(Redirect::to(&format!("/threads/{id}")))
}
