//! Files compiled into the program: style, scripts, fonts. Their addresses carry what is in them, so that a
//! browser may keep them for good: another file has another address.

use axum::extract::Path;
use axum::http::StatusCode;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use rust_embed::Embed;
use sha2::{Digest, Sha256};
use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::LazyLock;

#[derive(Embed)]
#[folder = "assets"]
struct Files;

/// Fonts for pictures made on the server; the last has the letters the others lack.
pub(crate) fn picture_fonts() -> impl Iterator<Item = Vec<u8>> {
    let own = [
        "fonts/fraunces.ttf",
        "fonts/atkinson-next.ttf",
        "fonts/atkinson-next-bold.ttf",
        "fonts/atkinson-mono.ttf",
    ];
    own.into_iter().chain(["fonts/other-letters.ttf"]).map(font)
}

/// The bytes of a font.
pub(crate) fn font(path: &str) -> Vec<u8> {
    Files::get(path).map(|f| f.data.into_owned()).unwrap_or_default()
}

/// A file as it is given out.
struct Asset {
    address: String,
    version: String,
    kind: String,
    bytes: Cow<'static, [u8]>,
}

/// By path within the folder. The style names fonts by path; it gives their addresses out.
static ASSETS: LazyLock<HashMap<String, Asset>> = LazyLock::new(|| {
    let mut out: HashMap<String, Asset> = HashMap::new();
    let mut paths: Vec<Cow<'static, str>> = Files::iter().collect();
    // What names others comes after them.
    paths.sort_by_key(|p| p.ends_with(".css"));
    for path in paths {
        let Some(file) = Files::get(&path) else { continue };
        let mut bytes = file.data;
        if path.ends_with(".css") {
            let text = String::from_utf8_lossy(&bytes).into_owned();
            let given_out = |text: String, (other, asset): (&String, &Asset)| {
                text.replace(&format!("/assets/{other}"), &asset.address)
            };
            bytes = Cow::Owned(out.iter().fold(text, given_out).into_bytes());
        }
        // Of what is given out, addresses of fonts included; enough of it to tell versions of one file apart.
        let version = hex::encode(&Sha256::digest(&bytes)[..5]);
        let kind = mime_guess::from_path(&*path).first_or_octet_stream().to_string();
        let kind = if kind.starts_with("text/") { format!("{kind}; charset=utf-8") } else { kind };
        let address = format!("/assets/{version}/{path}");
        out.insert(path.into_owned(), Asset { address, version, kind, bytes });
    }
    out
});

/// Where a file is to be asked for; templates name files by their path.
pub(crate) fn address(path: &str) -> &'static str {
    ASSETS.get(path).map_or("", |a| a.address.as_str())
}

/// A file as a data address, for what must stand alone.
pub(crate) fn embedded(path: &str) -> String {
    ASSETS.get(path).map_or_else(String::new, |a| data_address(&a.kind, &a.bytes))
}

/// Bytes of a kind as an address that holds them.
pub(crate) fn data_address(kind: &str, bytes: &[u8]) -> String {
    format!("data:{kind};base64,{}", STANDARD.encode(bytes))
}

/// A file at the address of its own version may be kept for good; at another's, from a page of before an
/// update, it is given out as it is now.
pub(crate) async fn serve(Path((version, path)): Path<(String, String)>) -> Response {
    let Some(a) = ASSETS.get(&path) else { return StatusCode::NOT_FOUND.into_response() };
    let cache = if a.version == version { "public, max-age=31536000, immutable" } else { "no-cache" };
    ([(CONTENT_TYPE, a.kind.clone()), (CACHE_CONTROL, cache.to_owned())], a.bytes.clone()).into_response()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_file_has_an_address_of_its_own_and_the_style_knows_those_of_its_fonts() {
        assert!(ASSETS.len() >= 7, "{:?}", ASSETS.keys());
        let style = &ASSETS["dist/app.css"];
        let text = String::from_utf8_lossy(&style.bytes);
        assert!(text.contains(address("fonts/fraunces.woff2")) && !text.contains("\"/assets/fonts"));
        assert_eq!(
            (style.kind.as_str(), ASSETS["app.js"].kind.as_str()),
            ("text/css; charset=utf-8", "text/javascript; charset=utf-8")
        );
        assert_eq!(address("nothing.css"), "");
    }
}
