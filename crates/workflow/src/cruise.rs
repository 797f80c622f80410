//! Steady cruise spots of a set beside those of its baseline, one probe joined over the sets it was moved through, and
//! the moment of most air, where fuel can be reckoned by two ways.

use crate::error::WorkflowError;
use crate::fuelling::ambient_kpa;
use crate::samples::each_pull;
use crate::sets::{baseline_of, day_sets};
use jamjar_core::analysis::{Beside, Engine, Measured};
use jamjar_core::factors::Factors;
use jamjar_core::fuelling::injector::{CrossCheck, Injection, cross_check, flow_at};
use jamjar_core::fuelling::moved::{Moved, moved};
use jamjar_core::fuelling::steady::{Spot, steady};
use jamjar_core::log::{Recording, Series};
use jamjar_core::signal::median::median_in_place;
use jamjar_core::spark::delivered::spark;
use jamjar_store::{Set, Store, StoreError};

/// Spots this near in engine speed, as a share, and in plate, points, are one (our choice).
const SAME_SPEED: f64 = 0.05;
const SAME_PLATE: f64 = 4.0;
/// An extra that begins so says where the probe sits.
const PROBE: &str = "probe";

/// What was read at a spot; what was not logged is `None`.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
#[allow(missing_docs)]
pub struct AtSpot {
    pub lambda: Option<f64>,
    pub spark_deg: Option<f64>,
    pub retard_deg: Option<f64>,
    pub pressure_kpa: Option<f64>,
    pub duty_pct: Option<f64>,
    pub fuel_g_s: Option<f64>,
    /// How many pulls passed it.
    pub pulls: usize,
}

/// A spot with what each of the sets shown had there.
#[derive(Debug, Clone, PartialEq)]
pub struct SpotRow {
    /// Engine speed, rpm.
    pub rpm: f64,
    /// Plate or pedal, %.
    pub plate: f64,
    /// By the order of the sets.
    pub sets: Vec<AtSpot>,
}

/// The moment of most air in a pull.
#[derive(Debug, Clone, Copy, PartialEq)]
#[allow(missing_docs)]
pub struct Moment {
    pub rpm: f64,
    pub air_g_s: f64,
    pub lambda: f64,
    pub pulse_ms: f64,
    /// Fuel pressure less manifold pressure, where both were logged.
    pub across_kpa: Option<f64>,
}

/// Everything beside the cells.
#[derive(Debug, Clone)]
pub struct Cruise {
    /// The set, and its baseline where there is another.
    pub sets: Vec<Set>,
    /// Spots, from the slowest.
    pub spots: Vec<SpotRow>,
    /// The probe that was moved.
    pub moved: Option<Moved>,
    /// The moment of most air, the median pull's.
    pub moment: Option<Moment>,
}

/// What is read of one pull.
struct OfPull {
    spots: Vec<(Spot, AtSpot)>,
    lambda: Option<f64>,
    moment: Option<Moment>,
}

fn of_pull(dyno: &Recording, ecu: Option<&Recording>, m: &Measured) -> OfPull {
    let lag = m.lag();
    let empty = Recording::default();
    // Cruise is read in the engine computer's log alone, where the two clocks do not agree.
    let beside = match (ecu, lag) {
        (Some(e), None) => Beside { dyno: &empty, ecu: Some((e, 0.0)) },
        _ => Beside { dyno, ecu: ecu.zip(lag) },
    };
    let span = m.span.filter(|_| lag.is_some());
    let mean = |name: &str, [a, b]: [f64; 2]| beside.series(name)?.mean_between(a, b);
    let retards: Vec<Series> = beside.of_kind("knock_retard").into_iter().map(|k| k.1).collect();
    let delivered = beside.series("spark_advance").map(|s| spark(&s, &retards).delivered);
    let plate = beside.series("throttle").or_else(|| beside.series("pedal"));
    let found = beside.series("engine_speed").zip(plate).map_or_else(Vec::new, |(n, a)| steady(&n, &a));
    let read = |s: &Spot| {
        let at = [s.from_s, s.to_s];
        let worst =
            retards.iter().filter_map(|r| r.mean_between(at[0], at[1])).map(f64::abs).reduce(f64::max);
        AtSpot {
            lambda: mean("lambda_1", at),
            spark_deg: delivered.as_ref().and_then(|d| d.mean_between(at[0], at[1])),
            retard_deg: worst,
            pressure_kpa: mean("manifold_pressure", at),
            duty_pct: mean("injector_duty", at),
            fuel_g_s: mean("fuel_flow", at),
            pulls: 1,
        }
    };
    let moment = span.and_then(|p| {
        let air = beside.series("air_flow")?.between(p.from_s, p.to_s);
        let i = (0..air.len()).max_by(|&a, &b| air.v[a].total_cmp(&air.v[b]))?;
        let around = [air.t[i] - 0.15, air.t[i] + 0.15];
        let across = mean("fuel_pressure", around).zip(mean("manifold_pressure", around));
        Some(Moment {
            rpm: mean("engine_speed", around)?,
            air_g_s: mean("air_flow", around)?,
            lambda: mean("lambda_1", around)?,
            pulse_ms: mean("injector_pulse_width", around)?,
            across_kpa: across.map(|(f, manifold)| f + ambient_kpa(&beside, m) - manifold),
        })
    });
    OfPull {
        spots: found.iter().map(|s| (*s, read(s))).collect(),
        lambda: span.and_then(|p| mean("lambda_1", [p.from_s, p.to_s])),
        moment,
    }
}

