//! Which map on which fuel should go home in a vehicle: the recommendation over everything that was pulled in one build,
//! and fuel by fuel; what it costs to run; what would make it surer; what the revision usually gains elsewhere.

use crate::error::{WorkflowError, blocking};
use crate::margins::{Margins, SMALLEST, varying};
use crate::release::{Gained, gained};
use crate::sets::{SetRead, recent_days};
use crate::shelf::{OnShelf, of_day};
use jamjar_core::analysis::{
    Figure, FigureComparison, HeldAgainst, Recommendation, SetResult, Settings, Wish, recommend_held,
};
use jamjar_core::factors::Factors;
use jamjar_core::limits::{LimitOutcome, blind_spots};
use jamjar_core::stats::plan::pulls_needed;
use jamjar_core::stats::release::{OnVehicle, Release, release};
use jamjar_store::{FuelRecord, MapRecord, SetWithPulls, Store, VehicleRecord};
use std::collections::BTreeSet;

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;
/// Most configurations weighed (our choice).
const MOST: usize = 80;

/// What is asked for.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Asked {
    /// Build state; the newest where blank.
    pub build: String,
    /// Figure that counts.
    pub figure: Option<Figure>,
    /// Smallest gain that counts, in its unit.
    pub smallest: Option<f64>,
    /// Consumption on the baseline's fuel, L for 100 km.
    pub per_100_km: Option<f64>,
}

/// One fuel.
#[derive(Debug, Clone)]
pub struct OnFuel {
    /// Its name.
    pub fuel: String,
    /// Which map on it; `None` where nothing can be a baseline.
    pub recommended: Option<Recommendation>,
    /// What 100 km cost on it: litres, and money where a price is known.
    pub per_100_km: Option<(f64, Option<f64>)>,
    /// What one pull burns, L, and what that costs: by the fuel flow that was logged.
    pub per_pull: Option<(f64, Option<f64>)>,
}

/// A set that would make it surer.
#[derive(Debug, Clone, PartialEq)]
pub enum Next {
    /// More pulls of two that are not told apart.
    Tell {
        /// Which two.
        sets: [usize; 2],
        /// How many of each it takes in all.
        pulls: u32,
        /// How many there are.
        have: [usize; 2],
    },
    /// A map on a fuel it was never pulled on.
    NeverPulled {
        /// The whole configuration.
        factors: Factors,
    },
}

/// What the shop usually gets from the recommended revision.
#[derive(Debug, Clone)]
pub struct Usually {
    /// The map.
    pub map: String,
    /// Gains, this vehicle's among them.
    pub gains: Vec<Gained>,
    /// Over the other vehicles; `None` where they are too few.
    pub others: Option<Release>,
    /// This vehicle's own gain.
    pub own: Option<OnVehicle>,
}

/// The price of a map beside its gains.
#[derive(Debug, Clone)]
pub struct Priced {
    /// Its name.
    pub map: String,
    /// Money, in the shop's currency.
    pub price: f64,
    /// Its gain in the figure that counts, then in band-mean power.
    pub gains: Vec<FigureComparison>,
}

/// The whole.
#[derive(Debug, Clone)]
pub struct Decision {
    /// Sets, blind spots and the recommendation over every fuel.
    pub all: Margins,
    /// For each set the one it is held against.
    pub bases: Vec<Option<i64>>,
    /// Fuel by fuel, most sets first.
    pub fuels: Vec<OnFuel>,
    /// What to pull next.
    pub next: Vec<Next>,
    /// The recommended revision elsewhere.
    pub usually: Option<Usually>,
    /// What the recommended map costs, if that is known, and what it gained against the baseline of its day.
    pub price: Option<Priced>,
    /// Days it was read from.
    pub days: Vec<i64>,
}

