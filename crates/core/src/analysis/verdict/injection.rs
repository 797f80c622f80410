//! Auxiliary injection switched on between two sets: what it brings is fuel too, and shows in the mixture.

use crate::analysis::measured::Measured;
use crate::analysis::set::SetResult;
use crate::channel::Channel;
use crate::findings::Finding;
use crate::stats::two_sets::{compare, mean, mean_of};
use serde::Serialize;
use std::borrow::Borrow;

/// Mixtures nearer than this are the same, λ (our choice: twice what a good wideband sensor repeats to).
const SAME: f64 = 0.02;
/// Without repeats of both, only more than this counts, λ (our choice).
const ALONE: f64 = 0.04;
/// Targets nearer than this ask for the same mixture, λ (our choice).
const SAME_TARGET: f64 = 0.01;

/// What the mixture says of an injection that was switched on, each λ as the mean over the pulls' spans.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum InjectionSays {
    /// Richer with it at the same target: the map takes back too little of its own fuel. λ without and with it, and
    /// whether the sensors sat at their rich end, so that it is at least this.
    OverFuels {
        /// λ without it and with it.
        lambda: [f64; 2],
        /// Whether it is richer still than the sensor can show.
        at_least: bool,
    },
    /// Leaner with it: more is taken back than it brings.
    Leaner {
        /// λ without it and with it.
        lambda: [f64; 2],
    },
    /// The same mixture with it as without.
    Same {
        /// λ without it and with it.
        lambda: [f64; 2],
    },
    /// λ or its target differs by intent, or was not measured with both.
    CantTell(Untold),
}

/// Why the mixture says nothing of an injection.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Untold {
    /// No λ in one of the sets, or at an end of its range without the injection.
    NotMeasured,
    /// The map asks for another mixture with it.
    OtherTarget,
    /// The difference is within the scatter.
    Scatter,
}

/// Whether a factor names an auxiliary injection.
fn is_injection(name: &str) -> bool {
    let n = name.to_lowercase();
    ["injection", "methanol", "water"].iter().any(|w| n.contains(w)) && !n.contains("map")
}

/// Whether a stated value is that of a system that does nothing; a factor nobody stated does nothing.
fn is_off(value: Option<&String>) -> bool {
    value
        .is_none_or(|v| ["", "off", "no", "none", "without", "0"].contains(&v.trim().to_lowercase().as_str()))
}

/// What two sets say of an injection, where its switching is all that differs between them.
pub(super) fn injection<M: Borrow<Measured>>(
    pair: [usize; 2],
    differ: &[String],
    sets: &[SetResult],
    measured: &[Vec<M>],
) -> Option<InjectionSays> {
    let [name] = differ else { return None };
    let off = pair.map(|s| is_off(sets[s].factors.get(name)));
    if !is_injection(name) || off[0] == off[1] {
        return None;
    }
    let [without, with] = if off[0] { pair } else { [pair[1], pair[0]] };
    let counts = |set: usize| {
        let own = measured.get(set)?.iter().zip(&sets[set].included).filter(|(_, i)| **i);
        Some(own.map(|(m, _)| m.borrow()).collect::<Vec<_>>())
    };
    let (without, with) = (counts(without)?, counts(with)?);
    Some(says(&without, &with))
}

fn says(without: &[&Measured], with: &[&Measured]) -> InjectionSays {
    let lambda = |m: &&Measured| {
        let own = m.channels.iter().filter(|c| is_lambda(&c.channel));
        mean_of(&own.map(|c| c.mean).collect::<Vec<_>>())
    };
    let target =
        |m: &&Measured| m.channels.iter().find(|c| c.channel.as_str() == "lambda_target").map(|c| c.mean);
    let every = |pulls: &[&Measured], f: &dyn Fn(&&Measured) -> Option<f64>| {
        pulls.iter().map(f).collect::<Option<Vec<f64>>>().filter(|v| !v.is_empty())
    };
    let (Some(off), Some(on)) = (every(without, &lambda), every(with, &lambda)) else {
        return InjectionSays::CantTell(Untold::NotMeasured);
    };
    if without.iter().any(|m| at_an_end(m)) {
        return InjectionSays::CantTell(Untold::NotMeasured);
    }
    let targets = every(without, &target).zip(every(with, &target));
    if targets.is_some_and(|(a, b)| (mean(&a) - mean(&b)).abs() > SAME_TARGET) {
        return InjectionSays::CantTell(Untold::OtherTarget);
    }
    let lambda = [mean(&off), mean(&on)];
    let difference = lambda[1] - lambda[0];
    let shown = match compare(&off, &on) {
        Ok(r) => r.ci95[0] > 0.0 || r.ci95[1] < 0.0,
        Err(_) => difference.abs() > ALONE,
    };
    match difference {
        d if d.abs() <= SAME => InjectionSays::Same { lambda },
        _ if !shown => InjectionSays::CantTell(Untold::Scatter),
        d if d < 0.0 => InjectionSays::OverFuels { lambda, at_least: with.iter().any(|m| at_an_end(m)) },
        _ => InjectionSays::Leaner { lambda },
    }
}

fn is_lambda(c: &Channel) -> bool {
    c.kind().is_some_and(|k| k.name == "lambda")
}

/// Whether a λ sensor sat at an end of its range within a pull.
fn at_an_end(m: &Measured) -> bool {
    m.flags.iter().any(|f| matches!(f, Finding::Saturated { channel, .. } if is_lambda(channel)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_factor_is_an_injection_by_its_words_and_off_by_what_it_says() {
        assert!(is_injection("Water injection") && is_injection("methanol") && !is_injection("cover"));
        let says = |v: &str| is_off(Some(&v.to_owned()));
        assert!(is_off(None) && says("Off") && says(" none ") && !says("on") && !says("60 to 120 kPa"));
    }
}
