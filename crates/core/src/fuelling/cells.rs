//! Corrections of a fuel table, cell by cell, from mixture that was measured against mixture that was wanted.

use crate::maps::Axis;
use crate::stats::distributions::t_quantile;
use rayon::prelude::*;
use serde::Serialize;
use thiserror::Error;

/// Samples of one cell further apart than this, s, are two visits (our choice).
const VISIT_GAP_S: f64 = 0.5;
/// A cell that has less than this much weight, samples, is not visited at all.
const VISITED: f64 = 1e-6;
/// Weight of the pull towards a cell's own weighted mean, samples: it decides only where samples do not (our choice).
const RIDGE: f64 = 0.05;
/// Samples that one thread takes at a time: fixed, so that the result does not depend on how many there are. A passage
/// over the border of two parts counts as two.
const PART: usize = 125_000;
/// Largest table, cells.
pub const MOST_CELLS: usize = 64 * 64;

/// One sample: where it stood, and λ measured ÷ λ wanted with the transport delay taken out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sample {
    /// Place along a row.
    pub x: f64,
    /// Place down the rows.
    pub y: f64,
    /// Factor the fuel should have been multiplied by.
    pub ratio: f64,
    /// Time, s.
    pub t: f64,
    /// Which pull it belongs to.
    pub pull: u32,
}

/// What is corrected, and how far.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Rules {
    /// A cell with less weight than this many samples is left as it is.
    pub min_hits: f64,
    /// Largest change of a cell in one step, as a share.
    pub clamp: f64,
    /// Only cells whose correction lies beyond its own confidence are changed.
    pub only_shown: bool,
}

impl Default for Rules {
    /// 20 samples, 10 % a step (our choice: cautious for a logger at 20 to 100 Hz), every cell that was hit enough.
    fn default() -> Self {
        Self { min_hits: 20.0, clamp: 0.10, only_shown: false }
    }
}

/// What is said of a cell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Cell {
    /// No sample stood near it: untouched.
    Unvisited,
    /// Fewer hits than asked for: untouched.
    TooFew,
    /// Corrected.
    Corrected,
    /// Corrected by as much as one step may.
    Clamped,
    /// Hit enough, and 1 lies inside its confidence: untouched where only what is shown is changed.
    NotShown,
}

/// One cell of the result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Corrected {
    /// Sum of the weights of its samples.
    pub hits: f64,
    /// Times it was passed through.
    pub visits: u32,
    /// Factor found; `None` where nothing was.
    pub factor: Option<f64>,
    /// Half-width of the factor's 95 % interval; `None` below two visits.
    pub half_width: Option<f64>,
    /// Factor to be applied: within the clamp, 1 where untouched.
    pub apply: f64,
    /// What is said of it.
    pub said: Cell,
}

/// Corrections of a whole table, row by row.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Corrections {
    /// Places along a row.
    pub x: Vec<f64>,
    /// Places down the rows.
    pub y: Vec<f64>,
    /// Cells row by row.
    pub cells: Vec<Corrected>,
    /// Samples that were used.
    pub samples: usize,
    /// Samples left out: not finite, or no mixture.
    pub left_out: usize,
}

/// Why nothing is corrected.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum CellError {
    #[error("{axis}: the places must be finite and strictly ascending")]
    Axis { axis: &'static str },
    #[error("a table of {cells} cells is larger than {MOST_CELLS}")]
    TooLarge { cells: usize },
    #[error("no sample holds a place and a mixture")]
    NoSamples,
}

