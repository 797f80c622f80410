//! The list that is walked before the first pull of a day: answered, signed.

use super::page;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{checklist_fragment, quoted_words};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::Html;
use jamjar_store::{Attached, Checklist, VehicleRecord};
use jamjar_workflow::checklist::{Item, On, OwnChecks, SIGNED, value_of};
use jamjar_workflow::sets::{day_sets, read_sets};
use std::collections::HashMap;

/// Longest value of a line.
const LONGEST_VALUE: usize = 300;

/// What the shop made of the list, as it was kept and read.
pub(super) async fn own_checks(state: &AppState) -> Result<(String, OwnChecks), WebError> {
    let text = state.store.own_checks().await?;
    let own = OwnChecks::of(&text)
        .map_err(|e| WebError::Internal(format!("the shop's own checks cannot be read: {e}")))?;
    Ok((text, own))
}

/// The list of a day of a vehicle, as the shop has it for its engine and dyno.
pub(super) async fn list_of(
    state: &AppState,
    vehicle: &VehicleRecord,
    answers: &Checklist,
) -> Result<Vec<Item>, WebError> {
    Ok(own_checks(state).await?.1.list(On::of(&vehicle.vehicle), answers))
}

/// What a fresh baseline of a vehicle is pulled with, where one is asked for.
pub(super) async fn fresh_baseline(
    state: &AppState,
    vehicle_id: i64,
    asked: bool,
) -> Result<Option<(i64, String)>, WebError> {
    if !asked {
        return Ok(None);
    }
    let stock = state.store.newest_stock_set(vehicle_id).await?;
    Ok(stock.map(|s| (vehicle_id, serde_json::to_string(&s.set.config.factors()).unwrap_or_default())))
}

/// One answer or value at a time, as each is tapped; the fragment comes back with the verdict. Who said go before
/// something changed did not say it to this.
pub(crate) async fn answer(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<HashMap<String, String>>,
) -> Result<Html<String>, WebError> {
    let was = state.store.checklist(id).await?;
    let vehicle = state.store.vehicle(state.store.day(id).await?.vehicle_id).await?;
    let list = list_of(&state, &vehicle, &was).await?;
    let mut given: Vec<(String, Option<String>)> = Vec::new();
    for i in &list {
        match f.get(&i.id).map(String::as_str) {
            Some(a @ ("yes" | "no" | "na")) => given.push((i.id.clone(), Some(a.to_owned()))),
            Some("") => given.push((i.id.clone(), None)),
            _ => {}
        }
        let value = value_of(&i.id);
        if let Some(v) = f.get(&value).filter(|_| i.takes.is_some()) {
            let v: String = v.trim().chars().take(LONGEST_VALUE).collect();
            given.push((value, (!v.is_empty()).then_some(v)));
        }
    }
    let changed = given.iter().any(|(k, v)| was.get(k) != v.as_ref());
    let mut now = was;
    jamjar_store::answer(&mut now, &given);
    // Nobody signs what is no go.
    let signs = f.contains_key("go");
    if signs && checklist_fragment(id, &list, (&now, &[]), false).go {
        given.push((
            SIGNED.to_owned(),
            Some(format!("{}, {}", who.name, chrono::Local::now().format("%H:%M"))),
        ));
    } else if signs || changed {
        given.push((SIGNED.to_owned(), None));
    }
    let given: Vec<(&str, Option<&str>)> = given.iter().map(|(k, v)| (k.as_str(), v.as_deref())).collect();
    let now = state.store.answer_checklist(id, &given).await?;
    let pictures = state.store.attached(Attached::Day(id)).await?;
    let mut fragment = checklist_fragment(id, &list, (&now, &pictures), false);
    fragment.baseline = fresh_baseline(&state, vehicle.id, fragment.confounds).await?;
    let sets = read_sets(day_sets(&state.store, id, &vehicle).await?, &vehicle, &prefs.settings(None));
    fragment.quoted = quoted_words(&sets, &vehicle);
    fragment.open = true;
    page(&fragment)
}
