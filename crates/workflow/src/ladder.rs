//! The ladder of a map on a fuel: what each rung gave, what it left of the margins, and what the next would.

use crate::error::{WorkflowError, blocking};
use crate::sets::{SetRead, newest_of_each, read_sets, recent_days};
use jamjar_core::analysis::{
    Detune, Figure, Forecast, Measured, NoDetune, NoForecast, RungSeen, Settings, USABLE, detune, next_rung,
    usable,
};
use jamjar_core::factors::rungs::{by_size, measured};
use jamjar_core::limits::{Limit, LimitOutcome, Verdict};
use jamjar_core::stats::two_sets::{Repeats, compare, mean};
use jamjar_store::{LadderWord, SetWithPulls, Store, VehicleRecord};
use std::collections::BTreeSet;

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;

/// A ladder that can be looked at: map, fuel, build and gear, and the factor its rungs are of.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)]
pub struct LadderOf {
    pub map: String,
    pub fuel: String,
    pub build: String,
    pub gear: String,
}

impl LadderOf {
    /// The one a set stands on.
    pub fn of(s: &SetWithPulls) -> Self {
        let c = &s.set.config;
        Self { map: c.map.clone(), fuel: c.fuel.clone(), build: c.build.clone(), gear: c.gear.clone() }
    }
}

/// One rung.
#[derive(Debug, Clone)]
pub struct Rung {
    /// Its set.
    pub set: SetRead,
    /// What it is called.
    pub name: String,
    /// Where it stands: the number of its name, or the highest target that was logged, kPa gauge.
    pub at: Option<f64>,
    /// Highest manifold pressure over the pulls, kPa gauge, a mean; and its target.
    pub boost_kpa: Option<f64>,
    /// Highest target over the pulls, kPa gauge.
    pub target_kpa: Option<f64>,
    /// Engine speed at 90 % of the target, rpm.
    pub spool_rpm: Option<f64>,
    /// Overshoot, kPa.
    pub overshoot_kpa: Option<f64>,
    /// Back pressure over boost, gauge to gauge, at the highest boost of each pull, a mean; from 50 kPa on.
    pub back_ratio: Option<f64>,
    /// Power expected from the rung below by pressure and charge temperature, kW.
    pub expected_kw: Option<f64>,
    /// Against the rung below, kW at peak.
    pub step: Option<Repeats>,
    /// kW for each kPa of target between the two, with its interval.
    pub per_kpa: Option<(f64, [f64; 2])>,
}

/// What the next rung would do to one limit.
#[derive(Debug, Clone)]
pub struct NextOf {
    /// The limit.
    pub limit: Limit,
    /// The forecast, why there is none, or that a rung did not measure it.
    pub forecast: Result<Forecast, NotForecast>,
    /// Engine speed of the worst place of the last rung, rpm.
    pub rpm: Option<f64>,
}

/// Why a limit is not forecast.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NotForecast {
    /// A rung did not measure it, or cannot tell.
    Unmeasured,
    /// The rungs say too little.
    Too(NoForecast),
}

/// A ladder with its next rung.
#[derive(Debug, Clone)]
pub struct Ladder {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Ladders of at least two rungs there are.
    pub ladders: Vec<LadderOf>,
    /// The one shown.
    pub of: Option<LadderOf>,
    /// Rungs, from the lowest.
    pub rungs: Vec<Rung>,
    /// Where the next one would stand, kPa gauge.
    pub next: Option<f64>,
    /// What it would do, the worst first.
    pub forecasts: Vec<NextOf>,
    /// What a person said of it: stopped on purpose, or gone on against a forecast; newest first.
    pub said: Vec<LadderWord>,
    /// Days it was read from.
    pub days: Vec<i64>,
}

