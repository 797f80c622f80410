//! Security on every response and every unsafe request.
//!
//! Forgery: a browser names the origin of each unsafe request; it must be this host. The host itself must be a loopback
//! name, which also stops a foreign name that was pointed at this machine.

use crate::error::WebError;
use axum::extract::Request;
use axum::http::header::{HOST, HeaderName, HeaderValue, ORIGIN};
use axum::http::{HeaderMap, Method};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

const HEADERS: [(&str, &str); 6] = [
    (
        "content-security-policy",
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
    ),
    ("x-content-type-options", "nosniff"),
    ("x-frame-options", "DENY"),
    ("referrer-policy", "same-origin"),
    ("permissions-policy", "camera=(), microphone=(), geolocation=()"),
    ("cross-origin-opener-policy", "same-origin"),
];

pub(crate) async fn protect(request: Request, next: Next) -> Response {
    let refused = refuse(request.method(), request.headers());
    let mut response = match refused {
        Some(e) => e.into_response(),
        None => next.run(request).await,
    };
    for (name, value) in HEADERS {
        response.headers_mut().insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    response
}

fn host_of(headers: &HeaderMap) -> Option<&str> {
    headers.get(HOST).and_then(|h| h.to_str().ok())
}

fn is_loopback(host: &str) -> bool {
    let name = host.rsplit_once(':').filter(|(_, port)| port.bytes().all(|b| b.is_ascii_digit())).map_or(host, |(n, _)| n);
    matches!(name, "localhost" | "127.0.0.1" | "[::1]")
}

fn refuse(method: &Method, headers: &HeaderMap) -> Option<WebError> {
    let host = host_of(headers);
    if !host.is_some_and(is_loopback) {
        return Some(WebError::Forbidden("this address is not one Jamjar serves; open it as 127.0.0.1 or localhost".into()));
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
            ("foreign host", Method::GET, vec![("host", "elsewhere.example")], false),
            ("no host", Method::GET, vec![], false),
        ] {
            assert_eq!(refuse(&method, &headers(&h)).is_none(), allowed, "{name}");
        }
    }
}
