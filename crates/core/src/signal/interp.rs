//! Linear interpolation on ascending abscissae.

/// Value of the piecewise-linear curve at `x`; `None` outside the range or with no points.
pub fn linear(xs: &[f64], ys: &[f64], x: f64) -> Option<f64> {
    let n = xs.len().min(ys.len());
    if n == 0 || x.is_nan() || x < xs[0] || x > xs[n - 1] {
        return None;
    }
    let (i, share) = place(&xs[..n], x);
    Some(if share == 0.0 { ys[i] } else { ys[i] + (ys[i + 1] - ys[i]) * share })
}

/// The same for two curves over the same abscissae.
pub fn linear_pair(xs: &[f64], ys: [&[f64]; 2], x: f64) -> Option<[f64; 2]> {
    let n = xs.len().min(ys[0].len()).min(ys[1].len());
    if n == 0 || x.is_nan() || x < xs[0] || x > xs[n - 1] {
        return None;
    }
    let (i, share) = place(&xs[..n], x);
    Some(ys.map(|y| if share == 0.0 { y[i] } else { y[i] + (y[i + 1] - y[i]) * share }))
}

/// The last abscissa not above `x`, and how far `x` lies on the way to the next. Time bases are nearly even, so the place is guessed
/// first and searched for only where the guess fails.
fn place(xs: &[f64], x: f64) -> (usize, f64) {
    let n = xs.len();
    let guess = (((x - xs[0]) / (xs[n - 1] - xs[0])) * (n - 1) as f64) as usize;
    let fits = |i: usize| i + 1 < n && xs[i] <= x && x < xs[i + 1];
    let i = [guess, guess + 1, guess.wrapping_sub(1)].into_iter().find(|i| *i < n && fits(*i)).unwrap_or_else(|| xs.partition_point(|v| *v <= x) - 1);
    if i + 1 == n { (i, 0.0) } else { (i, (x - xs[i]) / (xs[i + 1] - xs[i])) }
}

/// Like [`linear`], held at the end values outside the range.
pub fn linear_clamped(xs: &[f64], ys: &[f64], x: f64) -> Option<f64> {
    let n = xs.len().min(ys.len());
    if n == 0 { None } else { linear(xs, ys, x.clamp(xs[0], xs[n - 1])) }
}

/// Trapezoid integral of the curve between `a` and `b`; `None` unless both lie inside the range.
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
        for (at, want) in [(0.0, Some(0.0)), (0.5, Some(5.0)), (1.0, Some(10.0)), (2.0, Some(5.0)), (3.0, Some(0.0)), (3.1, None), (-0.1, None)] {
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
            assert_eq!(linear_pair(&x, [&y, &x], at).unwrap()[0], linear(&x, &y, at).unwrap());
        }
        assert_eq!(linear_pair(&x, [&y, &x], 1521.5), None);
    }

    #[test]
    fn the_integral_of_a_triangle_is_its_area() {
        let (x, y) = ([0.0, 1.0, 2.0], [0.0, 1.0, 0.0]);
        assert_eq!(integral(&x, &y, 0.0, 2.0), Some(1.0));
        assert_eq!(integral(&x, &y, 0.5, 1.5), Some(0.75));
        assert_eq!(integral(&x, &y, 0.5, 2.5), None);
    }
}