/// Corrections from samples.
///
/// # Formula
/// `c` minimises `Σ_s (Σ_k w_ks·c_k − r_s)² + ρ·Σ_k (c_k − r̄_k)²`
///
/// where
/// - `r_s`: λ measured ÷ λ wanted, the factor the fuel of that sample should have had;
/// - `w_ks`: bilinear weights of the four cells around the sample, held at the edges as engine computers read a table;
/// - `r̄_k`: the weighted mean of the ratios around cell k, `ρ` a small weight that keeps a barely seen cell at it;
/// - the half-width is `t(0.975, G_k − 1)·√V_kk` with `V = A⁻¹·(Σ_g u_g·u_gᵀ)·A⁻¹`, `u_g = Σ_(s in visit g) w_s·e_s`:
///   residuals `e` of one passage through a cell go together, so passages are counted, not samples (Liang & Zeger 1986,
///   Biometrika 73, p. 13; our choice of what makes a group).
///
/// Bilinear weights and the minimum of hits: domain, section 7. A least-squares fit in the place of a weighted mean is
/// our choice: a mean smears a wrong cell over its neighbours.
///
/// # Errors
/// [`CellError`] for axes that do not ascend, a table too large, or no usable sample.
pub fn corrections(
    x: &[f64],
    y: &[f64],
    samples: &[Sample],
    rules: &Rules,
) -> Result<Corrections, CellError> {
    for (axis, at) in [("axis along a row", x), ("axis down the rows", y)] {
        if at.is_empty() || at.iter().any(|v| !v.is_finite()) || at.windows(2).any(|w| w[1] <= w[0]) {
            return Err(CellError::Axis { axis });
        }
    }
    let cells = x.len() * y.len();
    if cells > MOST_CELLS {
        return Err(CellError::TooLarge { cells });
    }
    let parts: Vec<&[Sample]> = samples.chunks(PART).collect();
    let part = |of: &&[Sample]| {
        let mut own = Sums::new(x, y);
        of.iter().for_each(|s| own.add(s));
        own
    };
    let mut sums = Sums::new(x, y);
    parts.par_iter().map(part).collect::<Vec<_>>().iter().for_each(|own| sums.join(own));
    if sums.used == 0 {
        return Err(CellError::NoSamples);
    }
    let factors = sums.solve();
    let widths = sums.half_widths(&parts, &factors);
    let of = |k: usize| {
        let (hits, (visits, half_width)) = (sums.weight[sums.at(k)], widths[sums.at(k)]);
        let factor = (hits > VISITED).then(|| factors[sums.at(k)]);
        let (apply, said) = judge(factor, hits, half_width, rules);
        Corrected { hits, visits, factor, half_width, apply, said }
    };
    Ok(Corrections {
        x: x.to_vec(),
        y: y.to_vec(),
        cells: (0..cells).map(of).collect(),
        samples: sums.used,
        left_out: samples.len() - sums.used,
    })
}

fn judge(factor: Option<f64>, hits: f64, half_width: Option<f64>, rules: &Rules) -> (f64, Cell) {
    let Some(f) = factor else { return (1.0, Cell::Unvisited) };
    if hits < rules.min_hits {
        return (1.0, Cell::TooFew);
    }
    if rules.only_shown && half_width.is_none_or(|h| (f - 1.0).abs() <= h) {
        return (1.0, Cell::NotShown);
    }
    let held = f.clamp(1.0 - rules.clamp, 1.0 + rules.clamp);
    (held, if (held - f).abs() > 1e-12 { Cell::Clamped } else { Cell::Corrected })
}

/// Four cells around a sample and their weights.
type Around = [(usize, f64); 4];

/// Normal equations of the fit, banded: cells are numbered along the shorter axis.
struct Sums<'a> {
    x: &'a [f64],
    y: &'a [f64],
    guess: [f64; 2],
    swapped: bool,
    band: usize,
    /// Lower band of the normal matrix: `[k][d]` couples cells k and k − d.
    normal: Vec<f64>,
    right: Vec<f64>,
    weight: Vec<f64>,
    used: usize,
}

impl<'a> Sums<'a> {
    fn new(x: &'a [f64], y: &'a [f64]) -> Self {
        let (n, short) = (x.len() * y.len(), x.len().min(y.len()));
        let band = short + 1;
        let per = |at: &[f64]| match at {
            [_] => 0.0,
            more => (more.len() - 1) as f64 / (more[more.len() - 1] - more[0]),
        };
        Self {
            x,
            y,
            guess: [per(x), per(y)],
            swapped: y.len() < x.len(),
            band,
            normal: vec![0.0; n * (band + 1)],
            right: vec![0.0; n],
            weight: vec![0.0; n],
            used: 0,
        }
    }

    /// Number of a cell by its place in the rows.
    fn at(&self, k: usize) -> usize {
        let (i, j) = (k % self.x.len(), k / self.x.len());
        self.number(i, j)
    }

    fn number(&self, i: usize, j: usize) -> usize {
        if self.swapped { i * self.y.len() + j } else { j * self.x.len() + i }
    }

    #[inline]
    fn around(&self, s: &Sample) -> Option<Around> {
        if !(s.ratio.is_finite() && s.ratio > 0.0 && s.x.is_finite() && s.y.is_finite()) {
            return None;
        }
        let ((i, u), (j, v)) = (place(self.x, self.guess[0], s.x), place(self.y, self.guess[1], s.y));
        let (i1, j1) = ((i + 1).min(self.x.len() - 1), (j + 1).min(self.y.len() - 1));
        Some([
            (self.number(i, j), (1.0 - u) * (1.0 - v)),
            (self.number(i1, j), u * (1.0 - v)),
            (self.number(i, j1), (1.0 - u) * v),
            (self.number(i1, j1), u * v),
        ])
    }

