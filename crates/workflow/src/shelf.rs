//! The Shelf: every configuration of a vehicle that was pulled, two factors across each other, the rungs of a third side
//! by side, each with what it gained and what margin it used.

use crate::error::{WorkflowError, blocking};
use crate::ladder::{NextOf, next_of};
use crate::sets::{SetRead, baseline_of, read_sets, recent_days};
use jamjar_core::analysis::{Figure, FigureComparison, SetResult, Settings, compare_all};
use jamjar_core::factors::Factors;
use jamjar_core::factors::rungs::by_size;
use jamjar_store::{SetWithPulls, Store, VehicleRecord};
use std::collections::{BTreeMap, BTreeSet};

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;
/// Most configurations on one Shelf (our choice: 200 stay readable).
pub const MOST: usize = 240;

/// What is asked for; what is blank is the usual.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Asked {
    /// Factor of the shelves; `map` where blank.
    pub rows: String,
    /// Factor of the columns; `fuel` where blank.
    pub columns: String,
    /// Factor of the jars on one spot; `boost` where blank.
    pub jars: String,
    /// Build state and gear; those of most sets where blank, `all` for every one.
    pub build: String,
    /// Gear.
    pub gear: String,
    /// Figure on the labels.
    pub figure: Option<Figure>,
}

impl Asked {
    /// Factors of the shelves, of the columns and of the jars on one spot.
    pub fn axes(&self) -> [String; 3] {
        let or = |said: &str, usual: &str| if said.is_empty() { usual.to_owned() } else { said.to_owned() };
        [or(&self.rows, "map"), or(&self.columns, "fuel"), or(&self.jars, "boost")]
    }
}

/// A configuration that was pulled.
#[derive(Debug, Clone)]
pub struct OnShelf {
    /// Its newest set.
    pub set: SetRead,
    /// The value of the third factor; blank where it has none.
    pub rung: String,
    /// Against the baseline of its day; `None` where there is none, or it is one.
    pub gain: Option<FigureComparison>,
    /// The same in band-mean power.
    pub mean_gain: Option<FigureComparison>,
    /// The set it is held against.
    pub base: Option<i64>,
    /// It is a baseline itself.
    pub is_base: bool,
    /// Other configurations on the same spot, that differ in what is no axis here.
    pub hides: usize,
}

/// One place where a shelf and a column cross.
#[derive(Debug, Clone, Default)]
pub struct Spot {
    /// What stands there, rungs ascending.
    pub jars: Vec<OnShelf>,
    /// The rung above the highest, kPa gauge, and what it would do, the worst first; where the jars are rungs of boost.
    pub next: Option<(f64, Vec<NextOf>)>,
}

/// A Shelf.
#[derive(Debug, Clone)]
pub struct Shelf {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Names of the three factors.
    pub axes: [String; 3],
    /// Factors there are to choose from.
    pub factors: Vec<String>,
    /// Build states there are.
    pub builds: Vec<String>,
    /// Gears there are.
    pub gears: Vec<String>,
    /// The build state shown; blank is every one.
    pub build: String,
    /// The gear shown; blank is every one.
    pub gear: String,
    /// Values of the rows.
    pub rows: Vec<String>,
    /// Values of the columns.
    pub columns: Vec<String>,
    /// Row by row.
    pub spots: Vec<Vec<Spot>>,
    /// Configurations there are.
    pub configurations: usize,
    /// Those left out for want of room.
    pub more: usize,
    /// Days it was read from.
    pub days: Vec<i64>,
}

impl Shelf {
    /// Every jar, row by row.
    pub fn jars(&self) -> impl Iterator<Item = &OnShelf> {
        self.spots.iter().flatten().flat_map(|spot| &spot.jars)
    }
}

/// The value most of a list have; blank of none.
fn usual<'a>(values: impl Iterator<Item = &'a str>) -> String {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    values.filter(|v| !v.is_empty()).for_each(|v| *counts.entry(v).or_default() += 1);
    counts.into_iter().max_by_key(|c| c.1).map_or_else(String::new, |c| c.0.to_owned())
}

