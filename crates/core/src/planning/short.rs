//! What is short, and which wish to drop.

use super::model::{Day, PlanError, Ran, Wanted};
use super::schedule::{Plan, plan};
use rayon::prelude::*;

/// What a plan needs more of than there is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Short {
    /// Minutes beyond the time there is.
    Time(f64),
    /// A fuel, by its number, and L beyond what is on hand.
    Fuel(usize, f64),
}

/// Sets to leave out together, by number, so that the rest fits.
#[derive(Debug, Clone, PartialEq)]
pub struct Drop {
    /// The sets: one, with the higher rungs that rest on it; several where one is not enough.
    pub sets: Vec<usize>,
    /// Minutes of what is left.
    pub minutes: f64,
}

impl Plan {
    /// What it needs more of than there is; empty when it fits.
    pub fn short(&self, day: &Day) -> Vec<Short> {
        let time = day.minutes.map(|m| self.minutes - m).filter(|over| *over > 0.005).map(Short::Time);
        let fuel = |f: usize| {
            let over = self.poured[f] - day.fuels[f].litres?;
            (over > 0.005).then_some(Short::Fuel(f, over))
        };
        time.into_iter().chain((0..day.fuels.len()).filter_map(fuel)).collect()
    }
}

/// Wishes of a plan any one of which, left out, makes the rest fit, least given up first; where none does alone, the
/// fewest found by giving up, one after the other, what is over by most. Empty when everything fits.
///
/// # Errors
/// As [`plan`].
pub fn to_fit(whole: &Plan, wanted: &[Wanted], day: &Day) -> Result<Vec<Drop>, PlanError> {
    if whole.short(day).is_empty() {
        return Ok(Vec::new());
    }
    let mut left = wanted.to_vec();
    let mut dropped: Vec<usize> = Vec::new();
    loop {
        let tried = (0..left.len()).into_par_iter().filter_map(|i| {
            let sets = Some(with_those_above(&left, i)).filter(|sets| !sets.is_empty())?;
            Some(plan(&without(&left, &sets), day).map(|p| (sets, p)))
        });
        let tried: Vec<(Vec<usize>, Plan)> = tried.collect::<Result<_, _>>()?;
        let fits = tried.iter().filter(|(_, p)| p.short(day).is_empty());
        let mut out: Vec<Drop> = fits
            .map(|(sets, p)| Drop { sets: dropped.iter().chain(sets).copied().collect(), minutes: p.minutes })
            .collect();
        if !out.is_empty() {
            out.sort_by(|a, b| a.sets.len().cmp(&b.sets.len()).then(b.minutes.total_cmp(&a.minutes)));
            return Ok(out);
        }
        let over = |p: &Plan| p.short(day).iter().map(|s| s.share(day)).fold(0.0, f64::max);
        let Some((sets, _)) = tried
            .into_iter()
            .min_by(|a, b| over(&a.1).total_cmp(&over(&b.1)).then(a.0.len().cmp(&b.0.len())))
        else {
            return Ok(vec![Drop { sets: dropped, minutes: 0.0 }]);
        };
        left = without(&left, &sets);
        dropped.extend(sets);
    }
}

impl Short {
    /// By which share of what there is; so hours and litres can be compared.
    fn share(self, day: &Day) -> f64 {
        match self {
            Self::Time(over) => over / day.minutes.unwrap_or(1.0).max(1.0),
            Self::Fuel(f, over) => over / day.fuels[f].litres.unwrap_or(1.0).max(1.0),
        }
    }
}

/// An open set with the open rungs above it, which may not be pulled without it.
fn with_those_above(wanted: &[Wanted], i: usize) -> Vec<usize> {
    let w = &wanted[i];
    let above = |x: &Wanted| {
        x.map == w.map && x.fuel == w.fuel && w.rung.zip(x.rung).is_some_and(|(low, high)| high > low)
    };
    if w.ran != Ran::Not || w.foreign {
        return Vec::new();
    }
    (0..wanted.len()).filter(|&k| k == i || wanted[k].ran == Ran::Not && above(&wanted[k])).collect()
}

/// The same with some sets off the list: they keep their numbers, and nothing is pulled of them.
fn without(wanted: &[Wanted], sets: &[usize]) -> Vec<Wanted> {
    let off =
        |(i, w): (usize, &Wanted)| if sets.contains(&i) { Wanted { ran: Ran::Clear, ..*w } } else { *w };
    wanted.iter().enumerate().map(off).collect()
}