/// Weighs everything that was pulled with a vehicle.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn decision(
    store: &Store,
    vehicle: &VehicleRecord,
    asked: &Asked,
    settings: &Settings,
) -> Result<Decision, WorkflowError> {
    let (ids, days): (Vec<i64>, Vec<Vec<SetWithPulls>>) =
        recent_days(store, vehicle, DAYS).await?.into_iter().unzip();
    let (records, maps) = (store.fuel_records().await?, store.maps(vehicle.id).await?);
    let (v, a, s, m) = (vehicle.clone(), asked.clone(), *settings, maps.clone());
    let mut out = blocking(move || put_together(v, days, &a, &s, &records, &m)).await?;
    out.days = ids;
    let first = out.all.recommended.as_ref().and_then(|r| Some(r.candidates[r.first?].set));
    let config = first.map(|i| out.all.sets[i].stored.set.config.clone());
    if let Some(c) = config.filter(|c| c.map_kind != "stock")
        && let Some(map) = maps.iter().find(|m| m.name == c.map)
    {
        let figure = asked.figure.unwrap_or(Figure::PeakPower);
        let mut gains = gained(store, map.id, figure, settings).await?;
        let place = vehicle.vehicle.dyno.kind.place();
        gains.retain(|g| g.place == place);
        if gains.len() > 1 {
            let own = gains.iter().find(|g| g.vehicle_id == vehicle.id).map(|g| g.gain);
            let others: Vec<OnVehicle> =
                gains.iter().filter(|g| g.vehicle_id != vehicle.id).map(|g| g.gain).collect();
            out.usually = Some(Usually { map: c.map, others: release(&others), own, gains });
        }
    }
    Ok(out)
}

fn put_together(
    vehicle: VehicleRecord,
    days: Vec<Vec<SetWithPulls>>,
    asked: &Asked,
    settings: &Settings,
    records: &[FuelRecord],
    maps: &[MapRecord],
) -> Decision {
    let builds: BTreeSet<String> =
        days.iter().flatten().map(|s| s.set.config.build.clone()).filter(|b| !b.is_empty()).collect();
    let newest = days.iter().flatten().next().map_or_else(String::new, |s| s.set.config.build.clone());
    let build = if builds.contains(&asked.build) { asked.build.clone() } else { newest };
    let wish = Wish {
        figure: asked.figure.unwrap_or(Figure::PeakPower),
        smallest: asked.smallest.unwrap_or(SMALLEST),
    };
    // The last set of a configuration counts; days come newest first. Each is held against its own day's baseline.
    let mut seen: BTreeSet<Factors> = BTreeSet::new();
    let mut weighed: Vec<OnShelf> = Vec::new();
    for day in days {
        let fresh: Vec<usize> = (0..day.len())
            .rev()
            .filter(|i| day[*i].set.config.build == build && seen.insert(day[*i].set.config.factors()))
            .take(MOST.saturating_sub(weighed.len()))
            .collect();
        weighed.extend(of_day(day, &fresh, &vehicle, wish.figure, settings, "boost"));
    }
    let sets: Vec<SetRead> = weighed.iter().map(|o| o.set.clone()).collect();
    let bases = weighed.iter().map(|o| o.base).collect();
    let mut fuels: Vec<String> = sets.iter().map(|s| s.stored.set.config.fuel.clone()).collect();
    fuels.sort();
    fuels.dedup();
    let count = |f: &String| sets.iter().filter(|s| s.stored.set.config.fuel == *f).count();
    fuels.sort_by_key(|f| std::cmp::Reverse(count(f)));
    let results: Vec<SetResult> = sets.iter().map(|s| s.result.clone()).collect();
    let of = |fuel: Option<&str>| among(&weighed, &results, &vehicle, fuel, settings, wish);
    let overall = of(None);
    let base_fuel = weighed.iter().find(|o| o.is_base).map(|o| o.set.stored.set.config.fuel.clone());
    let record = |fuel: &str| records.iter().map(|r| &r.said).find(|s| s.name == fuel);
    let engine = &vehicle.vehicle.engine;
    let burns = |fuel: &str| record(fuel).and_then(|s| engine.burns(&s.facts()));
    let on_fuel = |fuel: &String| {
        let price = record(fuel).and_then(|r| r.price);
        let per_100_km = asked.per_100_km.and_then(|l| {
            let ratio = burns(fuel)?.volume_flow() / burns(base_fuel.as_ref()?)?.volume_flow();
            Some((l * ratio, price.map(|p| p * l * ratio)))
        });
        let burnt = burns(fuel).and_then(|b| burnt_l(&sets, fuel, b.density_kg_l));
        OnFuel {
            recommended: of(Some(fuel)),
            per_100_km,
            per_pull: burnt.map(|l| (l, price.map(|p| p * l))),
            fuel: fuel.clone(),
        }
    };
    let on_fuels: Vec<OnFuel> = fuels.iter().map(on_fuel).collect();
    let verdicts: Vec<&[LimitOutcome]> = sets.iter().map(|s| s.verdicts.as_slice()).collect();
    let blind = blind_spots(&verdicts, &vehicle.limits);
    let all = Margins {
        vehicle,
        blind,
        fuels,
        builds: builds.into_iter().collect(),
        wanted: [String::new(), build],
        recommended: overall,
        more: 0,
        varying: varying(&sets),
        sets,
    };
    let next = next(&all, maps, wish);
    let price = priced(&all, &weighed, maps, wish.figure);
    Decision { all, bases, fuels: on_fuels, next, usually: None, price, days: Vec::new() }
}

