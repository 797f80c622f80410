//! What the demo's people did beside pulling: they said what a fuel is, filled and drained the tank, and flashed.

use super::clock;
use crate::error::WorkflowError;
use chrono::NaiveDate;
use jamjar_core::calculators::kind::Kind;
use jamjar_sim::{FuelSpec, SimDay};
use jamjar_store::{By, FuelWords, NewBatch, NewFlash, NewPour, SlipRecord, Store};

/// Minutes before a set's first pull in which they flashed, and in which they filled.
const FLASHED_S: f64 = 480.0;
const FILLED_S: f64 = 900.0;
/// Litres of a fill.
const FILL_L: f64 = 22.0;

fn by() -> By {
    By::new("the calibrator", "")
}

/// Octane, price, and of E85 the delivery that was measured; what somebody said already stays.
pub(super) async fn fuel(store: &Store, f: &FuelSpec) -> Result<(), WorkflowError> {
    let Some(own) = store.fuel_records().await?.into_iter().find(|r| r.said.name == f.name) else {
        return Ok(());
    };
    let was = own.said;
    if was.octane.is_none() && was.price.is_none() {
        let scale = if f.ron.is_some() { "RON" } else { "" };
        let kind = if f.diesel { Kind::Diesel } else { Kind::Gasoline };
        let now = FuelWords {
            octane: f.ron,
            octane_scale: scale.into(),
            price: f.price,
            kind: kind.id().into(),
            ..was.clone()
        };
        store.edit_fuel(own.id, &was, &now, &by()).await?;
    }
    if f.name == "E85" && store.batches().await?.iter().all(|b| b.fuel_id != own.id) {
        let batch = NewBatch {
            name: "drum 7".into(),
            source: "the pump on the ring road".into(),
            bought_on: NaiveDate::from_ymd_opt(2026, 3, 1),
            ethanol: Some(f.ethanol),
            measured_by: "water test".into(),
            note: "winter fuel: the pump says 85".into(),
        };
        store.add_batch(own.id, &batch, &by()).await?;
    }
    Ok(())
}

/// Two runs of the hill-climb saloon on the strip, with the map it came with and with the one that is in it.
pub(super) async fn slips(store: &Store, vehicle_id: i64) -> Result<(), WorkflowError> {
    let on = NaiveDate::from_ymd_opt(2026, 5, 30).ok_or_else(|| super::bad("a date"))?;
    let run = |hour: f64, map: &str, fuel: &str, [t18, t201, v201, t402, v402]: [f64; 5]| SlipRecord {
        id: None,
        on_date: on,
        at_time: Some(clock(hour * 3600.0)),
        place: "the airfield strip".into(),
        map: map.into(),
        fuel: fuel.into(),
        t18_s: Some(t18),
        t201_s: Some(t201),
        v201_kmh: Some(v201),
        t402_s: Some(t402),
        v402_kmh: Some(v402),
        rollout_m: 0.30,
        launch_rpm: Some(3200.0),
        temperature_c: Some(19.0),
        pressure_hpa: Some(1011.0),
        note: String::new(),
        written_by: "the calibrator".into(),
    };
    for s in [
        run(10.1, "Stock", "RON 98 E5", [2.41, 9.62, 118.5, 14.83, 148.5]),
        run(11.4, "C6", "RON 98 E5", [2.38, 9.41, 122.0, 14.47, 153.0]),
    ] {
        store.add_slip(vehicle_id, &s, &by()).await?;
    }
    Ok(())
}

/// Flashes and fills of a day: before each set whose map or fuel is another than the last one's.
pub(super) async fn day(
    store: &Store,
    vehicle_id: i64,
    day_id: i64,
    d: &SimDay,
) -> Result<(), WorkflowError> {
    let date: NaiveDate = d.spec.date.parse().map_err(super::bad)?;
    let (maps, fuels) = (store.maps(vehicle_id).await?, store.fuel_records().await?);
    let batches = store.batches().await?;
    let (mut map, mut fuel) = (String::new(), String::new());
    for s in &d.sets {
        let Some(first) = s.pulls.first() else { continue };
        if s.spec.map != map {
            map.clone_from(&s.spec.map);
            if let Some(m) = maps.iter().find(|m| m.name == map) {
                let at = Some(clock(first.at_s - FLASHED_S));
                let flash = NewFlash { map_id: m.id, on: date, at, note: String::new() };
                store.add_flash(vehicle_id, &flash, &by()).await?;
            }
        }
        if s.spec.fuel != fuel {
            fuel.clone_from(&s.spec.fuel);
            if let Some(f) = fuels.iter().find(|f| f.said.name == fuel) {
                let pour = NewPour {
                    at: clock(first.at_s - FILLED_S),
                    fuel_id: f.id,
                    batch_id: batches.iter().find(|b| b.fuel_id == f.id).map(|b| b.id),
                    litres: FILL_L,
                    left_l: Some(0.0),
                };
                store.pour(day_id, &pour, &by()).await?;
            }
        }
    }
    Ok(())
}
