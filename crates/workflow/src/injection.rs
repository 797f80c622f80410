//! When a day's sets injected, and how much: start, length and pressure by engine speed, with the mass the quantity map
//! makes of them.

use crate::error::WorkflowError;
use crate::samples::each_pull;
use crate::sets::day_sets;
use jamjar_core::analysis::Measured;
use jamjar_core::calculators::injector::QuantityMap;
use jamjar_core::diesel::{before_tdc, degrees};
use jamjar_core::log::Recording;
use jamjar_core::maps::Table;
use jamjar_core::signal::median::median_in_place;
use jamjar_store::{Day, Observation, Set, Store, VehicleRecord};
use std::collections::BTreeMap;

/// Engine speeds are read this far apart, rpm, and each over so long, s (our choice).
const EVERY_RPM: f64 = 100.0;
const AROUND_S: f64 = 0.1;

/// One pull at one engine speed; what was not logged is `None`.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Injected {
    /// Start, degrees before top dead centre.
    pub start_deg: Option<f64>,
    /// Length, degrees of the crank.
    pub length_deg: Option<f64>,
    /// Rail pressure and its target, MPa.
    pub rail_mpa: Option<f64>,
    /// Its target, MPa.
    pub target_mpa: Option<f64>,
    /// Mass of a shot by the quantity map, mg.
    pub mass_mg: Option<f64>,
    /// λ.
    pub lambda: Option<f64>,
    /// Position of the vanes, %.
    pub vane_pct: Option<f64>,
    /// Pressure across the particulate filter, kPa.
    pub filter_kpa: Option<f64>,
}

impl Injected {
    /// Share before top dead centre, of one.
    pub fn before(&self) -> Option<f64> {
        before_tdc(self.start_deg?, self.length_deg?)
    }
}

/// A configuration: the median of its pulls of a day at each engine speed.
#[derive(Debug, Clone)]
pub struct InjectedSet {
    /// The set.
    pub set: Set,
    /// By engine speed, rpm.
    pub at: BTreeMap<u32, Injected>,
}

/// A day of a vehicle.
#[derive(Debug, Clone)]
pub struct InjectionRead {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// The day that was read; `None` where there is none.
    pub day: Option<Day>,
    /// Its sets that logged an injection.
    pub sets: Vec<InjectedSet>,
    /// Sets of the day that did not.
    pub without: usize,
    /// What was observed in its pulls, newest first.
    pub observed: Vec<Observation>,
}

/// The quantity map that stands on a sheet, as one that can be looked up.
///
/// # Errors
/// What is wrong with it, in words.
pub fn quantity_map(t: &Table) -> Result<QuantityMap, String> {
    let pressures = t.y.as_ref().map(|y| y.at.clone()).unwrap_or_default();
    QuantityMap::new(pressures, t.x.at.clone(), t.rows.clone()).map_err(|e| e.to_string())
}

