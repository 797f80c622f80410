//! What to pour, and what to drain first, so that a tank holds as much as is wanted of a blend.

use crate::bounds::{Bound, ETHANOL, OutOfRange};
use serde::Serialize;
use thiserror::Error;

/// Most fuels beside what is in the tank.
pub const MOST: usize = 3;

const LITRES: Bound = Bound::new("litres", "L", 0.0, 100_000.0);
const PRICE: Bound = Bound::new("price of a litre", "", 0.0, 1e6);
/// What is nearer than this is reached, share of volume.
const REACHED: f64 = 1e-9;

/// What a tank holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tank {
    /// Litres in it.
    pub litres: f64,
    /// Ethanol in them, share of volume.
    pub ethanol: f64,
    /// What it can hold, L.
    pub capacity: Option<f64>,
}

/// A fuel that can be poured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Can {
    /// Ethanol in it, share of volume.
    pub ethanol: f64,
    /// Litres on hand; `None` for as much as is wanted.
    pub litres: Option<f64>,
    /// Price of a litre.
    pub price: Option<f64>,
}

/// What is wanted in the end.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wanted {
    /// Ethanol, share of volume.
    pub ethanol: f64,
    /// Litres in the tank; `None` for as few as it takes.
    pub litres: Option<f64>,
}

/// What to do.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Mix {
    /// Litres to drain first.
    pub drain: f64,
    /// Litres of each fuel, in the order given.
    pub pour: Vec<f64>,
    /// Litres in the tank then.
    pub litres: f64,
    /// Ethanol in them then, share of volume.
    pub ethanol: f64,
    /// What is poured costs; `None` where a price is missing of something that is poured.
    pub cost: Option<f64>,
    /// It is what was wanted; else it is the nearest there is.
    pub reached: bool,
}

/// Why there is nothing to pour.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[allow(missing_docs)]
pub enum MixError {
    #[error(transparent)]
    Range(#[from] OutOfRange),
    #[error("give one to {MOST} fuels to pour")]
    NoFuel,
    #[error("{litres} L are in a tank of {capacity} L: one of the two is wrong")]
    TankTooSmall { litres: f64, capacity: f64 },
    #[error("the tank is empty: say how many litres are wanted in the end")]
    HowMuch,
    #[error("{litres} L are wanted and the tank holds {capacity} L")]
    WantsTooMuch { litres: f64, capacity: f64 },
    #[error(
        "{}: what is in the tank and what can be poured hold {} to {}, and the target must lie between",
        percent("a target of ", *target), percent("", *low), percent("", *high)
    )]
    Outside { target: f64, low: f64, high: f64 },
}

fn percent(before: &str, share: f64) -> String {
    format!("{before}{:.1} %", 100.0 * share)
}

/// One thing whose litres are to be found: the fuels, and what is drained.
#[derive(Clone, Copy)]
struct Unknown {
    /// Litres it adds to the tank, for each litre of it.
    adds: f64,
    /// Ethanol it adds beyond the target, for each litre of it.
    beyond: f64,
    most: f64,
    price: f64,
}

