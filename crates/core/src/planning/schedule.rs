//! An order of sets with its clock, its fuel and what is known at each stop.

use super::bound::{Cost, Loaded};
use super::model::{Day, PlanError, Wanted, Withheld, chains, checked};
use super::search::{Do, cheapest};

/// What is done at a stop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// The baseline.
    Baseline,
    /// A set that is wanted, by its number.
    Set(usize),
}

/// What can be concluded of a set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Known {
    /// The set, by its number.
    pub wanted: usize,
    /// Whether a baseline stands on both sides of it: only then drift is told from gain.
    pub bracketed: bool,
}

/// One set with all that goes before it. Minutes count from the start of the plan.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Stop {
    pub step: Step,
    pub begins: f64,
    pub warm_up_min: f64,
    pub flash_min: f64,
    /// Draining, rinsing and filling, min.
    pub refuel_min: f64,
    pub top_up_min: f64,
    pub pulls_min: f64,
    pub ends: f64,
    pub pulls: u32,
    /// L poured in before it, rinse included.
    pub poured: f64,
    /// L that rinsing takes of it.
    pub rinsed: f64,
    /// L its pulls take.
    pub burnt: f64,
    /// L in the tank behind it.
    pub level: f64,
    /// What can be concluded if the day ends here.
    pub known: Vec<Known>,
}

/// A day, ordered.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    /// Sets in order of running.
    pub stops: Vec<Stop>,
    /// Minutes from the first to the last.
    pub minutes: f64,
    /// L of each fuel that are poured.
    pub poured: Vec<f64>,
    /// Minutes no order takes less than; equal to `minutes` where the order is proven to be the quickest.
    pub least_minutes: f64,
    /// Sets that are not proposed, and why.
    pub withheld: Vec<Withheld>,
}

impl Plan {
    /// How far the order may be from the quickest one at most, share of its minutes.
    pub fn gap(&self) -> f64 {
        if self.minutes > 0.0 { (1.0 - self.least_minutes / self.minutes).max(0.0) } else { 0.0 }
    }
}

/// Orders a day: least minutes, then least litres.
///
/// A baseline is first, last and after every so many sets. Of one map on one fuel a rung comes after all lower ones, and
/// not at all after one that was pulled and is not clear. Nothing runs dry within a set.
///
/// # Errors
/// [`PlanError`] for more sets than a day has, or numbers that cannot be.
pub fn plan(wanted: &[Wanted], day: &Day) -> Result<Plan, PlanError> {
    checked(wanted, day)?;
    let (chains, withheld) = chains(wanted, day);
    if chains.is_empty() {
        let poured = vec![0.0; day.fuels.len()];
        return Ok(Plan { stops: Vec::new(), minutes: 0.0, poured, least_minutes: 0.0, withheld });
    }
    let found = cheapest(wanted, &chains, day);
    let mut out = timed(&found.order, wanted, day);
    // What the clock adds to every order, the bound has too.
    let warm_up = out.stops.first().map_or(0.0, |s| s.warm_up_min);
    out.least_minutes = (found.least.minutes as f64 / 100.0 + warm_up).min(out.minutes);
    out.withheld = withheld;
    Ok(out)
}

impl Plan {
    /// The same sets in an order somebody chose, with its clock and fuel; `None` when it leaves one out, repeats one, or
    /// takes a rung before a lower one. Baselines are put where they are due.
    pub fn reordered(&self, order: &[usize], wanted: &[Wanted], day: &Day) -> Option<Plan> {
        let (chains, _) = chains(wanted, day);
        let mut sorted = order.to_vec();
        sorted.sort_unstable();
        let mut all: Vec<usize> = chains.concat();
        all.sort_unstable();
        let place = |i: &usize| order.iter().position(|k| k == i);
        if sorted != all || chains.iter().any(|c| c.windows(2).any(|w| place(&w[0]) > place(&w[1]))) {
            return None;
        }
        let mut steps = Vec::new();
        let mut since = day.now.since_baseline;
        for i in order {
            if since.is_none_or(|s| s >= day.room()) {
                steps.push(Do::Baseline);
                since = Some(0);
            }
            steps.push(Do::Set(*i));
            since = since.map(|s| s + 1);
        }
        if since.is_some_and(|s| s > 0) {
            steps.push(Do::Baseline);
        }
        let timed = timed(&steps, wanted, day);
        Some(Plan {
            least_minutes: self.least_minutes.min(timed.minutes),
            withheld: self.withheld.clone(),
            ..timed
        })
    }
}

