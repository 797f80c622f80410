//! The page a form was sent from.

use axum::http::HeaderMap;
use axum::http::header::REFERER;

/// Path and query of the page a form was sent from; `None` when it is not said, or is on another host.
pub(crate) fn way_back(headers: &HeaderMap) -> Option<String> {
    let (_, after) = headers.get(REFERER)?.to_str().ok()?.split_once("://")?;
    let path = &after[after.find('/')?..];
    is_here(path).then(|| path.to_owned())
}

/// Whether a way back stays on this host: `//elsewhere` and `/\\elsewhere` are other hosts to a browser.
fn is_here(path: &str) -> bool {
    let mut c = path.chars();
    c.next() == Some('/') && !matches!(c.next(), Some('/' | '\\')) && !path.contains(|c: char| c.is_control())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_way_back_stays_on_this_host() {
        for (path, here) in [
            ("/", true),
            ("/days/4?x=1", true),
            ("//elsewhere.example/x", false),
            ("/\\elsewhere", false),
            ("/a\nb", false),
            ("x", false),
        ] {
            assert_eq!(is_here(path), here, "{path:?}");
        }
    }

    #[test]
    fn the_page_before_is_read_from_its_address() {
        for (referer, back) in [
            ("http://127.0.0.1:8700/days/4?x=1", Some("/days/4?x=1")),
            ("http://127.0.0.1:8700//elsewhere.example/x", None),
            ("http://127.0.0.1:8700", None),
            ("settings", None),
        ] {
            let headers = [(REFERER, referer.parse().unwrap())].into_iter().collect();
            assert_eq!(way_back(&headers).as_deref(), back, "{referer}");
        }
        assert_eq!(way_back(&HeaderMap::new()), None);
    }
}