/// What the recommended map costs and gained; a stock map costs nothing.
fn priced(all: &Margins, weighed: &[OnShelf], maps: &[MapRecord], figure: Figure) -> Option<Priced> {
    let recommended = all.recommended.as_ref()?;
    let first = &weighed[recommended.candidates[recommended.first?].set];
    let config = &first.set.stored.set.config;
    let map = maps.iter().find(|m| m.name == config.map && config.map_kind != "stock")?;
    let mean = first.mean_gain.as_ref().filter(|_| figure != Figure::BandMeanPower);
    let gains = first.gain.iter().chain(mean).cloned().collect();
    Some(Priced { map: map.name.clone(), price: map.price?, gains })
}

/// The recommendation among the sets on a fuel, or on any, each against the baseline of its day.
fn among(
    weighed: &[OnShelf],
    results: &[SetResult],
    vehicle: &VehicleRecord,
    fuel: Option<&str>,
    settings: &Settings,
    wish: Wish,
) -> Option<Recommendation> {
    let on = |i: usize| fuel.is_none_or(|f| weighed[i].set.stored.set.config.fuel == f);
    let eligible: Vec<usize> = (0..results.len()).filter(|i| on(*i) && results[*i].n() > 0).collect();
    if eligible.is_empty() || weighed.iter().all(|o| o.base.is_none()) {
        return None;
    }
    let base = eligible.iter().copied().find(|i| weighed[*i].is_base);
    let logged = |i: usize| weighed[i].set.logged();
    let held = |i: usize| match &weighed[i] {
        o if o.is_base => HeldAgainst::Baseline,
        o => o.gain.clone().map_or(HeldAgainst::Nothing, HeldAgainst::By),
    };
    let engine = (&vehicle.vehicle, vehicle.limits.as_slice());
    Some(recommend_held(results, base, &eligible, engine, settings, wish, &logged, &held))
}

/// Litres a pull on a fuel burns, by its logged fuel flow: the mean over its pulls.
fn burnt_l(sets: &[SetRead], fuel: &str, density: f64) -> Option<f64> {
    let pulls = sets.iter().filter(|s| s.stored.set.config.fuel == fuel).flat_map(|s| &s.measured);
    let each: Vec<f64> = pulls
        .filter_map(|m| {
            let flow = m.channels.iter().find(|c| c.channel.as_str() == "fuel_flow")?.mean;
            let span = m.span.as_ref()?;
            Some(flow * (span.to_s - span.from_s) / (1000.0 * density))
        })
        .filter(|l| l.is_finite() && *l > 0.0)
        .collect();
    (!each.is_empty()).then(|| each.iter().sum::<f64>() / each.len() as f64)
}

/// What would make the answer surer: pulls that tell the first from the second, and the first on fuels it was never
/// pulled on, unless it is made for another.
fn next(m: &Margins, maps: &[MapRecord], wish: Wish) -> Vec<Next> {
    let mut out = Vec::new();
    let Some(r) = &m.recommended else { return out };
    let Some(first) = r.first.map(|i| &r.candidates[i]) else { return out };
    if let Some(up) = r.runner_up.filter(|_| r.separated() == Some(false)) {
        let sets = [first.set, r.candidates[up.at].set];
        let results = sets.map(|i| m.sets[i].result.figure(wish.figure));
        let sd = results.iter().filter_map(|f| f.sd).reduce(f64::max);
        let have = sets.map(|i| m.sets[i].result.n());
        if let Some(needed) = sd.and_then(|sd| pulls_needed(sd, wish.smallest).ok()) {
            out.push(Next::Tell { sets, pulls: needed.pulls_per_set, have });
        }
    }
    let config = &m.sets[first.set].stored.set.config;
    let made_for = maps.iter().find(|x| x.name == config.map).and_then(|x| x.for_fuel.clone());
    for fuel in &m.fuels {
        let pulled =
            m.sets.iter().any(|s| s.stored.set.config.map == config.map && s.stored.set.config.fuel == *fuel);
        if !pulled && made_for.as_ref().is_none_or(|f| f == fuel) && config.map_kind != "stock" {
            let mut factors = config.factors();
            factors.insert("fuel".into(), fuel.clone());
            out.push(Next::NeverPulled { factors });
        }
    }
    out
}