impl Ladder {
    /// The rung that makes a wanted peak, kW.
    pub fn detuned(&self, wanted_kw: f64) -> Result<Detune, NoDetune> {
        let values: Vec<(f64, Vec<f64>)> = self
            .rungs
            .iter()
            .filter_map(|r| Some((r.at?, r.set.result.figure(Figure::PeakPower).values.clone())))
            .collect();
        let rungs: Vec<(f64, &[f64])> = values.iter().map(|(at, v)| (*at, v.as_slice())).collect();
        detune(&rungs, wanted_kw)
    }

    /// Engine speeds over which every rung holds nine tenths of its own peak, and over which any does, rpm: what the
    /// hardware can use, whatever the boost.
    pub fn usable(&self) -> Option<[[f64; 2]; 2]> {
        let each = self.rungs.iter().filter_map(|r| {
            let c = &r.set.result.mean_curve;
            usable(&c.rpm, &c.power_kw, USABLE)
        });
        each.fold(None, |all, [a, b]| match all {
            None => Some([[a, b], [a, b]]),
            Some([[x, y], [u, v]]) => Some([[x.max(a), y.min(b)], [u.min(a), v.max(b)]]),
        })
    }

    /// What stands of a kind: of the rung where one is given.
    pub fn word(&self, kind: &str, at: Option<f64>) -> Option<&LadderWord> {
        let same =
            |w: &&LadderWord| at.is_none_or(|at| named_kpa(&w.at_rung).is_some_and(|r| (r - at).abs() < 0.5));
        self.said.iter().filter(|w| w.kind == kind).find(same)
    }
}

/// Reads a ladder: the one asked for, else the one with most rungs.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn ladder(
    store: &Store,
    vehicle: &VehicleRecord,
    asked: Option<&LadderOf>,
    next: Option<f64>,
    settings: &Settings,
) -> Result<Ladder, WorkflowError> {
    let (days, all): (Vec<i64>, Vec<Vec<SetWithPulls>>) =
        recent_days(store, vehicle, DAYS).await?.into_iter().unzip();
    let sets = newest_of_each(all);
    let (vehicle, asked, settings) = (vehicle.clone(), asked.cloned(), *settings);
    let mut said = store.ladder_words(vehicle.id).await?;
    let out = blocking(move || put_together(vehicle, sets, asked, next, &settings)).await?;
    let of = |w: &LadderWord| LadderOf {
        map: w.map.clone(),
        fuel: w.fuel.clone(),
        build: w.build.clone(),
        gear: w.gear.clone(),
    };
    said.retain(|w| out.of.as_ref() == Some(&of(w)));
    Ok(Ladder { days, said, ..out })
}

fn put_together(
    vehicle: VehicleRecord,
    sets: Vec<SetWithPulls>,
    asked: Option<LadderOf>,
    next: Option<f64>,
    settings: &Settings,
) -> Ladder {
    let all: BTreeSet<LadderOf> = sets.iter().map(LadderOf::of).collect();
    let boosts = |l: &LadderOf| {
        let own = sets.iter().filter(|s| LadderOf::of(s) == *l);
        own.map(|s| s.set.config.boost.clone()).collect::<BTreeSet<String>>().len()
    };
    let ladders: Vec<LadderOf> = all.into_iter().filter(|l| boosts(l) > 1).collect();
    let of =
        asked.filter(|a| ladders.contains(a)).or_else(|| ladders.iter().max_by_key(|l| boosts(l)).cloned());
    let mut own: Vec<SetWithPulls> = Vec::new();
    for s in sets {
        let same = |o: &SetWithPulls| o.set.config.boost == s.set.config.boost;
        if of.as_ref().is_some_and(|l| LadderOf::of(&s) == *l) && !own.iter().any(same) {
            own.push(s);
        }
    }
    own.sort_by(|a, b| by_size(&a.set.config.boost, &b.set.config.boost));
    let rungs = rungs_of(read_sets(own, &vehicle, settings));
    let next = next.or_else(|| next_at(&rungs));
    let forecasts = next.map_or_else(Vec::new, |n| ahead(&vehicle.limits, &rungs, n));
    Ladder { vehicle, ladders, of, rungs, next, forecasts, said: Vec::new(), days: Vec::new() }
}