    #[inline]
    fn add(&mut self, s: &Sample) {
        let Some(around) = self.around(s) else { return };
        self.used += 1;
        let stride = self.band + 1;
        for (a, (k, w)) in around.iter().enumerate() {
            if *w == 0.0 {
                continue;
            }
            self.weight[*k] += w;
            self.right[*k] += w * s.ratio;
            self.normal[k * stride] += w * w;
            for (l, m) in &around[..a] {
                let (high, low) = if k > l { (*k, *l) } else { (*l, *k) };
                if high != low {
                    self.normal[high * stride + (high - low)] += w * m;
                } else {
                    self.normal[high * stride] += 2.0 * w * m;
                }
            }
        }
    }

    /// Takes up the sums of other samples.
    fn join(&mut self, other: &Self) {
        let add = |a: &mut [f64], b: &[f64]| a.iter_mut().zip(b).for_each(|(a, b)| *a += b);
        add(&mut self.normal, &other.normal);
        add(&mut self.right, &other.right);
        add(&mut self.weight, &other.weight);
        self.used += other.used;
    }

    /// The band with the pull towards each cell's own mean, factored in place.
    fn factored(&self) -> Vec<f64> {
        let stride = self.band + 1;
        let mut l = self.normal.clone();
        for k in 0..self.weight.len() {
            l[k * stride] += if self.weight[k] > VISITED { RIDGE } else { 1.0 };
        }
        for k in 0..self.weight.len() {
            for d in (0..=self.band.min(k)).rev() {
                let j = k - d;
                let reach = self.band.min(j).min(self.band - d);
                let mut sum = l[k * stride + d];
                for e in 1..=reach {
                    sum -= l[k * stride + d + e] * l[j * stride + e];
                }
                l[k * stride + d] = if d == 0 { sum.max(1e-30).sqrt() } else { sum / l[j * stride] };
            }
        }
        l
    }

    fn back(&self, l: &[f64], b: &mut [f64]) {
        let (n, stride) = (b.len(), self.band + 1);
        for k in 0..n {
            let sum: f64 = (1..=self.band.min(k)).map(|d| l[k * stride + d] * b[k - d]).sum();
            b[k] = (b[k] - sum) / l[k * stride];
        }
        for k in (0..n).rev() {
            let below = self.band.min(n - 1 - k);
            let sum: f64 = (1..=below).map(|d| l[(k + d) * stride + d] * b[k + d]).sum();
            b[k] = (b[k] - sum) / l[k * stride];
        }
    }

    fn solve(&self) -> Vec<f64> {
        let l = self.factored();
        let mut b: Vec<f64> = self
            .right
            .iter()
            .zip(&self.weight)
            .map(|(r, w)| if *w > VISITED { r + RIDGE * r / w } else { 1.0 })
            .collect();
        self.back(&l, &mut b);
        b
    }

    /// Visits and half-width of every cell, by number.
    fn half_widths(&self, parts: &[&[Sample]], factors: &[f64]) -> Vec<(u32, Option<f64>)> {
        let part = |samples: &&[Sample]| {
            let mut visits = Visits::new(self.weight.len());
            for s in *samples {
                if let Some(around) = self.around(s) {
                    let fitted: f64 = around.iter().map(|(k, w)| w * factors[*k]).sum();
                    visits.add(&around, s, s.ratio - fitted);
                }
            }
            visits.end();
            visits
        };
        let visits: Vec<Visits> = parts.par_iter().map(part).collect();
        let of_cell: Vec<u32> =
            (0..self.weight.len()).map(|k| visits.iter().map(|v| v.of_cell[k]).sum()).collect();
        let meat = self.meat(visits.iter().flat_map(|v| &v.groups));
        let l = self.factored();
        let half_width = |k: usize| {
            let n = of_cell[k];
            if n < 2 || self.weight[k] <= VISITED {
                return (n, None);
            }
            let mut unit = vec![0.0; self.weight.len()];
            unit[k] = 1.0;
            self.back(&l, &mut unit);
            let var: f64 = meat.iter().map(|(a, b, v)| unit[*a] * unit[*b] * v).sum();
            let df = f64::from(n) - 1.0;
            (n, Some(t_quantile(0.975, df) * (var.max(0.0) * f64::from(n) / df).sqrt()))
        };
        (0..self.weight.len()).into_par_iter().map(half_width).collect()
    }

