//! A vehicle: its name, engine and dyno; doubled vehicles and maps made one; what was put away of it.

use super::day::put_away;
use super::set::Target;
use super::{again, why};
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::pages::page;
use crate::pages::vehicles::figures_follow;
use crate::prefs::Prefs;
use crate::seen::{mark, unchanged};
use crate::state::AppState;
use crate::typed::{Wrong, optional};
use crate::views::{Field, FieldForm, RightPage, Shell, dyno_kinds, id_of, trail};
use axum::Form;
use axum::extract::{Path, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_core::analysis::{Engine, Vehicle};
use jamjar_core::bounds::{
    Bound, CYLINDERS, DISPLACEMENT_L, ENGINE_RPM, INERTIA_KG_M2, OVERALL_RATIO, PULSES_PER_CYCLE,
};
use jamjar_core::pull::dyno::{Dyno, DynoKind};
use jamjar_store::{StoreError, Subject, VehicleRecord};
use serde::de::DeserializeOwned;
use std::collections::HashMap;

type Typed = HashMap<String, String>;

fn typed_of(v: &Vehicle) -> Typed {
    let number = |v: Option<f64>| v.map_or_else(String::new, |v| v.to_string());
    let (e, d) = (&v.engine, &v.dyno);
    [
        ("name", v.name.clone()),
        ("kind", id_of(&d.kind)),
        ("ratio", number(d.overall_ratio)),
        ("inertia", number(d.inertia_kg_m2)),
        ("rotating", number(d.rotating_inertia_kg_m2)),
        ("ignition", id_of(&e.ignition)),
        ("aspiration", id_of(&e.aspiration)),
        ("cycle", id_of(&e.cycle)),
        ("injection", id_of(&e.injection)),
        ("cylinders", number(e.cylinders.map(f64::from))),
        ("displacement", number(e.displacement_l)),
        ("rev_limit", number(e.rev_limit_rpm)),
        ("pulses", number(e.pulses_per_cycle.map(f64::from))),
    ]
    .map(|(k, v)| (k.to_owned(), v))
    .into()
}

/// The vehicle a form says, or the field that is wrong and what would be right.
fn vehicle_of(f: &Typed) -> Result<Vehicle, Wrong> {
    let text = |name: &str| f.get(name).map(|s| s.trim()).unwrap_or_default();
    let number = |name: &'static str, bound: Bound| -> Result<Option<f64>, Wrong> {
        let v = optional(bound.name, text(name)).map_err(|e| (name, e))?;
        v.map(|v| bound.check(v).map_err(|e| (name, e.to_string()))).transpose()
    };
    let name = text("name");
    if name.is_empty() || name.chars().count() > 120 {
        return Err(("name", "give it a name of at most 120 characters".into()));
    }
    let kind: DynoKind = word(f, "kind")?;
    let inertia_kg_m2 = number("inertia", INERTIA_KG_M2)?.filter(|v| *v > 0.0);
    if kind == DynoKind::RollerInertia && inertia_kg_m2.is_none() {
        return Err(("inertia", "an inertia drum needs its inertia in kg·m²".into()));
    }
    let whole = |v: Option<f64>| v.map(|v| v.round() as u32);
    Ok(Vehicle {
        name: name.to_owned(),
        engine: Engine {
            cylinders: whole(number("cylinders", CYLINDERS)?),
            displacement_l: number("displacement", DISPLACEMENT_L)?,
            cycle: word(f, "cycle")?,
            ignition: word(f, "ignition")?,
            aspiration: word(f, "aspiration")?,
            rev_limit_rpm: number("rev_limit", ENGINE_RPM)?,
            pulses_per_cycle: whole(number("pulses", PULSES_PER_CYCLE)?),
            injection: word(f, "injection")?,
        },
        dyno: Dyno {
            kind,
            overall_ratio: number("ratio", OVERALL_RATIO)?,
            inertia_kg_m2,
            rotating_inertia_kg_m2: number("rotating", INERTIA_KG_M2)?.filter(|v| *v > 0.0),
        },
        // Gears are on the sheet.
        gears: Default::default(),
        computed: Vec::new(),
    })
}

fn word<T: DeserializeOwned>(f: &Typed, name: &'static str) -> Result<T, Wrong> {
    let text = f.get(name).cloned().unwrap_or_default();
    serde_json::from_value(serde_json::Value::String(text))
        .map_err(|_| (name, "choose one of those offered".to_owned()))
}

fn choices(of: &[(&str, &str)]) -> Vec<(String, String)> {
    of.iter().map(|(id, words)| ((*id).to_owned(), (*words).to_owned())).collect()
}

fn fields(f: &Typed) -> Vec<Field> {
    let v = |name: &str| f.get(name).cloned().unwrap_or_default();
    let one = |name: &'static str, label: &str, of: &[(&str, &str)]| {
        Field::one_of(name, label, v(name), choices(of))
    };
    let number = |name: &'static str, label: &str| Field::text(name, label, v(name)).wide(9);
    vec![
        Field::text("name", "Name", v("name")).wide(24),
        Field::one_of("kind", "Dyno", v("kind"), dyno_kinds()),
        number("ratio", "Engine rpm ÷ dyno-shaft rpm"),
        number("inertia", "Dyno inertia, kg·m²").hint("what it does not make up for itself"),
        number("rotating", "Rotating inertia of engine and driveline, kg·m²"),
        one("ignition", "Ignition", &[("spark", "spark"), ("compression", "compression")]),
        one(
            "aspiration",
            "Breathing",
            &[
                ("naturally_aspirated", "naturally aspirated"),
                ("turbocharged", "turbocharged"),
                ("supercharged", "belt-driven blower"),
            ],
        ),
        one("cycle", "Cycle", &[("four_stroke", "four-stroke"), ("two_stroke", "two-stroke")]),
        one("injection", "Injection", &[("port", "port"), ("direct", "direct")]),
        number("cylinders", "Cylinders"),
        number("displacement", "Displacement, L"),
        number("rev_limit", "Rev limiter, rpm"),
        number("pulses", "Injector pulses a cycle"),
        Field::text("why", "Why", v("why")).wide(30),
    ]
}

