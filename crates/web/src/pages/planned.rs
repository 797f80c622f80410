//! A day's plan: in which order to pull what is planned, when it ends, what can be said if it ends sooner.

use super::{encoding, page, this_minute};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{litres, within};
use crate::views::{Typed, planned_page};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveTime;
use jamjar_core::planning::Pace;
use jamjar_workflow::planned::{Asked, planned_day};
use std::collections::{BTreeMap, HashMap};

/// A number of the form between two bounds; what is usual where it is blank.
fn number(f: &Typed, name: &str, what: &str, bounds: [f64; 2], usual: f64) -> Result<f64, String> {
    Ok(within(what, f.of(name), bounds)?.unwrap_or(usual))
}

fn asked(f: &Typed, prefs: &Prefs, now: NaiveTime) -> Result<Asked, String> {
    let usual = Asked::default();
    let minutes =
        |name: &str, what: &str, usual: f64| number(f, name, &format!("{what}, min"), [0.0, 600.0], usual);
    let volume = |name: &str, usual: f64| match f.of(name).trim() {
        "" => Ok(usual),
        s => litres(s, prefs.volume),
    };
    let begins = match f.of("begins").trim() {
        "" => now,
        s => NaiveTime::parse_from_str(s, "%H:%M")
            .map_err(|_| format!("begins at: “{s}” is no time of day such as 14:30"))?,
    };
    let every = number(f, "every", "sets between baselines", [0.0, 24.0], usual.every as f64)?;
    Ok(Asked {
        hours: within("time there is, h", f.of("hours"), [0.1, 24.0])?,
        begins,
        difference_kw: within("gain worth knowing", f.of("difference"), [0.01, 1e4])?
            .map(|d| d / prefs.power.from_kw(1.0)),
        every: every.round() as usize,
        pace: Pace {
            pull_min: minutes("pull", "a pull", usual.pace.pull_min)?,
            cool_min: minutes("cool", "cool-down", usual.pace.cool_min)?,
            sheds_kw: within("heat the cell sheds, kW", f.of("sheds"), [1.0, 1e5])?,
            warm_up_min: minutes("warm", "warming up", usual.pace.warm_up_min)?,
            flash_min: minutes("flash", "a flash", usual.pace.flash_min)?,
            top_up_min: minutes("topup", "topping up", usual.pace.top_up_min)?,
        },
        sweep_s: number(f, "sweep", "a sweep, s", [1.0, 300.0], usual.sweep_s)?,
        change_min: minutes("change", "changing fuel", usual.change_min)?,
        rinse_l: volume("rinse", usual.rinse_l)?,
        litres: volume("litres", usual.litres)?,
        tank_l: volume("tank", usual.tank_l)?,
        reserve_l: volume("reserve", usual.reserve_l)?,
        order: f.of("order").split(',').filter_map(|s| s.trim().parse().ok()).collect(),
    })
}

/// Fields of a plan, and the longest that one of them may be: the order of all its sets.
const FIELDS: [&str; 17] = [
    "begins",
    "hours",
    "difference",
    "every",
    "pull",
    "cool",
    "sheds",
    "warm",
    "flash",
    "topup",
    "sweep",
    "change",
    "rinse",
    "litres",
    "tank",
    "reserve",
    "order",
];
const LONGEST: usize = 400;

/// A kept plan as it reads now: what has passed of its time is gone.
fn as_of(mut fields: HashMap<String, String>, now: Option<NaiveTime>) -> HashMap<String, String> {
    let of = |name: &str| fields.get(name).map_or("", |s| s.trim());
    let begins = NaiveTime::parse_from_str(of("begins"), "%H:%M").ok();
    let hours = within("time there is, h", of("hours"), [0.1, 24.0]).ok().flatten();
    if let (Some(begins), Some(now)) = (begins, now)
        && now > begins
    {
        fields.insert("begins".into(), now.format("%H:%M").to_string());
        if let Some(hours) = hours {
            let left = hours - (now - begins).num_minutes() as f64 / 60.0;
            fields.insert("hours".into(), format!("{:.1}", left.max(0.1)));
        }
    }
    fields
}

/// Keeps the plan of a day as it was typed.
pub(crate) async fn keep(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(mut f): Form<BTreeMap<String, String>>,
) -> Result<Redirect, WebError> {
    f.retain(|k, v| FIELDS.contains(&k.as_str()) && !v.trim().is_empty());
    if f.values().any(|v| v.len() > LONGEST) {
        return Err(WebError::Bad(format!("no field of a plan is longer than {LONGEST} characters")));
    }
    let vehicle = state.store.vehicle(state.store.day(id).await?.vehicle_id).await?;
    let begins = this_minute();
    let typed = Typed(f.clone().into_iter().collect());
    asked(&typed, &prefs.fitting(&vehicle.vehicle.engine), begins).map_err(WebError::Bad)?;
    // Time that is left is counted from when it was said.
    if f.contains_key("hours") && !f.contains_key("begins") {
        f.insert("begins".into(), begins.format("%H:%M").to_string());
    }
    state.store.keep_plan(id, Some(&f), &who.name).await?;
    Ok(Redirect::to(&format!("/days/{id}/plan")))
}

/// Forgets it.
pub(crate) async fn forget(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Redirect, WebError> {
    state.store.keep_plan(id, None, "").await?;
    Ok(Redirect::to(&format!("/days/{id}/plan")))
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(q): Query<HashMap<String, String>>,
) -> Result<Response, WebError> {
    let day = state.store.day(id).await?;
    let vehicle = state.store.vehicle(day.vehicle_id).await?;
    let e = encoding(&state, day.vehicle_id).await?;
    let now = chrono::Local::now();
    let running = (day.date == now.date_naive()).then(|| now.time());
    let kept = state.store.kept_plan(id).await?;
    // An address without anything typed is that of the plan that was kept.
    let typed = match &kept {
        Some(k) if q.is_empty() => Typed(as_of(k.fields.clone().into_iter().collect(), running)),
        _ => Typed(q),
    };
    // A day that is not today begins in the morning, whatever the clock says.
    let usual = if day.date == now.date_naive() { this_minute() } else { Asked::default().begins };
    let read = prefs.fitting(&vehicle.vehicle.engine);
    let (asked, problem) = match asked(&typed, &read, usual) {
        Ok(a) => (a, String::new()),
        Err(problem) => (Asked { begins: usual, ..Asked::default() }, problem),
    };
    let settings = read.settings(None);
    let planned = planned_day(&state.store, &day, &vehicle, &settings, &asked).await?;
    let refused = !problem.is_empty();
    let body = page(&planned_page(
        &day,
        &vehicle,
        planned.as_ref(),
        (&asked, kept.as_ref()),
        (typed, problem),
        &e,
        &read,
    ))?;
    let status = if refused { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    Ok((status, body).into_response())
}
