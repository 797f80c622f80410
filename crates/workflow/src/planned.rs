//! A day's plan: what is planned for its vehicle, ordered by the clock, the tanks and the heat of its cell.

use crate::error::{WorkflowError, blocking};
use crate::sets::{SetRead, baseline_of, day_sets, read_sets, recent_days};
use chrono::{NaiveDate, NaiveTime};
use jamjar_core::analysis::{Figure, Settings};
use jamjar_core::factors::{Factors, meant_for, says};
use jamjar_core::planning::{
    Baseline, Day as Cell, Drop, FuelOnHand, Now, Pace, Plan, PlanError, Short, Wanted, plan, to_fit,
};
use jamjar_core::stats::plan::pulls_needed;
use jamjar_core::stats::pooled::within;
use jamjar_store::{Day, Store, VehicleRecord};
use standing::{became, lower_rung, rung_of, since, tank_now};

mod standing;

/// Most pulls of one set that are proposed (our choice: heat and wear decide before statistics does).
const MOST_PULLS: u32 = 12;
/// Days looked back through for the scatter of pulls, where the day itself has none, and for lower rungs.
const DAYS: i64 = 6;
/// Share of a pull's peak that its mean is, and brake energy to heat left in the cell, where the absorber and the
/// radiator stand in it (our choice; exhaust goes out).
const MEAN_SHARE: f64 = 0.7;
const HEAT_A_KJ: f64 = 2.0;

/// What the calibrator says of a day.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// Time there is, h.
    pub hours: Option<f64>,
    /// When it begins.
    pub begins: NaiveTime,
    /// Smallest gain worth knowing, kW.
    pub difference_kw: Option<f64>,
    /// Sets after which the baseline comes again; 0 for first and last only.
    pub every: usize,
    /// How long things take.
    pub pace: Pace,
    /// A pull's sweep, s.
    pub sweep_s: f64,
    /// To drain, rinse and fill, min.
    pub change_min: f64,
    /// What rinsing takes, L.
    pub rinse_l: f64,
    /// What a pull takes of gasoline, L.
    pub litres: f64,
    /// What the tank holds, L.
    pub tank_l: f64,
    /// What stays in it, L.
    pub reserve_l: f64,
    /// Planned sets in an order of one's own, by id; empty for the quickest.
    pub order: Vec<i64>,
}

/// What is taken until somebody says otherwise (our choice).
impl Default for Asked {
    fn default() -> Self {
        Self {
            hours: None,
            begins: NaiveTime::from_hms_opt(9, 0, 0).unwrap_or_default(),
            difference_kw: None,
            every: 4,
            pace: Pace {
                pull_min: 1.5,
                cool_min: 3.0,
                sheds_kw: None,
                warm_up_min: 15.0,
                flash_min: 6.0,
                top_up_min: 4.0,
            },
            sweep_s: 12.0,
            change_min: 25.0,
            rinse_l: 4.0,
            litres: 0.6,
            tank_l: 45.0,
            reserve_l: 6.0,
            order: Vec::new(),
        }
    }
}

/// A planned set.
#[derive(Debug, Clone, PartialEq)]
pub struct PlannedSet {
    /// Id of the plan's line.
    pub id: i64,
    /// What to pull.
    pub factors: Factors,
    /// Pulls of it.
    pub pulls: u32,
    /// Fuels its map is meant for, in words; `None` where nobody said.
    pub meant_for: Option<String>,
    /// The highest lower rung of it that was pulled, and when.
    pub lower: Option<(String, NaiveDate)>,
}

/// The scatter of single pulls.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scatter {
    /// Standard deviation of peak power, kW, pooled over sets.
    pub sd_kw: f64,
    /// Pulls it comes from, less one a set.
    pub df: usize,
    /// Whether it is this day's own.
    pub of_the_day: bool,
}

/// An ordered day.
#[derive(Debug, Clone)]
pub struct PlannedDay {
    /// What is planned, in the order the plan's numbers count.
    pub sets: Vec<PlannedSet>,
    /// Everything is held against it.
    pub baseline: Factors,
    /// Names of fuels, as the plan's numbers count.
    pub fuels: Vec<String>,
    /// What the plan was made of.
    pub wanted: Vec<Wanted>,
    /// The cell.
    pub cell: Cell,
    /// The quickest order found.
    pub quickest: Plan,
    /// The order somebody chose, where it can be.
    pub own: Option<Plan>,
    /// What there is too little of.
    pub short: Vec<Short>,
    /// Wishes to drop for it.
    pub drops: Vec<Drop>,
    /// Scatter of single pulls; `None` where nothing was pulled twice.
    pub scatter: Option<Scatter>,
    /// Pulls a set that the wanted difference takes, also where fewer are proposed; `None` where none is wanted or the
    /// scatter is not known.
    pub needed: Option<u32>,
    /// Whether anything tells how much heat a pull leaves.
    pub heat_known: bool,
    /// When the plan begins: now, on a day under way.
    pub begins: NaiveTime,
}

