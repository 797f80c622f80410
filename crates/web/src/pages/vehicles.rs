//! Vehicles: list, page, sheet, build states, limits with templates, maps in custody.

use super::page;
use super::spool::{Sent, cut, lost};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::typed::optional;
use crate::views::{Shell, Stock, VehicleParts, VehiclesPage, sheet_differences, vehicle_page, vehicle_row};
use axum::Form;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_core::vehicle_sheet::{MOST_GEARS, VehicleSheet};
use jamjar_core::words::limit_short;
use jamjar_store::{Attached, Contact};
use jamjar_workflow::road::driven_in;
use jamjar_workflow::sets::{fresh_sets, read_sets};
use std::collections::{BTreeMap, HashMap};

const DAYS: i64 = 200;
/// Kept line-ups shown.
const KEPT: i64 = 100;

pub(crate) async fn list(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
) -> Result<Html<String>, WebError> {
    let days = state.store.days_by_vehicle().await?;
    let rows = state
        .store
        .vehicles()
        .await?
        .iter()
        .map(|v| vehicle_row(v, days.get(&v.id), &prefs.written))
        .collect();
    page(&VehiclesPage { shell: Shell::new("Vehicles", &prefs.theme, "vehicles"), rows })
}

async fn parts(state: &AppState, prefs: &Prefs, id: i64) -> Result<VehicleParts, WebError> {
    let vehicle = state.store.vehicle(id).await?;
    let days = state.store.days_of_vehicle(id, DAYS).await?;
    let counts = state.store.set_counts(&days.iter().map(|d| d.id).collect::<Vec<_>>()).await?;
    let newest = state.store.newest_stock_set(id).await?.into_iter().collect();
    let newest = fresh_sets(&state.store, newest, &vehicle).await?;
    let baseline = read_sets(newest, &vehicle, &prefs.settings(None))
        .first()
        .and_then(|s| Some((s.mean_peak_kw()?, prefs.written.date(s.stored.set.date))))
        .map(|((peak_kw, pulls), date)| Stock { peak_kw, date, pulls });
    let days = days
        .into_iter()
        .map(|d| {
            let n = counts.get(&d.id).copied().unwrap_or(0);
            (d, n)
        })
        .collect();
    Ok(VehicleParts {
        vehicle,
        builds: state.store.builds(id).await?,
        maps: state.store.maps(id).await?,
        days,
        counts: state.store.vehicle_counts(id).await?,
        baseline,
        changed: state.store.changed_on(id).await?,
        elsewhere: state.store.maps_elsewhere(id).await?,
        attached: state.store.attached(Attached::Vehicle(id)).await?,
        kept: state.store.kept_line_ups(Some(id), KEPT).await?,
        planned: state.store.planned(id).await?,
        contact: state.store.contact(id).await?,
    })
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    page(&vehicle_page(&prefs, parts(&state, &prefs, id).await?, String::new()))
}

/// The page again with what is wrong, unchanged data below it.
pub(super) async fn refuse(
    state: &AppState,
    prefs: &Prefs,
    id: i64,
    problem: String,
) -> Result<Response, WebError> {
    let body = page(&vehicle_page(prefs, parts(state, prefs, id).await?, problem))?;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, body).into_response())
}

pub(super) fn back(id: i64, anchor: &str) -> Response {
    Redirect::to(&format!("/vehicles/{id}#{anchor}")).into_response()
}

pub(super) type Fields = HashMap<String, String>;

/// Says whose it is.
pub(crate) async fn contact(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let said =
        |name: &str, most: usize| f.get(name).map_or("", |s| s.trim()).chars().take(most).collect::<String>();
    let now = Contact { name: said("name", 120), reached: said("reached", 300), note: said("note", 1000) };
    state.store.set_contact(id, &now, &who.by("")).await?;
    Ok(back(id, "sheet"))
}

