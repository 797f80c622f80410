//! The least-squares fit over all cells: banded normal equations, and the width of each cell from its passages.

use super::VISITED;
use super::grid::Grid;
use super::passages::Passages;
use crate::stats::distributions::t_quantile;
use rayon::prelude::*;

/// Weight of the pull towards a cell's own weighted mean, samples: it decides only where samples do not (our choice).
const RIDGE: f64 = 0.05;

/// Normal equations of the fit.
pub(super) struct Normal {
    band: usize,
    /// Lower band, `[k][d]` couples cells k and k − d: with the pull towards each cell's own mean, factored.
    factor: Vec<f64>,
    right: Vec<f64>,
    /// `Σ w` of each cell.
    pub(super) weight: Vec<f64>,
}

impl Normal {
    pub(super) fn new(grid: &Grid, passages: &[Passages]) -> Self {
        let (n, band) = (grid.len(), grid.band());
        let mut out =
            Self { band, factor: vec![0.0; n * (band + 1)], right: vec![0.0; n], weight: vec![0.0; n] };
        for part in passages {
            out.weight.iter_mut().zip(&part.weight).for_each(|(a, b)| *a += b);
            part.right.iter().for_each(|(k, v)| out.right[*k] += v);
            part.pairs.iter().for_each(|(k, l, v)| out.factor[k * (band + 1) + (k - l)] += v);
        }
        for (k, w) in out.weight.iter().enumerate() {
            out.factor[k * (band + 1)] += if *w > VISITED { RIDGE } else { 1.0 };
        }
        factored(&mut out.factor, band);
        out
    }

    pub(super) fn solve(&self) -> Vec<f64> {
        let wanted = |(r, w): (&f64, &f64)| if *w > VISITED { r + RIDGE * r / w } else { 1.0 };
        let mut b: Vec<f64> = self.right.iter().zip(&self.weight).map(wanted).collect();
        self.back(&mut b, 0);
        b
    }

    /// Solves in place; `b` is zero before `first`.
    fn back(&self, b: &mut [f64], first: usize) {
        let (n, stride, l) = (b.len(), self.band + 1, &self.factor);
        for k in first..n {
            let sum: f64 = (1..=self.band.min(k)).map(|d| l[k * stride + d] * b[k - d]).sum();
            b[k] = (b[k] - sum) / l[k * stride];
        }
        for k in (0..n).rev() {
            let below = self.band.min(n - 1 - k);
            let sum: f64 = (1..=below).map(|d| l[(k + d) * stride + d] * b[k + d]).sum();
            b[k] = (b[k] - sum) / l[k * stride];
        }
    }

    /// Visits and half-width of every cell, by number.
    pub(super) fn half_widths(&self, passages: &[Passages], factors: &[f64]) -> Vec<(u32, Option<f64>)> {
        let of_cell: Vec<u32> =
            (0..self.weight.len()).map(|k| passages.iter().map(|p| p.of_cell[k]).sum()).collect();
        let meat = self.meat(passages, factors);
        let half_width = |k: usize| {
            let n = of_cell[k];
            if n < 2 || self.weight[k] <= VISITED {
                return (n, None);
            }
            let mut unit = vec![0.0; self.weight.len()];
            unit[k] = 1.0;
            self.back(&mut unit, k);
            let var: f64 = meat.iter().map(|(a, b, v)| unit[*a] * unit[*b] * v).sum();
            let df = f64::from(n) - 1.0;
            (n, Some(t_quantile(0.975, df) * (var.max(0.0) * f64::from(n) / df).sqrt()))
        };
        (0..self.weight.len()).into_par_iter().map(half_width).collect()
    }

    /// Products of what passages left in each two cells, `u = Σ w·r − Σ w·wᵀ·c`, summed over the passages, where any
    /// did: a passage stays about one cell, so they lie near each other.
    fn meat(&self, passages: &[Passages], factors: &[f64]) -> Vec<(usize, usize, f64)> {
        let reach = 2 * self.band;
        let mut band = vec![0.0; self.weight.len() * (reach + 1)];
        let mut left: Vec<(usize, f64)> = Vec::new();
        for part in passages {
            let (mut r, mut p) = (0, 0);
            for (right, pairs) in &part.ends {
                left.clear();
                left.extend_from_slice(&part.right[r..*right]);
                let mut less = |k: usize, v: f64| {
                    if let Some(of) = left.iter_mut().find(|l| l.0 == k) {
                        of.1 -= v;
                    }
                };
                for (k, l, v) in &part.pairs[p..*pairs] {
                    less(*k, v * factors[*l]);
                    if k != l {
                        less(*l, v * factors[*k]);
                    }
                }
                for (i, (a, x)) in left.iter().enumerate() {
                    for (b, y) in &left[..=i] {
                        let twice = if a == b { 1.0 } else { 2.0 };
                        band[a.max(b) * (reach + 1) + a.abs_diff(*b)] += twice * x * y;
                    }
                }
                (r, p) = (*right, *pairs);
            }
        }
        let at = |(k, v): (usize, &f64)| {
            let (high, apart) = (k / (reach + 1), k % (reach + 1));
            (*v != 0.0).then(|| (high, high - apart, *v))
        };
        band.iter().enumerate().filter_map(at).collect()
    }
}

/// Cholesky factor of a lower band, in place.
fn factored(l: &mut [f64], band: usize) {
    let stride = band + 1;
    for k in 0..l.len() / stride {
        for d in (0..=band.min(k)).rev() {
            let j = k - d;
            let reach = band.min(j).min(band - d);
            let mut sum = l[k * stride + d];
            for e in 1..=reach {
                sum -= l[k * stride + d + e] * l[j * stride + e];
            }
            l[k * stride + d] = if d == 0 { sum.max(1e-30).sqrt() } else { sum / l[j * stride] };
        }
    }
}
