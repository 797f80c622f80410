//! Starting a day, and the day sheet.

use super::checklist::{fresh_baseline, list_of};
use super::{encoding, imports, page, page_key};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::seen::unchanged;
use crate::state::{AppState, PageMade};
use crate::typed::{self, Wrong, blank_or, optional};
use crate::views::{DayPage, NewDayPage, Shell, day_page, newest};
use crate::views::{attached_rows, day_seen, other_dyno, refuelled, tank_view};
use axum::Form;
use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, Uri};
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use jamjar_core::air::{AirError, AirState};
use jamjar_core::analysis::{Aspiration, Engine, Ignition, Vehicle};
use jamjar_core::bounds::{AIR_TEMPERATURE_C, ALTITUDE_M, DISPLACEMENT_L, HUMIDITY, OVERALL_RATIO};
use jamjar_core::pull::dyno::{Dyno, DynoKind};
use jamjar_core::vehicle_sheet::VehicleSheet;
use jamjar_store::{Attached, NewDay, NewVehicle, Thing};
use jamjar_workflow::moment::moment;
use jamjar_workflow::remeasure::{DayChange, change_day};
use jamjar_workflow::sets::{day_sets, read_sets};
use serde::Deserialize;

#[derive(Deserialize, Default, Clone)]
#[serde(default)]
pub(crate) struct NewDayForm {
    pub(crate) vehicle_id: String,
    pub(crate) name: String,
    pub(crate) dyno: String,
    pub(crate) ratio: String,
    pub(crate) inertia: String,
    pub(crate) ignition: String,
    pub(crate) aspiration: String,
    pub(crate) displacement: String,
    pub(crate) date: String,
    pub(crate) place: String,
    pub(crate) temperature: String,
    pub(crate) humidity: String,
    pub(crate) pressure: String,
    pub(crate) altitude: String,
    pub(crate) note: String,
}

/// Air from three fields; humidity in per cent. All blank is no air. With an altitude the pressure is a
/// sea-level figure.
fn air(temperature: &str, humidity: &str, pressure: &str, altitude: &str) -> Result<Option<AirState>, Wrong> {
    let altitude = optional("altitude", altitude).map_err(|e| ("altitude", e))?;
    match (
        blank_or(temperature, typed::celsius).map_err(|e| ("temperature", e))?,
        blank_or(humidity, typed::humidity).map_err(|e| ("humidity", e))?,
        blank_or(pressure, typed::hectopascal).map_err(|e| ("pressure", e))?,
    ) {
        (None, None, None) => Ok(None),
        (Some(t), Some(h), Some(p)) => match altitude {
            Some(m) => AirState::from_sea_level(t, h / 100.0, p, m),
            None => AirState::new(t, h / 100.0, p),
        }
        .map(Some)
        .map_err(|e| (field_of(&e), e.to_string())),
        (t, h, _) => {
            let missing = if t.is_none() {
                "temperature"
            } else if h.is_none() {
                "humidity"
            } else {
                "pressure"
            };
            Err((missing, "air needs all three: temperature, humidity and station pressure".into()))
        }
    }
}

/// The field an air that cannot be comes from.
fn field_of(e: &AirError) -> &'static str {
    match e {
        AirError::HumidityInPerCent { .. } => "humidity",
        AirError::Range(r) if r.bound == HUMIDITY => "humidity",
        AirError::Range(r) if r.bound == AIR_TEMPERATURE_C => "temperature",
        AirError::Range(r) if r.bound == ALTITUDE_M => "altitude",
        AirError::Range(_) | AirError::PressureUnit { .. } => "pressure",
    }
}