/// Reads the Shelf of a vehicle.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn shelf(
    store: &Store,
    vehicle: &VehicleRecord,
    asked: &Asked,
    settings: &Settings,
) -> Result<Shelf, WorkflowError> {
    let (ids, days) = recent_days(store, vehicle, DAYS).await?.into_iter().unzip();
    let (maps, fuels) = store.known_names(vehicle.id).await?;
    let (vehicle, asked, settings) = (vehicle.clone(), asked.clone(), *settings);
    let out = blocking(move || put_together(vehicle, days, &asked, &settings, [&maps, &fuels])).await?;
    Ok(Shelf { days: ids, ..out })
}

fn put_together(
    vehicle: VehicleRecord,
    days: Vec<Vec<SetWithPulls>>,
    asked: &Asked,
    settings: &Settings,
    [maps, fuels]: [&[String]; 2],
) -> Shelf {
    let axes = asked.axes();
    let all = || days.iter().flatten();
    let each = |f: fn(&SetWithPulls) -> &String| {
        let values: BTreeSet<String> = all().map(|s| f(s).clone()).filter(|v| !v.is_empty()).collect();
        let mut values: Vec<String> = values.into_iter().collect();
        values.sort_by(|a, b| by_size(a, b));
        values
    };
    let (builds, gears) = (each(|s| &s.set.config.build), each(|s| &s.set.config.gear));
    let one_of = |said: &str, axis: &str, known: &[String], usual: String| match said {
        _ if axes.iter().any(|a| a == axis) => String::new(),
        "all" => String::new(),
        s if known.iter().any(|k| k == s) => s.to_owned(),
        _ => usual,
    };
    let newest_build = all().next().map_or_else(String::new, |s| s.set.config.build.clone());
    let build = one_of(&asked.build, "build", &builds, newest_build);
    let of_build = || all().filter(|s| build.is_empty() || s.set.config.build == build);
    let gear = one_of(&asked.gear, "gear", &gears, usual(of_build().map(|s| s.set.config.gear.as_str())));
    let fits = |s: &SetWithPulls| {
        let c = &s.set.config;
        (build.is_empty() || c.build == build) && (gear.is_empty() || c.gear == gear)
    };
    let factors: BTreeSet<String> = all().flat_map(|s| s.set.config.factors().into_keys()).collect();
    let figure = asked.figure.unwrap_or(Figure::PeakPower);
    let mut seen: BTreeSet<Factors> = BTreeSet::new();
    let (mut on_shelf, mut configurations): (Vec<OnShelf>, usize) = (Vec::new(), 0);
    for day in days {
        let wanted: Vec<usize> = (0..day.len()).filter(|i| fits(&day[*i])).collect();
        // Of sets that were run again the last counts for the day; days come newest first.
        let fresh: Vec<usize> =
            wanted.into_iter().rev().filter(|i| seen.insert(day[*i].set.config.factors())).collect();
        configurations += fresh.len();
        let room = MOST.saturating_sub(on_shelf.len());
        on_shelf.extend(of_day(day, &fresh[..fresh.len().min(room)], &vehicle, figure, settings, &axes[2]));
    }
    let more = configurations - on_shelf.len();
    let known = |axis: &str| match axis {
        "map" => maps,
        "fuel" => fuels,
        _ => &[],
    };
    let value =
        |s: &OnShelf, axis: &str| s.set.stored.set.config.factors().get(axis).cloned().unwrap_or_default();
    let values = |axis: &String| {
        let all: BTreeSet<String> = on_shelf.iter().map(|s| value(s, axis)).collect();
        let mut all: Vec<String> = all.into_iter().collect();
        let rank = |v: &String| known(axis).iter().position(|k| k == v).unwrap_or(usize::MAX);
        let stock = |v: &String| {
            let of = |s: &OnShelf| {
                s.set.stored.set.config.map_kind == "stock" && s.set.stored.set.config.map == *v
            };
            !(axis == "map" && on_shelf.iter().any(of))
        };
        all.sort_by(|a, b| stock(a).cmp(&stock(b)).then(rank(a).cmp(&rank(b))).then_with(|| by_size(a, b)));
        all
    };
    let (rows, columns) = (values(&axes[0]), values(&axes[1]));
    let mut spots = vec![vec![Spot::default(); columns.len()]; rows.len()];
    for s in on_shelf {
        let at = |values: &[String], axis: &String| values.iter().position(|v| *v == value(&s, axis));
        let (Some(i), Some(j)) = (at(&rows, &axes[0]), at(&columns, &axes[1])) else { continue };
        let jars = &mut spots[i][j].jars;
        match jars.iter_mut().find(|o| o.rung == s.rung) {
            Some(newer) => newer.hides += 1,
            None => jars.push(s),
        }
    }
    for s in spots.iter_mut().flatten() {
        s.jars.sort_by(|a, b| by_size(&a.rung, &b.rung));
        if axes[2] == "boost" && s.jars.len() > 1 {
            s.next = next_of(s.jars.iter().map(|o| o.set.clone()).collect(), &vehicle.limits);
        }
    }
    Shelf {
        vehicle,
        axes,
        factors: factors.into_iter().collect(),
        builds,
        gears,
        build,
        gear,
        rows,
        columns,
        spots,
        configurations,
        more,
        days: Vec::new(),
    }
}

