//! Two map files in custody cell by cell, and where the pulls of the second ran.

use crate::error::WorkflowError;
use crate::lineage::steps;
use crate::lineup::Gathered;
use crate::map_text::map_text;
use crate::samples::each_pull;
use crate::sets::{day_sets, recent_days};
use chrono::NaiveDate;
use jamjar_core::analysis::{Figure, FigureComparison, Measured, Settings};
use jamjar_core::log::Recording;
use jamjar_core::maps::difference::{MapDifference, difference};
use jamjar_core::maps::driven::{Stretch, stretches};
use jamjar_core::maps::{Axis, Table};
use jamjar_store::{MapRecord, Store, StoreError, VehicleRecord};

/// Days looked through for pulls of the second, newest first (our choice).
const DAYS: i64 = 60;

/// Two revisions.
#[derive(Debug, Clone)]
pub struct TwoMaps {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Every map of it whose file is in custody.
    pub maps: Vec<MapRecord>,
    /// Both, and what differs; or why it cannot be told.
    pub sides: Result<(MapRecord, MapRecord, MapDifference), String>,
    /// Samples of the newest set of the second in each cell of each of its tables, where their axes were logged.
    pub visits: Vec<(String, Vec<Vec<u32>>)>,
    /// What it did where it was changed; `None` where the two were never pulled alike on one day.
    pub did: Option<Did>,
}

/// A change of the map beside what it gained, stretch by stretch of engine speed.
#[derive(Debug, Clone)]
pub struct Did {
    /// Day both were pulled alike on.
    pub date: NaiveDate,
    /// What both were pulled with: fuel, boost, gear.
    pub with: Vec<String>,
    /// Their sets, the first and the second.
    pub sets: [i64; 2],
    /// Each stretch, as far as both curves cover it, with the mean gain over it.
    pub rows: Vec<(Stretch, Option<FigureComparison>)>,
}

/// Most stretches that are compared (our choice: a change in more places has no region).
const MOST_STRETCHES: usize = 12;
/// A mean is taken over at least this much of what both curves cover, rpm (our choice).
const LEAST_RPM: f64 = 150.0;

/// What a change did, from the newest day on which both were pulled alike.
async fn did(
    store: &Store,
    vehicle: &VehicleRecord,
    [older, newer]: [&str; 2],
    stretches: Vec<Stretch>,
    settings: &Settings,
) -> Result<Option<Did>, WorkflowError> {
    let all: Vec<_> = recent_days(store, vehicle, DAYS).await?.into_iter().map(|d| d.1).collect();
    let pair = [(0, older, newer)];
    let Some(step) = steps(&pair, &all, vehicle, Figure::BandMeanPower, settings).remove(&0) else {
        return Ok(None);
    };
    let gathered = Gathered::of(store, &step.sets, Some(step.sets[0]), settings).await?;
    let both = gathered.clone().judged(store, settings).await?;
    let spans: Option<Vec<[f64; 2]>> = both.results.iter().map(|r| r.mean_curve.span_rpm()).collect();
    let Some([low, high]) = spans.and_then(|s| s.into_iter().reduce(|a, b| [a[0].max(b[0]), a[1].min(b[1])]))
    else {
        return Ok(None);
    };
    let mut rows = Vec::new();
    for mut s in stretches.into_iter().take(MOST_STRETCHES) {
        s.rpm = [s.rpm[0].max(low), s.rpm[1].min(high)];
        if s.rpm[1] - s.rpm[0] < LEAST_RPM {
            continue;
        }
        let over = Settings { band_rpm: Some(s.rpm), ..both.settings };
        let l = gathered.clone().judged(store, &over).await?;
        let gain = l.comparisons.first().and_then(|c| c.figure(Figure::BandMeanPower)).cloned();
        rows.push((s, gain.filter(|g| g.difference.is_some())));
    }
    Ok(Some(Did { date: step.date, with: step.with, sets: step.sets, rows }))
}

