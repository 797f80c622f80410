//! Which map was made from which, what each step gained where both were pulled alike on one day, and what is in the unit.

use crate::alike::alike;
use crate::error::{WorkflowError, blocking};
use crate::sets::{read_sets, recent_days};
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::analysis::{Figure, FigureComparison, SetResult, Settings, compare_all};
use jamjar_core::limits::LimitOutcome;
use jamjar_core::maps::lineage::{Node, lineage};
use jamjar_core::software::{UnitSoftware, units};
use jamjar_store::{Flash, MapRecord, SetWithPulls, Store, VehicleRecord};
use std::collections::BTreeMap;

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;

/// What one step gained.
#[derive(Debug, Clone)]
pub struct StepGain {
    /// The gain of the newer over the older.
    pub gain: FigureComparison,
    /// The sets it stands on: older, newer.
    pub sets: [i64; 2],
    /// Their day.
    pub date: NaiveDate,
    /// What both were pulled with: fuel, boost, gear.
    pub with: Vec<String>,
    /// What each came to against every limit: older, newer.
    pub verdicts: [Vec<LimitOutcome>; 2],
}

/// A map on its place in the tree.
#[derive(Debug, Clone)]
pub struct OnTree {
    /// The map.
    pub map: MapRecord,
    /// Its place.
    pub node: Node,
    /// What the step from its parent gained; `None` where the two were never pulled alike on one day.
    pub step: Option<StepGain>,
    /// Newest day it was pulled.
    pub pulled: Option<NaiveDate>,
}

/// The maps of a vehicle.
#[derive(Debug, Clone)]
pub struct Lineage {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Maps, each under the one it was made from.
    pub tree: Vec<OnTree>,
    /// What went into the unit, newest first.
    pub flashes: Vec<Flash>,
    /// The map of the newest pulls, their day, and when the last of them began.
    pub newest: Option<(String, NaiveDate, Option<NaiveTime>)>,
    /// Software of its units.
    pub software: Vec<UnitSoftware>,
    /// Days it was read from.
    pub days: Vec<i64>,
}

impl Lineage {
    /// The newest pulls came after the last flash that was written down. A flash without a time goes before the pulls of
    /// its day, and so does one whose day's pulls have none.
    pub fn pulled_later(&self) -> bool {
        let (Some(f), Some((_, on, began))) = (self.flashes.first(), &self.newest) else { return true };
        let same_day = *on == f.on && f.at.zip(*began).is_none_or(|(flashed, began)| began > flashed);
        *on > f.on || same_day
    }
}

/// Reads the maps of a vehicle.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn read_lineage(
    store: &Store,
    vehicle: &VehicleRecord,
    figure: Figure,
    settings: &Settings,
) -> Result<Lineage, WorkflowError> {
    let maps = store.maps(vehicle.id).await?;
    let flashes = store.flashes(vehicle.id).await?;
    let software = units(&vehicle.sheet.software, &store.changed_on(vehicle.id).await?);
    let (ids, days): (Vec<i64>, Vec<Vec<SetWithPulls>>) =
        recent_days(store, vehicle, DAYS).await?.into_iter().unzip();
    let (vehicle, settings) = (vehicle.clone(), *settings);
    blocking(move || {
        let named: Vec<(&str, Option<&str>)> =
            maps.iter().map(|m| (m.name.as_str(), m.parent.as_deref())).collect();
        let nodes = lineage(&named);
        let name = |m: usize| maps[m].name.as_str();
        let pairs: Vec<(usize, &str, &str)> =
            nodes.iter().filter_map(|n| Some((n.map, name(n.parent?), name(n.map)))).collect();
        let steps = steps(&pairs, &days, &vehicle, figure, &settings);
        let pulled =
            |name: &str| days.iter().flatten().filter(|s| s.set.config.map == name).map(|s| s.set.date).max();
        let last = days.iter().flatten().max_by_key(|s| (s.set.date, s.set.position));
        let newest = last.map(|s| {
            let began = s.pulls.iter().filter_map(|p| p.0.started_at).max();
            (s.set.config.map.clone(), s.set.date, began)
        });
        let tree = nodes
            .into_iter()
            .map(|node| {
                let map = maps[node.map].clone();
                OnTree { step: steps.get(&node.map).cloned(), pulled: pulled(&map.name), map, node }
            })
            .collect();
        Lineage { vehicle, tree, flashes, newest, software, days: ids }
    })
    .await
}

/// What each of some steps, from an older map to a newer, gained on the newest day on which both were pulled with the same
/// of everything else; by the number each came with.
pub(crate) fn steps(
    wanted: &[(usize, &str, &str)],
    days: &[Vec<SetWithPulls>],
    vehicle: &VehicleRecord,
    figure: Figure,
    settings: &Settings,
) -> BTreeMap<usize, StepGain> {
    let mut out = BTreeMap::new();
    for day in days {
        // Pairs of this day that no newer day has told of.
        let mut pairs: Vec<(usize, usize, usize)> = Vec::new();
        for (key, older, newer) in wanted.iter().filter(|w| !out.contains_key(&w.0)) {
            let named = |m: &str| {
                let m = m.to_owned();
                move |s: &SetWithPulls| s.set.config.map == m
            };
            pairs.extend(alike(day, named(older), named(newer)).map(|[a, b]| (*key, a, b)));
        }
        if pairs.is_empty() {
            continue;
        }
        // Everything of the day lends its scatter.
        let read = read_sets(day.clone(), vehicle, settings);
        let results: Vec<SetResult> = read.iter().map(|s| s.result.clone()).collect();
        for (map, a, b) in pairs {
            let Some(c) = compare_all(&results, a, &[b], &vehicle.vehicle, settings).pop() else { continue };
            let Some(gain) = c.figure(figure).cloned() else { continue };
            let config = &day[b].set.config;
            let gear = if config.gear.is_empty() { String::new() } else { format!("gear {}", config.gear) };
            let with = [config.fuel.clone(), config.boost.clone(), gear];
            out.insert(
                map,
                StepGain {
                    gain,
                    sets: [day[a].set.id, day[b].set.id],
                    date: day[b].set.date,
                    with: with.into_iter().filter(|w| !w.is_empty()).collect(),
                    verdicts: [a, b].map(|k| read[k].verdicts.clone()),
                },
            );
        }
    }
    out
}
