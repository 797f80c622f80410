//! The decimal mark of the shop in what is read on a screen: put into the text of a page on its way out, in one place.
//!
//! Pages, charts and sentences are composed with a point. Only numbers that stand alone in text are rewritten: what a
//! file or a person said stands between “ ” or in a field, names and versions are no numbers, addresses and data are
//! attributes and scripts. An issued report stands as it was issued.

use crate::error::WebError;
use crate::state::AppState;
use axum::body::{Body, HttpBody, to_bytes};
use axum::extract::{Request, State};
use axum::http::header::{CONTENT_LENGTH, CONTENT_TYPE};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

/// Text inside these stands as it is.
const AS_IT_IS: [&str; 5] = ["script", "style", "textarea", "pre", "code"];
/// Addresses of what was issued: its bytes are hashed.
const ISSUED: [&str; 2] = ["/reports/", "/shared/"];

/// Writes the numbers of pages and drawings with the shop's mark.
pub(crate) async fn decimal_mark(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let issued = ISSUED.iter().any(|p| request.uri().path().starts_with(p));
    let response = next.run(request).await;
    let read = |kind: &[u8]| kind.starts_with(b"text/html") || kind.starts_with(b"image/svg+xml");
    let shown = response.headers().get(CONTENT_TYPE).is_some_and(|t| read(t.as_bytes()));
    // What is made while it is sent has no length yet, and is no page.
    if issued || !shown || response.body().size_hint().exact().is_none() {
        return response;
    }
    if !state.ways().await.is_ok_and(|w| w.decimal == "comma") {
        return response;
    }
    let (mut parts, body) = response.into_parts();
    match to_bytes(body, usize::MAX).await.map(|b| String::from_utf8(b.into())) {
        Ok(Ok(text)) => {
            parts.headers.remove(CONTENT_LENGTH);
            Response::from_parts(parts, Body::from(with_comma(&text)))
        }
        Ok(Err(bytes)) => Response::from_parts(parts, Body::from(bytes.into_bytes())),
        Err(e) => WebError::Internal(e.to_string()).into_response(),
    }
}

/// The text of a page or a drawing with commas for decimal points; the page itself says so to its scripts.
pub(crate) fn with_comma(page: &str) -> String {
    let mut out = String::with_capacity(page.len() + 32);
    let mut rest = page;
    let mut quoted = 0_usize;
    while let Some(open) = rest.find('<') {
        text(&rest[..open], &mut quoted, &mut out);
        rest = &rest[open..];
        let end = rest.find('>').map_or(rest.len(), |i| i + 1);
        let tag = &rest[..end];
        match tag.strip_prefix("<html") {
            Some(more) => out.extend(["<html data-decimal=\",\"", more]),
            None => out.push_str(tag),
        }
        rest = &rest[end..];
        let name = tag[1..].split(|c: char| !c.is_ascii_alphanumeric()).next().unwrap_or_default();
        if AS_IT_IS.contains(&name) {
            let close = rest.find(&format!("</{name}")).unwrap_or(rest.len());
            out.push_str(&rest[..close]);
            rest = &rest[close..];
        }
        // A quotation ends with what it stands in.
        if matches!(name, "p" | "td" | "li" | "div" | "section" | "text") {
            quoted = 0;
        }
    }
    text(rest, &mut quoted, &mut out);
    out
}

/// What holds a number, a name or a version together.
fn holds(c: char) -> bool {
    c.is_ascii_alphanumeric() || matches!(c, '.' | '_' | '/' | '\\' | '@' | '-' | ':' | ',' | '#')
}

fn text(s: &str, quoted: &mut usize, out: &mut String) {
    let mut rest = s;
    while let Some(c) = rest.chars().next() {
        let end = rest.find(|c| !holds(c)).unwrap_or(rest.len());
        if end == 0 {
            match c {
                '“' => *quoted += 1,
                '”' => *quoted = quoted.saturating_sub(1),
                _ => {}
            }
            out.push(c);
            rest = &rest[c.len_utf8()..];
            continue;
        }
        let word = &rest[..end];
        if *quoted == 0 && is_number(word.trim_end_matches(['.', ',', ':'])) {
            out.push_str(&word.replacen('.', ",", 1));
        } else {
            out.push_str(word);
        }
        rest = &rest[end..];
    }
}

/// Digits, a point, digits, with or without a sign.
fn is_number(word: &str) -> bool {
    let digits = |s: &str| !s.is_empty() && s.bytes().all(|b| b.is_ascii_digit());
    word.strip_prefix('-').unwrap_or(word).split_once('.').is_some_and(|(a, b)| digits(a) && digits(b))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_in_text_get_a_comma_and_nothing_else_does() {
        for (page, want) in [
            ("<p>+12.5 ± 3.2 kW, from 1.0 to 2.5.</p>", "<p>+12,5 ± 3,2 kW, from 1,0 to 2,5.</p>"),
            ("<p>λ0.85–0.90 (−1.5)</p>", "<p>λ0,85–0,90 (−1,5)</p>"),
            ("<b>1.5</b>×", "<b>1,5</b>×"),
            (
                r#"<path d="M1.5 2.5"/><text x="1.5">2.5</text>"#,
                r#"<path d="M1.5 2.5"/><text x="1.5">2,5</text>"#,
            ),
            (
                r#"<input value="1.5"><script>a = 1.5</script>"#,
                r#"<input value="1.5"><script>a = 1.5</script>"#,
            ),
            ("<p>“12.5 kW” reads 12.5</p>", "<p>“12.5 kW” reads 12,5</p>"),
            ("<p>“ left open 1.5</p><p>2.5</p>", "<p>“ left open 1.5</p><p>2,5</p>"),
            (
                "<p>version 1.2.3, 28.11.2026, C2.1, log-1.5.csv, 4.2a</p>",
                "<p>version 1.2.3, 28.11.2026, C2.1, log-1.5.csv, 4.2a</p>",
            ),
            ("<code>1.5</code><textarea>1.5</textarea>1.5", "<code>1.5</code><textarea>1.5</textarea>1,5"),
            ("2.5 < 3.5", "2,5 < 3.5"),
            (r#"<html lang="en"><p>1.5"#, r#"<html data-decimal="," lang="en"><p>1,5"#),
        ] {
            assert_eq!(with_comma(page), want);
        }
    }
}
