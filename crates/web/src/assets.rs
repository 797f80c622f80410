//! Files compiled into the program: style, scripts, fonts.

use axum::extract::Path;
use axum::http::StatusCode;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};

macro_rules! asset {
    ($path:literal, $kind:literal) => {
        ($path, $kind, include_bytes!(concat!("../assets/", $path)) as &[u8])
    };
}

const ASSETS: &[(&str, &str, &[u8])] = &[
    asset!("dist/app.css", "text/css; charset=utf-8"),
    asset!("app.js", "text/javascript; charset=utf-8"),
    asset!("vendor/htmx.min.js", "text/javascript; charset=utf-8"),
    asset!("fonts/fraunces.woff2", "font/woff2"),
    asset!("fonts/atkinson-next.woff2", "font/woff2"),
    asset!("fonts/atkinson-mono.woff2", "font/woff2"),
    asset!("icons/jar.svg", "image/svg+xml"),
];

/// Fonts for pictures made on the server.
pub(crate) const PICTURE_FONTS: [&[u8]; 3] = [
    include_bytes!("../assets/fonts/fraunces.ttf"),
    include_bytes!("../assets/fonts/atkinson-next.ttf"),
    include_bytes!("../assets/fonts/atkinson-mono.ttf"),
];

pub(crate) async fn serve(Path(path): Path<String>) -> Response {
    match ASSETS.iter().find(|a| a.0 == path) {
        Some((_, kind, bytes)) => {
            ([(CONTENT_TYPE, *kind), (CACHE_CONTROL, "public, max-age=3600")], *bytes).into_response()
        }
        None => StatusCode::NOT_FOUND.into_response(),
    }
}