/// Rungs from the lowest, each against the one below it.
fn rungs_of(sets: Vec<SetRead>) -> Vec<Rung> {
    let mut rungs: Vec<Rung> = sets.into_iter().map(rung).collect();
    rungs.sort_by(|a, b| a.at.unwrap_or(f64::INFINITY).total_cmp(&b.at.unwrap_or(f64::INFINITY)));
    for i in 1..rungs.len() {
        let (below, above) = rungs.split_at_mut(i);
        against(&below[i - 1], &mut above[0]);
    }
    rungs
}

/// One step above the highest rung, as large as the last.
fn next_at(rungs: &[Rung]) -> Option<f64> {
    let last_step = rungs.windows(2).last().and_then(|w| Some((w[1].at?, w[1].at? - w[0].at?)));
    last_step.filter(|s| s.1 > 0.0).map(|(at, step)| at + step)
}

/// What the next rung above some sets would do, the worst first; `None` where they are no ladder.
pub(crate) fn next_of(sets: Vec<SetRead>, limits: &[Limit]) -> Option<(f64, Vec<NextOf>)> {
    let rungs = rungs_of(sets);
    let next = next_at(&rungs)?;
    Some((next, ahead(limits, &rungs, next)))
}

/// What a rung would do to every limit, the worst first.
fn ahead(limits: &[Limit], rungs: &[Rung], next: f64) -> Vec<NextOf> {
    let mut forecasts: Vec<NextOf> = limits.iter().map(|l| forecast(l, rungs, next)).collect();
    let rank = |f: &NextOf| match &f.forecast {
        Ok(f) => (f.would as u8, (1000.0 * (1.0 - f.p_over)) as u32),
        Err(_) => (2, 0),
    };
    forecasts.sort_by_key(rank);
    forecasts
}

/// Mean of what each pull has; `None` where one of them has none.
fn of_pulls(s: &SetRead, of: impl Fn(&Measured) -> Option<f64>) -> Option<f64> {
    let counted = s.measured.iter().zip(&s.result.included).filter(|(_, i)| **i).map(|(m, _)| of(m));
    let v: Vec<f64> = counted.collect::<Option<_>>()?;
    (!v.is_empty()).then(|| mean(&v))
}

fn highest(m: &Measured, name: &str) -> Option<f64> {
    m.channels.iter().find(|c| c.channel.as_str() == name).map(|c| c.max)
}

/// The pressure a rung is named by, kPa; `None` for words and for what is no pressure.
pub(crate) fn named_kpa(name: &str) -> Option<f64> {
    let (number, unit) = measured(name)?;
    let scale = match unit.to_lowercase().split_whitespace().next().unwrap_or("") {
        "" | "kpa" => 1.0,
        "bar" => 100.0,
        "psi" => 6.894_757,
        _ => return None,
    };
    Some(number * scale)
}

fn rung(set: SetRead) -> Rung {
    /// Gauge boost from which a ratio of pressures says something, kPa (domain, section 9).
    const RATIO_FROM_KPA: f64 = 50.0;
    let ambient = |m: &Measured| m.air.map_or(101.325, |a| a.pressure_hpa / 10.0);
    let gauge = |m: &Measured, name: &str| Some(highest(m, name)? - ambient(m));
    let name = set.stored.set.config.boost.clone();
    let target_kpa = of_pulls(&set, |m| gauge(m, "boost_target"));
    let boost_kpa = of_pulls(&set, |m| gauge(m, "manifold_pressure"));
    Rung {
        at: named_kpa(&name).or(target_kpa).or(boost_kpa),
        boost_kpa,
        target_kpa,
        spool_rpm: of_pulls(&set, |m| m.tells.as_ref()?.spool_rpm),
        overshoot_kpa: of_pulls(&set, |m| m.tells.as_ref()?.overshoot_kpa),
        back_ratio: of_pulls(&set, |m| {
            let boost = gauge(m, "manifold_pressure").filter(|b| *b >= RATIO_FROM_KPA)?;
            Some(gauge(m, "back_pressure")? / boost)
        }),
        expected_kw: None,
        step: None,
        per_kpa: None,
        name,
        set,
    }
}

