//! The demo, loaded through the real import.

use crate::error::{WorkflowError, blocking};
use crate::import::{ChosenPull, ChosenSet, answer, commit, drop_spooled};
use crate::simulate::demo_limits;
use chrono::NaiveDate;
use jamjar_core::air::AirState;
use jamjar_core::analysis::{Aspiration, Engine, Vehicle};
use jamjar_core::channel::Channel;
use jamjar_core::pull::power::{Dyno, DynoKind};
use jamjar_core::units::Unit;
use jamjar_sim::{Day, SimFile, first_light};
use jamjar_store::{Configuration, InboxItem, NewDay, NewVehicle, RunState, Store};

/// Name of the run that loads the demo.
pub const RUN: &str = "demo";
/// The demo's seed; its truth is recorded in the simulator.
pub const SEED: u64 = 3;
/// Scatter between mountings in the demo, as a share of torque.
pub const MOUNTING_SD: f64 = 0.001;

/// The demo vehicle.
pub fn vehicle(day: &Day) -> Vehicle {
    Vehicle {
        name: "Tolvern T3".into(),
        engine: Engine { cylinders: Some(3), displacement_l: Some(1.6), aspiration: Aspiration::Turbocharged, ..Engine::default() },
        dyno: Dyno { kind: DynoKind::Hub, overall_ratio: Some(day.overall_ratio), inertia_kg_m2: None, rotating_inertia_kg_m2: None },
    }
}

/// Starts a run when the demo is not there yet; `None` when it is, or is being loaded.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn begin(store: &Store) -> Result<Option<i64>, WorkflowError> {
    if store.vehicle_named("Tolvern T3").await?.is_some() || store.latest_run(RUN).await?.is_some_and(|r| r.state == RunState::Running) {
        return Ok(None);
    }
    Ok(Some(store.start_run(None, RUN, 21).await?))
}

/// Loads the demo and ends the run.
///
/// # Errors
/// [`WorkflowError`]; the run says the same.
pub async fn load(store: &Store, run_id: i64) -> Result<i64, WorkflowError> {
    let result = load_first_light(store, run_id).await;
    match &result {
        Ok(_) => store.end_run(run_id, RunState::Done, "the demo is ready").await?,
        Err(WorkflowError::Cancelled) => store.end_run(run_id, RunState::Cancelled, "cancelled").await?,
        Err(e) => store.end_run(run_id, RunState::Failed, &e.to_string()).await?,
    }
    result
}

async fn load_first_light(store: &Store, run_id: i64) -> Result<i64, WorkflowError> {
    let bad = |e: String| WorkflowError::Bad(e);
    let day = blocking(|| first_light(SEED, MOUNTING_SD)).await?;
    let limits = serde_json::from_value(demo_limits()).map_err(|e| bad(e.to_string()))?;
    let vehicle_id = store.add_vehicle(&NewVehicle { vehicle: vehicle(&day), limits, demo: true }).await?;
    let air = AirState::new(day.air[0], day.air[1], day.air[2]).map_err(|e| bad(e.to_string()))?;
    let date: NaiveDate = day.date.parse().map_err(|e| bad(format!("{e}")))?;
    let day_id = store
        .add_day(&NewDay {
            vehicle_id,
            date,
            place: "cell 1, hub dyno".into(),
            air: Some(air),
            note: "First day with the custom maps. Light wind, door ajar.".into(),
        })
        .await?;
    for f in day.sets.iter().flat_map(|s| &s.pulls).flat_map(|p| [&p.dyno, &p.ecu]) {
        drop_sim_file(store, day_id, day.overall_ratio, air, f).await?;
    }
    let inbox = store.inbox(day_id).await?;
    if let Some(ecu) = inbox.iter().find(|i| i.name.ends_with("_ecu.csv")) {
        let lambda = Channel::new("lambda_1").map_err(|e| bad(e.to_string()))?;
        answer(store, day_id, Some(day.overall_ratio), &ecu.source, "WB1", &lambda, Unit::AfrGasoline).await?;
    }
    let id_of =
        |f: &SimFile| inbox.iter().find(|i: &&InboxItem| i.name == f.name).map(|i| i.id).ok_or_else(|| bad(format!("{} was not taken in", f.name)));
    let mut sets = Vec::new();
    for (k, s) in day.sets.iter().enumerate() {
        let pulls: Result<Vec<ChosenPull>, WorkflowError> =
            s.pulls.iter().map(|p| Ok(ChosenPull { dyno: id_of(&p.dyno)?, ecu: Some(id_of(&p.ecu)?), number: None })).collect();
        let config = Configuration {
            build: "A".into(),
            map: s.map.name.into(),
            map_kind: s.map.kind.into(),
            fuel: s.fuel.name.into(),
            boost: "as mapped".into(),
            gear: "4".into(),
            note: if k + 1 == day.sets.len() { "Baseline again, strapped down afresh.".into() } else { String::new() },
            ..Configuration::default()
        };
        sets.push(ChosenSet { config, pulls: pulls? });
    }
    commit(store, run_id, day_id, &sets).await?;
    Ok(day_id)
}

async fn drop_sim_file(store: &Store, day_id: i64, ratio: f64, air: AirState, f: &SimFile) -> Result<(), WorkflowError> {
    let path = std::env::temp_dir().join(format!("jamjar-demo-{}-{}", std::process::id(), f.name));
    std::fs::write(&path, &f.bytes).map_err(|e| WorkflowError::Bad(format!("{}: {e}", path.display())))?;
    let result = drop_spooled(store, day_id, Some(ratio), Some(air.pressure_hpa / 10.0), &f.name, &path).await;
    let _ = std::fs::remove_file(&path);
    result.map(|_| ())
}
