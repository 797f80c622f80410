//! Erasing a vehicle.

use super::Shell;
use askama::Template;

#[derive(Template)]
#[template(path = "erase.html")]
pub(crate) struct ErasePage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) holds: String,
    /// What was erased, and what came back; blank before.
    pub(crate) done: String,
    pub(crate) problem: String,
}
