//! Pictures, prints and papers: taken in, shown, taken off.

use super::spool::{Sent as Upload, cut};
use super::stream::Sent;
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::state::AppState;
use crate::views::picture_of;
use axum::body::Body;
use axum::extract::{Multipart, Path, State};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_LENGTH, CONTENT_SECURITY_POLICY, CONTENT_TYPE};
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_store::{Attached, NewAttachment};

/// Largest attachment, bytes (our choice: a page scanned in colour stays far below it).
const MOST_BYTES: u64 = 32 << 20;

/// Longest id of a line of the health check.
const LONGEST_LINE: usize = 40;

/// What the first bytes say it is: pictures a browser draws without running anything, and PDF.
pub(super) fn media_of(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', b'\r', b'\n', 0x1a, b'\n', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        [b'%', b'P', b'D', b'F', b'-', ..] => Some("application/pdf"),
        _ => None,
    }
}

/// Where what something is attached to stands.
async fn page_of(state: &AppState, to: Attached) -> Result<String, WebError> {
    Ok(match to {
        Attached::Vehicle(id) => format!("/vehicles/{id}#attached"),
        Attached::Day(id) => format!("/days/{id}#attached"),
        Attached::Pull(id) => format!("/pulls/{id}#attached"),
        Attached::Set(id) => format!("/days/{}#attached", state.store.set(id).await?.day_id),
        Attached::Note(id) => format!("/days/{}#attached", state.store.day_of_note(id).await?),
    })
}

fn to_of(text: &str) -> Result<Attached, WebError> {
    let thing = text.split_once(':').and_then(|(kind, id)| Attached::of(kind, id.parse().ok()?));
    thing.ok_or_else(|| WebError::Bad("say what it belongs to".into()))
}

pub(crate) async fn attach(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    mut form: Multipart,
) -> Result<Response, WebError> {
    let (mut to, mut line) = (None, String::new());
    while let Some(field) = form.next_field().await.map_err(cut)? {
        if field.file_name().is_none() {
            if field.name() == Some("to") {
                to = Some(to_of(&field.text().await.map_err(cut)?)?);
            } else if field.name() == Some("line") {
                line = field.text().await.map_err(cut)?.chars().take(LONGEST_LINE).collect();
            }
            continue;
        }
        if field.file_name().is_some_and(str::is_empty) {
            continue;
        }
        let to = to.ok_or_else(|| WebError::Bad("say what it belongs to".into()))?;
        let back = page_of(&state, to).await?;
        let sent = Upload::take(&state, field).await?;
        if sent.file.bytes() > MOST_BYTES {
            let text = format!("{} is larger than {} MiB", sent.name, MOST_BYTES >> 20);
            return Err(WebError::TooLarge(text));
        }
        let bytes = sent.read().await?;
        let Some(media) = media_of(&bytes) else {
            return Err(WebError::Bad(format!(
                "{} is no picture (PNG, JPEG, WebP) and no PDF by its first bytes: recordings are dropped on the day sheet, map files on the vehicle's page",
                sent.name
            )));
        };
        // A picture of a line of the health check says so in its name.
        let (name, back) = match to {
            Attached::Day(id) if !line.is_empty() => {
                (format!("{}{}", picture_of(&line), sent.name), format!("/days/{id}#checklist"))
            }
            _ => (sent.name, back),
        };
        let new = NewAttachment { name, media: media.to_owned(), by: who.name, bytes };
        state.store.attach(to, &new).await?;
        return Ok(Redirect::to(&back).into_response());
    }
    Err(WebError::Bad("choose a picture or a PDF first".into()))
}

/// Its bytes; a picture is drawn, anything else is a download, and neither may run or fetch anything.
pub(crate) async fn show(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let a = state.store.attachment(id).await?;
    let whole = state.store.open_file(a.file_id).await?;
    tokio::task::spawn_blocking(move || whole.intact())
        .await
        .map_err(|e| WebError::Internal(e.to_string()))??;
    let body = Body::new(Sent::of(state.store.open_file(a.file_id).await?));
    let name: String = a
        .name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() || "._- ".contains(c) { c } else { '_' })
        .collect();
    let how = if a.media.starts_with("image/") { "inline" } else { "attachment" };
    let headers = [
        (CONTENT_TYPE, a.media),
        (CONTENT_LENGTH, a.bytes.to_string()),
        (CONTENT_SECURITY_POLICY, "default-src 'none'; sandbox".to_owned()),
        (CONTENT_DISPOSITION, format!("{how}; filename=\"{name}\"")),
    ];
    Ok((headers, body).into_response())
}

pub(crate) async fn off(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let back = match state.store.detach(id, &who.by("")).await? {
        Some(to) => page_of(&state, to).await?,
        None => "/".to_owned(),
    };
    Ok(Redirect::to(&back).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn its_first_bytes_say_what_it_is_whatever_it_is_called() {
        assert_eq!(media_of(b"\x89PNG\r\n\x1a\nrest"), Some("image/png"));
        assert_eq!(media_of(b"\xff\xd8\xff\xe0rest"), Some("image/jpeg"));
        assert_eq!(media_of(b"RIFF\0\0\0\0WEBPVP8 "), Some("image/webp"));
        assert_eq!(media_of(b"%PDF-1.7"), Some("application/pdf"));
        assert_eq!(media_of(b"<svg xmlns='x'><script>"), None);
        assert_eq!(media_of(b"<!doctype html>"), None);
        assert_eq!(media_of(b""), None);
    }
}
