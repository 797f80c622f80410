//! Built-in engines, as readable text.

/// Their names.
pub(crate) const NAMES: [&str; 4] = ["tolvern-t3", "marrow-48", "quillet-650", "brae"];

/// The text of one.
pub(crate) fn text(name: &str) -> Option<&'static str> {
    Some(match name {
        "tolvern-t3" => include_str!("../engines/tolvern-t3.toml"),
        "marrow-48" => include_str!("../engines/marrow-48.toml"),
        "quillet-650" => include_str!("../engines/quillet-650.toml"),
        "brae" => include_str!("../engines/brae.toml"),
        _ => return None,
    })
}
