//! View models: numbers and units become strings here, templates only place them.

mod day;
mod encode;
mod evidence;
mod families;
mod held;
mod inbox;
mod lineup;
mod lineup_ask;
mod lineup_chart;
mod lineup_figures;
mod lineup_limits;
mod lineup_split;
mod plan;
mod pull_lanes;
mod reading;
mod search;
mod settings;
mod sheet;
mod switches;
mod vehicle;
mod words;
mod workshop;

pub(crate) use day::{DayPage, NewDayPage, day_page, day_seen};
pub(crate) use encode::Encoding;
pub(crate) use evidence::{FigureAsked, evidence_view};
pub(crate) use inbox::{InboxFragment, inbox_fragment};
pub(crate) use lineup::{focus_of as lineup_focus, lineup_page};
pub(crate) use lineup_ask::{Fields as LineUpFields, LineUpAsked};
pub(crate) use lineup_chart::chart_of;
pub(crate) use plan::{KeptRow, PlanRow, kept_rows, plan_rows};
pub(crate) use reading::{Asked, pull_page};
pub(crate) use search::{SEARCH_ROWS, search_page, search_refused};
pub(crate) use settings::SettingsPage;
pub(crate) use sheet::checklist_fragment;
pub(crate) use vehicle::{
    VehicleParts, VehiclesPage, limit_words, sheet_differences, vehicle_page, vehicle_row,
};
pub(crate) use words::{date_words, decimal, verdict_line};
pub(crate) use workshop::{RunFragment, run_fragment, workshop_page};

use askama::Template;

/// What every page shows around its content.
#[derive(Debug, Clone)]
pub(crate) struct Shell {
    pub(crate) title: String,
    pub(crate) theme: String,
    pub(crate) query: String,
    pub(crate) here: &'static str,
}

impl Shell {
    pub(crate) fn new(title: impl Into<String>, theme: &str, here: &'static str) -> Self {
        Self { title: title.into(), theme: theme.to_owned(), query: String::new(), here }
    }
}

/// A refusal as a page.
#[derive(Template)]
#[template(path = "error.html")]
pub(crate) struct ErrorPage<'a> {
    pub(crate) title: &'a str,
    pub(crate) text: &'a str,
    pub(crate) theme: &'a str,
}