/// One set as it is pulled.
struct Run {
    loaded: Loaded,
    pulls: u32,
    litres: f64,
    work: Cost,
}

fn run(d: Do, wanted: &[Wanted], day: &Day) -> Run {
    match d {
        Do::Baseline => Run {
            loaded: day.base(),
            pulls: day.baseline.pulls,
            litres: day.baseline.litres,
            work: day.baseline_work(),
        },
        Do::Set(i) => {
            let w = &wanted[i];
            let loaded = Loaded { map: Some(w.map), fuel: Some(w.fuel) };
            Run { loaded, pulls: w.pulls, litres: w.litres, work: day.work(w) }
        }
    }
}

fn timed(order: &[Do], wanted: &[Wanted], day: &Day) -> Plan {
    let runs: Vec<Run> = order.iter().map(|d| run(*d, wanted, day)).collect();
    let mut loaded = Loaded { map: day.now.map, fuel: day.now.fuel };
    let (mut now, mut level) = (0.0, day.now.level_l.min(day.tank_l));
    let mut poured = vec![0.0; day.fuels.len()];
    let mut stops: Vec<Stop> = Vec::new();
    let begun = day.now.since_baseline.is_some();
    let mut before: Vec<usize> = Vec::new();
    let mut known: Vec<Known> = Vec::new();
    for (k, r) in runs.iter().enumerate() {
        let fuel = r.loaded.fuel.unwrap_or_default();
        let burnt = f64::from(r.pulls) * r.litres;
        let changed = loaded.fuel != r.loaded.fuel;
        let rinsed = if changed { day.fuels[fuel].rinse_l } else { 0.0 };
        if changed {
            level = 0.0;
        }
        // As much as is needed until the next change of fuel, or as the tank holds.
        let ahead: f64 = runs[k..]
            .iter()
            .take_while(|x| x.loaded.fuel == r.loaded.fuel)
            .map(|x| f64::from(x.pulls) * x.litres)
            .sum();
        let short = day.is_short(level - burnt);
        let fill = if short { (ahead + day.reserve_l).min(day.tank_l) - level } else { 0.0 };
        let warm_up_min = if k == 0 && !begun { day.pace.warm_up_min } else { 0.0 };
        let flash_min = if loaded.map == r.loaded.map { 0.0 } else { day.pace.flash_min };
        let refuel_min = if changed { day.fuels[fuel].change_min } else { 0.0 };
        // The first filling of a day that runs on what is in the tank anyway is made before it.
        let top_up_min = if short && !changed && k > 0 { day.pace.top_up_min } else { 0.0 };
        level += fill - burnt;
        poured[fuel] += fill + rinsed;
        let pulls_min = r.work.minutes as f64 / 100.0;
        let ends = now + warm_up_min + flash_min + refuel_min + top_up_min + pulls_min;
        let step = match order[k] {
            Do::Baseline => {
                known.iter_mut().for_each(|x| x.bracketed = true);
                before.clear();
                Step::Baseline
            }
            Do::Set(i) => {
                before.push(i);
                known.push(Known { wanted: i, bracketed: false });
                Step::Set(i)
            }
        };
        stops.push(Stop {
            step,
            begins: now,
            warm_up_min,
            flash_min,
            refuel_min,
            top_up_min,
            pulls_min,
            ends,
            pulls: r.pulls,
            poured: fill + rinsed,
            rinsed,
            burnt,
            level,
            known: known.clone(),
        });
        now = ends;
        loaded = r.loaded;
    }
    Plan { stops, minutes: now, poured, least_minutes: now, withheld: Vec::new() }
}