/// What a rung gave over the one below it.
fn against(below: &Rung, rung: &mut Rung) {
    let peaks = |r: &Rung| r.set.result.figure(Figure::PeakPower).values.clone();
    rung.step = compare(&peaks(below), &peaks(rung)).ok();
    let apart = rung.at.zip(below.at).map(|(a, b)| a - b).filter(|d| *d > 0.0);
    rung.per_kpa = rung.step.zip(apart).map(|(s, d)| (s.difference / d, s.ci95.map(|v| v / d)));
    let absolute = |r: &Rung| of_pulls(&r.set, |m| highest(m, "manifold_pressure"));
    let charge_k = |r: &Rung| of_pulls(&r.set, |m| Some(highest(m, "intake_temp")? + 273.15));
    // P = P_below · (MAP/MAP_below) · (T_below/T) (domain, section 9); at one temperature where none was logged.
    let heat = charge_k(below).zip(charge_k(rung)).map_or(1.0, |(b, r)| b / r);
    let power = below.set.result.figure(Figure::PeakPower).mean;
    rung.expected_kw = absolute(rung).zip(absolute(below)).zip(power).map(|((r, b), p)| p * r / b * heat);
}

fn forecast(limit: &Limit, rungs: &[Rung], next: f64) -> NextOf {
    let outcome = |m: &Measured| m.limits.iter().find(|o| o.limit == limit.id).cloned();
    let mut seen = Vec::new();
    let mut measured = true;
    for r in rungs.iter().filter(|r| limit.applies(&r.set.stored.set.config.factors())) {
        let all: Vec<Option<LimitOutcome>> = r.set.measured.iter().map(outcome).collect();
        measured &= all.iter().all(|o| {
            o.as_ref().is_some_and(|o| matches!(o.verdict, Verdict::Over | Verdict::Close | Verdict::Clear))
        });
        let excess = all.iter().flatten().filter_map(|o| o.margin.map(|m| -m)).collect();
        if let Some(at) = r.at {
            seen.push(RungSeen { at, excess });
        }
    }
    let worst = rungs.last().and_then(|r| {
        let all = r.set.measured.iter().filter_map(outcome);
        all.filter(|o| o.margin.is_some())
            .min_by(|a, b| a.margin.unwrap_or(0.0).total_cmp(&b.margin.unwrap_or(0.0)))
    });
    // Retard at nothing says nothing of where knock begins.
    let threshold = limit.channel.kind().is_some_and(|k| k.name == "knock_retard");
    let flat = threshold && seen.iter().all(|r| r.excess.windows(2).all(|w| (w[0] - w[1]).abs() < 1e-9));
    NextOf {
        limit: limit.clone(),
        forecast: if !measured || seen.is_empty() {
            Err(NotForecast::Unmeasured)
        } else if flat {
            Err(NotForecast::Too(NoForecast::NotBegun))
        } else {
            next_rung(&seen, next, limit.caution).map_err(NotForecast::Too)
        },
        rpm: worst.and_then(|o| o.rpm),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_rung_is_read_in_the_unit_of_its_name() {
        assert_eq!(named_kpa("110 kPa"), Some(110.0));
        assert!((named_kpa("1.1 bar gauge").unwrap() - 110.0).abs() < 1e-9);
        assert!((named_kpa("16 psi").unwrap() - 110.3).abs() < 0.1);
        assert_eq!((named_kpa("as mapped"), named_kpa("300 ml/min")), (None, None));
    }
}