impl PlannedDay {
    /// The order that is shown.
    pub fn plan(&self) -> &Plan {
        self.own.as_ref().unwrap_or(&self.quickest)
    }
}

/// Numbers for names, in the order they come.
#[derive(Default)]
struct Names(Vec<String>);

impl Names {
    fn of(&mut self, name: &str) -> usize {
        self.0.iter().position(|n| n == name).unwrap_or_else(|| {
            self.0.push(name.to_owned());
            self.0.len() - 1
        })
    }
}

fn said<'a>(f: &'a Factors, name: &str) -> &'a str {
    f.get(name).map_or("", String::as_str)
}

/// Orders what is planned for a day's vehicle; `None` where nothing is planned or nothing can be a baseline.
///
/// # Errors
/// [`WorkflowError`] when the store refuses; [`WorkflowError::Bad`] when more is planned than a day orders, or a number
/// cannot be.
pub async fn planned_day(
    store: &Store,
    day: &Day,
    vehicle: &VehicleRecord,
    settings: &Settings,
    asked: &Asked,
) -> Result<Option<PlannedDay>, WorkflowError> {
    let items = store.planned(vehicle.id).await?;
    let stored = day_sets(store, day.id, vehicle).await?;
    let gear = items.iter().find_map(|i| i.factors.get("gear").cloned());
    let own = stored.first().map(|s| s.set.config.gear.clone()).or(gear).unwrap_or_default();
    let of_the_day = baseline_of(&stored, &own).map(|b| b.set.config.clone());
    let pulled_today = of_the_day.is_some();
    let stock = match of_the_day {
        Some(b) => Some(b),
        None => store.newest_stock_set(vehicle.id).await?.map(|s| s.set.config),
    };
    let (Some(stock), Some(first)) = (stock, items.first()) else { return Ok(None) };
    let sets = read_sets(stored, vehicle, settings);
    let (maps_known, fuels_known) = (store.maps(vehicle.id).await?, store.fuel_records().await?);
    let today = scatter(&sets, true);
    let ladder = items.iter().any(|i| rung_of(said(&i.factors, "boost")).is_some());
    let earlier =
        if ladder || today.is_none() { earlier(store, (day, vehicle), settings).await? } else { Vec::new() };
    let scatter = today.or_else(|| earlier.iter().find_map(|day| scatter(day, false)));
    let pulled: Vec<&SetRead> = sets.iter().rev().chain(earlier.iter().flatten()).collect();
    let peak_kw = sets.iter().filter_map(SetRead::best_kw).reduce(f64::max).or(vehicle.sheet.quoted_power_kw);
    let heat_kj = peak_kw.map_or(0.0, |kw| HEAT_A_KJ * MEAN_SHARE * kw * asked.sweep_s);
    let needed = asked
        .difference_kw
        .zip(scatter)
        .map(|(d, s)| pulls_needed(s.sd_kw, d).map_or(u32::MAX, |n| n.pulls_per_set.max(2)));
    let enough = needed.map(|n| n.min(MOST_PULLS));
    let (mut maps, mut fuels) = (Names::default(), Names::default());
    let takes = |fuel: &str| {
        let said = fuels_known.iter().map(|f| &f.said).find(|s| s.name == fuel);
        let burns = said.and_then(|s| vehicle.vehicle.engine.burns(&s.facts()));
        asked.litres * burns.map_or(1.0, |f| f.volume_flow())
    };
    let baseline = Baseline {
        map: maps.of(&stock.map),
        fuel: fuels.of(&stock.fuel),
        pulls: enough.unwrap_or(3),
        litres: takes(&stock.fuel),
        heat_kj,
        every: asked.every,
    };
    let mut base = stock.factors();
    // On a day of its own the baseline is pulled in the build and the gear of what is held against it.
    if !pulled_today {
        let same =
            ["build", "gear"].into_iter().filter_map(|k| Some((k.to_owned(), first.factors.get(k)?.clone())));
        base.extend(same.collect::<Factors>());
    }
    let (mut planned, mut wanted) = (Vec::new(), Vec::new());
    // Its own baseline is no wish: it is pulled anyway.
    for item in items.into_iter().filter(|i| !says(&base, &i.factors)) {
        let f = &item.factors;
        let (map, fuel) = (said(f, "map"), said(f, "fuel"));
        let meant = maps_known.iter().find(|m| m.name == map).and_then(|m| m.for_fuel.as_deref());
        let pulls = enough.unwrap_or(u32::try_from(item.pulls).unwrap_or(3).max(1));
        let rung = rung_of(said(f, "boost"));
        let ran = sets.iter().find(|s| says(&s.stored.set.config.factors(), f) && !s.stored.pulls.is_empty());
        let lower = rung.and_then(|r| lower_rung(&pulled, f, r));
        wanted.push(Wanted {
            map: maps.of(map),
            fuel: fuels.of(fuel),
            rung,
            pulls,
            litres: takes(fuel),
            heat_kj,
            foreign: meant.is_some_and(|m| !m.trim().is_empty() && !meant_for(m, fuel)),
            ran: became(ran, vehicle),
            lower: became(lower, vehicle),
        });
        planned.push(PlannedSet {
            id: item.id,
            pulls,
            lower: lower.map(|s| (s.stored.set.config.boost.clone(), s.stored.set.date)),
            meant_for: meant.map(str::to_owned),
            factors: item.factors,
        });
    }
    let on_hand = store.day_sheet(day.id).await?.fuels;
    let fuel = |name: &String| FuelOnHand {
        litres: on_hand.iter().find(|f| f.fuel == *name).map(|f| f.litres),
        change_min: asked.change_min,
        rinse_l: asked.rinse_l,
    };
    let last = sets.iter().rfind(|s| !s.stored.pulls.is_empty()).map(|s| &s.stored.set.config);
    let tank = tank_now(&store.poured(vehicle.id).await?, day.date, &sets, takes);
    let now = Now {
        map: Some(last.map_or(baseline.map, |c| maps.of(&c.map))),
        fuel: Some(match (&tank, last) {
            (Some((fuel, _)), _) => fuels.of(fuel),
            (None, last) => last.map_or(baseline.fuel, |c| fuels.of(&c.fuel)),
        }),
        level_l: tank.map_or(0.0, |t| t.1),
        since_baseline: since(&sets, &base),
    };
    let cell = Cell {
        baseline,
        pace: asked.pace,
        fuels: fuels.0.iter().map(fuel).collect(),
        tank_l: asked.tank_l,
        reserve_l: asked.reserve_l,
        minutes: asked.hours.map(|h| h * 60.0),
        now,
    };
    let order: Vec<usize> =
        asked.order.iter().filter_map(|id| planned.iter().position(|p| p.id == *id)).collect();
    let (wanted, cell, quickest, own, short, drops) = blocking(move || {
        let quickest = plan(&wanted, &cell)?;
        let own = if order.is_empty() { None } else { quickest.reordered(&order, &wanted, &cell) };
        let short = own.as_ref().unwrap_or(&quickest).short(&cell);
        let drops = if short.is_empty() { Vec::new() } else { to_fit(&quickest, &wanted, &cell)? };
        Ok::<_, PlanError>((wanted, cell, quickest, own, short, drops))
    })
    .await?
    .map_err(|e| WorkflowError::Bad(e.to_string()))?;
    let begins = sets
        .iter()
        .flat_map(|s| s.stored.pulls.iter().filter_map(|p| p.0.started_at))
        .max()
        .map_or(asked.begins, |t| t.max(asked.begins));
    Ok(Some(PlannedDay {
        sets: planned,
        baseline: base,
        fuels: fuels.0,
        wanted,
        cell,
        quickest,
        own,
        short,
        drops,
        scatter,
        needed,
        heat_known: peak_kw.is_some(),
        begins,
    }))
}

/// Pooled scatter of peak power within sets; two degrees of freedom at least (our choice).
fn scatter(sets: &[SetRead], of_the_day: bool) -> Option<Scatter> {
    let values: Vec<&[f64]> =
        sets.iter().map(|s| s.result.figure(Figure::PeakPower).values.as_slice()).collect();
    let w = within(&values).filter(|w| w.df >= 2.0 && w.sd > 0.0)?;
    Some(Scatter { sd_kw: w.sd, df: w.df as usize, of_the_day })
}

/// The sets of the vehicle's newest days up to this one, newest first.
async fn earlier(
    store: &Store,
    (day, vehicle): (&Day, &VehicleRecord),
    settings: &Settings,
) -> Result<Vec<Vec<SetRead>>, WorkflowError> {
    let mut out = Vec::new();
    for (id, sets) in recent_days(store, vehicle, DAYS).await? {
        if id != day.id && sets.first().is_some_and(|s| s.set.date <= day.date) {
            let mut read = read_sets(sets, vehicle, settings);
            read.reverse();
            out.push(read);
        }
    }
    Ok(out)
}