/// Its factors without where the probe sits, and where.
fn but_probe(s: &Set) -> (Factors, Option<String>) {
    let mut f = s.config.factors();
    let at = f.keys().find(|k| k.starts_with(PROBE)).cloned();
    let place = at.and_then(|k| f.remove(&k));
    (f, place)
}

/// Reads it for a set.
///
/// # Errors
/// [`WorkflowError`] when there is no such set or its samples cannot be read.
pub async fn read_cruise(store: &Store, set_id: i64) -> Result<Cruise, WorkflowError> {
    let set = store.set(set_id).await?;
    let vehicle = store.vehicle(set.vehicle_id).await?;
    let stored = day_sets(store, set.day_id, &vehicle).await?;
    let own = stored.iter().position(|s| s.set.id == set_id);
    let own = own.ok_or(StoreError::NotFound { what: "set", id: set_id })?;
    let base = baseline_of(&stored, &set.config.gear).map(|b| b.set.id);
    let base = stored.iter().position(|s| Some(s.set.id) == base && s.set.id != set_id);
    let (like, place) = but_probe(&stored[own].set);
    let joined: Vec<(usize, String)> = if place.is_some() {
        let places = stored.iter().enumerate().filter_map(|(k, s)| {
            let (f, place) = but_probe(&s.set);
            (f == like).then_some((k, place?))
        });
        places.collect()
    } else {
        Vec::new()
    };
    let mut wanted: Vec<usize> = [Some(own), base].into_iter().flatten().collect();
    wanted.extend(joined.iter().map(|j| j.0));
    wanted.sort_unstable();
    wanted.dedup();
    let mut asked = Vec::new();
    for k in wanted {
        for (p, s) in &stored[k].pulls {
            if s.measured.printed.is_none() && p.shares.is_none() {
                let m = s.measured.clone();
                let read = move |dyno: Recording, ecu: Option<Recording>| of_pull(&dyno, ecu.as_ref(), &m);
                asked.push((k, p.id, read));
            }
        }
    }
    let found = each_pull(store, vehicle.vehicle.engine.injections_per_rev(), asked).await?;
    let of = |k: usize| found.iter().filter(move |f| f.0 == k).map(|f| &f.1);
    let shown: Vec<usize> = [Some(own), base].into_iter().flatten().collect();
    let mut spots: Vec<SpotRow> = Vec::new();
    for (column, k) in shown.iter().enumerate() {
        for (spot, at) in of(*k).flat_map(|p| &p.spots) {
            add(&mut spots, (column, shown.len()), spot, at);
        }
    }
    spots.sort_by(|a, b| a.rpm.total_cmp(&b.rpm));
    let mut places: Vec<(String, Vec<f64>)> = Vec::new();
    for (k, place) in joined {
        let values = of(k).filter_map(|p| p.lambda);
        match places.iter_mut().find(|p| p.0 == place) {
            Some(p) => p.1.extend(values),
            None => places.push((place, values.collect())),
        }
    }
    let mut moments: Vec<Moment> = of(own).filter_map(|p| p.moment).collect();
    let mut air: Vec<f64> = moments.iter().map(|m| m.air_g_s).collect();
    let middle = if air.is_empty() { 0.0 } else { median_in_place(&mut air) };
    moments.sort_by(|a, b| (a.air_g_s - middle).abs().total_cmp(&(b.air_g_s - middle).abs()));
    Ok(Cruise {
        sets: shown.iter().map(|k| stored[*k].set.clone()).collect(),
        spots,
        moved: moved(&places),
        moment: moments.first().copied(),
    })
}

