//! Settings of the shop.

use super::{PutAway, RunFragment, Shell};
use askama::Template;

#[derive(Template)]
#[template(path = "settings.html")]
pub(crate) struct SettingsPage {
    pub(crate) shell: Shell,
    pub(crate) demo: bool,
    pub(crate) run: Option<RunFragment>,
    pub(crate) kept: String,
    pub(crate) person: String,
    /// Ids and names.
    pub(crate) fuels: Vec<(i64, String)>,
    pub(crate) archived: Vec<PutAway>,
    pub(crate) version: &'static str,
    pub(crate) algorithm: u32,
}
