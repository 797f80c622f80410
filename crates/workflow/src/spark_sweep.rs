//! Power over delivered spark at one speed: the pulls of a day that differ in nothing but their map.

use crate::error::{WorkflowError, blocking};
use crate::samples::each_pull;
use crate::sets::{day_sets, read_sets};
use jamjar_core::analysis::{Measured, Settings};
use jamjar_core::log::{Recording, Series};
use jamjar_core::spark::delivered::spark;
use jamjar_core::spark::sweep::{Point, Sweep, TooFew, sweep};
use jamjar_store::{Set, Store, StoreError, VehicleRecord};

/// Most pulls of one sweep.
const MOST: usize = 60;

/// One pull of a sweep.
#[derive(Debug, Clone, Copy)]
pub struct SweptPull {
    /// The pull.
    pub pull_id: i64,
    /// Its set, by number.
    pub set: usize,
    /// Where it stands.
    pub point: Point,
}

/// A sweep at one speed.
#[derive(Debug, Clone)]
pub struct SweepRead {
    /// Engine speed, rpm.
    pub rpm: f64,
    /// Sets that belong together.
    pub sets: Vec<Set>,
    /// Their pulls that log spark and pass the speed.
    pub pulls: Vec<SweptPull>,
    /// Pulls of other maps left out: their boost or mixture is another, or nobody knows.
    pub other: usize,
    /// What it says.
    pub sweep: Result<Sweep, TooFew>,
}

/// Manifold pressure and mixture this near, as shares, are the same engine at another spark (our choice: what a boost
/// control and a probe repeat to).
const SAME_LOAD: f64 = 0.02;
const SAME_MIXTURE: f64 = 0.025;

/// What a pull did at a speed.
#[derive(Debug, Clone, Copy)]
struct Held {
    spark_deg: f64,
    retard_deg: f64,
    load_kpa: Option<f64>,
    lambda: Option<f64>,
}

impl Held {
    /// Whether nothing but spark differs, as far as was logged: what nobody logged cannot be told.
    fn like(&self, other: &Self) -> bool {
        let near = |a: Option<f64>, b: Option<f64>, share: f64| {
            a.zip(b).is_some_and(|(a, b)| (a / b - 1.0).abs() <= share)
        };
        near(self.load_kpa, other.load_kpa, SAME_LOAD) && near(self.lambda, other.lambda, SAME_MIXTURE)
    }
}

/// Delivered spark, worst retard, load and mixture at a time, within a tenth of a second.
fn spark_at(dyno: &Recording, ecu: Option<&Recording>, m: &Measured, t: f64) -> Option<Held> {
    let beside = m.beside(dyno, ecu);
    let retards: Vec<Series> = beside.of_kind("knock_retard").into_iter().map(|k| k.1).collect();
    let timing = spark(&beside.series("spark_advance")?, &retards);
    let worst =
        retards.iter().filter_map(|r| r.mean_between(t - 0.1, t + 0.1)).map(f64::abs).fold(0.0, f64::max);
    let at = |name: &str| beside.series(name)?.mean_between(t - 0.1, t + 0.1);
    Some(Held {
        spark_deg: timing.delivered.mean_between(t - 0.1, t + 0.1)?,
        retard_deg: worst,
        load_kpa: at("manifold_pressure"),
        lambda: at("lambda_1"),
    })
}

/// Reads the sweep a set belongs to: the sets of its day on the same fuel, boost, gear and build. `rpm` is where its
/// power peaks when nobody says.
///
/// # Errors
/// [`WorkflowError`] when there is no such set or samples cannot be read.
pub async fn read_sweep(
    store: &Store,
    set_id: i64,
    rpm: Option<f64>,
    settings: &Settings,
) -> Result<SweepRead, WorkflowError> {
    let set = store.set(set_id).await?;
    let vehicle: VehicleRecord = store.vehicle(set.vehicle_id).await?;
    let but_map = |s: &Set| {
        let mut f = s.config.factors();
        f.remove("map");
        f
    };
    let wanted = but_map(&set);
    let mut sets = day_sets(store, set.day_id, &vehicle).await?;
    sets.retain(|s| but_map(&s.set) == wanted && !s.pulls.is_empty());
    let (v, settings) = (vehicle.clone(), *settings);
    let read = blocking(move || read_sets(sets, &v, &settings)).await?;
    let own = read.iter().find(|s| s.stored.set.id == set_id);
    let own = own.ok_or(StoreError::NotFound { what: "set", id: set_id })?;
    let peak = own.result.pull_figures.iter().find_map(|f| f.peak_power).map(|p| p.rpm);
    let rpm = rpm.or(peak.filter(|r| r.is_finite())).map_or(4000.0, |r| (r / 50.0).round() * 50.0);
    let mut asked = Vec::new();
    for (k, s) in read.iter().enumerate() {
        for (i, (p, _)) in s.stored.pulls.iter().enumerate().filter(|(i, _)| s.result.included[*i]) {
            let m = &s.measured[i];
            let at = m.grid.rpm.iter().position(|r| (r - rpm).abs() < 1.0);
            let value = s.result.pulls[i].curve.power_at(rpm);
            if let (Some(at), Some(value), true) = (at, value, asked.len() < MOST && m.printed.is_none()) {
                let (t, m) = (m.grid.time_s[at], m.clone());
                let read =
                    move |dyno: Recording, ecu: Option<Recording>| spark_at(&dyno, ecu.as_ref(), &m, t);
                asked.push(((asked.len(), k, value), p.id, read));
            }
        }
    }
    let ids: Vec<i64> = asked.iter().map(|a| a.1).collect();
    let per_rev = vehicle.vehicle.engine.injections_per_rev();
    let mut found = each_pull(store, per_rev, asked).await?;
    found.sort_by_key(|f| f.0.0);
    // Another map is another engine where its boost or its mixture is another: held against the set's own first pull.
    let at = read.iter().position(|s| s.stored.set.id == set_id);
    let first = found.iter().find(|f| Some(f.0.1) == at).and_then(|f| f.1);
    let mut other = 0;
    let mut pulls: Vec<SweptPull> = Vec::new();
    for ((i, set, value), held) in found {
        let Some(h) = held else { continue };
        if Some(set) != at && !first.is_some_and(|f| h.like(&f)) {
            other += 1;
            continue;
        }
        let point = Point { spark_deg: h.spark_deg, value, retard_deg: h.retard_deg };
        pulls.push(SweptPull { pull_id: ids[i], set, point });
    }
    let points: Vec<Point> = pulls.iter().map(|p| p.point).collect();
    Ok(SweepRead {
        rpm,
        sets: read.into_iter().map(|s| s.stored.set).collect(),
        sweep: sweep(&points),
        other,
        pulls,
    })
}
