//! A difference of several factors, split: step by step along a path that was run, and free of order when
//! every corner was.

use super::pool::Pool;
use crate::analysis::set::{Figure, SetResult};
use crate::factors::{Confounding, Factors, MAX_CORNERED, changed, differing};
use crate::stats::pooled::{Interval, Term, contrast};

/// One figure of a confounded comparison, split by factor.
#[derive(Debug, Clone, PartialEq)]
pub struct Split {
    /// Which figure.
    pub figure: Figure,
    /// Steps along the path that was run, in its order: one for each factor, or several at once where a stop on the way
    /// is missing; empty when no stop was run.
    pub steps: Vec<Step>,
    /// The order-free split; `None` unless every corner was run.
    pub free: Option<OrderFree>,
}

/// What changed from one stop to the next on the way from base to candidate.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// The factor; where the step is confounded, all of them, with “and” between.
    pub factor: String,
    /// What it changed to.
    pub to: String,
    /// Several factors changed at once: the step is of none of them alone.
    pub confounded: bool,
    /// Index of the set it leads to.
    pub set: usize,
    /// Difference to the set before.
    pub interval: Interval,
}

/// What one factor does.
#[derive(Debug, Clone, PartialEq)]
pub struct Share {
    /// The factor.
    pub factor: String,
    /// Its effect.
    pub interval: Interval,
}

/// Every corner was run: no order is preferred.
#[derive(Debug, Clone, PartialEq)]
pub struct OrderFree {
    /// Each factor's share of the whole difference (Shapley 1953): its effect averaged over all orders. They
    /// add up to the whole.
    pub shares: Vec<Share>,
    /// Each factor's effect averaged over all settings of the others.
    pub main: Vec<Share>,
    /// What the factors do together beyond the sum of each alone, from the base.
    pub together: Interval,
}

/// Splits every figure that what was run allows; nothing over different days, without scatter, or when one
/// factor differs.
pub(in crate::analysis) fn splits(
    sets: &[SetResult],
    a: usize,
    b: usize,
    c: &Confounding,
    pool: &Pool<'_>,
) -> Vec<Split> {
    if !c.confounded || sets[a].day != sets[b].day {
        return Vec::new();
    }
    let cells = Cells::new(sets, a, b, &c.factors_differ);
    let steps = cells.path(c);
    Figure::ALL.into_iter().filter_map(|f| split(&cells, &steps, pool, f)).collect()
}

fn split(cells: &Cells<'_>, path: &[[usize; 2]], pool: &Pool<'_>, figure: Figure) -> Option<Split> {
    let s = pool.scatter(figure)?;
    let interval = |weights: &[(usize, f64)]| {
        Some(contrast(&cells.terms(figure, weights)?, &s.within, s.between.as_ref()))
    };
    let step = |[from, to]: &[usize; 2]| {
        let changed: Vec<&String> = cells
            .differ
            .iter()
            .enumerate()
            .filter(|(i, _)| (from ^ to) >> i & 1 == 1)
            .map(|(_, f)| f)
            .collect();
        let value = |f: &&String| cells.candidate.get(*f).cloned().unwrap_or_else(|| "none".into());
        Some(Step {
            factor: changed.iter().map(|f| f.as_str()).collect::<Vec<_>>().join(" and "),
            to: changed.iter().map(value).collect::<Vec<_>>().join(", "),
            confounded: changed.len() > 1,
            set: cells.at(*to, figure).next()?,
            interval: interval(&[(*from, -1.0), (*to, 1.0)])?,
        })
    };
    let steps: Vec<Step> = path.iter().map(step).collect::<Option<_>>().unwrap_or_default();
    let free = order_free(cells.differ, interval);
    (!steps.is_empty() || free.is_some()).then_some(Split { figure, steps, free })
}

/// The sets of a comparison by which of the differing factors are changed, as bits.
struct Cells<'a> {
    sets: &'a [SetResult],
    base: &'a Factors,
    candidate: &'a Factors,
    differ: &'a [String],
    /// `None` for a set of another day or kind of pull or beside the way from base to candidate.
    changed: Vec<Option<usize>>,
}

