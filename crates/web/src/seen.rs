//! What a person saw when they began to edit: a form carries it back, so that nobody's change is overwritten
//! unseen.

use crate::error::WebError;
use serde::Serialize;
use std::hash::{DefaultHasher, Hash, Hasher};

/// A short mark of a value as it was shown. The same in every instance of one version of the program.
pub(crate) fn mark(v: &impl Serialize) -> String {
    let mut h = DefaultHasher::new();
    serde_json::to_string(v).unwrap_or_default().hash(&mut h);
    format!("{:016x}", h.finish())
}

/// Refuses an edit of something whose mark `now` is no longer the one that was shown. A form without a mark
/// says nothing of what was seen.
///
/// # Errors
/// [`WebError::Changed`] naming the thing and what it is now.
pub(crate) fn unchanged(
    seen: &str,
    now: &str,
    what: &str,
    words: impl FnOnce() -> String,
) -> Result<(), WebError> {
    if seen.is_empty() || seen == now {
        return Ok(());
    }
    Err(WebError::Changed { what: what.to_owned(), now: words() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_edit_of_what_was_changed_meanwhile_is_refused_with_what_it_is_now() {
        let seen = mark(&("21.4", "windy"));
        assert!(unchanged(&seen, &mark(&("21.4", "windy")), "the day", String::new).is_ok());
        assert!(unchanged("", &mark(&("22.0", "windy")), "the day", String::new).is_ok());
        let e = unchanged(&seen, &mark(&("22.0", "windy")), "the day", || "air 22 °C".into()).unwrap_err();
        assert!(matches!(e, WebError::Changed { now, .. } if now == "air 22 °C"));
    }
}