async fn form_page(
    state: &AppState,
    prefs: &Prefs,
    person: &str,
    v: &VehicleRecord,
    f: &Typed,
) -> Result<RightPage, WebError> {
    let form = FieldForm {
        action: format!("/vehicles/{}/edit", v.id),
        fields: fields(f),
        seen: f.get("seen").cloned().unwrap_or_else(|| mark(&v.vehicle)),
        button: "Put it right",
        says: "Dyno, ratio, inertia and engine have all pulls of this vehicle measured again; gears, tyre and papers are on its sheet.".into(),
    };
    let title = v.vehicle.name.clone();
    let mut p = RightPage::new(
        Shell::new("Put a vehicle right", &prefs.theme, "vehicles"),
        "vehicle",
        v.id,
        title,
        form,
    );
    p.crumbs = vec![(format!("/vehicles/{}", v.id), v.vehicle.name.clone())];
    p.archived = v.archived;
    p.archive_says =
        "The vehicle and all its days leave lists, figures and search. They can be brought back.".into();
    p.twins = state
        .store
        .vehicles()
        .await?
        .into_iter()
        .filter(|o| o.id != v.id)
        .map(|o| (o.id.to_string(), o.vehicle.name))
        .collect();
    p.merge_says = "Its days, maps and everything said of it go to the other; maps and builds of the same name become one. Its own sheet stays with it in the archive, and limits and line-ups whose names the other has.";
    p.put_away = put_away(&state.store.archived_of_vehicle(v.id).await?);
    p.trail = trail(&state.store.trail(Subject::Vehicle(v.id)).await?, &prefs.written);
    p.person = person.to_owned();
    p.lasting = state.store.lasting_id(Subject::Vehicle(v.id)).await?.unwrap_or_default();
    p.can_erase = true;
    Ok(p)
}

pub(crate) async fn show(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Html<String>, WebError> {
    let v = state.store.vehicle(id).await?;
    page(&form_page(&state, &prefs, &who.name, &v, &typed_of(&v.vehicle)).await?)
}

pub(crate) async fn edit(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Typed>,
) -> Result<Response, WebError> {
    let v = state.store.vehicle(id).await?;
    let seen = f.get("seen").cloned().unwrap_or_default();
    unchanged(&seen, &mark(&v.vehicle), "the vehicle", || format!("{:?}", typed_of(&v.vehicle)))?;
    if v.archived {
        return Err(WebError::Changed { what: "the vehicle".into(), now: "archived".into() });
    }
    let by = who.by(why(f.get("why").map(String::as_str).unwrap_or_default())?);
    let wrong = match vehicle_of(&f) {
        Ok(now) => match state.store.edit_vehicle(&v, &now, &by).await {
            Err(StoreError::Duplicate) => (
                "name",
                "another vehicle has this name: make the two one below, or name it otherwise".to_owned(),
            ),
            other => {
                other?;
                figures_follow(&state, id);
                return Ok(Redirect::to(&format!("/vehicles/{id}")).into_response());
            }
        },
        Err(wrong) => wrong,
    };
    let p = form_page(&state, &prefs, &who.name, &v, &f).await?;
    again(p, wrong.1.clone(), wrong)
}

pub(crate) async fn merge(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Target>,
) -> Result<Redirect, WebError> {
    state.store.merge_vehicles(id, f.into, &who.by(why(&f.why)?)).await?;
    figures_follow(&state, f.into);
    Ok(Redirect::to(&format!("/vehicles/{}", f.into)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_vehicle_comes_back_from_its_form_as_it_was_and_a_bad_field_is_named() {
        let v = Vehicle {
            name: "Tolvern T3".into(),
            engine: Engine { cylinders: Some(3), displacement_l: Some(1.6), ..Engine::default() },
            dyno: Dyno {
                kind: DynoKind::Hub,
                overall_ratio: Some(4.1),
                inertia_kg_m2: None,
                rotating_inertia_kg_m2: None,
            },
            gears: Default::default(),
            computed: Vec::new(),
        };
        assert_eq!(vehicle_of(&typed_of(&v)).unwrap(), v);
        for (name, value) in [("ratio", "90"), ("kind", "treadmill"), ("name", " "), ("displacement", "big")]
        {
            let f = typed_of(&v).into_iter().chain([(name.to_owned(), value.to_owned())]).collect();
            assert_eq!(vehicle_of(&f).unwrap_err().0, name);
        }
        let drum =
            typed_of(&v).into_iter().chain([("kind".to_owned(), "roller_inertia".to_owned())]).collect();
        assert_eq!(vehicle_of(&drum).unwrap_err().0, "inertia");
    }
}
