//! One module per resource; handlers extract, call, map to a view, render.

pub(crate) mod archive;
pub(crate) mod attachments;
pub(crate) mod blend;
pub(crate) mod catalogue;
pub(crate) mod cell_day;
pub(crate) mod cell_now;
pub(crate) mod checklist;
pub(crate) mod checks;
pub(crate) mod curves;
pub(crate) mod custody;
pub(crate) mod days;
pub(crate) mod decision;
pub(crate) mod demo_reports;
pub(crate) mod erase;
pub(crate) mod fuel;
pub(crate) mod fuel_table;
pub(crate) mod fuels;
pub(crate) mod imports;
pub(crate) mod injection;
pub(crate) mod kept;
pub(crate) mod ladder;
pub(crate) mod lasting;
mod limit_form;
pub(crate) mod limits;
pub(crate) mod lineage;
pub(crate) mod lineup;
pub(crate) mod map_difference;
pub(crate) mod margins;
pub(crate) mod observed;
pub(crate) mod planned;
mod print_said;
pub(crate) mod prints;
pub(crate) mod pulls;
pub(crate) mod reading;
pub(crate) mod recordings;
mod report_made;
pub(crate) mod reports;
pub(crate) mod right;
pub(crate) mod road;
pub(crate) mod running;
pub(crate) mod search;
pub(crate) mod settings;
pub(crate) mod sheet;
pub(crate) mod shelf;
pub(crate) mod shifts;
pub(crate) mod sign_off;
pub(crate) mod slips;
mod spool;
pub(crate) mod starting;
mod stream;
pub(crate) mod tank;
pub(crate) mod threads;
pub(crate) mod vehicles;
pub(crate) mod workshop;

use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::Encoding;
use askama::Template;
use axum::http::Uri;
use axum::response::Html;
use chrono::{NaiveTime, Timelike};
use jamjar_store::Thing;

/// Renders a template.
pub(crate) fn page(t: &impl Template) -> Result<Html<String>, WebError> {
    Ok(Html(t.render()?))
}

/// Everything a kept page is drawn by beside the store: the theme is among the settings.
pub(crate) fn page_key(uri: &Uri, prefs: &Prefs) -> String {
    format!("{uri} {prefs:?}")
}

/// What a page over days of a vehicle rests on.
pub(crate) fn rests_on(vehicle_id: i64, days: impl IntoIterator<Item = i64>) -> Vec<Thing> {
    days.into_iter().map(Thing::Day).chain([Thing::Vehicle(vehicle_id), Thing::Names]).collect()
}

/// The time of day, to the minute.
pub(crate) fn this_minute() -> NaiveTime {
    let now = chrono::Local::now();
    NaiveTime::from_hms_opt(now.hour(), now.minute(), 0).unwrap_or_default()
}

/// Maps and fuels of a vehicle in their stable order.
pub(crate) async fn encoding(state: &AppState, vehicle_id: i64) -> Result<Encoding, WebError> {
    let (maps, fuels) = state.store.known_names(vehicle_id).await?;
    Ok(Encoding { maps, fuels })
}

/// Anything without a route.
pub(crate) async fn not_found() -> WebError {
    WebError::NotFound("There is no page at this address. The workshop is at /.".into())
}

/// A page that is read and not written to, or the other way round.
pub(crate) async fn not_allowed() -> WebError {
    WebError::NotFound("There is nothing to be done at this address that way. The workshop is at /.".into())
}
