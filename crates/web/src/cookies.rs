//! Choices that a browser keeps.

use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::{Cookie, SameSite};

/// A choice kept for pages under a path, out of reach of scripts and of other sites.
pub(crate) fn lasting(name: impl Into<String>, value: String, path: &'static str) -> Cookie<'static> {
    Cookie::build((name.into(), value))
        .path(path)
        .permanent()
        .same_site(SameSite::Strict)
        .http_only(true)
        .build()
}

/// An answer's cookies: these and no others.
pub(crate) fn keeping(cookies: impl IntoIterator<Item = Cookie<'static>>) -> CookieJar {
    cookies.into_iter().fold(CookieJar::new(), CookieJar::add)
}
