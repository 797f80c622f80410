//! The ladder of a map on a fuel: what each rung gave, what it left of the margins, and what the next would.

mod beside;
mod rungs;

pub use beside::{Beside, SideRow, beside};
pub use rungs::{NextOf, NotForecast, Rung};
pub(crate) use rungs::{named_kpa, next_of};

use crate::error::{WorkflowError, blocking};
use crate::lineup::{Channels, LineUp, MAX_SETS, channels, line_up};
use crate::sets::{SetRead, newest_of_each, recent_days};
use jamjar_core::analysis::{Detune, Figure, NoDetune, Settings, USABLE, detune, usable};
use jamjar_core::factors::Factors;
use jamjar_core::factors::rungs::{by_size, is_extra, measured, ordered};
use jamjar_store::{LadderWord, SetWithPulls, Store, VehicleRecord};
use rungs::{ahead, hold, next_at, rungs_of, step};
use std::collections::{BTreeMap, BTreeSet};

/// Days looked through, newest first (our choice).
const DAYS: i64 = 60;
/// The factor that most ladders climb.
pub const BOOST: &str = "boost";

/// A ladder that can be looked at: the factor its rungs are of, and everything that is the same on all of them.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)]
pub struct LadderOf {
    pub rungs: String,
    pub held: Factors,
}

impl LadderOf {
    /// The one a set stands on; `None` where it has no value of an extra.
    pub fn of(s: &SetWithPulls, rungs: &str) -> Option<Self> {
        let mut held = s.set.config.factors();
        let own = held.remove(rungs);
        (rungs == BOOST || own.is_some()).then(|| Self { rungs: rungs.to_owned(), held })
    }

    /// What a factor is on all of its rungs; blank where nobody said.
    pub fn said(&self, factor: &str) -> &str {
        self.held.get(factor).map_or("", String::as_str)
    }

    /// Whether it is the one that was meant, as far as that says: an address may leave out what nobody named then.
    fn meant(&self, asked: &Self) -> bool {
        self.rungs == asked.rungs && asked.held.iter().all(|(k, v)| self.said(k) == v)
    }

    fn is_of(&self, w: &LadderWord) -> bool {
        let said = [("map", &w.map), ("fuel", &w.fuel), ("build", &w.build), ("gear", &w.gear)];
        self.rungs == w.rungs && said.iter().all(|(k, v)| self.said(k) == v.as_str())
    }
}

/// What a set is called on a ladder.
fn rung_name(s: &SetWithPulls, rungs: &str) -> String {
    s.set.config.factors().remove(rungs).unwrap_or_default()
}

/// A ladder with its next rung.
#[derive(Debug, Clone)]
pub struct Ladder {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Ladders of at least two rungs there are: of boost, and of extras whose values are numbers of one unit.
    pub ladders: Vec<LadderOf>,
    /// The one shown.
    pub of: Option<LadderOf>,
    /// Rungs, from the lowest.
    pub rungs: Vec<Rung>,
    /// Unit of its rungs: kPa gauge for boost.
    pub unit: String,
    /// Its rungs over each other; `None` where there are none.
    pub line_up: Option<LineUp>,
    /// Their channels.
    pub channels: Channels,
    /// Where the next one would stand, in that unit.
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

    /// Where a rung of a name stands.
    fn place(&self, name: &str) -> Option<f64> {
        match self.of.as_ref().is_some_and(|o| o.rungs != BOOST) {
            true => measured(name).map(|m| m.0),
            false => named_kpa(name),
        }
    }

    /// What stands of a kind: of the rung where one is given.
    pub fn word(&self, kind: &str, at: Option<f64>) -> Option<&LadderWord> {
        let same = |w: &&LadderWord| {
            at.is_none_or(|at| self.place(&w.at_rung).is_some_and(|r| (r - at).abs() < 0.5))
        };
        self.said.iter().filter(|w| w.kind == kind).find(same)
    }
}

