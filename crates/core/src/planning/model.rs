//! What is wanted of a day, and what the cell, the tank and the clock allow.

use crate::bounds::{Bound, OutOfRange};
use thiserror::Error;

/// Most sets a plan orders (our choice: more do not fit a day).
pub const MOST: usize = 24;

const MINUTES: Bound = Bound::new("minutes", "min", 0.0, 24.0 * 60.0);
const LITRES: Bound = Bound::new("litres", "L", 0.0, 10_000.0);
const HEAT: Bound = Bound::new("heat of a pull", "kJ", 0.0, 1e6);
const SHEDS: Bound = Bound::new("heat the cell sheds", "kW", 0.1, 1e5);

/// What became of a set that is wanted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ran {
    /// Not pulled yet.
    Not,
    /// Pulled, and every limit that was watched is clear.
    Clear,
    /// Pulled, and a limit is over, close, or nobody can tell.
    NotClear,
}

/// A set that is wanted. Maps and fuels are numbers of the caller's own lists.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wanted {
    /// Map it runs on.
    pub map: usize,
    /// Fuel it runs on.
    pub fuel: usize,
    /// Its boost rung, any unit that ascends; `None` where the map sets the boost.
    pub rung: Option<f64>,
    /// Pulls in it.
    pub pulls: u32,
    /// Fuel one of them takes, L.
    pub litres: f64,
    /// Heat one of them leaves in the cell, kJ.
    pub heat_kj: f64,
    /// Whether the map is not meant for the fuel.
    pub foreign: bool,
    /// Whether it was pulled already.
    pub ran: Ran,
    /// What became of the highest lower rung that was pulled, today or on an earlier day, of the same map and fuel.
    pub lower: Ran,
}

/// The set everything is held against.
#[derive(Debug, Clone, Copy, PartialEq)]
#[allow(missing_docs)]
pub struct Baseline {
    pub map: usize,
    pub fuel: usize,
    pub pulls: u32,
    /// L a pull.
    pub litres: f64,
    /// kJ a pull.
    pub heat_kj: f64,
    /// Sets after which it comes again; 0 for first and last only.
    pub every: usize,
}

/// How long things take, and how much heat goes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pace {
    /// A pull with its run-up and run-down, min.
    pub pull_min: f64,
    /// Least cool-down between pulls, min.
    pub cool_min: f64,
    /// Heat extraction and fan carry away, kW; `None` where nobody knows.
    pub sheds_kw: Option<f64>,
    /// Before the first pull, min.
    pub warm_up_min: f64,
    /// Another map into the unit, min.
    pub flash_min: f64,
    /// Stopping for more of the same fuel, min.
    pub top_up_min: f64,
}

/// A fuel as it stands in the cell.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FuelOnHand {
    /// L in store; `None` for as much as is wanted.
    pub litres: Option<f64>,
    /// To drain, rinse and fill with it, min.
    pub change_min: f64,
    /// What rinsing takes of it, L.
    pub rinse_l: f64,
}

/// Where the day stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Now {
    /// Map in the unit; `None` where nobody knows.
    pub map: Option<usize>,
    /// Fuel in the tank; `None` where nobody knows.
    pub fuel: Option<usize>,
    /// How much of it is in the tank at least, L; 0 where nobody knows.
    pub level_l: f64,
    /// Sets pulled since the baseline; `None` before the first.
    pub since_baseline: Option<usize>,
}

/// The cell and what is in it on this day.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Day {
    pub baseline: Baseline,
    pub pace: Pace,
    pub fuels: Vec<FuelOnHand>,
    /// What the tank holds, L.
    pub tank_l: f64,
    /// What always stays in it, L.
    pub reserve_l: f64,
    /// Time there is, min; `None` for as long as it takes.
    pub minutes: Option<f64>,
    pub now: Now,
}

/// Why a set is not proposed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// Its map is meant for another fuel.
    ForeignFuel,
    /// A lower rung of the same map and fuel was pulled and is not clear: its number.
    LowerNotClear(usize),
    /// The highest lower rung that was pulled, and is no wish, is not clear.
    PulledNotClear,
    /// A lower rung is not proposed itself: its number.
    LowerWithheld(usize),
    /// All there is of its fuel does not last for it.
    NoFuel,
    /// One set takes more than the tank holds above its reserve.
    TankTooSmall,
}

/// A set that is not proposed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Withheld {
    pub wanted: usize,
    pub why: Why,
}

/// Why nothing can be ordered.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum PlanError {
    #[error("a plan orders at most {MOST} sets, {0} are wanted: take some off")]
    TooMany(usize),
    #[error("set {0} names a fuel that is not in the list")]
    NoSuchFuel(usize),
    #[error(transparent)]
    OutOfRange(#[from] OutOfRange),
}