impl<'a> Cells<'a> {
    fn new(sets: &'a [SetResult], a: usize, b: usize, differ: &'a [String]) -> Self {
        let (base, candidate) = (&sets[a].factors, &sets[b].factors);
        let beside = |s: &SetResult| differing(base, &s.factors).iter().any(|f| !differ.contains(f));
        let place = |s: &SetResult| {
            if s.day == sets[a].day && s.kinds == sets[a].kinds && !beside(s) {
                changed(&s.factors, base, candidate, differ)
            } else {
                None
            }
        };
        Self { sets, base, candidate, differ, changed: sets.iter().map(place).collect() }
    }

    /// Sets with the chosen factors changed that have the figure.
    fn at(&self, chosen: usize, figure: Figure) -> impl Iterator<Item = usize> {
        (0..self.sets.len())
            .filter(move |&i| self.changed[i] == Some(chosen) && self.sets[i].figure(figure).mean.is_some())
    }

    /// Weights of cells as weights of set means; a cell run several times shares its weight. `None` when a
    /// cell is empty: it is never filled in by guessing.
    fn terms(&self, figure: Figure, weights: &[(usize, f64)]) -> Option<Vec<Term>> {
        let mut out = Vec::new();
        for (chosen, weight) in weights.iter().filter(|w| w.1 != 0.0) {
            let members: Vec<usize> = self.at(*chosen, figure).collect();
            if members.is_empty() {
                return None;
            }
            for &i in &members {
                let f = self.sets[i].figure(figure);
                out.push(Term { weight: weight / members.len() as f64, mean: f.mean?, n: f.values.len() });
            }
        }
        Some(out)
    }

    /// The path that was run: one factor a step where every stop was, else over as many stops as there are. Empty without
    /// a stop.
    fn path(&self, c: &Confounding) -> Vec<[usize; 2]> {
        let on_the_way: Vec<usize> = c
            .already_run
            .iter()
            .filter_map(|at| changed(at, self.base, self.candidate, self.differ))
            .collect();
        let whole = on_the_way.len() + 1 == self.differ.len();
        let between = if whole { on_the_way } else { self.longest() };
        if between.is_empty() {
            return Vec::new();
        }
        let stops: Vec<usize> =
            [0].into_iter().chain(between).chain([(1 << self.differ.len()) - 1]).collect();
        stops.windows(2).map(|w| [w[0], w[1]]).collect()
    }

    /// The most stops that were run between base and candidate, each with all that the one before it has changed.
    fn longest(&self) -> Vec<usize> {
        let end = (1usize << self.differ.len()) - 1;
        let mut run: Vec<usize> =
            self.changed.iter().flatten().copied().filter(|s| *s != 0 && *s != end).collect();
        // A subset is smaller as a number too.
        run.sort_unstable();
        run.dedup();
        let mut best: Vec<Vec<usize>> = Vec::new();
        for (k, stop) in run.iter().enumerate() {
            let before = (0..k).filter(|i| run[*i] & stop == run[*i]).max_by_key(|i| best[*i].len());
            let mut way = before.map_or_else(Vec::new, |i| best[i].clone());
            way.push(*stop);
            best.push(way);
        }
        best.into_iter().max_by_key(Vec::len).unwrap_or_default()
    }
}

fn order_free(names: &[String], interval: impl Fn(&[(usize, f64)]) -> Option<Interval>) -> Option<OrderFree> {
    let k = names.len();
    if !(2..=MAX_CORNERED).contains(&k) {
        return None;
    }
    let each = |weight: &dyn Fn(usize) -> f64| -> Option<Vec<Share>> {
        let one = |i: usize| {
            let without = (0..1usize << k).filter(|s| s >> i & 1 == 0);
            let weights: Vec<(usize, f64)> =
                without.flat_map(|s| [(s, -weight(s)), (s | 1 << i, weight(s))]).collect();
            Some(Share { factor: names[i].clone(), interval: interval(&weights)? })
        };
        (0..k).map(one).collect()
    };
    let factorial = |n: usize| (1..=n).map(|v| v as f64).product::<f64>();
    let shapley = |s: usize| {
        let size = s.count_ones() as usize;
        factorial(size) * factorial(k - size - 1) / factorial(k)
    };
    let mut together = vec![((1 << k) - 1, 1.0), (0, k as f64 - 1.0)];
    together.extend((0..k).map(|i| (1 << i, -1.0)));
    Some(OrderFree {
        shares: each(&shapley)?,
        main: each(&|_| 0.5f64.powi(k as i32 - 1))?,
        together: interval(&together)?,
    })
}