/// Finds what to pour: nothing is drained that need not be, then what costs least, then the fewest litres. Where the
/// tank would run over, as much as is needed is drained first; where it cannot be reached with what is on hand, the
/// nearest by least squares with every amount within its bounds (domain, section 6; volumes add up, our choice).
///
/// ```
/// use jamjar_core::calculators::mix::{Can, Tank, Wanted, mix};
/// let e85 = Can { ethanol: 0.85, litres: None, price: None };
/// let m = mix(Tank { litres: 30.0, ethanol: 0.10, capacity: Some(60.0) }, &[e85], Wanted { ethanol: 0.40, litres: None })?;
/// assert!((m.pour[0] - 20.0).abs() < 1e-9 && m.drain == 0.0);
/// let m = mix(Tank { litres: 50.0, ethanol: 0.10, capacity: Some(60.0) }, &[e85], Wanted { ethanol: 0.40, litres: None })?;
/// assert!((m.litres - 60.0).abs() < 1e-9 && m.drain > 10.0, "it would run over: some is drained first");
/// # Ok::<(), jamjar_core::calculators::mix::MixError>(())
/// ```
///
/// # Errors
/// [`MixError`] for what cannot be, and for a target that no amount of these reaches.
pub fn mix(tank: Tank, cans: &[Can], wanted: Wanted) -> Result<Mix, MixError> {
    checked(tank, cans, wanted)?;
    if tank.litres <= 0.0 && wanted.litres.is_none() {
        return Err(MixError::HowMuch);
    }
    let all = cans.iter().map(|c| c.ethanol).chain((tank.litres > 0.0).then_some(tank.ethanol));
    let (low, high) = all.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), e| (l.min(e), h.max(e)));
    let is_there = tank.litres > 0.0 && (tank.ethanol - wanted.ethanol).abs() < REACHED;
    if !is_there && (wanted.ethanol < low || wanted.ethanol > high) {
        return Err(MixError::Outside { target: wanted.ethanol, low, high });
    }
    let Some(litres) = wanted.litres else {
        // As few litres as it takes; what is strongest in the wanted direction does it.
        let fewest = solve(tank, cans, wanted.ethanol, None);
        let fits = tank.capacity.is_none_or(|c| fewest.litres <= c + REACHED);
        let full = tank.capacity.filter(|_| !fits);
        return Ok(full.map_or(fewest, |c| solve(tank, cans, wanted.ethanol, Some(c))));
    };
    Ok(solve(tank, cans, wanted.ethanol, Some(litres)))
}

fn checked(tank: Tank, cans: &[Can], wanted: Wanted) -> Result<(), MixError> {
    if cans.is_empty() || cans.len() > MOST {
        return Err(MixError::NoFuel);
    }
    LITRES.check(tank.litres)?;
    for e in cans.iter().map(|c| c.ethanol).chain([tank.ethanol, wanted.ethanol]) {
        ETHANOL.check(e)?;
    }
    for v in cans.iter().filter_map(|c| c.litres).chain(tank.capacity).chain(wanted.litres) {
        LITRES.check(v)?;
    }
    for p in cans.iter().filter_map(|c| c.price) {
        PRICE.check(p)?;
    }
    if let Some(capacity) = tank.capacity {
        if tank.litres > capacity {
            return Err(MixError::TankTooSmall { litres: tank.litres, capacity });
        }
        if let Some(litres) = wanted.litres.filter(|l| *l > capacity) {
            return Err(MixError::WantsTooMuch { litres, capacity });
        }
    }
    Ok(())
}

/// Every corner of the bounds with the others found by least squares; the best of them.
fn solve(tank: Tank, cans: &[Can], target: f64, end: Option<f64>) -> Mix {
    let most = end.unwrap_or(f64::INFINITY);
    let known = cans.iter().all(|c| c.price.is_some());
    let mut unknowns: Vec<Unknown> = cans
        .iter()
        .map(|c| Unknown {
            adds: 1.0,
            beyond: c.ethanol - target,
            most: c.litres.unwrap_or(most).min(most),
            price: c.price.filter(|_| known).unwrap_or(0.0),
        })
        .collect();
    if end.is_some() {
        unknowns.push(Unknown { adds: -1.0, beyond: target - tank.ethanol, most: tank.litres, price: 0.0 });
    }
    // Ethanol beyond the target that must come to nothing, and where it is given the litres in the end.
    let owed = tank.litres * (target - tank.ethanol);
    let mut best: Option<(Vec<f64>, [f64; 4])> = None;
    for corner in 0..3_usize.pow(unknowns.len() as u32) {
        let Some(x) = corner_of(&unknowns, corner, owed, end.map(|e| e - tank.litres)) else { continue };
        let key = score(&unknowns, &x, owed, end.map(|e| e - tank.litres), cans.len());
        if best.as_ref().is_none_or(|b| less(&key, &b.1)) {
            best = Some((x, key));
        }
    }
    let (x, key) = best.unwrap_or_else(|| (vec![0.0; unknowns.len()], [f64::INFINITY; 4]));
    let (pour, drain) = (x[..cans.len()].to_vec(), x.get(cans.len()).copied().unwrap_or(0.0));
    let litres = tank.litres - drain + pour.iter().sum::<f64>();
    let ethanol_l =
        (tank.litres - drain) * tank.ethanol + pour.iter().zip(cans).map(|(x, c)| x * c.ethanol).sum::<f64>();
    let spent = |(x, c): (&f64, &Can)| if *x > REACHED { c.price.map(|p| p * x) } else { Some(0.0) };
    Mix {
        drain,
        litres,
        ethanol: if litres > 0.0 { ethanol_l / litres } else { 0.0 },
        cost: pour.iter().zip(cans).map(spent).sum(),
        reached: key[0] == 0.0,
        pour,
    }
}

