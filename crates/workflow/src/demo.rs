//! The demo: three vehicles over several days, simulated and loaded through the real import.

mod after;
mod handled;

use crate::checklist::{SIGNED, usual, value_of};
use crate::error::{WorkflowError, blocking};
use crate::import::{ChosenPull, ChosenSet, ColumnAnswer, MadeOf, answer, commit, take_in};
use crate::scenarios::{Loaded, built_in};
use crate::simulate::vehicle_json;
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::analysis::Vehicle;
use jamjar_core::channel::Channel;
use jamjar_core::correction::Correction;
use jamjar_core::printed::{Applied, Place, Print};
use jamjar_core::signal::interp::linear;
use jamjar_core::units::Unit;
use jamjar_sim::{SimDay, SimFile, SimPull, SimSet};
use jamjar_store::{
    Begun, By, Configuration, InboxItem, NewDay, NewIntervention, NewMap, NewNote, NewVehicle, ObservedAt,
    RunState, SheetAir, Store,
};
use serde::de::DeserializeOwned;

/// What was read before the first pull of a day.
const READ: [(&str, &str); 7] = [
    ("zero", "0.4"),
    ("codes", "none"),
    ("leak", "150 146 60"),
    ("compression", "12.1 12.0 11.8 12.0"),
    ("trims", "2 -3"),
    ("warm", "88"),
    ("abort", "lift at a raised hand, at 930 °C, at knock that is heard"),
];

/// Name of the run that loads the demo.
pub const RUN: &str = "demo";
/// Scenarios of the demo, in order of loading.
pub const SCENARIOS: [&str; 4] = ["tolvern", "marrow", "quillet", "later"];

fn bad(e: impl std::fmt::Display) -> WorkflowError {
    WorkflowError::Bad(e.to_string())
}

fn scenarios() -> Result<Vec<Loaded>, WorkflowError> {
    SCENARIOS.iter().map(|n| built_in(n).map_err(WorkflowError::Bad)).collect()
}

/// Starts a run when the demo is not there yet; `None` when it is, or is being loaded.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn begin(store: &Store) -> Result<Option<i64>, WorkflowError> {
    store.end_orphans().await?;
    let latest = store.latest_run(RUN).await?.map(|r| r.state);
    match latest {
        Some(RunState::Running) => return Ok(None),
        Some(RunState::Done) | None if store.has_demo().await? => return Ok(None),
        // What an interrupted or failed load left is half a demo: it goes before the whole comes.
        Some(_) if store.has_demo().await? => {
            store.remove_demo().await?;
        }
        _ => {}
    }
    let pulls: usize =
        scenarios()?.iter().flat_map(|l| &l.scenario.day).flat_map(|d| &d.set).map(|s| s.pulls).sum();
    match store.claim_run(None, RUN, pulls as i32, None).await? {
        Begun::New(run) => Ok(Some(run)),
        Begun::Before(_) => Ok(None),
    }
}

/// Loads the demo and ends the run. When it fails or is cancelled, what was loaded of it is taken away again.
///
/// # Errors
/// [`WorkflowError`]; the run says the same.
pub async fn load(store: &Store, run_id: i64) -> Result<(), WorkflowError> {
    let result = load_all(store, run_id).await;
    if result.is_err() {
        store.remove_demo().await?;
    }
    match &result {
        Ok(()) => store.end_run(run_id, RunState::Done, "the demo is ready").await?,
        Err(WorkflowError::Cancelled) => store.end_run(run_id, RunState::Cancelled, "cancelled").await?,
        Err(e) => store.end_run(run_id, RunState::Failed, &e.to_string()).await?,
    }
    result
}

/// The vehicle that ran on the strip, and the one whose next day is planned.
const ON_THE_STRIP: &str = "Tolvern T3";
const PLANNED: &str = "Marrow 48";

