//! A difference of several factors, split: step by step along a path that was run, and free of order when every corner was.

use super::compare::Pool;
use super::sets::{Figure, SetResult};
use crate::factors::{Confounding, Factors, MAX_CORNERED, corner};
use crate::stats::pooled::{Interval, Term, contrast};

/// One figure of a confounded comparison, split by factor.
#[derive(Debug, Clone, PartialEq)]
pub struct Split {
    /// Which figure.
    pub figure: Figure,
    /// One step for each factor along the path that was run, in its order; empty when the path was not run.
    pub steps: Vec<Step>,
    /// The order-free split; `None` unless every corner was run.
    pub free: Option<OrderFree>,
}

/// One factor changed on the way from base to candidate.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// The factor.
    pub factor: String,
    /// What it changed to.
    pub to: String,
    /// Index of the set it leads to.
    pub set: usize,
    /// Difference to the set before.
    pub interval: Interval,
}

/// Every corner was run: no order is preferred.
#[derive(Debug, Clone, PartialEq)]
pub struct OrderFree {
    /// Each factor's share of the whole difference (Shapley 1953): its effect averaged over all orders. They add up to the whole.
    pub shares: Vec<(String, Interval)>,
    /// Each factor's effect averaged over all settings of the others.
    pub main: Vec<(String, Interval)>,
    /// What the factors do together beyond the sum of each alone, from the base.
    pub together: Interval,
}

/// Splits one figure between sets of one day; `None` without scatter, over different days, or with nothing to split.
pub(super) fn split(sets: &[SetResult], a: usize, b: usize, c: &Confounding, pool: &Pool<'_>, figure: Figure) -> Option<Split> {
    if !c.confounded || sets[a].day != sets[b].day {
        return None;
    }
    let cells = Cells { sets, base: a, candidate: b, differ: &c.factors_differ, figure };
    let w = pool.within(figure)?;
    let s_b = pool.between(figure, &w);
    let interval = |weights: &[(usize, f64)]| Some(contrast(&cells.terms(weights)?, &w, s_b.as_ref()));
    let steps = path(&cells, c).map_or_else(Vec::new, |order| {
        let mut chosen = 0;
        let step = |i: usize| {
            let (from, to) = (chosen, chosen | 1 << i);
            chosen = to;
            let name = &c.factors_differ[i];
            let value = sets[b].factors.get(name).cloned().unwrap_or_else(|| "none".into());
            Some(Step { factor: name.clone(), to: value, set: *cells.at(to).first()?, interval: interval(&[(from, -1.0), (to, 1.0)])? })
        };
        order.into_iter().map(step).collect::<Option<Vec<_>>>().unwrap_or_default()
    });
    let free = order_free(c.factors_differ.len(), &c.factors_differ, interval);
    (!steps.is_empty() || free.is_some()).then_some(Split { figure, steps, free })
}

struct Cells<'a> {
    sets: &'a [SetResult],
    base: usize,
    candidate: usize,
    differ: &'a [String],
    figure: Figure,
}

impl Cells<'_> {
    /// Sets of the day in the configuration with the chosen factors changed.
    fn at(&self, chosen: usize) -> Vec<usize> {
        let (a, b) = (&self.sets[self.base], &self.sets[self.candidate]);
        let wanted: Factors = corner(&a.factors, &b.factors, self.differ, chosen);
        let counts = |s: &SetResult| s.day == a.day && s.factors == wanted && s.figure(self.figure).mean.is_some();
        (0..self.sets.len()).filter(|&i| counts(&self.sets[i])).collect()
    }

    /// Weights of cells as weights of set means; a cell run several times shares its weight. `None` when a cell is empty: it is never
    /// filled in by guessing.
    fn terms(&self, weights: &[(usize, f64)]) -> Option<Vec<Term>> {
        let mut out = Vec::new();
        for (chosen, weight) in weights.iter().filter(|w| w.1 != 0.0) {
            let members = self.at(*chosen);
            if members.is_empty() {
                return None;
            }
            for &i in &members {
                let f = self.sets[i].figure(self.figure);
                out.push(Term { weight: weight / members.len() as f64, mean: f.mean?, n: f.values.len() });
            }
        }
        Some(out)
    }
}

/// Order in which the factors change along the path that was run.
fn path(cells: &Cells<'_>, c: &Confounding) -> Option<Vec<usize>> {
    if !c.separate_with.is_empty() || !c.not_safe.is_empty() || c.already_run.len() + 1 != c.factors_differ.len() {
        return None;
    }
    let b = &cells.sets[cells.candidate].factors;
    let changed =
        |at: &Factors| (0..c.factors_differ.len()).filter(|&i| at.get(&c.factors_differ[i]) == b.get(&c.factors_differ[i])).collect::<Vec<_>>();
    let mut order: Vec<usize> = Vec::new();
    for at in &c.already_run {
        order.extend(changed(at).into_iter().filter(|i| !order.contains(i)).collect::<Vec<_>>());
    }
    order.extend((0..c.factors_differ.len()).filter(|i| !order.contains(i)).collect::<Vec<_>>());
    (order.len() == c.factors_differ.len()).then_some(order)
}

fn order_free(k: usize, names: &[String], interval: impl Fn(&[(usize, f64)]) -> Option<Interval>) -> Option<OrderFree> {
    if !(2..=MAX_CORNERED).contains(&k) {
        return None;
    }
    let each = |weight: &dyn Fn(usize) -> f64| -> Option<Vec<(String, Interval)>> {
        let one = |i: usize| {
            let without = (0..1usize << k).filter(|s| s >> i & 1 == 0);
            let weights: Vec<(usize, f64)> = without.flat_map(|s| [(s, -weight(s)), (s | 1 << i, weight(s))]).collect();
            Some((names[i].clone(), interval(&weights)?))
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
    Some(OrderFree { shares: each(&shapley)?, main: each(&|_| 0.5f64.powi(k as i32 - 1))?, together: interval(&together)? })
}
