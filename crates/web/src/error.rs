//! One error for the web, one mapping to statuses. Details of a 5xx go to the log, never to the page.

use crate::views::ErrorPage;
use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use jamjar_store::StoreError;
use jamjar_workflow::WorkflowError;

/// What a handler can refuse with.
#[derive(Debug)]
pub(crate) enum WebError {
    /// 400: the sentence says what to change.
    Bad(String),
    /// 403.
    Forbidden(String),
    /// 404.
    NotFound(String),
    /// 409.
    Conflict(String),
    /// 500, with what is logged.
    Internal(String),
    /// 503: the database is away.
    Away(String),
}

impl From<StoreError> for WebError {
    fn from(e: StoreError) -> Self {
        match e {
            StoreError::NotFound { .. } => Self::NotFound(e.to_string()),
            StoreError::Duplicate | StoreError::Conflict => Self::Conflict(e.to_string()),
            StoreError::Check(_) => Self::Bad(e.to_string()),
            StoreError::Unreachable(_) => Self::Away(e.to_string()),
            StoreError::Damaged(_) | StoreError::Other(_) => Self::Internal(e.to_string()),
        }
    }
}

impl From<WorkflowError> for WebError {
    fn from(e: WorkflowError) -> Self {
        match e {
            WorkflowError::Store(s) => s.into(),
            other => Self::Bad(other.to_string()),
        }
    }
}

impl From<askama::Error> for WebError {
    fn from(e: askama::Error) -> Self {
        Self::Internal(e.to_string())
    }
}

impl IntoResponse for WebError {
    fn into_response(self) -> Response {
        let (status, title, text) = match self {
            Self::Bad(t) => (StatusCode::BAD_REQUEST, "That cannot be done", t),
            Self::Forbidden(t) => (StatusCode::FORBIDDEN, "Not allowed", t),
            Self::NotFound(t) => (StatusCode::NOT_FOUND, "Not here", t),
            Self::Conflict(t) => (StatusCode::CONFLICT, "Somebody was faster", t),
            Self::Internal(detail) => {
                tracing::error!(%detail, "internal error");
                (StatusCode::INTERNAL_SERVER_ERROR, "Something broke", "Nothing was lost. The details are in the log.".into())
            }
            Self::Away(detail) => {
                tracing::error!(%detail, "database away");
                (StatusCode::SERVICE_UNAVAILABLE, "The database is not answering", "Try again in a moment; nothing was lost.".into())
            }
        };
        let body = ErrorPage { title, text: &text, theme: "auto" }.render().unwrap_or_else(|_| title.to_owned());
        (status, Html(body)).into_response()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_server_error_does_not_leak_its_cause() {
        let r = WebError::Internal("password in here".into()).into_response();
        assert_eq!(r.status(), StatusCode::INTERNAL_SERVER_ERROR);
        let body = axum::body::to_bytes(r.into_body(), 1 << 20).await.unwrap();
        assert!(!String::from_utf8_lossy(&body).contains("password"));
    }

    #[test]
    fn a_database_outage_is_not_a_refusal() {
        assert!(matches!(WebError::from(StoreError::Unreachable("x".into())), WebError::Away(_)));
        assert!(matches!(WebError::from(StoreError::NotFound { what: "day", id: 1 }), WebError::NotFound(_)));
    }
}
