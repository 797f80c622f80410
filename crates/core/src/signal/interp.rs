//! Linear interpolation on ascending abscissae.

/// Value of the piecewise-linear curve at `x`; `None` outside the range or with no points.
///
/// # Formula
/// `y = y0 + (x − x0)/(x1 − x0)·(y1 − y0)`
///
/// where
/// - `x0 ≤ x < x1`: the two abscissae around `x`, ascending;
/// - `y0`, `y1`: the values there; `y` has their unit. Nothing is extrapolated.
///
/// ```
/// use jamjar_core::signal::interp::linear;
/// assert_eq!(linear(&[1000.0, 2000.0], &[50.0, 90.0], 1250.0), Some(60.0));
/// assert_eq!(linear(&[1000.0, 2000.0], &[50.0, 90.0], 2001.0), None);
/// ```
pub fn linear(xs: &[f64], ys: &[f64], x: f64) -> Option<f64> {
    let n = xs.len().min(ys.len());
    if n == 0 || x.is_nan() || x < xs[0] || x > xs[n - 1] {
        return None;
    }
    let (i, share) = place(&xs[..n], x);
    Some(between(ys, (i, share)))
}

/// The last abscissa not above `x`, and how far `x` lies on the way to the next. Time bases are nearly even,
/// so the place is guessed first and searched for only where the guess fails.
fn place(xs: &[f64], x: f64) -> (usize, f64) {
    let n = xs.len();
    let guess = (((x - xs[0]) / (xs[n - 1] - xs[0])) * (n - 1) as f64) as usize;
    let fits = |i: usize| i + 1 < n && xs[i] <= x && x < xs[i + 1];
    let i = [guess, guess + 1, guess.wrapping_sub(1)]
        .into_iter()
        .find(|i| *i < n && fits(*i))
        .unwrap_or_else(|| xs.partition_point(|v| *v <= x) - 1);
    if i + 1 == n { (i, 0.0) } else { (i, (x - xs[i]) / (xs[i + 1] - xs[i])) }
}

/// Reads one ascending base at places that mostly ascend too: each is looked for from where the last was
/// found.
#[derive(Debug, Clone)]
pub struct Walk<'a> {
    xs: &'a [f64],
    at: usize,
}

impl<'a> Walk<'a> {
    /// Begins before the first abscissa.
    pub fn new(xs: &'a [f64]) -> Self {
        Self { xs, at: 0 }
    }

    /// The last abscissa not above `x`, and how far `x` lies on the way to the next; `None` outside the
    /// range.
    pub fn place(&mut self, x: f64) -> Option<(usize, f64)> {
        let xs = self.xs;
        let last = xs.len().checked_sub(1)?;
        if !(x >= xs[0] && x <= xs[last]) {
            return None;
        }
        if xs[self.at] > x {
            self.at = place(xs, x).0;
        }
        for _ in 0..4 {
            if self.at == last || xs[self.at + 1] > x {
                break;
            }
            self.at += 1;
        }
        if self.at < last && xs[self.at + 1] <= x {
            self.at = place(xs, x).0;
        }
        let i = self.at;
        let past = x - xs[i];
        // Two series of one recording have one time base: nothing lies between.
        Some(if i == last || past == 0.0 { (i, 0.0) } else { (i, past / (xs[i + 1] - xs[i])) })
    }

    /// Value at `x` of a curve over the base, as [`linear_clamped`] gives it; `None` without points.
    pub fn clamped(&mut self, ys: &[f64], x: f64) -> Option<f64> {
        let (first, last) = (self.xs.first()?, self.xs.last()?);
        self.value(ys, x.clamp(*first, *last))
    }

    /// Value at `x` of a curve over the base, as [`linear`] gives it.
    pub fn value(&mut self, ys: &[f64], x: f64) -> Option<f64> {
        self.place(x).map(|p| between(ys, p))
    }
}