async fn load_all(store: &Store, run_id: i64) -> Result<(), WorkflowError> {
    let mut done = 0;
    for l in scenarios()? {
        let name = l.scenario.vehicle.name.clone();
        if store.progress(run_id, done, &format!("simulating {name}")).await? {
            return Err(WorkflowError::Cancelled);
        }
        let (l, run) =
            blocking(move || l.run(None, None).map(|run| (l, run))).await?.map_err(WorkflowError::Bad)?;
        let vehicle_id = vehicle(store, &l).await?;
        let ratio = store.vehicle(vehicle_id).await?.vehicle.dyno.overall_ratio;
        for d in &run.days {
            let day_id = day(store, &l, vehicle_id, d).await?;
            done += sets(store, run_id, done, day_id, ratio, d).await?;
            handled::day(store, vehicle_id, day_id, d).await?;
        }
        if name == ON_THE_STRIP && store.slips(vehicle_id).await?.is_empty() {
            handled::slips(store, vehicle_id).await?;
            after::sign_offs(store, vehicle_id).await?;
            after::thread(store, vehicle_id).await?;
        }
        if name == PLANNED {
            after::plan(store, vehicle_id).await?;
        }
    }
    Ok(())
}

fn from_json<T: DeserializeOwned>(v: serde_json::Value) -> Result<T, WorkflowError> {
    serde_json::from_value(v).map_err(bad)
}

/// The vehicle with sheet, limits, build states and maps; one that is there already keeps what it has.
async fn vehicle(store: &Store, l: &Loaded) -> Result<i64, WorkflowError> {
    let s = &l.scenario;
    if let Some(v) = store.vehicle_named(&s.vehicle.name).await? {
        return Ok(v.id);
    }
    let vehicle: Vehicle = from_json(vehicle_json(l))?;
    let new = NewVehicle {
        vehicle,
        limits: from_json(s.limits.clone())?,
        sheet: from_json(s.vehicle.sheet.clone())?,
        demo: true,
    };
    let id = store.add_vehicle(&new).await?;
    for b in &s.build {
        let since: NaiveDate = b.since.parse().map_err(bad)?;
        store.put_build(id, &b.name, Some(since), &b.changed).await?;
    }
    for m in &s.map {
        let (map, (file_name, text)) = (&l.maps[&m.name], &l.texts[&m.name]);
        store
            .put_map(
                id,
                &NewMap {
                    name: m.name.clone(),
                    kind: map.kind.clone(),
                    parent: map.revision_of.clone(),
                    for_fuel: map.for_fuel.clone(),
                    note: map.note.clone().unwrap_or_default(),
                    file_name: file_name.clone(),
                },
                std::io::Cursor::new(text.clone().into_bytes()),
            )
            .await?;
    }
    for f in &s.fuel {
        store.put_fuel(&f.name, (!f.diesel).then_some(f.ethanol)).await?;
        handled::fuel(store, f).await?;
    }
    Ok(id)
}

async fn day(store: &Store, l: &Loaded, vehicle_id: i64, d: &SimDay) -> Result<i64, WorkflowError> {
    let date: NaiveDate = d.spec.date.parse().map_err(bad)?;
    let place = l.scenario.cell.place.clone();
    let id = store
        .add_day(&NewDay { vehicle_id, date, place, air: Some(d.air), note: d.spec.note.clone(), demo: true })
        .await?;
    for n in &d.spec.notes {
        store.add_note(id, &note_of(n)).await?;
    }
    for c in &d.spec.changed {
        let at = NaiveTime::parse_from_str(&c.at, "%H:%M").ok();
        let new = NewIntervention { at, what: c.what.clone(), from: c.from.clone(), to: c.to.clone() };
        store.intervene(id, &new, &By::new("the calibrator", "")).await?;
    }
    for (fuel, litres) in &d.spec.litres {
        store.put_fuel_on_hand(id, fuel, *litres, "").await?;
    }
    for s in &d.sets {
        if let Some(p) = s.pulls.first() {
            let sheet = [SheetAir::of(store.day(id).await?)];
            store.add_air(&sheet, clock(p.at_s), p.air, &By::new("the demo", "")).await?;
        }
    }
    let ticks = usual().into_iter().map(|i| (i.id, "yes".to_owned()));
    let values = READ.iter().map(|(line, v)| (value_of(line), (*v).to_owned()));
    let signed = (SIGNED.to_owned(), "the calibrator, 08:40".to_owned());
    store.set_checklist(id, &ticks.chain(values).chain([signed]).collect()).await?;
    Ok(id)
}

