//! The cheapest order: what was done is what matters, not how, so of all ways to the same state one goes on.

use super::bound::{Cost, Left, Loaded, least};
use super::model::{Day, Wanted};
use std::collections::HashMap;

/// States that go on from one set to the next (our choice: more than any day of a shop has, and well within a second).
/// Where more would, the most promising do, and what the others could not have cost less than is remembered.
const WIDEST: usize = 800;
/// Steps of the tank in which states differ (our choice).
const FULL: f64 = 8.0;

/// One thing after the other: a set by its number, or the baseline.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Do {
    Baseline,
    Set(usize),
}

/// An order with what it costs, and what no order costs less than.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Found {
    pub(super) order: Vec<Do>,
    pub(super) cost: Cost,
    pub(super) least: Cost,
}

#[derive(Debug, Clone, Copy)]
struct Node {
    before: Option<usize>,
    did: Do,
}

/// How many of each chain are done, as digits of one number; what is loaded; sets since the baseline; how full the
/// tank is, in steps, where stops for more of the same fuel may come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct State {
    done: u64,
    loaded: Loaded,
    since: usize,
    full: u8,
}

/// A state on the way, with the least the whole order costs through it.
#[derive(Debug, Clone, Copy)]
struct Way {
    state: State,
    spent: Cost,
    least: Cost,
    /// L in the tank.
    level: f64,
    node: Option<usize>,
}

struct Search<'a> {
    wanted: &'a [Wanted],
    day: &'a Day,
    chains: &'a [Vec<usize>],
    /// Weight of each chain's digit.
    weights: Vec<u64>,
    nodes: Vec<Node>,
    known: HashMap<State, Cost>,
    /// Whether stops for more of the same fuel may come.
    tops_up: bool,
}

/// The cheapest order of chains, each in its own order, with baselines around and between. The first baseline is part
/// of it where none was pulled yet.
pub(super) fn cheapest(wanted: &[Wanted], chains: &[Vec<usize>], day: &Day) -> Found {
    let mut weights = vec![1u64; chains.len() + 1];
    for (i, c) in chains.iter().enumerate() {
        weights[i + 1] = weights[i] * (c.len() as u64 + 1);
    }
    let baseline = f64::from(day.baseline.pulls) * day.baseline.litres;
    let most: f64 = wanted.iter().map(|w| f64::from(w.pulls) * w.litres + baseline).sum::<f64>() + baseline;
    let tops_up = day.pace.top_up_min > 0.0 && most + day.reserve_l > day.tank_l.min(day.now.level_l);
    let mut s = Search { wanted, day, chains, weights, nodes: Vec::new(), known: HashMap::new(), tops_up };
    let loaded = Loaded { map: day.now.map, fuel: day.now.fuel };
    let state = State { done: 0, loaded, since: day.now.since_baseline.unwrap_or(0), full: 0 };
    let level = day.now.level_l.min(day.tank_l);
    let start = Way { state, spent: Cost::default(), least: Cost::default(), level, node: None };
    let start = if day.now.since_baseline.is_none() { s.baseline(&start) } else { start };
    let mut ways = vec![start];
    let mut passed_over: Option<Cost> = None;
    for _ in 0..chains.iter().map(Vec::len).sum() {
        let mut next: HashMap<State, Way> = HashMap::new();
        for way in s.with_baselines(ways) {
            for k in 0..chains.len() {
                let Some(way) = s.set(&way, k) else { continue };
                let Some(known) = next.get(&way.state) else {
                    next.insert(way.state, way);
                    continue;
                };
                let (better, other) = if way.spent < known.spent { (way, *known) } else { (*known, way) };
                // A fuller tank may yet save the stop that makes the other the quicker one.
                if s.tops_up && other.level > better.level {
                    passed_over = Some(passed_over.map_or(other.least, |p| p.min(other.least)));
                }
                next.insert(better.state, better);
            }
        }
        ways = next.into_values().collect();
        // Equal ones in an order of their own, so that the same wishes always give the same plan.
        ways.sort_by_key(|w| {
            (w.least, w.state.done, w.state.since, w.state.loaded.map, w.state.loaded.fuel, w.state.full)
        });
        if let Some(w) = ways.get(WIDEST) {
            passed_over = Some(passed_over.map_or(w.least, |p| p.min(w.least)));
            ways.truncate(WIDEST);
        }
    }
    let ended = ways.iter().map(|w| if w.state.since > 0 { s.baseline(w) } else { *w }).collect::<Vec<_>>();
    let Some(best) = ended.iter().min_by_key(|w| (w.spent, w.state.done)) else {
        return Found { order: Vec::new(), cost: Cost::default(), least: Cost::default() };
    };
    let least = passed_over.map_or(best.spent, |p| p.min(best.spent));
    Found { order: s.order(best.node), cost: best.spent, least }
}