/// One injector as a person typed it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Nozzle {
    /// Flow, mL/min.
    pub flow_ml_min: f64,
    /// Pressure that flow holds at, kPa.
    pub holds_at: f64,
    /// Dead time, ms.
    pub dead_ms: f64,
}

/// Fuel by the injectors and by the air; `None` where nothing flows.
///
/// # Errors
/// What is not known of the engine or the fuel, in words.
pub fn two_ways(
    engine: &Engine,
    set: &Set,
    m: &Moment,
    nozzle: &Nozzle,
) -> Result<Option<CrossCheck>, String> {
    let flow_ml_min = match m.across_kpa {
        Some(p) => flow_at(nozzle.flow_ml_min, nozzle.holds_at, p)
            .ok_or("the pressure across the injectors is not above zero")?,
        None => nozzle.flow_ml_min,
    };
    let fuel = engine.burns(&set.fuel).ok_or("how much ethanol its fuel holds is not known")?;
    let injection = Injection {
        injectors: f64::from(engine.cylinders.ok_or("how many cylinders it has is not known")?),
        flow_ml_min,
        density_kg_l: fuel.density_kg_l,
        dead_ms: nozzle.dead_ms,
        per_rev: engine.injections_per_rev().ok_or("how often it injects in a revolution is not known")?,
    };
    Ok(cross_check(&injection, m.pulse_ms, m.rpm, m.air_g_s, m.lambda, fuel.stoich_afr))
}

/// Adds what a pull had at a spot to the row it belongs to, as a mean over the pulls.
fn add(rows: &mut Vec<SpotRow>, (column, columns): (usize, usize), spot: &Spot, at: &AtSpot) {
    let same = |r: &&mut SpotRow| {
        (r.rpm / spot.rpm - 1.0).abs() <= SAME_SPEED && (r.plate - spot.plate).abs() <= SAME_PLATE
    };
    let row = match rows.iter_mut().find(same) {
        Some(row) => row,
        None => {
            let blank = SpotRow { rpm: spot.rpm, plate: spot.plate, sets: vec![AtSpot::default(); columns] };
            rows.push(blank);
            let last = rows.len() - 1;
            &mut rows[last]
        }
    };
    let was = row.sets[column];
    let n = was.pulls as f64;
    let mean = |a: Option<f64>, b: Option<f64>| match (a, b) {
        (Some(a), Some(b)) => Some((a * n + b) / (n + 1.0)),
        (None, b) if was.pulls == 0 => b,
        _ => None,
    };
    row.sets[column] = AtSpot {
        lambda: mean(was.lambda, at.lambda),
        spark_deg: mean(was.spark_deg, at.spark_deg),
        retard_deg: mean(was.retard_deg, at.retard_deg),
        pressure_kpa: mean(was.pressure_kpa, at.pressure_kpa),
        duty_pct: mean(was.duty_pct, at.duty_pct),
        fuel_g_s: mean(was.fuel_g_s, at.fuel_g_s),
        pulls: was.pulls + 1,
    };
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_spot_is_the_mean_of_its_pulls_and_what_one_lacks_is_not_measured() {
        let spot = |rpm, plate| Spot { from_s: 0.0, to_s: 1.0, rpm, plate };
        let at =
            |lambda, spark_deg| AtSpot { lambda: Some(lambda), spark_deg, pulls: 1, ..AtSpot::default() };
        let mut rows = Vec::new();
        add(&mut rows, (0, 2), &spot(2000.0, 18.0), &at(0.98, Some(20.0)));
        add(&mut rows, (0, 2), &spot(2040.0, 19.0), &at(1.02, None));
        add(&mut rows, (1, 2), &spot(1980.0, 18.0), &at(1.00, Some(22.0)));
        add(&mut rows, (0, 2), &spot(3000.0, 18.0), &at(0.90, None));
        assert_eq!(rows.len(), 2);
        assert!((rows[0].sets[0].lambda.unwrap() - 1.0).abs() < 1e-12);
        assert_eq!((rows[0].sets[0].spark_deg, rows[0].sets[0].pulls), (None, 2));
        assert_eq!(rows[0].sets[1].spark_deg, Some(22.0));
    }
}