/// Compares a map with another of its vehicle: the one it was made from where nobody says.
///
/// # Errors
/// [`WorkflowError`] when there is no such map or the store refuses.
pub async fn two_maps(
    store: &Store,
    map_id: i64,
    other: Option<i64>,
    settings: &Settings,
) -> Result<TwoMaps, WorkflowError> {
    let vehicle = store.vehicle(store.vehicle_of_map(map_id).await?).await?;
    let maps = store.maps(vehicle.id).await?;
    let own =
        maps.iter().find(|m| m.id == map_id).ok_or(StoreError::NotFound { what: "map", id: map_id })?.clone();
    let parent = own.parent.as_ref().and_then(|p| maps.iter().find(|m| m.name == *p));
    let stock = maps.iter().find(|m| m.kind == "stock" && m.id != map_id);
    let other = match other {
        Some(id) => maps.iter().find(|m| m.id == id).cloned(),
        None => parent.or(stock).cloned(),
    };
    let listed = maps.into_iter().filter(|m| m.file.is_some() && m.id != map_id).collect();
    let sides = match other {
        None => Err("there is no other map to hold it against".to_owned()),
        Some(o) => match (map_text(store, &o).await?, map_text(store, &own).await?) {
            (Ok(a), Ok(b)) => {
                let d = difference(&a, &b);
                Ok((o, own, d))
            }
            (Err(e), _) | (_, Err(e)) => Err(e),
        },
    };
    let visits = match &sides {
        Ok((_, b, d)) if d.tables.iter().any(|t| t.changed > 0) => {
            let changed = d.tables.iter().filter(|t| t.changed > 0).map(|t| t.now.clone()).collect();
            visited(store, &vehicle, &b.name, changed).await?
        }
        _ => Vec::new(),
    };
    let did = match &sides {
        Ok((a, b, d)) if !visits.is_empty() => {
            did(store, &vehicle, [&a.name, &b.name], stretches(d, &visits), settings).await?
        }
        _ => None,
    };
    Ok(TwoMaps { vehicle, maps: listed, sides, visits, did })
}

/// Samples of the newest set with a map in each cell of some tables: the cell nearest to where the engine was.
async fn visited(
    store: &Store,
    vehicle: &VehicleRecord,
    map: &str,
    tables: Vec<Table>,
) -> Result<Vec<(String, Vec<Vec<u32>>)>, WorkflowError> {
    let mut newest = None;
    for day in store.days_of_vehicle(vehicle.id, DAYS).await? {
        let own = day_sets(store, day.id, vehicle).await?;
        newest = own.into_iter().rev().find(|s| s.set.config.map == map && !s.pulls.is_empty());
        if newest.is_some() {
            break;
        }
    }
    let Some(set) = newest else { return Ok(Vec::new()) };
    let asked =
        set.pulls.iter().filter(|(p, s)| s.measured.printed.is_none() && p.shares.is_none()).map(|(p, s)| {
            let (m, tables) = (s.measured.clone(), tables.clone());
            let read = move |dyno: Recording, ecu: Option<Recording>| {
                tables.iter().map(|t| hits(t, &dyno, ecu.as_ref(), &m)).collect::<Vec<_>>()
            };
            ((), p.id, read)
        });
    let asked: Vec<_> = asked.collect();
    let found = each_pull(store, vehicle.vehicle.engine.injections_per_rev(), asked).await?;
    let mut out = Vec::new();
    for (k, t) in tables.iter().enumerate() {
        let mut sum: Option<Vec<Vec<u32>>> = None;
        for h in found.iter().filter_map(|f| f.1[k].as_ref()) {
            let all = sum.get_or_insert_with(|| vec![vec![0; t.x.at.len()]; t.rows.len()]);
            for (row, own) in all.iter_mut().zip(h) {
                row.iter_mut().zip(own).for_each(|(a, b)| *a += b);
            }
        }
        out.extend(sum.map(|s| (t.name.clone(), s)));
    }
    Ok(out)
}

/// The place of an axis nearest to a value.
fn nearest(axis: &Axis, v: f64) -> usize {
    let i = axis.at.partition_point(|a| *a < v).min(axis.at.len() - 1);
    if i > 0 && v - axis.at[i - 1] < axis.at[i] - v { i - 1 } else { i }
}

/// Samples of a pull in each cell; `None` where an axis was not logged.
fn hits(t: &Table, dyno: &Recording, ecu: Option<&Recording>, m: &Measured) -> Option<Vec<Vec<u32>>> {
    let beside = m.beside(dyno, ecu);
    let along = beside.series(&t.x.channel)?;
    let down = match &t.y {
        Some(y) => Some((y, beside.series(&y.channel)?)),
        None => None,
    };
    let mut reader = down.as_ref().map(|(y, s)| (*y, s.reader()));
    let mut out = vec![vec![0; t.x.at.len()]; t.rows.len()];
    for (time, x) in along.t.iter().zip(&along.v) {
        let row = match &mut reader {
            Some((axis, r)) => match r.at(*time) {
                Some(v) => nearest(axis, v),
                None => continue,
            },
            None => 0,
        };
        out[row][nearest(&t.x, *x)] += 1;
    }
    Some(out)
}