impl Pace {
    /// Minutes one pull takes with what follows it.
    ///
    /// # Formula
    /// `m = max(p + c, H/(60·Q))`
    ///
    /// where
    /// - `p`: the pull, min; `c`: least cool-down, min;
    /// - `H`: heat one pull leaves in the cell, kJ; `Q`: what the cell sheds, kW. Over a set no more heat comes than
    ///   goes (domain, section 14; the balance is our choice: what walls store is left as a reserve).
    ///
    /// ```
    /// use jamjar_core::planning::Pace;
    /// let p = Pace { pull_min: 1.0, cool_min: 2.0, sheds_kw: Some(20.0), warm_up_min: 0.0, flash_min: 0.0, top_up_min: 0.0 };
    /// assert_eq!(p.of_pull(1200.0), 3.0);
    /// assert_eq!(p.of_pull(6000.0), 5.0);
    /// ```
    pub fn of_pull(&self, heat_kj: f64) -> f64 {
        let least = self.pull_min + self.cool_min;
        self.sheds_kw.map_or(least, |q| least.max(heat_kj / (60.0 * q)))
    }
}

/// Whether everything is a number that can be.
pub(super) fn checked(wanted: &[Wanted], day: &Day) -> Result<(), PlanError> {
    if wanted.len() > MOST {
        return Err(PlanError::TooMany(wanted.len()));
    }
    let p = &day.pace;
    for m in [p.pull_min, p.cool_min, p.warm_up_min, p.flash_min, p.top_up_min].into_iter().chain(day.minutes)
    {
        MINUTES.check(m)?;
    }
    for f in &day.fuels {
        MINUTES.check(f.change_min)?;
        LITRES.check(f.rinse_l)?;
        f.litres.map_or(Ok(0.0), |l| LITRES.check(l))?;
    }
    p.sheds_kw.map_or(Ok(0.0), |q| SHEDS.check(q))?;
    LITRES.check(day.tank_l)?;
    LITRES.check(day.reserve_l)?;
    LITRES.check(day.now.level_l)?;
    let base = (day.baseline.fuel, day.baseline.litres, day.baseline.heat_kj);
    for (i, (fuel, litres, heat)) in
        wanted.iter().map(|w| (w.fuel, w.litres, w.heat_kj)).chain([base]).enumerate()
    {
        if fuel >= day.fuels.len() {
            return Err(PlanError::NoSuchFuel(i));
        }
        LITRES.check(litres)?;
        HEAT.check(heat)?;
    }
    Ok(())
}

/// Sets that are not proposed, and the chains of those that are: one map on one fuel, rungs ascending, none twice.
pub(super) fn chains(wanted: &[Wanted], day: &Day) -> (Vec<Vec<usize>>, Vec<Withheld>) {
    let mut order: Vec<usize> = (0..wanted.len()).collect();
    let rung = |i: &usize| wanted[*i].rung.unwrap_or(f64::NEG_INFINITY);
    order.sort_by(|a, b| rung(a).total_cmp(&rung(b)));
    let (mut chains, mut withheld) = (Vec::<Vec<usize>>::new(), Vec::<Withheld>::new());
    for i in order {
        let w = &wanted[i];
        let lower = |k: usize| {
            let l = &wanted[k];
            l.map == w.map && l.fuel == w.fuel && l.rung.zip(w.rung).is_some_and(|(l, w)| l < w)
        };
        let takes = f64::from(w.pulls) * w.litres;
        let lasts = day.fuels[w.fuel].litres.is_none_or(|l| takes + day.reserve_l <= l);
        let why = if w.ran != Ran::Not {
            continue;
        } else if w.foreign {
            Some(Why::ForeignFuel)
        } else if let Some(k) = (0..wanted.len()).find(|&k| lower(k) && wanted[k].ran == Ran::NotClear) {
            Some(Why::LowerNotClear(k))
        } else if w.rung.is_some() && w.lower == Ran::NotClear {
            Some(Why::PulledNotClear)
        } else if let Some(k) = withheld.iter().map(|h| h.wanted).find(|&k| lower(k)) {
            Some(Why::LowerWithheld(k))
        } else if !lasts {
            Some(Why::NoFuel)
        } else if takes > day.tank_l - day.reserve_l {
            Some(Why::TankTooSmall)
        } else {
            None
        };
        match why {
            Some(why) => withheld.push(Withheld { wanted: i, why }),
            None => {
                match chains.iter_mut().find(|c| wanted[c[0]].map == w.map && wanted[c[0]].fuel == w.fuel) {
                    Some(c) => c.push(i),
                    None => chains.push(vec![i]),
                }
            }
        }
    }
    withheld.sort_by_key(|h| h.wanted);
    (chains, withheld)
}