fn vehicle_of(f: &NewDayForm) -> Result<NewVehicle, Wrong> {
    let name = f.name.trim();
    if name.is_empty() || name.chars().count() > 120 {
        return Err(("name", "give the vehicle a name of at most 120 characters, or choose one".into()));
    }
    let kind: DynoKind = serde_json::from_value(serde_json::Value::String(f.dyno.clone()))
        .map_err(|_| ("dyno", "choose the kind of dyno".to_owned()))?;
    let overall_ratio = optional("overall ratio", &f.ratio).map_err(|e| ("ratio", e))?;
    if let Some(k) = overall_ratio {
        OVERALL_RATIO.check(k).map_err(|e| ("ratio", e.to_string()))?;
    }
    let inertia_kg_m2 = optional("inertia", &f.inertia).map_err(|e| ("inertia", e))?.filter(|v| *v > 0.0);
    if kind == DynoKind::RollerInertia && inertia_kg_m2.is_none() {
        return Err(("inertia", "an inertia drum needs its inertia in kg·m²".into()));
    }
    let displacement_l = optional("displacement", &f.displacement)
        .and_then(|v| v.map(|v| DISPLACEMENT_L.check(v).map_err(|e| e.to_string())).transpose())
        .map_err(|e| ("displacement", e))?;
    let engine = Engine {
        displacement_l,
        ignition: if f.ignition == "compression" { Ignition::Compression } else { Ignition::Spark },
        aspiration: match f.aspiration.as_str() {
            "turbocharged" => Aspiration::Turbocharged,
            "supercharged" => Aspiration::Supercharged,
            _ => Aspiration::NaturallyAspirated,
        },
        ..Engine::default()
    };
    let vehicle = Vehicle {
        name: name.to_owned(),
        engine,
        dyno: Dyno { kind, overall_ratio, inertia_kg_m2, rotating_inertia_kg_m2: None },
        gears: Default::default(),
        computed: Vec::new(),
    };
    let limits = jamjar_workflow::limits::starting_points(&vehicle.engine);
    Ok(NewVehicle { vehicle, limits, sheet: VehicleSheet::default(), demo: false })
}

async fn new_page(
    state: &AppState,
    prefs: &Prefs,
    typed: NewDayForm,
    wrong: Option<Wrong>,
) -> Result<NewDayPage, WebError> {
    let (bad, problem) = wrong.unwrap_or_default();
    let vehicles = state.store.vehicles().await?.into_iter().map(|v| (v.id, v.vehicle.name)).collect();
    Ok(NewDayPage {
        shell: Shell::new("Start a day", &prefs.theme, "new"),
        vehicles,
        cells: state.store.cells().await?.into_iter().map(|c| c.name).collect(),
        problem,
        bad,
        chosen: typed.vehicle_id.parse().unwrap_or(0),
        typed,
    })
}

#[derive(Deserialize)]
pub(crate) struct NewFor {
    vehicle: Option<i64>,
    /// A day on which another vehicle stood in the cell: date, place and air are the same.
    beside: Option<i64>,
}

pub(crate) async fn new_form(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(q): Query<NewFor>,
) -> Result<Html<String>, WebError> {
    let typed = NewDayForm {
        date: chrono::Local::now().date_naive().to_string(),
        vehicle_id: q.vehicle.map_or_else(String::new, |v| v.to_string()),
        ..NewDayForm::default()
    };
    let typed = match q.beside {
        Some(id) => {
            let d = state.store.day(id).await?;
            let text =
                |v: Option<f64>, digits: usize| v.map_or_else(String::new, |v| format!("{v:.digits$}"));
            NewDayForm {
                date: d.date.to_string(),
                place: d.place,
                temperature: text(d.air.map(|a| a.temperature_c), 1),
                humidity: text(d.air.map(|a| 100.0 * a.humidity), 0),
                pressure: text(d.air.map(|a| a.pressure_hpa), 1),
                ..typed
            }
        }
        None => typed,
    };
    let form = new_page(&state, &prefs, typed, None).await?;
    page(&form)
}