/// The value of a curve at a place.
pub fn between(ys: &[f64], (i, share): (usize, f64)) -> f64 {
    if share == 0.0 { ys[i] } else { ys[i] + (ys[i + 1] - ys[i]) * share }
}

/// Like [`linear`], held at the end values outside the range.
pub fn linear_clamped(xs: &[f64], ys: &[f64], x: f64) -> Option<f64> {
    let n = xs.len().min(ys.len());
    if n == 0 { None } else { linear(xs, ys, x.clamp(xs[0], xs[n - 1])) }
}

/// Trapezoid integral of the curve between `a` and `b`; `None` unless both lie inside the range.
///
/// # Formula
/// `∫ y dx = Σ (x_(i+1) − x_i)·(y_i + y_(i+1))/2`
///
/// where
/// - `x_i`: `a`, the abscissae strictly between, and `b`;
/// - `y_i`: the piecewise-linear curve there; the result has the product of both units, exact for such a curve.
///
/// ```
/// use jamjar_core::signal::interp::integral;
/// assert_eq!(integral(&[0.0, 1.0, 2.0], &[0.0, 1.0, 0.0], 0.5, 1.5), Some(0.75));
/// ```
pub fn integral(xs: &[f64], ys: &[f64], a: f64, b: f64) -> Option<f64> {
    let (ya, yb) = (linear(xs, ys, a)?, linear(xs, ys, b)?);
    let (mut px, mut py, mut sum) = (a, ya, 0.0);
    for (x, y) in xs.iter().zip(ys).filter(|(x, _)| **x > a && **x < b) {
        sum += (x - px) * (y + py) / 2.0;
        (px, py) = (*x, *y);
    }
    Some(sum + (b - px) * (yb + py) / 2.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn inside_at_the_knots_and_outside() {
        let (x, y) = ([0.0, 1.0, 3.0], [0.0, 10.0, 0.0]);
        for (at, want) in [
            (0.0, Some(0.0)),
            (0.5, Some(5.0)),
            (1.0, Some(10.0)),
            (2.0, Some(5.0)),
            (3.0, Some(0.0)),
            (3.1, None),
            (-0.1, None),
        ] {
            assert_eq!(linear(&x, &y, at), want);
        }
        assert_eq!(linear_clamped(&x, &y, 9.0), Some(0.0));
        assert_eq!(linear(&[], &[], 0.0), None);
    }

    #[test]
    fn an_uneven_base_is_searched_where_the_guess_fails() {
        let x: Vec<f64> = (0..40).map(|i| f64::from(i * i)).collect();
        let y: Vec<f64> = x.iter().map(|v| 2.0 * v + 1.0).collect();
        for k in 0..=1521 {
            let at = f64::from(k);
            assert!((linear(&x, &y, at).unwrap() - (2.0 * at + 1.0)).abs() < 1e-9);
        }
        assert_eq!(linear(&x, &y, 1521.5), None);
    }

    #[test]
    fn a_walk_reads_what_a_search_reads_wherever_it_goes_next() {
        let x: Vec<f64> = (0..40).map(|i| f64::from(i * i)).collect();
        let y: Vec<f64> = x.iter().map(|v| v.sqrt() * 3.0).collect();
        let mut walk = Walk::new(&x);
        for at in [-1.0, 0.0, 0.5, 1.0, 900.0, 901.0, 3.0, 1521.0, 1522.0, 1520.9, f64::NAN, 0.0, 1521.0] {
            assert_eq!(walk.value(&y, at), linear(&x, &y, at), "{at}");
        }
        assert_eq!(Walk::new(&[]).place(0.0), None);
    }

    #[test]
    fn the_integral_of_a_triangle_is_its_area() {
        let (x, y) = ([0.0, 1.0, 2.0], [0.0, 1.0, 0.0]);
        assert_eq!(integral(&x, &y, 0.0, 2.0), Some(1.0));
        assert_eq!(integral(&x, &y, 0.5, 1.5), Some(0.75));
        assert_eq!(integral(&x, &y, 0.5, 2.5), None);
    }
}