/// Time of day to the minute.
fn clock(seconds: f64) -> NaiveTime {
    NaiveTime::from_num_seconds_from_midnight_opt((seconds / 60.0) as u32 * 60 % 86_400, 0)
        .unwrap_or_default()
}

async fn sets(
    store: &Store,
    run_id: i64,
    before: i32,
    day_id: i64,
    ratio: Option<f64>,
    d: &SimDay,
) -> Result<i32, WorkflowError> {
    let ambient = d.air.pressure_hpa / 10.0;
    for s in &d.sets {
        for (i, p) in s.pulls.iter().enumerate() {
            if let Some(family) = &s.spec.printed {
                let print = print_of(&s.spec.id, i, p, Correction::from_id(family).unwrap_or_default());
                drop_sim_file(store, day_id, ratio, ambient, &print).await?;
                continue;
            }
            drop_sim_file(store, day_id, ratio, ambient, &p.dyno).await?;
            if let Some(e) = &p.ecu {
                drop_sim_file(store, day_id, ratio, ambient, e).await?;
            }
        }
    }
    let mut inbox = store.inbox(day_id).await?;
    if answer_questions(store, day_id, ratio, &inbox).await? {
        inbox = store.inbox(day_id).await?;
    }
    let chosen = choose(d, &inbox)?;
    commit(store, run_id, before, day_id, &chosen, false).await?;
    Ok(d.sets.iter().map(|s| s.pulls.len()).sum::<usize>() as i32)
}

/// Every pull of the day with its files, time and air.
fn choose(d: &SimDay, inbox: &[InboxItem]) -> Result<Vec<ChosenSet>, WorkflowError> {
    let id_of = |name: &str| {
        inbox
            .iter()
            .find(|i: &&InboxItem| i.name == name)
            .map(|i| i.id)
            .ok_or_else(|| bad(format!("{name} was not taken in")))
    };
    let mut chosen = Vec::new();
    for s in &d.sets {
        let pulls: Result<Vec<ChosenPull>, WorkflowError> = s
            .pulls
            .iter()
            .enumerate()
            .map(|(i, p)| {
                let printed = s.spec.printed.is_some();
                let name = if printed { print_name(&s.spec.id, i) } else { p.dyno.name.clone() };
                Ok(ChosenPull {
                    made_of: if printed { MadeOf::Print } else { MadeOf::Recordings },
                    dyno: id_of(&name)?,
                    ecu: p.ecu.as_ref().filter(|_| !printed).map(|e| id_of(&e.name)).transpose()?,
                    number: printed.then_some(0),
                    started_at: Some(clock(p.at_s)),
                    air: Some(p.air),
                    excluded: s.spec.left_out.iter().find(|x| x.pull == i + 1).map(|x| x.reason.clone()),
                })
            })
            .collect();
        let print = s.spec.printed.as_deref().map_or_else(Print::default, |family| Print {
            applied: Applied::from_id(family).unwrap_or_default(),
            place: Some(Place::Hub),
            smoothing: "as exported".into(),
        });
        chosen.push(ChosenSet { config: configuration(s), pulls: pulls?, print, ..ChosenSet::default() });
    }
    Ok(chosen)
}

fn print_name(set: &str, i: usize) -> String {
    format!("{set} {}.csv", i + 1)
}

