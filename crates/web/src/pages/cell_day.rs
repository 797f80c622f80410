//! A day of a cell: every vehicle that stood in it, in one air.

use super::{encoding, page, page_key};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{CellDayPage, VehicleOfDay, cell_day_page, vehicle_of_day};
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::Uri;
use axum::response::Html;
use chrono::NaiveDate;
use jamjar_store::Thing;
use jamjar_workflow::sets::{day_sets, read_sets};

/// Kept until anything of its sheets changes; a sheet that is new makes another key.
pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path((id, date)): Path<(i64, NaiveDate)>,
    uri: Uri,
) -> Result<Html<Bytes>, WebError> {
    let store = &state.store;
    let (cell, ids) = (store.cell(id).await?, store.sheets_of_cell(id, date).await?);
    if ids.is_empty() {
        return Err(WebError::NotFound(format!("Nothing ran in {} on {date}.", cell.name)));
    }
    let key = format!("{} {cell:?} {ids:?}", page_key(&uri, &prefs));
    let made = || async {
        let mut rests_on = vec![Thing::Names];
        let (mut vehicles, mut air): (Vec<VehicleOfDay>, _) = (Vec::new(), Vec::new());
        for day_id in &ids {
            let day = store.day(*day_id).await?;
            let vehicle = store.vehicle(day.vehicle_id).await?;
            let sets = day_sets(store, *day_id, &vehicle).await?;
            let sets = read_sets(sets, &vehicle, &prefs.settings(None));
            let e = encoding(&state, day.vehicle_id).await?;
            let runs = store.running(*day_id).await?;
            rests_on.extend([Thing::Day(*day_id), Thing::Vehicle(day.vehicle_id)]);
            air.extend(store.day_sheet(*day_id).await?.air);
            vehicles.push(vehicle_of_day(&day, &vehicle, &sets, &e, runs.as_ref(), &prefs));
        }
        let body: CellDayPage = cell_day_page(&cell, date, vehicles, air, &prefs);
        Ok(PageMade { body: page(&body)?.0, rests_on, lasts: true })
    };
    Ok(Html(state.page(key, made).await?))
}
