//! Two map files in custody cell by cell, and where the pulls of the second ran.

use crate::error::WorkflowError;
use crate::map_text::map_text;
use crate::samples::each_pull;
use crate::sets::day_sets;
use jamjar_core::analysis::Measured;
use jamjar_core::log::Recording;
use jamjar_core::maps::difference::{MapDifference, difference};
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
}

/// Compares a map with another of its vehicle: the one it was made from where nobody says.
///
/// # Errors
/// [`WorkflowError`] when there is no such map or the store refuses.
pub async fn two_maps(store: &Store, map_id: i64, other: Option<i64>) -> Result<TwoMaps, WorkflowError> {
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
    Ok(TwoMaps { vehicle, maps: listed, sides, visits })
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
