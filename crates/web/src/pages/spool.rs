//! What a person sends in a form, taken to disk as it comes.

use crate::error::WebError;
use crate::state::AppState;
use axum::extract::Multipart;
use axum::extract::multipart::{Field, MultipartError};
use axum::http::StatusCode;
use jamjar_formats::{FormatError, Members, members};
use jamjar_workflow::spool::Spooled;
use std::collections::HashMap;
use std::fs::File;
use std::io;
use tokio::sync::OwnedSemaphorePermit;

/// Largest single file (our choice: packed, it stays within what the program may take).
const MOST_BYTES: u64 = 256 << 20;

/// Longest text beside a file, bytes.
const LONGEST_TYPED: usize = 64 << 10;

/// A file of a form.
pub(super) struct Sent {
    pub(super) file: Spooled,
    /// What it was called, without control characters; empty when no file was chosen.
    pub(super) name: String,
}

impl Sent {
    /// Takes a field of a form to disk.
    ///
    /// # Errors
    /// [`WebError::Bad`] when it does not arrive whole, [`WebError::NoRoom`] when the disk cannot take it.
    pub(super) async fn take(state: &AppState, mut field: Field<'_>) -> Result<Self, WebError> {
        let given = field.file_name().unwrap_or_default();
        let name: String = given.chars().filter(|c| !c.is_control()).take(200).collect();
        let mut arriving = state.spool.begin().map_err(lost)?;
        while let Some(piece) = field.chunk().await.map_err(cut)? {
            if arriving.take(&piece).await.map_err(lost)? > MOST_BYTES {
                let text = format!("{name} is larger than {} MiB: split it.", MOST_BYTES >> 20);
                return Err(WebError::TooLarge(text));
            }
        }
        let file = arriving.finish().await.map_err(lost)?;
        state.spool.room_for(file.bytes())?;
        Ok(Self { file, name })
    }

    /// The first file of a form that was chosen.
    ///
    /// # Errors
    /// Those of [`Self::take`]; [`WebError::Bad`] when none was chosen.
    pub(super) async fn first(state: &AppState, form: &mut Multipart, what: &str) -> Result<Self, WebError> {
        while let Some(field) = form.next_field().await.map_err(cut)? {
            if field.file_name().is_some_and(|n| !n.is_empty()) {
                return Self::take(state, field).await;
            }
        }
        Err(WebError::Bad(format!("choose {what} first")))
    }

    /// Waits for the memory in which it may be read.
    pub(super) async fn turn(&self, state: &AppState) -> Option<OwnedSemaphorePermit> {
        state.share(self.file.bytes()).await
    }

    /// Its files, when it is an archive of several.
    ///
    /// # Errors
    /// [`FormatError`] when it is a damaged one.
    pub(super) async fn members(&self) -> Result<Option<Members<File>>, FormatError> {
        let (path, name) = (self.file.path().to_owned(), self.name.clone());
        let opened = tokio::task::spawn_blocking(move || File::open(path).map(|f| members(f, &name))).await;
        // What cannot be opened is told by whoever reads it next.
        opened.ok().and_then(Result::ok).unwrap_or(Ok(None))
    }

    /// All of it.
    ///
    /// # Errors
    /// [`WebError::Internal`] when the disk fails.
    pub(super) async fn read(&self) -> Result<Vec<u8>, WebError> {
        self.file.read().await.map_err(lost)
    }
}

/// An upload that did not arrive whole, or is larger than its form takes.
#[allow(clippy::needless_pass_by_value)]
pub(super) fn cut(e: MultipartError) -> WebError {
    if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
        let text = format!(
            "the upload is larger than is taken here at once; no file may have more than {} MiB: split it.",
            MOST_BYTES >> 20
        );
        return WebError::TooLarge(text);
    }
    WebError::Bad(format!("the upload was cut short: {}", e.body_text()))
}

/// The disk failed.
#[allow(clippy::needless_pass_by_value)]
pub(super) fn lost(e: io::Error) -> WebError {
    match e.kind() {
        io::ErrorKind::StorageFull => WebError::NoRoom(e.to_string()),
        _ => WebError::Internal(e.to_string()),
    }
}

/// What is typed beside one file of a form, and the file where one was chosen.
///
/// # Errors
/// [`WebError`] when it does not arrive whole, or what is typed is too long or no text.
pub(super) async fn fields_and_file(
    state: &AppState,
    mut form: Multipart,
) -> Result<(HashMap<String, String>, Option<Sent>), WebError> {
    let (mut fields, mut file) = (HashMap::new(), None);
    while let Some(field) = form.next_field().await.map_err(cut)? {
        let name = field.name().unwrap_or_default().to_owned();
        match field.file_name().map(str::is_empty) {
            Some(false) => file = Some(Sent::take(state, field).await?),
            Some(true) => {}
            None => {
                fields.insert(name, typed(field).await?);
            }
        }
    }
    Ok((fields, file))
}

/// What was typed into a field beside the file.
async fn typed(mut field: Field<'_>) -> Result<String, WebError> {
    let mut bytes = Vec::new();
    while let Some(chunk) = field.chunk().await.map_err(cut)? {
        bytes.extend(chunk);
        if bytes.len() > LONGEST_TYPED {
            return Err(WebError::Bad("a field beside the file is longer than 64 KiB".into()));
        }
    }
    String::from_utf8(bytes).map_err(|_| WebError::Bad("a field beside the file is not text".into()))
}
