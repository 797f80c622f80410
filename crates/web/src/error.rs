//! One error for the web, one mapping to statuses. Details of a 5xx go to the log under a number, never to
//! the page.

use crate::views::ErrorPage;
use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use jamjar_store::StoreError;
use jamjar_workflow::WorkflowError;
use jamjar_workflow::spool::NoRoom;
use std::sync::atomic::{AtomicU64, Ordering};

/// What a handler can refuse with; each has one status and one cause.
#[derive(Debug, Clone)]
pub(crate) enum WebError {
    /// 400: the sentence says what to change.
    Bad(String),
    /// 403: the request came from elsewhere, or the person may not do this.
    Forbidden(String),
    /// 404: there is no such thing.
    NotFound(String),
    /// 409: what was asked for stands against what is there.
    Conflict(String),
    /// 409: it was changed by somebody else since the form was shown.
    Changed {
        /// What.
        what: String,
        /// What it is now, in words.
        now: String,
    },
    /// 413: larger than what is taken.
    TooLarge(String),
    /// 500, with what is logged: a fault of the program.
    Internal(String),
    /// 503: the database is away.
    Away(String),
    /// 507: the disk is full, or so nearly that the database could not work; says how full.
    NoRoom(String),
}

impl From<StoreError> for WebError {
    fn from(e: StoreError) -> Self {
        match e {
            StoreError::NotFound { .. } => Self::NotFound(format!("{e}: it may have been taken away.")),
            StoreError::Orphan => Self::NotFound("What this belongs to does not exist: it may have been taken away.".into()),
            StoreError::Refused(text) => Self::Bad(text),
            StoreError::Duplicate => Self::Conflict("There is one of that name already.".into()),
            StoreError::Taken => {
                Self::Conflict("These files have been stored already by another request; the day sheet shows what it made of them.".into())
            }
            StoreError::Changed { what, now } => Self::Changed { what: what.to_owned(), now: now.map_or_else(String::new, |n| quoted(&n)) },
            StoreError::Check => Self::Bad("A value is outside what can be stored.".into()),
            StoreError::Unfit => Self::Bad("A text is too long, or holds characters that cannot be stored.".into()),
            // The door for writing has tried for twenty seconds: that is a database in trouble, not a mistake
            // of the person's.
            StoreError::Conflict | StoreError::Unreachable(_) => Self::Away(e.to_string()),
            StoreError::Unknown => Self::Away("the connection was lost while a change was made final".into()),
            StoreError::NoRoom => Self::NoRoom("The disk that holds the data is full".into()),
            StoreError::Newer(_) | StoreError::Damaged(_) | StoreError::Other(_) => Self::Internal(e.to_string()),
        }
    }
}

impl From<WorkflowError> for WebError {
    fn from(e: WorkflowError) -> Self {
        match e {
            WorkflowError::Store(s) => s.into(),
            WorkflowError::Internal(text) => Self::Internal(text),
            WorkflowError::Format(_) | WorkflowError::Bad(_) | WorkflowError::Cancelled => {
                Self::Bad(e.to_string())
            }
        }
    }
}

impl From<NoRoom> for WebError {
    fn from(e: NoRoom) -> Self {
        Self::NoRoom(e.to_string())
    }
}

impl From<askama::Error> for WebError {
    fn from(e: askama::Error) -> Self {
        Self::Internal(e.to_string())
    }
}

/// A text in a sentence, its beginning when it is long.
fn quoted(text: &str) -> String {
    match text.char_indices().nth(300) {
        _ if text.is_empty() => "nothing".into(),
        Some((cut, _)) => format!("“{} …”", &text[..cut]),
        None => format!("“{text}”"),
    }
}

/// A number that the page and the log share.
fn incident() -> String {
    static COUNT: AtomicU64 = AtomicU64::new(1);
    format!("{}-{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed))
}

impl WebError {
    fn parts(self) -> (StatusCode, &'static str, String) {
        match self {
            Self::Bad(t) => (StatusCode::BAD_REQUEST, "That cannot be done", t),
            Self::Forbidden(t) => (StatusCode::FORBIDDEN, "Not allowed", t),
            Self::NotFound(t) => (StatusCode::NOT_FOUND, "Not here", t),
            Self::Conflict(t) => (StatusCode::CONFLICT, "That stands against what is there", t),
            Self::Changed { what, now } => {
                let now = if now.is_empty() { String::new() } else { format!(" It now says: {now}.") };
                let text = format!(
                    "Somebody changed {what} after this form was shown, and your change was not made.{now} Go back, load the page again and decide."
                );
                (StatusCode::CONFLICT, "Somebody was faster", text)
            }
            Self::TooLarge(t) => (StatusCode::PAYLOAD_TOO_LARGE, "Too large", t),
            Self::Internal(detail) => {
                let number = incident();
                tracing::error!(%detail, %number, "internal error");
                (
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "Something broke",
                    format!("Nothing was lost. The log has the details under number {number}."),
                )
            }
            Self::Away(detail) => {
                tracing::warn!(%detail, "database away");
                (
                    StatusCode::SERVICE_UNAVAILABLE,
                    "The database is not answering",
                    "Try again in a moment; nothing was lost.".into(),
                )
            }
            Self::NoRoom(detail) => {
                tracing::error!(%detail, "disk full");
                let text = format!("{detail}: nothing of this was stored. Free some space and do it again.");
                (StatusCode::INSUFFICIENT_STORAGE, "The disk is full", text)
            }
        }
    }
}

impl WebError {
    /// What went wrong, for a page that goes on.
    pub(crate) fn text(self) -> String {
        self.parts().2
    }
}

impl IntoResponse for WebError {
    fn into_response(self) -> Response {
        let (status, title, text) = self.parts();
        let body =
            ErrorPage { title, text: &text, theme: "auto" }.render().unwrap_or_else(|_| title.to_owned());
        (status, Html(body)).into_response()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_server_error_does_not_leak_its_cause_and_has_a_number() {
        for e in [
            WebError::Internal("password in here".into()),
            StoreError::Other("1064: near password".into()).into(),
            WebError::Away("password".into()),
        ] {
            let r = e.into_response();
            assert!(r.status().is_server_error());
            let body = axum::body::to_bytes(r.into_body(), 1 << 20).await.unwrap();
            assert!(!String::from_utf8_lossy(&body).contains("password"));
        }
        let (_, _, text) = WebError::Internal("x".into()).parts();
        assert!(text.contains(&format!("number {}-", std::process::id())), "{text}");
    }

    #[test]
    fn every_fault_has_the_status_of_its_cause() {
        let status = |e: StoreError| WebError::from(e).parts().0.as_u16();
        for (e, want) in [
            (StoreError::NotFound { what: "day", id: 1 }, 404),
            (StoreError::Duplicate, 409),
            (StoreError::Refused("two fuels".into()), 400),
            (StoreError::Orphan, 404),
            (StoreError::Taken, 409),
            (StoreError::Changed { what: "the day", now: None }, 409),
            (StoreError::Check, 400),
            (StoreError::Unfit, 400),
            (StoreError::Conflict, 503),
            (StoreError::Unreachable("x".into()), 503),
            (StoreError::NoRoom, 507),
            (StoreError::Damaged("x".into()), 500),
        ] {
            let words = format!("{e:?}");
            assert_eq!(status(e), want, "{words}");
        }
        assert_eq!(WebError::from(WorkflowError::Internal("a panic".into())).parts().0.as_u16(), 500);
    }
}