/// The sets of a day that stand on the Shelf, held against the day's own baseline.
pub(crate) fn of_day(
    day: Vec<SetWithPulls>,
    fresh: &[usize],
    vehicle: &VehicleRecord,
    figure: Figure,
    settings: &Settings,
    rungs: &str,
) -> Vec<OnShelf> {
    let base_of = |s: &SetWithPulls| {
        let id = baseline_of(&day, &s.set.config.gear)?.set.id;
        day.iter().position(|s| s.set.id == id)
    };
    let bases: Vec<Option<usize>> = day.iter().map(base_of).collect();
    let ids: Vec<i64> = day.iter().map(|s| s.set.id).collect();
    let factors: Vec<Factors> = day.iter().map(|s| s.set.config.factors()).collect();
    // Everything of the day lends its scatter.
    let read = read_sets(day, vehicle, settings);
    let results: Vec<SetResult> = read.iter().map(|s| s.result.clone()).collect();
    let mut gains: BTreeMap<usize, [Option<FigureComparison>; 2]> = BTreeMap::new();
    for base in fresh.iter().filter_map(|i| bases[*i]).collect::<BTreeSet<_>>() {
        let same = |i: &usize| bases[*i] == Some(base) && factors[*i] != factors[base];
        let candidates: Vec<usize> = fresh.iter().copied().filter(same).collect();
        for c in compare_all(&results, base, &candidates, &vehicle.vehicle, settings) {
            gains.insert(c.candidate, [figure, Figure::BandMeanPower].map(|f| c.figure(f).cloned()));
        }
    }
    let mut read: Vec<Option<SetRead>> = read.into_iter().map(Some).collect();
    let mut shown = Vec::new();
    for &i in fresh {
        let Some(set) = read[i].take() else { continue };
        let [gain, mean_gain] = gains.remove(&i).unwrap_or_default();
        shown.push(OnShelf {
            rung: factors[i].get(rungs).cloned().unwrap_or_default(),
            gain,
            mean_gain,
            base: bases[i].map(|b| ids[b]),
            is_base: bases[i].is_some_and(|b| factors[b] == factors[i]),
            set,
            hides: 0,
        });
    }
    shown
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_most_have_is_the_usual() {
        assert_eq!(usual(["4", "3", "4", ""].into_iter()), "4");
        assert_eq!(usual(std::iter::empty()), "");
    }
}
