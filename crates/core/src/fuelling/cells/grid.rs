//! Cells of a table by number, and where a sample stands among them.

/// Axes of a table; its cells are numbered along the shorter one, which keeps the normal equations narrow.
pub(super) struct Grid<'a> {
    x: &'a [f64],
    y: &'a [f64],
    /// Places per unit, where an axis is even.
    guess: [f64; 2],
    step: [usize; 2],
}

impl<'a> Grid<'a> {
    pub(super) fn new(x: &'a [f64], y: &'a [f64]) -> Self {
        let per = |at: &[f64]| match at {
            [_] => 0.0,
            more => (more.len() - 1) as f64 / (more[more.len() - 1] - more[0]),
        };
        let step = if y.len() < x.len() { [y.len(), 1] } else { [1, x.len()] };
        Self { x, y, guess: [per(x), per(y)], step }
    }

    /// How many cells.
    pub(super) fn len(&self) -> usize {
        self.x.len() * self.y.len()
    }

    /// Furthest that the numbers of two cells around one sample lie apart.
    pub(super) fn band(&self) -> usize {
        self.x.len().min(self.y.len()) + 1
    }

    /// Number of the cell in column `i` of row `j`.
    pub(super) fn number(&self, i: usize, j: usize) -> usize {
        i * self.step[0] + j * self.step[1]
    }

    /// How far the number of a cell `di` columns and `dj` rows on lies from its own.
    pub(super) fn apart(&self, di: usize, dj: usize) -> usize {
        di * self.step[0] + dj * self.step[1]
    }

    /// Column and row at or below a place, and its shares towards the next; held at the edges.
    #[inline]
    pub(super) fn place(&self, x: f64, y: f64) -> ((usize, f64), (usize, f64)) {
        (place(self.x, self.guess[0], x), place(self.y, self.guess[1], y))
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