/// Reads the newest day of a vehicle, or the one that is asked for.
///
/// # Errors
/// [`WorkflowError`] when there is no such vehicle or samples cannot be read.
pub async fn read_injection(
    store: &Store,
    vehicle_id: i64,
    day: Option<i64>,
) -> Result<InjectionRead, WorkflowError> {
    let vehicle = store.vehicle(vehicle_id).await?;
    let days = store.days_of_vehicle(vehicle_id, 500).await?;
    let observed = store.observed_of(vehicle_id, 100).await?;
    let Some(day) = days.into_iter().find(|d| day.is_none_or(|id| d.id == id)) else {
        return Ok(InjectionRead { vehicle, day: None, sets: Vec::new(), without: 0, observed });
    };
    let map = vehicle.sheet.quantity_map.as_ref().and_then(|t| quantity_map(t).ok());
    let stored = day_sets(store, day.id, &vehicle).await?;
    let mut asked = Vec::new();
    for (k, s) in stored.iter().enumerate() {
        for (p, m) in &s.pulls {
            let (m, map) = (m.measured.clone(), map.clone());
            let logged = m.channels.iter().any(|c| c.channel.as_str() == "injection_duration");
            if logged && m.printed.is_none() && m.excluded.is_none() {
                let read = move |dyno: Recording, ecu: Option<Recording>| {
                    injected(&dyno, ecu.as_ref(), &m, map.as_ref())
                };
                asked.push((k, p.id, read));
            }
        }
    }
    let found = each_pull(store, vehicle.vehicle.engine.injections_per_rev(), asked).await?;
    let mut sets = Vec::new();
    let mut logged = 0;
    for (k, s) in stored.iter().enumerate() {
        // A set that was run again is one with its first.
        let alike = |o: usize| stored[o].set.config.factors() == s.set.config.factors();
        logged += usize::from(found.iter().any(|f| f.0 == k));
        if (0..k).any(alike) {
            continue;
        }
        let pulls: Vec<&BTreeMap<u32, Injected>> =
            found.iter().filter(|f| alike(f.0)).map(|f| &f.1).collect();
        let at = together(&pulls);
        if !at.is_empty() {
            sets.push(InjectedSet { set: s.set.clone(), at });
        }
    }
    let without = stored.iter().filter(|s| !s.pulls.is_empty()).count() - logged;
    Ok(InjectionRead { vehicle, day: Some(day), sets, without, observed })
}

/// One pull by engine speed.
fn injected(
    dyno: &Recording,
    ecu: Option<&Recording>,
    m: &Measured,
    map: Option<&QuantityMap>,
) -> BTreeMap<u32, Injected> {
    let beside = m.beside(dyno, ecu);
    let names = [
        "injection_start",
        "injection_duration",
        "rail_pressure",
        "rail_target",
        "lambda_1",
        "vane_position",
        "filter_pressure",
    ];
    let series = names.map(|n| beside.series(n));
    let mut out = BTreeMap::new();
    for (rpm, t) in m.grid.rpm.iter().zip(&m.grid.time_s) {
        if (rpm / EVERY_RPM).fract().abs() > 1e-6 || !t.is_finite() {
            continue;
        }
        let [start, duration, rail, target, lambda, vane, filter] =
            series.each_ref().map(|s| s.as_ref()?.mean_between(t - AROUND_S, t + AROUND_S));
        let mass = map.and_then(|m| m.mass(rail?, duration?).ok());
        let here = Injected {
            start_deg: start,
            length_deg: duration.map(|d| degrees(d, *rpm)),
            rail_mpa: rail,
            target_mpa: target,
            mass_mg: mass,
            lambda,
            vane_pct: vane,
            filter_kpa: filter,
        };
        if duration.is_some() {
            out.insert(*rpm as u32, here);
        }
    }
    out
}

/// The median of pulls at every engine speed that one of them has.
fn together(pulls: &[&BTreeMap<u32, Injected>]) -> BTreeMap<u32, Injected> {
    let mut speeds: Vec<u32> = pulls.iter().flat_map(|p| p.keys().copied()).collect();
    speeds.sort_unstable();
    speeds.dedup();
    let median = |rpm: u32, of: fn(&Injected) -> Option<f64>| {
        let mut v: Vec<f64> = pulls.iter().filter_map(|p| of(p.get(&rpm)?)).collect();
        (!v.is_empty()).then(|| median_in_place(&mut v))
    };
    let at = |rpm: u32| Injected {
        start_deg: median(rpm, |i| i.start_deg),
        length_deg: median(rpm, |i| i.length_deg),
        rail_mpa: median(rpm, |i| i.rail_mpa),
        target_mpa: median(rpm, |i| i.target_mpa),
        mass_mg: median(rpm, |i| i.mass_mg),
        lambda: median(rpm, |i| i.lambda),
        vane_pct: median(rpm, |i| i.vane_pct),
        filter_kpa: median(rpm, |i| i.filter_kpa),
    };
    speeds.into_iter().map(|rpm| (rpm, at(rpm))).collect()
}