fn sheet_of(f: &Fields, prefs: &Prefs) -> Result<VehicleSheet, String> {
    let text =
        |name: &str| f.get(name).map(|s| s.trim().chars().take(300).collect::<String>()).unwrap_or_default();
    let number = |name: &str, label: &str| optional(label, &text(name));
    let gears: Result<Vec<f64>, String> = text("gears")
        .replace([';', '/'], " ")
        .split_whitespace()
        .map(|g| {
            jamjar_core::units::typed(g).ok_or_else(|| {
                format!("gears: “{g}” is not a ratio; write them with spaces between, such as 3.6 2.05 1.36")
            })
        })
        .collect();
    let gears = gears?;
    if gears.len() > MOST_GEARS {
        return Err(format!("gears: {} are too many; {MOST_GEARS} fit", gears.len()));
    }
    let driven = match text("driven") {
        t if t.is_empty() => None,
        t => Some(t.parse().map_err(|e: jamjar_core::driven::BadDriven| e.to_string())?),
    };
    let learned = text("learned")
        .split([',', ';'])
        .map(str::trim)
        .filter(|p| !p.is_empty())
        .map(|p| {
            let pair = p.split_once('=').and_then(|(g, k)| Some((g.trim(), jamjar_core::units::typed(k)?)));
            let fail = || format!("learned gears: “{p}” is no gear with its ratio, such as 3 = 5.36");
            pair.filter(|(g, _)| !g.is_empty() && g.len() <= 20)
                .map(|(g, k)| (g.to_owned(), k))
                .ok_or_else(fail)
        })
        .collect::<Result<_, String>>()?;
    let sheet = VehicleSheet {
        learned,
        software: software_of(&text("software"))?,
        model: text("model"),
        plate: text("plate"),
        mass_kg: number("mass_kg", "mass")?,
        drive: text("drive"),
        gearbox: text("gearbox"),
        final_drive: number("final_drive", "final drive")?,
        gears,
        reference_gear: number("reference_gear", "gear of the dyno's ratio")?.map(|g| g as usize),
        tyre: text("tyre"),
        tyre_radius_m: number("tyre_radius_m", "rolling radius")?,
        drag_area_m2: number("drag_area_m2", "drag area")?,
        quoted_power_kw: number("quoted_power_kw", "quoted power")?.map(|v| v / prefs.power.from_kw(1.0)),
        quoted_at: text("quoted_at"),
        quoted_torque_nm: number("quoted_torque_nm", "quoted torque")?,
        driven,
        limits_it: text("limits_it"),
        cylinders: text("cylinders")
            .split(',')
            .map(|c| c.trim().chars().take(24).collect::<String>())
            .filter(|c| !c.is_empty())
            .take(16)
            .collect(),
        // Kept as they are: they have a page of their own.
        computed: Vec::new(),
        flow_sheet: None,
        quantity_map: None,
    };
    sheet.validate().map_err(|e| e.to_string())?;
    Ok(sheet)
}

/// Versions of software by unit, as `engine = 4.2; gearbox = A17`.
fn software_of(text: &str) -> Result<BTreeMap<String, String>, String> {
    let parts = text.split(';').map(str::trim).filter(|p| !p.is_empty());
    parts
        .map(|p| {
            let pair = p.split_once('=').map(|(unit, version)| (unit.trim(), version.trim()));
            pair.filter(|(u, v)| !u.is_empty() && u.chars().count() <= 60 && !v.is_empty())
                .map(|(u, v)| (u.to_owned(), v.to_owned()))
                .ok_or_else(|| format!("software: “{p}” is no unit with its version, such as gearbox = A17"))
        })
        .collect()
}

pub(crate) async fn sheet(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let now = state.store.vehicle(id).await?;
    let seen = f.get("seen").map(String::as_str).unwrap_or_default();
    let typed = sheet_of(&f, &prefs).map(|s| VehicleSheet {
        computed: now.sheet.computed.clone(),
        flow_sheet: now.sheet.flow_sheet.clone(),
        quantity_map: now.sheet.quantity_map.clone(),
        ..s
    });
    unchanged(seen, &mark(&now.sheet), "the sheet", || {
        typed.as_ref().map_or_else(|_| String::new(), |t| sheet_differences(&now.sheet, t))
    })?;
    match typed {
        Ok(s) => {
            state.store.set_sheet(id, &s, (!seen.is_empty()).then_some(now.version), &who.by("")).await?;
            Ok(back(id, "sheet"))
        }
        Err(problem) => refuse(&state, &prefs, id, problem).await,
    }
}

