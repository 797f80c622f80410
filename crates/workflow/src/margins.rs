//! What each map of a vehicle left of its margins, which of them nobody measured, and which map that speaks for.

use crate::error::{WorkflowError, blocking};
use crate::sets::{SetRead, day_sets, read_sets};
use jamjar_core::analysis::{Figure, Recommendation, SetResult, Settings, Wish, recommend};
use jamjar_core::factors::{Factors, differing};
use jamjar_core::limits::{Blind, LimitOutcome, blind_spots};
use jamjar_store::{SetWithPulls, Store, VehicleRecord};
use std::collections::BTreeSet;

/// Most sets in one view, and the days looked through for them, newest first (our choice: what fits a page).
pub const MOST: usize = 14;
const DAYS: i64 = 8;

/// What is asked for.
#[derive(Debug, Clone, Default)]
pub struct Asked {
    /// One day alone; else the newest set of every configuration.
    pub day: Option<i64>,
    /// Fuel and build a map is wanted for; the newest baseline's where nobody says.
    pub fuel: String,
    /// Build.
    pub build: String,
    /// Figure that counts.
    pub figure: Option<Figure>,
    /// Smallest gain that counts, in the figure's unit.
    pub smallest: Option<f64>,
}

/// Smallest gain that counts where nobody says, kW or N·m (our choice: what a driver notices).
pub const SMALLEST: f64 = 3.0;

/// Margins of some sets.
#[derive(Debug, Clone)]
pub struct Margins {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Sets: of a day in the order of running, else by map in the order of their revisions.
    pub sets: Vec<SetRead>,
    /// Names of the factors in which they differ.
    pub varying: BTreeSet<String>,
    /// Sensors that are missing, the one that decides most first.
    pub blind: Vec<Blind>,
    /// Fuels and builds there are to choose from.
    pub fuels: Vec<String>,
    /// Builds.
    pub builds: Vec<String>,
    /// Fuel and build of the recommendation.
    pub wanted: [String; 2],
    /// Which map; `None` where no set can be a baseline on this fuel and build.
    pub recommended: Option<Recommendation>,
    /// Sets that were not shown, for want of room.
    pub more: usize,
}

impl Margins {
    /// Results of the sets, in order.
    pub fn results(&self) -> Vec<SetResult> {
        self.sets.iter().map(|s| s.result.clone()).collect()
    }
}

/// Reads the margins of a vehicle.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn margins(
    store: &Store,
    vehicle: &VehicleRecord,
    asked: &Asked,
    settings: &Settings,
) -> Result<Margins, WorkflowError> {
    let mut sets: Vec<SetWithPulls> = Vec::new();
    let (mut more, mut fuels) = (0, BTreeSet::new());
    match asked.day {
        Some(day) => sets = day_sets(store, day, vehicle).await?,
        None => {
            let mut seen: BTreeSet<Factors> = BTreeSet::new();
            for day in store.days_of_vehicle(vehicle.id, DAYS).await? {
                let day = day_sets(store, day.id, vehicle).await?;
                sets.extend(day.into_iter().filter(|s| seen.insert(s.set.config.factors())));
            }
        }
    }
    sets.retain(|s| !s.pulls.is_empty());
    if asked.day.is_none() {
        let (maps, _) = store.known_names(vehicle.id).await?;
        let rank = |s: &SetWithPulls| {
            let stock = s.set.config.map_kind != "stock";
            let map = maps.iter().position(|m| *m == s.set.config.map).unwrap_or(usize::MAX);
            (stock, map, s.set.config.fuel.clone(), s.set.config.boost.clone())
        };
        sets.sort_by_key(rank);
    }
    // More than fit: those on the fuel that is asked about, the newest of them.
    if sets.len() > MOST && asked.day.is_none() {
        let all = sets.len();
        let newest = |s: &SetWithPulls| (s.set.date, s.set.position);
        let usual = sets.iter().max_by_key(|s| newest(s)).map(|s| s.set.config.fuel.clone());
        let fuel = if asked.fuel.is_empty() { usual.unwrap_or_default() } else { asked.fuel.clone() };
        fuels = sets.iter().map(|s| s.set.config.fuel.clone()).collect();
        sets.retain(|s| s.set.config.fuel == fuel);
        while sets.len() > MOST {
            let oldest = (0..sets.len()).min_by_key(|i| newest(&sets[*i])).unwrap_or(0);
            sets.remove(oldest);
        }
        more = all - sets.len();
    }
    let (vehicle, asked, settings) = (vehicle.clone(), asked.clone(), *settings);
    let out = blocking(move || put_together(vehicle, sets, &asked, &settings, more)).await?;
    fuels.extend(out.fuels.iter().cloned());
    Ok(Margins { fuels: fuels.into_iter().collect(), ..out })
}