impl Search<'_> {
    /// Each way, and each with a baseline behind it where a set was pulled since the last.
    fn with_baselines(&mut self, ways: Vec<Way>) -> Vec<Way> {
        let mut out = ways.clone();
        for w in &ways {
            if w.state.since > 0 {
                out.push(self.baseline(w));
            }
        }
        out
    }

    fn baseline(&mut self, w: &Way) -> Way {
        let b = &self.day.baseline;
        let state = State { loaded: self.day.base(), since: 0, ..w.state };
        self.on(w, state, f64::from(b.pulls) * b.litres, self.day.baseline_work(), Do::Baseline)
    }

    /// Sets of a chain that are done.
    fn done(&self, state: State, chain: usize) -> usize {
        (state.done / self.weights[chain] % (self.chains[chain].len() as u64 + 1)) as usize
    }

    /// The next set of a chain; `None` when it is done, or the baseline is due.
    fn set(&mut self, w: &Way, chain: usize) -> Option<Way> {
        let i = *self.chains[chain].get(self.done(w.state, chain))?;
        if w.state.since >= self.day.room() {
            return None;
        }
        let set = &self.wanted[i];
        let loaded = Loaded { map: Some(set.map), fuel: Some(set.fuel) };
        let state =
            State { done: w.state.done + self.weights[chain], loaded, since: w.state.since + 1, full: 0 };
        Some(self.on(w, state, f64::from(set.pulls) * set.litres, self.day.work(set), Do::Set(i)))
    }

    /// A way with a set behind it that takes so much fuel.
    fn on(&mut self, before: &Way, state: State, litres: f64, work: Cost, did: Do) -> Way {
        let (from, day) = (before.state.loaded, self.day);
        let mut spent = before.spent.plus(day.between(from, state.loaded)).plus(work);
        let changed = from.fuel != state.loaded.fuel;
        let mut level = if changed { 0.0 } else { before.level };
        // Filled to the brim it is short where it is short filled with what lies ahead, and nowhere else.
        if day.is_short(level - litres) {
            level = day.tank_l;
            if !changed && before.node.is_some() {
                spent = spent.plus(Cost::of(day.pace.top_up_min, 0.0));
            }
        }
        level = (level - litres).max(0.0);
        let full = if self.tops_up { (FULL * level / day.tank_l.max(1e-9)) as u8 } else { 0 };
        let state = State { full, ..state };
        let least = spent.plus(self.left(State { full: 0, ..state }));
        self.nodes.push(Node { before: before.node, did });
        Way { state, spent, least, level, node: Some(self.nodes.len() - 1) }
    }

    /// What is left cannot cost less.
    fn left(&mut self, state: State) -> Cost {
        if let Some(known) = self.known.get(&state) {
            return *known;
        }
        let done = |k: usize| state.done / self.weights[k] % (self.chains[k].len() as u64 + 1);
        let sets: Vec<usize> =
            (0..self.chains.len()).flat_map(|k| self.chains[k][done(k) as usize..].iter().copied()).collect();
        let work = sets.iter().fold(Cost::default(), |c, i| c.plus(self.day.work(&self.wanted[*i])));
        let left = Left { wanted: self.wanted, sets: &sets, loaded: state.loaded, since: state.since };
        let least = work.plus(least(&left, self.day));
        self.known.insert(state, least);
        least
    }

    fn order(&self, mut node: Option<usize>) -> Vec<Do> {
        let mut out = Vec::new();
        while let Some(n) = node {
            out.push(self.nodes[n].did);
            node = self.nodes[n].before;
        }
        out.reverse();
        out
    }
}
