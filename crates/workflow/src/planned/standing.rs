//! Where a day stands when it is planned: rungs that were pulled, the tank, the baseline.

use crate::ladder::named_kpa;
use crate::sets::SetRead;
use chrono::NaiveDate;
use jamjar_core::factors::rungs::measured;
use jamjar_core::factors::tank::{Fill, in_tank};
use jamjar_core::factors::{Factors, says};
use jamjar_core::limits::{Severity, Verdict};
use jamjar_core::planning::Ran;
use jamjar_store::{Pour, Pull, Summary, VehicleRecord};
use std::collections::BTreeSet;

/// A tank whose content is one fuel to this share counts as that fuel (our choice), and pulls burn so much more than their
/// sweeps.
const ONE_FUEL: f64 = 0.95;
const BURNT_MORE: f64 = 1.5;

/// A boost target as a number that ascends.
pub(super) fn rung_of(boost: &str) -> Option<f64> {
    named_kpa(boost).or_else(|| measured(boost).map(|m| m.0))
}

/// The newest set of the highest rung under one, alike in everything else; newest sets come first.
pub(super) fn lower_rung<'a>(pulled: &[&'a SetRead], wanted: &Factors, rung: f64) -> Option<&'a SetRead> {
    let mut like = wanted.clone();
    like.remove("boost");
    let of = |s: &&SetRead| rung_of(&s.stored.set.config.boost).filter(|r| *r < rung);
    let mut best: Option<(f64, &SetRead)> = None;
    for s in pulled.iter().filter(|s| !s.stored.pulls.is_empty()) {
        if !says(&s.stored.set.config.factors(), &like) {
            continue;
        }
        if let Some(r) = of(s).filter(|r| best.is_none_or(|b| *r > b.0)) {
            best = Some((r, s));
        }
    }
    best.map(|b| b.1)
}

/// What became of a set.
pub(super) fn became(set: Option<&SetRead>, vehicle: &VehicleRecord) -> Ran {
    set.map_or(Ran::Not, |s| if clear(s, vehicle) { Ran::Clear } else { Ran::NotClear })
}

/// What the tank holds by what was poured and pulled: its fuel, and how many litres of it at least. Pulls are taken to
/// have burnt half as much again, for warming up and driving (our choice); after a day on the road nobody knows.
pub(super) fn tank_now(
    poured: &[Pour],
    date: NaiveDate,
    sets: &[SetRead],
    takes: impl Fn(&str) -> f64,
) -> Option<(String, f64)> {
    let fills: Vec<Fill> = poured.iter().filter(|p| p.date <= date).map(Pour::fill).collect();
    let tank = in_tank(&fills)?;
    // A share nobody knows is not a number.
    let (name, _) = tank.shares.first().filter(|s| s.1.is_finite() && s.1 > ONE_FUEL)?;
    let (since, at) = tank.since;
    let after = |p: &&(Pull, Summary)| since < date || p.0.started_at.is_none_or(|t| t >= at);
    let pulls = sets.iter().flat_map(|s| &s.stored.pulls).filter(after).count();
    let burnt = BURNT_MORE * pulls as f64 * takes(name);
    let litres = tank.litres.filter(|_| since == date).unwrap_or(0.0);
    Some((name.clone(), (litres - burnt).max(0.0)))
}

/// Every stop limit was watched and kept with its margin. No stop limit at all says nothing is clear.
fn clear(s: &SetRead, vehicle: &VehicleRecord) -> bool {
    let stops: BTreeSet<&str> =
        vehicle.limits.iter().filter(|l| l.severity == Severity::Stop).map(|l| l.id.as_str()).collect();
    let mut of = s.verdicts.iter().filter(|o| stops.contains(o.limit.as_str())).peekable();
    of.peek().is_some() && of.all(|o| o.verdict == Verdict::Clear)
}

/// Sets pulled since the last baseline; `None` before the first.
pub(super) fn since(sets: &[SetRead], base: &Factors) -> Option<usize> {
    let pulled: Vec<&SetRead> = sets.iter().filter(|s| !s.stored.pulls.is_empty()).collect();
    let last = pulled.iter().rposition(|s| s.stored.set.config.factors() == *base)?;
    Some(pulled.len() - 1 - last)
}
