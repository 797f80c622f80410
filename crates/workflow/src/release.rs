//! What a map revision gained over stock on every vehicle it serves.

use crate::alike::alike;
use crate::error::{WorkflowError, blocking};
use crate::sets::{read_sets, recent_days};
use jamjar_core::analysis::{Figure, SetResult, Settings, compare_all};
use jamjar_core::stats::release::OnVehicle;
use jamjar_store::Store;

/// Days of a vehicle looked through, newest first (our choice).
const DAYS: i64 = 30;
/// Most vehicles (our choice: more tell the mean no better than a page needs).
const MOST: usize = 40;

/// A gain on one vehicle.
#[derive(Debug, Clone)]
pub struct Gained {
    /// The vehicle.
    pub vehicle_id: i64,
    /// Its name.
    pub vehicle: String,
    /// What was gained there, where the dyno measures.
    pub gain: OnVehicle,
    /// Where the dyno measures.
    pub place: &'static str,
}

/// Gains of a revision over stock, one a vehicle: the newest day on which both were pulled alike. Vehicles whose dyno
/// measures elsewhere are left out by who asks.
pub(crate) async fn gained(
    store: &Store,
    map_id: i64,
    figure: Figure,
    settings: &Settings,
) -> Result<Vec<Gained>, WorkflowError> {
    let mut out = Vec::new();
    for id in store.vehicles_of_revision(map_id).await?.into_iter().take(MOST) {
        let vehicle = store.vehicle(id).await?;
        let maps = store.maps(id).await?;
        let Some(name) = maps.iter().find(|m| m.id == map_id).map(|m| m.name.clone()) else { continue };
        let days = recent_days(store, &vehicle, DAYS).await?;
        let settings = *settings;
        let found = blocking(move || {
            days.into_iter().find_map(|(_, day)| {
                let stock = |s: &jamjar_store::SetWithPulls| s.set.config.map_kind == "stock";
                let [a, b] = alike(&day, stock, |s| s.set.config.map == name)?;
                let results: Vec<SetResult> =
                    read_sets(day, &vehicle, &settings).iter().map(|s| s.result.clone()).collect();
                let base = results[a].figure(figure).mean.filter(|v| *v > 0.0)?;
                let c = compare_all(&results, a, &[b], &vehicle.vehicle, &settings).pop()?;
                let f = c.figure(figure)?;
                let interval = f.interval.as_ref().filter(|_| !f.provisional)?;
                let percent = 100.0 / base;
                let gain = OnVehicle {
                    percent: percent * f.mean_difference?,
                    variance: (percent * interval.se).powi(2),
                };
                let place = vehicle.vehicle.dyno.kind.place();
                Some(Gained { vehicle_id: vehicle.id, vehicle: vehicle.vehicle.name.clone(), gain, place })
            })
        })
        .await?;
        out.extend(found);
    }
    Ok(out)
}
