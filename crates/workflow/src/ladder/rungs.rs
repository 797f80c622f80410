//! The rungs of a ladder: what each gave, how its boost held, and what the next would do.

use super::BOOST;
use crate::sets::SetRead;
use jamjar_core::analysis::{
    BoostHold, BoostSeen, Comparison, Figure, FigureComparison, Forecast, Measured, NoForecast, RungSeen,
    SetChannel, boost_hold, next_rung,
};
use jamjar_core::channel::Channel;
use jamjar_core::curve::index_of;
use jamjar_core::factors::rungs::measured;
use jamjar_core::limits::{Limit, LimitOutcome, Verdict};
use jamjar_core::stats::two_sets::mean;
use std::collections::BTreeMap;
use std::sync::Arc;

/// One rung.
#[derive(Debug, Clone)]
pub struct Rung {
    /// Its set.
    pub set: SetRead,
    /// What it is called.
    pub name: String,
    /// Where it stands: the number of its name; of a boost, else the highest target that was logged, kPa gauge.
    pub at: Option<f64>,
    /// Highest manifold pressure over the pulls, kPa gauge, a mean.
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
    /// Its peak against that of the rung below, as a line-up has it.
    pub step: Option<FigureComparison>,
    /// kW for each unit between the two, with its interval.
    pub per_unit: Option<(f64, [f64; 2])>,
    /// How boost went on once the charger had spooled; `None` where too little was logged.
    pub hold: Option<BoostHold>,
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

/// Rungs from the lowest, each with what is expected of it from the one below.
pub(super) fn rungs_of(sets: Vec<SetRead>, factor: &str) -> Vec<Rung> {
    let mut rungs: Vec<Rung> = sets.into_iter().map(|s| rung(s, factor)).collect();
    rungs.sort_by(|a, b| a.at.unwrap_or(f64::INFINITY).total_cmp(&b.at.unwrap_or(f64::INFINITY)));
    for i in 1..rungs.len() {
        rungs[i].expected_kw = expected(&rungs[i - 1], &rungs[i]);
    }
    rungs
}

/// One step above the highest rung, as large as the last.
pub(super) fn next_at(rungs: &[Rung]) -> Option<f64> {
    let last_step = rungs.windows(2).last().and_then(|w| Some((w[1].at?, w[1].at? - w[0].at?)));
    last_step.filter(|s| s.1 > 0.0).map(|(at, step)| at + step)
}

/// What the next rung above some sets would do, the worst first; `None` where they are no ladder.
pub(crate) fn next_of(sets: Vec<SetRead>, limits: &[Limit]) -> Option<(f64, Vec<NextOf>)> {
    let rungs = rungs_of(sets, BOOST);
    let next = next_at(&rungs)?;
    Some((next, ahead(limits, &rungs, next)))
}

/// What a rung would do to every limit, the worst first.
pub(super) fn ahead(limits: &[Limit], rungs: &[Rung], next: f64) -> Vec<NextOf> {
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

fn rung(set: SetRead, factor: &str) -> Rung {
    /// Gauge boost from which a ratio of pressures says something, kPa (domain, section 9).
    const RATIO_FROM_KPA: f64 = 50.0;
    let gauge = |m: &Measured, name: &str| Some(highest(m, name)? - ambient(m));
    let name = set.stored.set.config.factors().remove(factor).unwrap_or_default();
    let target_kpa = of_pulls(&set, |m| gauge(m, "boost_target"));
    let boost_kpa = of_pulls(&set, |m| gauge(m, "manifold_pressure"));
    Rung {
        at: match factor {
            BOOST => named_kpa(&name).or(target_kpa).or(boost_kpa),
            _ => measured(&name).map(|m| m.0),
        },
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
        per_unit: None,
        hold: None,
        name,
        set,
    }
}

/// P = P_below · (MAP/MAP_below) · (T_below/T), kW (domain, section 9); at one temperature where none was logged.
fn expected(below: &Rung, rung: &Rung) -> Option<f64> {
    let absolute = |r: &Rung| of_pulls(&r.set, |m| highest(m, "manifold_pressure"));
    let charge_k = |r: &Rung| of_pulls(&r.set, |m| Some(highest(m, "intake_temp")? + 273.15));
    let heat = charge_k(below).zip(charge_k(rung)).map_or(1.0, |(b, r)| b / r);
    Some(below.set.result.figure(Figure::PeakPower).mean? * absolute(rung)? / absolute(below)? * heat)
}

/// What one rung gave over another, as a line-up has it, and what each unit between the two did.
pub(super) fn step(rung: &mut Rung, below: Option<f64>, c: &Comparison) {
    let found = c.figure(Figure::PeakPower).cloned();
    let apart = rung.at.zip(below).map(|(a, b)| a - b).filter(|d| *d > 0.0);
    let centre = found.as_ref().and_then(|f| Some((f.mean_difference.or(f.difference)?, f.ci95?)));
    rung.per_unit = centre.zip(apart).map(|((v, ci), d)| (v / d, ci.map(|x| x / d)));
    rung.step = found;
}

/// How the boost of a rung went on, from the means of its channels.
pub(super) fn hold(rung: &Rung, channels: &BTreeMap<Channel, SetChannel>) -> Option<BoostHold> {
    let of = |name: &str| Channel::new(name).ok().and_then(|c| channels.get(&c));
    let manifold = of("manifold_pressure")?;
    // On the speeds at which manifold pressure is known.
    let on = |c: &SetChannel| -> Vec<f64> {
        let at = |r: &f64| index_of(&c.rpm, *r).map_or(f64::NAN, |i| c.mean[i]);
        manifold.rpm.iter().map(at).collect()
    };
    let (target, gate) = (of("boost_target").map(on), of("wastegate_duty").map(on));
    boost_hold(&BoostSeen {
        rpm: &manifold.rpm,
        manifold_kpa: &manifold.mean,
        target_kpa: target.as_deref(),
        gate_pct: gate.as_deref(),
        ambient_kpa: of_pulls(&rung.set, |m| Some(ambient(m)))?,
    })
}

/// Air around a pull, kPa; the standard atmosphere where nobody measured it.
fn ambient(m: &Measured) -> f64 {
    m.air.map_or(101.325, |a| a.pressure_hpa / 10.0)
}

fn forecast(limit: &Limit, rungs: &[Rung], next: f64) -> NextOf {
    let outcome = |m: &Arc<Measured>| m.limits.iter().find(|o| o.limit == limit.id).cloned();
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