/// What another cell hands over of a pull: its true curve every 100 rpm, corrected and rounded.
fn print_of(set: &str, i: usize, p: &SimPull, family: Correction) -> SimFile {
    let factor = family.air_factor(&p.air).unwrap_or(1.0);
    let (curve, mut text) = (&p.truth.curve, "Engine speed (rpm),Power (kW)\n".to_owned());
    for k in 10..100 {
        let rpm = 100.0 * f64::from(k);
        if let Some(kw) = linear(&curve.rpm, &curve.power_kw, rpm) {
            text += &format!("{rpm:.0},{:.1}\n", factor * kw);
        }
    }
    SimFile { name: print_name(set, i), bytes: text.into_bytes() }
}

fn configuration(s: &SimSet) -> Configuration {
    let kind = match s.spec.map.as_str() {
        "Stock" => "stock",
        "Harbour A" => "off_the_shelf",
        _ => "custom",
    };
    Configuration {
        build: s.spec.build.clone(),
        map: s.spec.map.clone(),
        map_kind: kind.into(),
        fuel: s.spec.fuel.clone(),
        boost: s.spec.boost_kpa.map_or_else(|| "as mapped".into(), |b| format!("{b:.0} kPa")),
        gear: s.spec.gear.clone(),
        extras: s.spec.extras.clone(),
        note: s.spec.note.clone(),
    }
}

/// The one question the demo's recorders leave open: their wideband writes AFR on the gasoline scale.
async fn answer_questions(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    inbox: &[InboxItem],
) -> Result<bool, WorkflowError> {
    let mut answered = Vec::new();
    for item in inbox {
        if !item.report.contains("\"questions\":[{") || answered.contains(&&item.source) {
            continue;
        }
        answered.push(&item.source);
        for n in 1..=2 {
            if item.report.contains(&format!("\"WB{n}\"")) {
                let lambda = Channel::new(format!("lambda_{n}")).map_err(bad)?;
                let said = ColumnAnswer {
                    column: format!("WB{n}"),
                    channel: Some(lambda),
                    unit: Some(Unit::AfrGasoline),
                };
                answer(store, day_id, ratio, &item.source, &said).await?;
            }
        }
    }
    Ok(!answered.is_empty())
}

async fn drop_sim_file(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    ambient_kpa: f64,
    f: &SimFile,
) -> Result<(), WorkflowError> {
    take_in(store, day_id, ratio, Some(ambient_kpa), &f.name, std::sync::Arc::new(f.bytes.clone()))
        .await
        .map(|_| ())
}

/// Name of the run that makes bulk data.
pub const BULK_RUN: &str = "bulk";

/// Makes `pulls` pulls of bulk data for search and load work, on top of the demo, and ends the run.
///
/// # Errors
/// [`WorkflowError`] when no pull is there to share samples with, or the store refuses.
pub async fn bulk(store: &Store, pulls: i64) -> Result<(), WorkflowError> {
    let like = store.latest_sets(1).await?;
    let like = store.sets_by_id(&like.iter().map(|s| s.id).collect::<Vec<_>>()).await?;
    let pull = like
        .first()
        .and_then(|s| s.pulls.first())
        .map(|p| p.0.id)
        .ok_or_else(|| bad("bulk data shares the samples of a real pull: load the demo first"))?;
    let run = store.start_run(None, BULK_RUN, (pulls / 1000) as i32).await?;
    let result = store.add_bulk(pulls, pull, run).await;
    let (state, message) = match &result {
        Ok(()) => (RunState::Done, format!("{pulls} pulls made")),
        Err(e) => (RunState::Failed, e.to_string()),
    };
    store.end_run(run, state, &message).await?;
    Ok(result?)
}

/// A note of a scenario, as the calibrator writes it.
fn note_of(n: &jamjar_sim::NoteSpec) -> NewNote {
    let span = |s: Option<[f64; 2]>| s.map(|[a, b]| [a.min(b), a.max(b)]);
    NewNote {
        at: NaiveTime::parse_from_str(&n.at, "%H:%M").ok(),
        tag: n.tag.clone(),
        text: n.text.clone(),
        by: "the calibrator".into(),
        place: ObservedAt { pull_id: None, rpm: span(n.rpm), load: span(n.load) },
    }
}
