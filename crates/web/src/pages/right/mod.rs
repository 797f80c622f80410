//! Putting right what is stored: sets and the place of their pulls, days, vehicles; archiving and bringing
//! back.

mod archive;
mod day;
mod merge;
mod pull;
mod set;
mod vehicle;

pub(crate) use archive::{archive, restore, who};
pub(crate) use day::{edit as day_edit, put_away, show as day_show, undo};
pub(crate) use merge::{fuels as fuel_merge, maps as map_merge};
pub(crate) use pull::{columns as pull_columns, show as pull_show};
pub(crate) use set::{edit as set_edit, extras_of, merge as set_merge, pulls as set_pulls, show as set_show};
pub(crate) use vehicle::{edit as vehicle_edit, merge as vehicle_merge, show as vehicle_show};

use super::page;
use crate::error::WebError;
use crate::views::RightPage;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};

/// Longest reason, characters.
const LONGEST_WHY: usize = 500;

/// A reason as typed.
fn why(text: &str) -> Result<&str, WebError> {
    let text = text.trim();
    if text.chars().count() > LONGEST_WHY {
        return Err(WebError::Bad(format!("the reason is longer than {LONGEST_WHY} characters")));
    }
    Ok(text)
}

/// The form again with what was typed and what is wrong with it.
fn again(p: &RightPage) -> Result<Response, WebError> {
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page(p)?).into_response())
}