/// Reads a ladder: the one asked for, else the one of boost with most rungs.
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
    let counted = ladders(&sets);
    let of =
        asked.and_then(|a| counted.iter().find(|l| l.0 == *a).or_else(|| most(&counted, |l| l.meant(a))));
    let of = of.or_else(|| most(&counted, |l| l.rungs == BOOST)).or_else(|| most(&counted, |_| true));
    let of = of.map(|l| l.0.clone());
    let own = of.as_ref().map_or_else(Vec::new, |of| sets_on(of, &sets));
    let mut out = Ladder {
        unit: unit_of(of.as_ref(), &sets),
        vehicle: vehicle.clone(),
        ladders: counted.into_iter().map(|l| l.0).collect(),
        rungs: Vec::new(),
        line_up: None,
        channels: Channels::default(),
        next,
        forecasts: Vec::new(),
        said: store.ladder_words(vehicle.id).await?,
        days,
        of,
    };
    let Some(of) = &out.of else {
        out.said.clear();
        return Ok(out);
    };
    out.said.retain(|w| of.is_of(w));
    let l = line_up(store, &own, None, settings).await?;
    let read = |k: usize| SetRead {
        stored: l.sets[k].clone(),
        measured: l.measured[k].clone(),
        result: l.results[k].clone(),
        verdicts: l.verdicts[k].clone(),
        found: Vec::new(),
    };
    out.rungs = rungs_of((0..l.sets.len()).map(read).collect(), &of.rungs);
    out.channels = channels(store, &l).await?;
    let place: BTreeMap<i64, usize> = l.sets.iter().enumerate().map(|(k, s)| (s.set.id, k)).collect();
    let at = |r: &Rung| place.get(&r.set.stored.set.id).copied().unwrap_or_default();
    let places: Vec<usize> = out.rungs.iter().map(at).collect();
    for (r, k) in out.rungs.iter_mut().zip(&places) {
        r.hold = out.channels.sets.get(*k).and_then(|c| hold(r, c));
    }
    let pairs: Vec<(usize, usize)> = places.windows(2).map(|w| (w[0], w[1])).collect();
    let (l, steps) = blocking(move || {
        let steps = l.between(&pairs);
        (l, steps)
    })
    .await?;
    for (i, c) in steps.iter().enumerate() {
        let below = out.rungs[i].at;
        if let Some(c) = c {
            step(&mut out.rungs[i + 1], below, c);
        }
    }
    out.next = next.or_else(|| next_at(&out.rungs));
    out.forecasts = out.next.map_or_else(Vec::new, |n| ahead(&vehicle.limits, &out.rungs, n));
    out.line_up = Some(l);
    Ok(out)
}

/// The ladder with most rungs of those that fit.
fn most(all: &[(LadderOf, usize)], fits: impl Fn(&LadderOf) -> bool) -> Option<&(LadderOf, usize)> {
    all.iter().filter(|l| fits(&l.0)).rev().max_by_key(|l| l.1)
}

/// Ladders of at least two rungs, each with how many it has.
fn ladders(sets: &[SetWithPulls]) -> Vec<(LadderOf, usize)> {
    let names: BTreeSet<String> =
        sets.iter().flat_map(|s| s.set.config.extras.keys().filter(|n| is_extra(n)).cloned()).collect();
    let mut out = Vec::new();
    for name in std::iter::once(BOOST.to_owned()).chain(names) {
        let mut of: BTreeMap<LadderOf, BTreeSet<String>> = BTreeMap::new();
        for s in sets {
            if let Some(l) = LadderOf::of(s, &name) {
                of.entry(l).or_default().insert(rung_name(s, &name));
            }
        }
        // Boost climbs whatever its targets are called; an extra has to have an order.
        let climbs = |v: &BTreeSet<String>| name == BOOST || ordered(&v.iter().map(String::as_str).collect());
        out.extend(of.into_iter().filter(|(_, v)| v.len() > 1 && climbs(v)).map(|(l, v)| (l, v.len())));
    }
    out
}

/// The newest set of each rung, from the lowest; of more than a line-up holds, the highest.
fn sets_on(of: &LadderOf, sets: &[SetWithPulls]) -> Vec<i64> {
    let mut own: Vec<(String, i64)> = Vec::new();
    for s in sets.iter().filter(|s| LadderOf::of(s, &of.rungs).as_ref() == Some(of)) {
        let name = rung_name(s, &of.rungs);
        if own.iter().all(|o| o.0 != name) {
            own.push((name, s.set.id));
        }
    }
    own.sort_by(|a, b| by_size(&a.0, &b.0));
    own.drain(..own.len().saturating_sub(MAX_SETS));
    own.into_iter().map(|o| o.1).collect()
}

/// Unit of the rungs of a ladder.
fn unit_of(of: Option<&LadderOf>, sets: &[SetWithPulls]) -> String {
    let Some(of) = of.filter(|o| o.rungs != BOOST) else { return "kPa".to_owned() };
    let first = sets.iter().find(|s| LadderOf::of(s, &of.rungs).as_ref() == Some(of));
    let name = first.map(|s| rung_name(s, &of.rungs)).unwrap_or_default();
    measured(&name).map_or_else(String::new, |m| m.1.to_owned())
}
