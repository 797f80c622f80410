//! Samples summed passage by passage: what the fit and its widths need, read once.

use super::Sample;
use super::grid::Grid;
use rayon::prelude::*;

/// Samples of one cell further apart than this, s, are two visits (our choice).
const VISIT_GAP_S: f64 = 0.5;
/// Samples that one thread takes at a time: fixed, so that the result does not depend on how many there are. A passage
/// over the border of two parts counts as two.
const PART: usize = 125_000;

/// The passages of one part, one after another.
pub(super) struct Passages {
    /// Samples that hold a place and a mixture.
    pub(super) used: usize,
    /// How often each cell was passed through, by number.
    pub(super) of_cell: Vec<u32>,
    /// `Σ w` of each cell, by number.
    pub(super) weight: Vec<f64>,
    /// `Σ w·r` of each passage and cell.
    pub(super) right: Vec<(usize, f64)>,
    /// `Σ w·w'` of each passage and two cells, the higher number first.
    pub(super) pairs: Vec<(usize, usize, f64)>,
    /// Where each passage ends in both.
    pub(super) ends: Vec<(usize, usize)>,
}

/// Sums over the passages of all samples, part by part.
pub(super) fn of(grid: &Grid, samples: &[Sample]) -> Vec<Passages> {
    let parts: Vec<&[Sample]> = samples.chunks(PART).collect();
    parts.par_iter().map(|part| Passages::of(grid, part)).collect()
}

impl Passages {
    fn of(grid: &Grid, samples: &[Sample]) -> Self {
        let mut out = Self {
            used: 0,
            of_cell: vec![0; grid.len()],
            weight: vec![0.0; grid.len()],
            right: Vec::new(),
            pairs: Vec::new(),
            ends: Vec::new(),
        };
        let mut around = Around::default();
        let mut last: Option<((usize, usize), &Sample)> = None;
        for s in samples {
            if !(s.ratio.is_finite() && s.ratio > 0.0 && s.x.is_finite() && s.y.is_finite()) {
                continue;
            }
            out.used += 1;
            let ((i, u), (j, v)) = grid.place(s.x, s.y);
            let (right, below) = (u >= 0.5, v >= 0.5);
            let main = (i + usize::from(right), j + usize::from(below));
            let same = |(at, l): ((usize, usize), &Sample)| {
                at == main && l.pull == s.pull && (s.t - l.t).abs() <= VISIT_GAP_S
            };
            if !last.is_some_and(same) {
                if let Some((at, _)) = last {
                    out.end(grid, at, &around);
                    around = Around::default();
                }
                out.of_cell[grid.number(main.0, main.1)] += 1;
            }
            last = Some((main, s));
            around.add(usize::from(!right) + 3 * usize::from(!below), u, v, s.ratio);
        }
        if let Some((at, _)) = last {
            out.end(grid, at, &around);
        }
        out
    }

    /// Takes up a passage around a cell.
    fn end(&mut self, grid: &Grid, (i, j): (usize, usize), around: &Around) {
        let number = |k: usize| grid.number(i + k % 3, j + k / 3) - grid.apart(1, 1);
        for k in (0..9).filter(|k| around.weight[*k] > 0.0) {
            self.weight[number(k)] += around.weight[k];
            self.right.push((number(k), around.right[k]));
        }
        // The neighbours of a pair: itself, the next, the one below, below to the right, below to the left.
        for (sums, from, to) in [
            (&around.own, 0, 0),
            (&around.next, 0, 1),
            (&around.below, 0, 3),
            (&around.falling, 0, 4),
            (&around.rising, 1, 3),
        ] {
            for k in (0..9).filter(|k| sums[*k] > 0.0) {
                let (a, b) = (number(k + from), number(k + to));
                self.pairs.push((a.max(b), a.min(b), sums[k]));
            }
        }
        self.ends.push((self.right.len(), self.pairs.len()));
    }
}

/// Sums over one passage: the samples that lie nearest to one cell stand between it and the eight around it, which
/// are numbered row by row, 0 to 8.
#[derive(Default)]
struct Around {
    weight: [f64; 9],
    right: [f64; 9],
    own: [f64; 9],
    next: [f64; 9],
    below: [f64; 9],
    falling: [f64; 9],
    rising: [f64; 9],
}

impl Around {
    /// Adds a sample between cell `k` and the ones right of it and below.
    #[inline]
    fn add(&mut self, k: usize, u: f64, v: f64, ratio: f64) {
        let (a, b, c, d) = ((1.0 - u) * (1.0 - v), u * (1.0 - v), (1.0 - u) * v, u * v);
        for (at, w) in [(k, a), (k + 1, b), (k + 3, c), (k + 4, d)] {
            self.weight[at] += w;
            self.right[at] += w * ratio;
            self.own[at] += w * w;
        }
        self.next[k] += a * b;
        self.next[k + 3] += c * d;
        self.below[k] += a * c;
        self.below[k + 1] += b * d;
        self.falling[k] += a * d;
        self.rising[k] += b * c;
    }
}
