//! Putting right what is stored: sets and the place of their pulls, days, vehicles; archiving and bringing
//! back.

mod archive;
mod cell;
mod day;
mod merge;
mod pull;
mod set;
mod vehicle;
mod words;

pub(crate) use archive::{archive, restore, who};
pub(crate) use cell::{edit as cell_edit, show as cell_show};
pub(crate) use day::{edit as day_edit, put_away, show as day_show, undo};
pub(crate) use merge::{fuels as fuel_merge, maps as map_merge};
pub(crate) use pull::{columns as pull_columns, print as pull_print, show as pull_show};
pub(crate) use set::{edit as set_edit, extras_of, merge as set_merge, pulls as set_pulls, show as set_show};
pub(crate) use vehicle::{edit as vehicle_edit, merge as vehicle_merge, show as vehicle_show};
pub(crate) use words::{
    build_edit, build_show, fuel_edit, fuel_show, map_edit, map_show, note_edit, note_show,
};

use super::page;
use crate::error::WebError;
use crate::typed::Wrong;
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

/// The form again as it was typed, with `says` above it and what is wrong at its field.
fn again(mut p: RightPage, says: String, (field, problem): Wrong) -> Result<Response, WebError> {
    p.problem = format!("Nothing was changed: {says}.");
    if let Some(f) = p.form.fields.iter_mut().find(|f| f.name == field) {
        f.problem = problem;
    }
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response())
}
