//! Numbers in forms: one way to read them, and one sentence for what is none.

use jamjar_core::units::typed;

/// A number of a form; `what` is what the form calls it.
///
/// # Errors
/// A sentence with what was typed.
pub(crate) fn number(what: &str, s: &str) -> Result<f64, String> {
    typed(s).ok_or_else(|| format!("{what}: “{}” is not a number", s.trim()))
}

/// The same where a blank is an answer.
///
/// # Errors
/// A sentence with what was typed.
pub(crate) fn optional(what: &str, s: &str) -> Result<Option<f64>, String> {
    if s.trim().is_empty() { Ok(None) } else { number(what, s).map(Some) }
}