fn put_together(
    vehicle: VehicleRecord,
    sets: Vec<SetWithPulls>,
    asked: &Asked,
    settings: &Settings,
    more: usize,
) -> Margins {
    let each = |f: fn(&SetWithPulls) -> &String| {
        let all: BTreeSet<String> = sets.iter().map(|s| f(s).clone()).filter(|v| !v.is_empty()).collect();
        all.into_iter().collect::<Vec<_>>()
    };
    let (fuels, builds) = (each(|s| &s.set.config.fuel), each(|s| &s.set.config.build));
    let newest = sets.iter().max_by_key(|s| (s.set.date, s.set.position)).map(|s| &s.set.config);
    let or = |said: &str, usual: Option<&String>| {
        if said.is_empty() { usual.cloned().unwrap_or_default() } else { said.to_owned() }
    };
    let fuel = or(&asked.fuel, newest.map(|c| &c.fuel));
    // Where most maps stand beside each other, the question can be answered.
    let on = |build: &String| {
        let same = |s: &&SetWithPulls| s.set.config.fuel == fuel && s.set.config.build == *build;
        sets.iter().filter(same).count()
    };
    let wanted = [fuel.clone(), or(&asked.build, builds.iter().max_by_key(|b| on(b)))];
    let sets = read_sets(sets, &vehicle, settings);
    let verdicts: Vec<&[LimitOutcome]> = sets.iter().map(|s| s.verdicts.as_slice()).collect();
    let blind = blind_spots(&verdicts, &vehicle.limits);
    let wish = Wish {
        figure: asked.figure.unwrap_or(Figure::PeakPower),
        smallest: asked.smallest.unwrap_or(SMALLEST),
    };
    let recommended = recommended(&sets, &vehicle, &wanted, settings, wish);
    let varying = varying(&sets);
    Margins { vehicle, sets, varying, blind, fuels, builds, wanted, recommended, more }
}

/// Names of the factors in which sets differ.
pub(crate) fn varying(sets: &[SetRead]) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    let Some(first) = sets.first().map(|s| s.stored.set.config.factors()) else { return out };
    for s in &sets[1..] {
        out.extend(differing(&first, &s.stored.set.config.factors()));
    }
    out
}

/// Maps on one fuel and build against its stock set, or where there is none on this fuel the vehicle's newest.
fn recommended(
    sets: &[SetRead],
    vehicle: &VehicleRecord,
    [fuel, build]: &[String; 2],
    settings: &Settings,
    wish: Wish,
) -> Option<Recommendation> {
    let config = |i: usize| &sets[i].stored.set.config;
    let on = |i: &usize| config(*i).fuel == *fuel && config(*i).build == *build && sets[*i].result.n() > 0;
    let mut eligible: Vec<usize> = (0..sets.len()).filter(on).collect();
    let stock = |i: &usize| config(*i).map_kind == "stock";
    let date = |i: &usize| sets[*i].stored.set.date;
    let base = eligible.iter().copied().filter(stock).max_by_key(date);
    let base =
        base.or_else(|| (0..sets.len()).filter(|i| stock(i) && sets[*i].result.n() > 0).max_by_key(date))?;
    // A baseline on another fuel is none of the maps for this one, and everything is held against it all the same.
    eligible.retain(|i| config(*i).gear == config(base).gear);
    let results: Vec<SetResult> = sets.iter().map(|s| s.result.clone()).collect();
    let logged = |i: usize| sets[i].logged();
    Some(recommend(&results, base, &eligible, (&vehicle.vehicle, &vehicle.limits), settings, wish, &logged))
}
