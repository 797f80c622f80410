//! Choices that a browser keeps.

use axum::http::Uri;
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

/// Says in an address that a person has just switched something by hand.
const BY_HAND: &str = "keep";

/// Where to go on when a person has just switched something by hand: the same address without saying so, for
/// it may be sent to others.
pub(crate) fn switched_by_hand(uri: &Uri) -> Option<String> {
    let pairs: Vec<(String, String)> = form_urlencoded::parse(uri.query()?.as_bytes())
        .map(|(k, v)| (k.into_owned(), v.into_owned()))
        .collect();
    pairs.iter().any(|p| p.0 == BY_HAND).then(|| {
        let others = pairs.iter().filter(|p| p.0 != BY_HAND);
        let query = form_urlencoded::Serializer::new(String::new()).extend_pairs(others).finish();
        format!("{}?{query}", uri.path())
    })
}

/// An answer's cookies: these and no others.
pub(crate) fn keeping(cookies: impl IntoIterator<Item = Cookie<'static>>) -> CookieJar {
    cookies.into_iter().fold(CookieJar::new(), CookieJar::add)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_that_is_sent_on_does_not_say_that_it_was_a_switch() {
        let by_hand = |s: &str| switched_by_hand(&s.parse().unwrap());
        assert_eq!(
            by_hand("/line-up?sets=1%2C2&keep=1&power=ps").as_deref(),
            Some("/line-up?sets=1%2C2&power=ps")
        );
        assert_eq!(by_hand("/line-up?sets=1%2C2&power=ps"), None);
        assert_eq!(by_hand("/line-up"), None);
    }
}
