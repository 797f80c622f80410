//! Security on every response and every unsafe request.
//!
//! Forgery: a browser names the origin of each unsafe request; it must be this host. The host itself must be
//! a loopback name, which also stops a foreign name that was pointed at this machine.

use crate::error::WebError;
use crate::state::AppState;
use axum::extract::{Request, State};
use axum::http::header::{CONTENT_TYPE, HOST, HeaderName, HeaderValue, ORIGIN};
use axum::http::{HeaderMap, Method, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use jamjar_store::StoreError;

const HEADERS: [(&str, &str); 7] = [
    (
        "content-security-policy",
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
    ),
    ("x-content-type-options", "nosniff"),
    ("x-frame-options", "DENY"),
    ("referrer-policy", "same-origin"),
    ("permissions-policy", "camera=(), microphone=(), geolocation=()"),
    ("cross-origin-opener-policy", "same-origin"),
    ("cross-origin-resource-policy", "same-origin"),
];
/// What a shop pulled is nobody's to keep on the way; what a handler says itself stands.
const CACHE: (&str, &str) = ("cache-control", "private, no-cache");

pub(crate) async fn protect(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let refused = refuse(request.method(), request.headers(), &state.hosts).or_else(|| {
        let writes = !request.method().is_safe() && !makes_room(request.uri().path());
        writes.then(|| state.spool.room_for(0).err().map(WebError::from)).flatten()
    });
    let response = match refused {
        Some(e) => e.into_response(),
        // A fault of the program ends one request, not the connection, and is said as one.
        None => match tokio::spawn(next.run(request)).await {
            Ok(r) => r,
            Err(e) => WebError::Internal(e.to_string()).into_response(),
        },
    };
    let mut response = as_a_page(response).await;
    // Only a connection that failed knows its code; a node of a cluster that is not with the others fails
    // every one of them.
    if response.status() == StatusCode::INTERNAL_SERVER_ERROR
        && let Err(StoreError::Unreachable(away)) = state.store.ping().await
    {
        response = WebError::Away(away).into_response();
    }
    // A database that has no room left goes away; that is the cause then.
    if response.status() == StatusCode::SERVICE_UNAVAILABLE
        && let Err(full) = state.spool.room_for(0)
    {
        response = WebError::from(full).into_response();
    }
    response.headers_mut().entry(CACHE.0).or_insert(HeaderValue::from_static(CACHE.1));
    for (name, value) in HEADERS {
        let name = HeaderName::from_static(name);
        // What is more than the pages' own policy allows nobody says; what is less, files of others say themselves.
        response.headers_mut().entry(name).or_insert(HeaderValue::from_static(value));
    }
    response
}

/// Whether a request takes something away: it is carried out on a full disk too.
fn makes_room(path: &str) -> bool {
    ["/clear", "/remove", "/cancel", "/forget", "/drop", "/theme"].iter().any(|end| path.ends_with(end))
}

/// Refusals that the framework words itself (an id that is no number, a form that lacks a field) as pages.
async fn as_a_page(response: Response) -> Response {
    let plain = response.headers().get(CONTENT_TYPE).is_some_and(|t| t.as_bytes().starts_with(b"text/plain"));
    let status = response.status();
    if !plain || !(status.is_client_error() || status.is_server_error()) {
        return response;
    }
    let bytes = axum::body::to_bytes(response.into_body(), 4096).await.unwrap_or_default();
    let text = String::from_utf8_lossy(&bytes).into_owned();
    match status {
        StatusCode::PAYLOAD_TOO_LARGE => WebError::TooLarge("This is larger than what is taken here.".into()),
        StatusCode::NOT_FOUND => WebError::NotFound("There is no such thing here.".into()),
        _ if status.is_server_error() => WebError::Internal(text),
        _ => WebError::Bad(format!("The request cannot be read: {text}")),
    }
    .into_response()
}

fn host_of(headers: &HeaderMap) -> Option<&str> {
    headers.get(HOST).and_then(|h| h.to_str().ok())
}

fn is_served(host: &str, more: &[String]) -> bool {
    let name = host
        .rsplit_once(':')
        .filter(|(_, port)| port.bytes().all(|b| b.is_ascii_digit()))
        .map_or(host, |(n, _)| n);
    matches!(name, "localhost" | "127.0.0.1" | "[::1]")
        || more.iter().any(|m| m.eq_ignore_ascii_case(name) || m.eq_ignore_ascii_case(host))
}

fn refuse(method: &Method, headers: &HeaderMap, more: &[String]) -> Option<WebError> {
    let host = host_of(headers);
    if !host.is_some_and(|h| is_served(h, more)) {
        return Some(WebError::Forbidden(
            "this address is not one Jamjar serves; open it as 127.0.0.1 or localhost".into(),
        ));
    }
    if method.is_safe() {
        return None;
    }
    let site = headers.get("sec-fetch-site").and_then(|v| v.to_str().ok());
    let origin = headers.get(ORIGIN).and_then(|v| v.to_str().ok());
    let same = match (origin, site) {
        (Some(o), _) => o.strip_prefix("http://").or_else(|| o.strip_prefix("https://")) == host,
        (None, Some(s)) => s == "same-origin",
        (None, None) => false,
    };
    (!same).then(|| WebError::Forbidden("this request came from another site and was not carried out".into()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn headers(pairs: &[(&'static str, &'static str)]) -> HeaderMap {
        pairs.iter().map(|(k, v)| (HeaderName::from_static(k), HeaderValue::from_static(v))).collect()
    }

    #[test]
    fn only_this_host_may_write() {
        let host = ("host", "127.0.0.1:8642");
        for (name, method, h, allowed) in [
            ("reading", Method::GET, vec![host], true),
            ("same origin", Method::POST, vec![host, ("origin", "http://127.0.0.1:8642")], true),
            ("fetch metadata", Method::POST, vec![host, ("sec-fetch-site", "same-origin")], true),
            ("foreign origin", Method::POST, vec![host, ("origin", "http://elsewhere.example")], false),
            ("other port", Method::POST, vec![host, ("origin", "http://127.0.0.1:9999")], false),
            ("foreign site", Method::POST, vec![host, ("sec-fetch-site", "cross-site")], false),
            ("nothing said", Method::POST, vec![host], false),
            ("a host that was named", Method::GET, vec![("host", "Cell.example:8642")], true),
            ("foreign host", Method::GET, vec![("host", "elsewhere.example")], false),
            ("no host", Method::GET, vec![], false),
        ] {
            assert_eq!(refuse(&method, &headers(&h), &["cell.example".into()]).is_none(), allowed, "{name}");
        }
    }
}