pub(crate) async fn build(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    state.store.vehicle(id).await?;
    let text = |name: &str| f.get(name).map(|s| s.trim().to_owned()).unwrap_or_default();
    let (name, changed, since) = (text("name"), text("changed"), text("since"));
    if name.is_empty() || name.chars().count() > 120 || changed.chars().count() > 2000 {
        return refuse(
            &state,
            &prefs,
            id,
            "a build state needs a name of at most 120 characters, and says what changed in at most 2000"
                .into(),
        )
        .await;
    }
    let since = match since.as_str() {
        "" => None,
        s => match s.parse() {
            Ok(d) => Some(d),
            Err(_) => return refuse(&state, &prefs, id, format!("“{s}” is not a date")).await,
        },
    };
    state.store.put_build(id, &name, since, &changed).await?;
    Ok(back(id, "builds"))
}

pub(crate) async fn limits(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    let vehicle = state.store.vehicle(id).await?;
    let changes = match super::limit_form::changes(&f, &vehicle.limits) {
        Ok(mut c) => {
            c.put.iter_mut().for_each(|l| l.by = Some(who.name.clone()));
            c
        }
        Err(problem) => return refuse(&state, &prefs, id, problem).await,
    };
    if let Some(l) = changes.stale.first() {
        return Err(WebError::Changed { what: format!("the limit “{}”", l.id), now: limit_short(l) });
    }
    state.store.change_limits(id, Some(vehicle.version), &changes.put, &changes.gone, &who.by("")).await?;
    figures_follow(&state, id);
    Ok(back(id, "limits"))
}

/// Pulls are judged by the new limits behind the person's back: a search knows them soon, and a page waits
/// for nobody.
pub(crate) fn figures_follow(state: &AppState, vehicle_id: i64) {
    let store = state.store.clone();
    tokio::spawn(async move {
        if let Err(e) = jamjar_workflow::follow::follow(&store, vehicle_id).await {
            tracing::warn!(
                "the pulls of vehicle {vehicle_id} are judged by its new limits when they are looked at: {e}"
            );
        }
    });
}

/// Where a vehicle is driven, from a recording made on the road.
pub(crate) async fn driven(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    prefs: Prefs,
    Path(id): Path<i64>,
    mut form: Multipart,
) -> Result<Response, WebError> {
    let Some(field) = form.next_field().await.map_err(cut)? else {
        return refuse(&state, &prefs, id, "choose a recording first".into()).await;
    };
    let sent = Sent::take(&state, field).await?;
    let _turn = sent.turn(&state).await;
    let name = if sent.name.is_empty() { "recording".to_owned() } else { sent.name.clone() };
    let input = sent.file.open().map_err(lost)?;
    let found = tokio::task::spawn_blocking(move || driven_in(input, &name)).await;
    match found.map_err(|e| WebError::Internal(e.to_string()))? {
        Ok(d) => {
            let sheet = VehicleSheet { driven: Some(d), ..state.store.vehicle(id).await?.sheet };
            state.store.set_sheet(id, &sheet, None, &who.by("")).await?;
            Ok(back(id, "sheet"))
        }
        Err(problem) => refuse(&state, &prefs, id, problem).await,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(pairs: &[(&str, &str)]) -> Fields {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    #[test]
    fn a_sheet_reads_as_people_type_it() {
        let s = sheet_of(
            &fields(&[
                ("gears", "3,6 2.05; 1.36"),
                ("mass_kg", "1240"),
                ("driven", "2500–6500"),
                ("quoted_power_kw", "118"),
                ("software", "engine = 4.2; gearbox= A17;"),
            ]),
            &Prefs::default(),
        )
        .unwrap();
        assert_eq!((s.software["engine"].as_str(), s.software["gearbox"].as_str()), ("4.2", "A17"));
        assert_eq!(
            (s.gears, s.mass_kg, s.driven.map(|d| d.span()), s.quoted_power_kw),
            (vec![3.6, 2.05, 1.36], Some(1240.0), Some([2500.0, 6500.0]), Some(118.0))
        );
        for (k, v, want) in [
            ("gears", "first", "not a ratio"),
            ("mass_kg", "heavy", "not a number"),
            ("driven", "6500", "2500-6500"),
            ("mass_kg", "3", "outside 20"),
            ("software", "A17", "no unit with its version"),
        ] {
            assert!(sheet_of(&fields(&[(k, v)]), &Prefs::default()).unwrap_err().contains(want), "{k} {v}");
        }
    }
}
