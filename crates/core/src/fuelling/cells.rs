//! Corrections of a fuel table, cell by cell, from mixture that was measured against mixture that was wanted.

mod fit;
mod grid;
mod passages;

use crate::maps::Axis;
use fit::Normal;
use grid::Grid;
use serde::Serialize;
use thiserror::Error;

/// A cell that has less than this much weight, samples, is not visited at all.
const VISITED: f64 = 1e-6;
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
    let grid = Grid::new(x, y);
    let passages = passages::of(&grid, samples);
    let used = passages.iter().map(|p| p.used).sum();
    if used == 0 {
        return Err(CellError::NoSamples);
    }
    let normal = Normal::new(&grid, &passages);
    let factors = normal.solve();
    let widths = normal.half_widths(&passages, &factors);
    let of = |k: usize| {
        let at = grid.number(k % x.len(), k / x.len());
        let (hits, (visits, half_width)) = (normal.weight[at], widths[at]);
        let factor = (hits > VISITED).then(|| factors[at]);
        let (apply, said) = judge(factor, hits, half_width, rules);
        Corrected { hits, visits, factor, half_width, apply, said }
    };
    Ok(Corrections {
        x: x.to_vec(),
        y: y.to_vec(),
        cells: (0..cells).map(of).collect(),
        samples: used,
        left_out: samples.len() - used,
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