    /// Products of what passages left in each two cells, summed over the passages, where any did: a passage stays about
    /// one cell, so they lie near each other.
    fn meat<'g>(&self, groups: impl Iterator<Item = &'g Vec<(usize, f64)>>) -> Vec<(usize, usize, f64)> {
        let reach = 2 * self.band;
        let mut band = vec![0.0; self.weight.len() * (reach + 1)];
        for g in groups {
            for (i, (a, x)) in g.iter().enumerate() {
                for (b, y) in &g[..=i] {
                    let twice = if a == b { 1.0 } else { 2.0 };
                    band[a.max(b) * (reach + 1) + a.abs_diff(*b)] += twice * x * y;
                }
            }
        }
        let at = |(k, v): (usize, &f64)| {
            let (high, apart) = (k / (reach + 1), k % (reach + 1));
            (*v != 0.0).then(|| (high, high - apart, *v))
        };
        band.iter().enumerate().filter_map(at).collect()
    }
}

/// The place below a value and the share towards the next, held at the ends; even axes are guessed.
#[inline]
fn place(at: &[f64], per: f64, v: f64) -> (usize, f64) {
    let last = at.len() - 1;
    if v <= at[0] {
        return (0, 0.0);
    }
    if v >= at[last] {
        return (last, 0.0);
    }
    let guess = (((v - at[0]) * per) as usize).min(last - 1);
    let i = if at[guess] <= v && v < at[guess + 1] { guess } else { at.partition_point(|a| *a <= v) - 1 };
    (i, (v - at[i]) / (at[i + 1] - at[i]))
}

/// Residuals summed over each passage through a cell.
struct Visits {
    of_cell: Vec<u32>,
    groups: Vec<Vec<(usize, f64)>>,
    now: Vec<(usize, f64)>,
    /// Cell, pull and time of the last sample.
    last: Option<(usize, u32, f64)>,
}

impl Visits {
    fn new(cells: usize) -> Self {
        Self { of_cell: vec![0; cells], groups: Vec::new(), now: Vec::new(), last: None }
    }

    fn add(&mut self, around: &Around, s: &Sample, residual: f64) {
        let main = around.iter().max_by(|a, b| a.1.total_cmp(&b.1)).map_or(0, |a| a.0);
        let same =
            self.last.is_some_and(|(k, p, t)| k == main && p == s.pull && (s.t - t).abs() <= VISIT_GAP_S);
        if !same {
            self.end();
            self.of_cell[main] += 1;
        }
        self.last = Some((main, s.pull, s.t));
        for (k, w) in around.iter().filter(|a| a.1 > 0.0) {
            match self.now.iter_mut().find(|n| n.0 == *k) {
                Some(n) => n.1 += w * residual,
                None => self.now.push((*k, w * residual)),
            }
        }
    }

    fn end(&mut self) {
        if !self.now.is_empty() {
            self.groups.push(std::mem::take(&mut self.now));
        }
    }
}

impl Corrections {
    /// Cells of one row.
    pub fn row(&self, j: usize) -> &[Corrected] {
        &self.cells[j * self.x.len()..(j + 1) * self.x.len()]
    }

    /// How many cells are in each state.
    pub fn count(&self, said: Cell) -> usize {
        self.cells.iter().filter(|c| c.said == said).count()
    }

    /// A table after the correction: the given one times the factors, which need not stand on the same places.
    pub fn applied(&self, table: &crate::maps::Table) -> crate::maps::Table {
        let factor = crate::maps::Table {
            name: String::new(),
            unit: String::new(),
            x: Axis { channel: String::new(), unit: String::new(), at: self.x.clone() },
            y: Some(Axis { channel: String::new(), unit: String::new(), at: self.y.clone() }),
            rows: (0..self.y.len()).map(|j| self.row(j).iter().map(|c| c.apply).collect()).collect(),
        };
        let mut out = table.clone();
        let down = table.y.as_ref().map_or(&[0.0][..], |y| &y.at);
        for (row, y) in out.rows.iter_mut().zip(down) {
            for (v, x) in row.iter_mut().zip(&table.x.at) {
                *v *= factor.at(*x, *y);
            }
        }
        out
    }
}

#[cfg(test)]
#[path = "cells_test.rs"]
mod tests;
