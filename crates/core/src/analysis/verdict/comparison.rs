//! Sets against a baseline: differences with intervals, the gain curve with its simultaneous band, and what
//! may be concluded.

use super::caveats::Caveat;
use super::comparable::not_comparable;
use super::figure::{Asked, FigureComparison, compare_figure};
use super::notes::{self, Behind};
use crate::analysis::given::{Headline, Settings, Vehicle};
use crate::analysis::set::{Figure, SetResult};
use crate::analysis::set_vs_set::{
    Alike, Curves, GainCurve, Gains, Pool, SecondLooks, Split, gain_curve, second_looks, splits,
};
use crate::curve::Quantity;
use crate::factors::{AllKnown, Confounding, InTime, confounding};
use crate::pull::engine_speed::SpeedFrom;
use rayon::prelude::*;

/// A candidate set against the baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct Comparison {
    /// Index of the base set.
    pub base: usize,
    /// Index of the candidate set.
    pub candidate: usize,
    /// What differs and what would separate it.
    pub confounding: Confounding,
    /// Figures.
    pub figures: Vec<FigureComparison>,
    /// Gain in power.
    pub power: Gains,
    /// Gain in torque.
    pub torque: Gains,
    /// Gain in power at equal shaft speed, where the two sets go by a measured engine speed.
    pub at_shaft: Option<GainCurve>,
    /// Caveats, most important first.
    pub notes: Vec<Caveat>,
    /// Figures split by factor, where more than one changed and what was run allows it.
    pub splits: Vec<Split>,
    /// Second looks at the difference at peak.
    pub second: SecondLooks,
}

impl Comparison {
    /// The gain in a quantity.
    pub fn gains(&self, q: Quantity) -> &Gains {
        match q {
            Quantity::Power => &self.power,
            Quantity::Torque => &self.torque,
        }
    }

    /// One figure.
    pub fn figure(&self, f: Figure) -> Option<&FigureComparison> {
        self.figures.iter().find(|c| c.figure == f)
    }
}

/// Compares candidates with the baseline. Sets that are neither lend their scatter when they share day and
/// gear.
pub fn compare_all(
    sets: &[SetResult],
    base: usize,
    candidates: &[usize],
    vehicle: &Vehicle,
    settings: &Settings,
) -> Vec<Comparison> {
    let mut pools: Vec<Pool<'_>> = Vec::new();
    let family = settings.headline == Headline::Mean;
    let asked = Asked { sets, base, candidates, family, habit: settings.habit };
    let known: AllKnown<'_> =
        sets.iter().filter(|s| s.n() > 0 && s.kinds == sets[base].kinds).map(SetResult::known).collect();
    let mut pooled = Vec::with_capacity(candidates.len());
    for &c in candidates {
        let alike = Alike::new(&sets[base], &sets[c], settings.across_gears);
        let at = pools.iter().position(|p| p.is(&alike)).unwrap_or_else(|| {
            pools.push(Pool::new(sets, alike, settings.along));
            pools.len() - 1
        });
        pooled.push((c, at));
    }
    // No comparison looks at another.
    let one = |&(c, at): &(usize, usize)| compare(asked, c, (&pools[at], &known), vehicle, settings);
    pooled.par_iter().map(one).collect()
}

fn compare<'a>(
    asked: Asked<'a>,
    c: usize,
    (pool, known): (&Pool<'a>, &AllKnown<'a>),
    vehicle: &Vehicle,
    settings: &Settings,
) -> Comparison {
    let Asked { sets, base, .. } = asked;
    let (a, b) = (&sets[base], &sets[c]);
    let in_time = InTime { names: &a.in_time | &b.in_time, candidate_later: b.began_after(a) };
    let confounding = confounding(&a.factors, &b.factors, known, &in_time);
    let refused = not_comparable(a, b, settings.across_gears);
    let figures: Vec<FigureComparison> =
        Figure::ALL.into_iter().map(|f| compare_figure(asked, f, c, pool, refused.is_some())).collect();
    let peak = figures.iter().find(|f| f.figure == Figure::PeakPower);
    let measured = peak.filter(|f| !f.provisional);
    let (no_scatter, plain) = (measured.is_none_or(|f| f.ci95.is_none()), measured.and_then(|f| f.interval));
    let by_habit = peak.filter(|f| f.provisional).and(settings.habit);
    let judged = |which, quantity| match &refused {
        None if !no_scatter => pool.judged(a, b, which, quantity),
        _ => gain_curve(a, b, which, quantity),
    };
    let gains = |quantity| {
        let other = a.other.is_some().then(|| judged(Curves::AlongOther, quantity));
        Gains::new(judged(Curves::AtEngineSpeed, quantity), other)
    };
    let at_shaft =
        [a, b].iter().any(|s| s.speeds_from.contains(&SpeedFrom::Measured)) && a.at_shaft.is_some();
    let at_shaft = at_shaft.then(|| judged(Curves::AtShaftSpeed, Quantity::Power));
    let (power, torque) = (gains(Quantity::Power), gains(Quantity::Torque));
    let splits: Vec<Split> = match refused {
        Some(_) => Vec::new(),
        None => splits(sets, base, c, &confounding, pool),
    };
    let second = second_looks(sets, pool, [a, b], plain.as_ref(), settings);
    let can_tell = refused.is_none();
    let mut notes: Vec<Caveat> = refused.into_iter().map(Caveat::CantTell).collect();
    notes.extend(notes::confounded(&confounding, splits.first(), in_time.candidate_later));
    let behind = Behind { measured: plain.is_some(), habit: by_habit, run_again: pool.run_again() };
    notes.extend(notes::of_pair(a, b, vehicle, settings, &behind));
    notes.extend(at_shaft.as_ref().and_then(GainCurve::largest).map(Caveat::AtShaftSpeed));
    notes.extend(notes::of_second_looks(&second, a, b));
    if can_tell {
        notes.extend(notes::of_hardware(a, b, &confounding, vehicle));
        notes.extend(notes::of_octane(a, b, &confounding, peak));
    }
    Comparison { base, candidate: c, confounding, figures, power, torque, at_shaft, notes, splits, second }
}
