//! The set that runs now: said with one press, kept until another does.

use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use jamjar_store::{Configuration, RunsNow};
use serde::Deserialize;

#[derive(Deserialize)]
#[serde(default)]
#[derive(Default)]
pub(crate) struct RunForm {
    /// A set of the day; blank for one that is new.
    set: String,
    map: String,
    fuel: String,
    boost: String,
    gear: String,
}

/// What the form says; nothing runs when it says nothing.
fn asked(f: &RunForm, build: String) -> Result<Option<RunsNow>, String> {
    if let Ok(set) = f.set.trim().parse() {
        return Ok(Some(RunsNow::Set(set)));
    }
    let (map, fuel) = (f.map.trim(), f.fuel.trim());
    match (map.is_empty(), fuel.is_empty()) {
        (true, true) => Ok(None),
        (false, false) => {
            for (what, text, most) in [("map", map, 120), ("fuel", fuel, 120), ("boost", f.boost.trim(), 60)]
            {
                if text.chars().count() > most {
                    return Err(format!("the {what} is longer than {most} characters"));
                }
            }
            Ok(Some(RunsNow::New(Configuration {
                map: map.to_owned(),
                map_kind: if map.eq_ignore_ascii_case("stock") { "stock" } else { "custom" }.to_owned(),
                fuel: fuel.to_owned(),
                boost: f.boost.trim().to_owned(),
                gear: f.gear.trim().chars().take(20).collect(),
                build,
                ..Configuration::default()
            })))
        }
        _ => Err("say which map and which fuel run now".to_owned()),
    }
}

pub(crate) async fn run_now(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<RunForm>,
) -> Result<Response, WebError> {
    let day = state.store.day(id).await?;
    let build = state.store.builds(day.vehicle_id).await?.pop().map_or_else(|| "A".to_owned(), |b| b.name);
    let what = asked(&f, build).map_err(WebError::Bad)?;
    state.store.run_now(id, what).await?;
    Ok(Redirect::to(&format!("/days/{id}#runs")).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_press_says_a_set_a_new_configuration_or_nothing() {
        let form = |set: &str, map: &str, fuel: &str| RunForm {
            set: set.into(),
            map: map.into(),
            fuel: fuel.into(),
            ..RunForm::default()
        };
        assert_eq!(asked(&form("7", "", ""), "A".into()), Ok(Some(RunsNow::Set(7))));
        assert_eq!(asked(&form("", "", ""), "A".into()), Ok(None));
        let Ok(Some(RunsNow::New(c))) = asked(&form("", "Stock", "E30"), "B".into()) else { panic!() };
        assert_eq!((c.map_kind.as_str(), c.fuel.as_str(), c.build.as_str()), ("stock", "E30", "B"));
        assert!(asked(&form("", "C2", ""), "A".into()).unwrap_err().contains("which fuel"));
    }
}