pub(crate) async fn create(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Form(f): Form<NewDayForm>,
) -> Result<Response, WebError> {
    let checked = (|| {
        let date: NaiveDate = f
            .date
            .trim()
            .parse()
            .map_err(|_| ("date", format!("“{}” is not a date such as 2026-03-24", f.date.trim())))?;
        let air = air(&f.temperature, &f.humidity, &f.pressure, &f.altitude)?;
        let vehicle = match f.vehicle_id.parse::<i64>() {
            Ok(id) => Ok(id),
            Err(_) => Err(vehicle_of(&f)?),
        };
        Ok::<_, Wrong>((date, air, vehicle))
    })();
    let (date, air, vehicle) = match checked {
        Ok(c) => c,
        Err(wrong) => {
            let again = new_page(&state, &prefs, f, Some(wrong)).await?;
            return Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&again)?).into_response());
        }
    };
    let vehicle_id = match vehicle {
        Ok(id) => state.store.vehicle(id).await?.id,
        Err(new) => match state.store.vehicle_named(&new.vehicle.name).await? {
            Some(v) => v.id,
            None => state.store.add_vehicle(&new).await?,
        },
    };
    let place = if f.place.trim().is_empty() {
        "cell 1".to_owned()
    } else {
        f.place.trim().chars().take(120).collect()
    };
    let id = state
        .store
        .add_day(&NewDay { vehicle_id, date, place, air, note: f.note.trim().to_owned(), demo: false })
        .await?;
    Ok(Redirect::to(&format!("/days/{id}")).into_response())
}

/// The address a refused form stands at, opened again.
pub(crate) async fn again(_: Reader) -> Redirect {
    Redirect::to("/days/new")
}

pub(super) async fn day(state: &AppState, prefs: &Prefs, id: i64) -> Result<DayPage, WebError> {
    let day = state.store.day(id).await?;
    let vehicle = state.store.vehicle(day.vehicle_id).await?;
    let sets = read_sets(day_sets(&state.store, id, &vehicle).await?, &vehicle, &prefs.settings(None));
    let sheet = state.store.day_sheet(id).await?;
    let e = encoding(state, day.vehicle_id).await?;
    let inbox = imports::fragment(state, id).await?;
    let run = imports::running(state, id).await?;
    let planned = state.store.planned(day.vehicle_id).await?;
    let checks = list_of(state, &vehicle, &sheet.checklist).await?;
    let attached = state.store.attached_on_day(id).await?;
    let mut out =
        day_page(prefs, &day, &vehicle, &sets, &sheet, &e, inbox, run, &planned, &checks, &attached);
    out.running = state.store.running(id).await?;
    if out.running.is_some() {
        out.newest = moment(&state.store, id, &prefs.settings(None)).await?.map(|m| newest(&m, prefs));
    }
    let now = out.running.as_ref().and_then(|r| r.set);
    out.sets.iter_mut().for_each(|s| s.runs = Some(s.id) == now);
    let poured = state.store.poured(day.vehicle_id).await?;
    let (fuels, batches) = (state.store.fuel_records().await?, state.store.batches().await?);
    out.tank = tank_view(day.date, &poured, (&fuels, &batches), prefs);
    if !out.tank.fills.is_empty() {
        out.sets
            .iter_mut()
            .zip(&sets)
            .for_each(|(card, s)| card.refuelled = refuelled(day.date, &s.stored, &poured));
    }
    out.beside = state.store.beside_day(id).await?;
    out.cell = state.store.cell_of_day(id).await?;
    if let Some(c) = &out.cell {
        out.other_dyno = other_dyno(c, &vehicle);
    }
    let called = |to: Attached| {
        let (kind, id) = to.parts();
        let words = out.attach_to.iter().find(|t| t.0 == format!("{kind}:{id}"));
        match to {
            Attached::Day(_) => String::new(),
            Attached::Pull(_) => "a pull".to_owned(),
            _ => words.map_or_else(String::new, |w| w.1.clone()),
        }
    };
    out.attached = attached_rows(&attached, &prefs.written, called);
    out.checklist.baseline = fresh_baseline(state, vehicle.id, out.checklist.confounds).await?;
    Ok(out)
}