/// The unknowns of one corner: each at its lower bound, at its upper, or free; the free ones, two at most, by least
/// squares. `None` where that leaves the bounds.
fn corner_of(u: &[Unknown], corner: usize, owed: f64, more: Option<f64>) -> Option<Vec<f64>> {
    let at = |i: usize| corner / 3_usize.pow(i as u32) % 3;
    let free: Vec<usize> = (0..u.len()).filter(|i| at(*i) == 2).collect();
    let equations = 1 + usize::from(more.is_some());
    if free.len() > equations || (0..u.len()).any(|i| at(i) == 1 && !u[i].most.is_finite()) {
        return None;
    }
    let mut x: Vec<f64> = (0..u.len()).map(|i| if at(i) == 1 { u[i].most } else { 0.0 }).collect();
    let (ethanol, litres) = left(u, &x, owed, more);
    match free[..] {
        [] => {}
        [i] if more.is_some() => {
            let norm = u[i].beyond * u[i].beyond + u[i].adds * u[i].adds;
            x[i] = (ethanol * u[i].beyond + litres * u[i].adds) / norm;
        }
        [i] => x[i] = ethanol / u[i].beyond,
        [i, j] => {
            let det = u[i].beyond * u[j].adds - u[j].beyond * u[i].adds;
            x[i] = (ethanol * u[j].adds - u[j].beyond * litres) / det;
            x[j] = (u[i].beyond * litres - ethanol * u[i].adds) / det;
        }
        _ => return None,
    }
    let inside = |i: &usize| x[*i].is_finite() && (-REACHED..=u[*i].most + REACHED).contains(&x[*i]);
    if !free.iter().all(inside) {
        return None;
    }
    free.iter().for_each(|i| x[*i] = x[*i].clamp(0.0, u[*i].most));
    Some(x)
}

/// Ethanol and litres that are still missing.
fn left(u: &[Unknown], x: &[f64], owed: f64, more: Option<f64>) -> (f64, f64) {
    let sum = |f: fn(&Unknown) -> f64| u.iter().zip(x).map(|(u, x)| f(u) * x).sum::<f64>();
    (owed - sum(|u| u.beyond), more.map_or(0.0, |m| m - sum(|u| u.adds)))
}

/// Smaller is better: what is missing, what is drained, what it costs, what is poured.
fn score(u: &[Unknown], x: &[f64], owed: f64, more: Option<f64>, cans: usize) -> [f64; 4] {
    let (ethanol, litres) = left(u, x, owed, more);
    let missing = ethanol.hypot(litres);
    let scale = owed.abs().max(more.unwrap_or(0.0).abs()).max(1.0);
    let cost = u.iter().zip(x).map(|(u, x)| u.price * x).sum();
    let missing = if missing < 1e-7 * scale { 0.0 } else { missing };
    [missing, x.get(cans).copied().unwrap_or(0.0), cost, x[..cans].iter().sum()]
}

/// The first that differs by more than rounding decides.
fn less(a: &[f64; 4], b: &[f64; 4]) -> bool {
    let first = a
        .iter()
        .zip(b)
        .find(|(a, b)| (*a - *b).abs() > 1e-9 * (1.0 + a.abs().max(b.abs())) || !b.is_finite());
    first.is_some_and(|(a, b)| a < b)
}

/// Ethanol in the tank then, where what is poured holds less and more than was taken: lowest and highest.
pub fn within(tank: Tank, cans: &[Can], m: &Mix, holds: &[[f64; 2]]) -> [f64; 2] {
    let kept = (tank.litres - m.drain) * tank.ethanol;
    let end = |k: usize| {
        let poured: f64 =
            m.pour.iter().enumerate().map(|(i, x)| x * holds.get(i).map_or(cans[i].ethanol, |h| h[k])).sum();
        if m.litres > 0.0 { (kept + poured) / m.litres } else { 0.0 }
    };
    [end(0), end(1)]
}

#[cfg(test)]
#[path = "mix_test.rs"]
mod tests;