/// Kept while everything of the day, its vehicle and the names to choose from stay as they are; while files
/// are being stored it is made anew.
pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    uri: Uri,
) -> Result<Html<Bytes>, WebError> {
    // Another vehicle that comes into the cell changes nothing of this sheet but a link.
    let key = format!("{} {:?}", page_key(&uri, &prefs), state.store.beside_day(id).await?);
    let made = || async {
        let d = day(&state, &prefs, id).await?;
        let rests_on = vec![Thing::Day(id), Thing::Vehicle(d.vehicle_id), Thing::Names];
        Ok(PageMade { body: page(&d)?.0, rests_on, lasts: d.run.is_none() })
    };
    Ok(Html(state.page(key, made).await?))
}

#[derive(Deserialize)]
pub(crate) struct DayForm {
    temperature: String,
    humidity: String,
    pressure: String,
    note: String,
    /// What the form showed.
    #[serde(default)]
    seen: String,
}

pub(crate) async fn update(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<DayForm>,
) -> Result<Response, WebError> {
    let air = air(&f.temperature, &f.humidity, &f.pressure, "").map_err(|e| WebError::Bad(e.1))?;
    let note = f.note.trim();
    if note.chars().count() > 10_000 {
        return Err(WebError::Bad("the note of the day is longer than 10,000 characters".into()));
    }
    let now = state.store.day(id).await?;
    unchanged(&f.seen, &day_seen(&now), "the air or the note of the day", || {
        let air = now.air.map_or_else(
            || "no air".into(),
            |a| {
                format!(
                    "air {:.1} °C, {:.0} %, {:.1} hPa",
                    a.temperature_c,
                    100.0 * a.humidity,
                    a.pressure_hpa
                )
            },
        );
        format!("{air}, note “{}”", now.note)
    })?;
    let change = DayChange::Day { air, note: note.to_owned() };
    let seen = day_seen(&now);
    change_day(&state.store, id, &change, |d| day_seen(d) == seen, &who.by("")).await?;
    Ok(Redirect::to(&format!("/days/{id}")).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn air_is_whole_or_absent_and_humidity_is_per_cent() {
        assert_eq!(air("", "", "", "").unwrap(), None);
        let fahrenheit = air("72 °F", "52 %", "29.6 inHg", "").unwrap().unwrap();
        assert!(
            (fahrenheit.temperature_c - 22.2).abs() < 0.1 && (fahrenheit.pressure_hpa - 1002.4).abs() < 0.1
        );
        assert_eq!(
            air("21,4", "52", "1002.1", "").unwrap(),
            Some(AirState { temperature_c: 21.4, humidity: 0.52, pressure_hpa: 1002.1 })
        );
        assert!(
            air("21", "", "1002", "").unwrap_err()
                == ("humidity", "air needs all three: temperature, humidity and station pressure".to_owned())
        );
        assert!(air("21", "52", "29.6", "").unwrap_err().1.contains("inHg"));
        assert!(
            (air("21", "52", "1013", "500").unwrap().unwrap().pressure_hpa - 954.0).abs() < 2.0,
            "sea-level pressure is brought to the cell"
        );
        assert!(air("warm", "52", "1002", "").unwrap_err().1.contains("not a number"));
    }

    #[test]
    fn air_that_cannot_be_is_said_at_its_field() {
        for (given, field) in [
            (["90", "52", "1002", ""], "temperature"),
            (["21", "-3", "1002", ""], "humidity"),
            (["21", "9000", "1002", ""], "humidity"),
            (["21", "52", "29.6", ""], "pressure"),
            (["21", "52", "2000", ""], "pressure"),
            (["21", "52", "1002", "9000"], "altitude"),
        ] {
            let [t, h, p, m] = given;
            assert_eq!(air(t, h, p, m).unwrap_err().0, field, "{given:?}");
        }
    }

    #[test]
    fn a_drum_without_inertia_is_refused() {
        let f =
            NewDayForm { name: "Quillet 650".into(), dyno: "roller_inertia".into(), ..NewDayForm::default() };
        assert!(vehicle_of(&f).unwrap_err().1.contains("kg·m²"));
        let f = NewDayForm { inertia: "12,5".into(), ..f };
        assert_eq!(vehicle_of(&f).unwrap().vehicle.dyno.inertia_kg_m2, Some(12.5));
    }
}
