//! Linear interpolation on ascending abscissae.

/// Value of the piecewise-linear curve at `x`; `None` outside the range or with no points.
pub fn linear(xs: &[f64], ys: &[f64], x: f64) -> Option<f64> {
    let n = xs.len().min(ys.len());
    if n == 0 || x.is_nan() || x < xs[0] || x > xs[n - 1] {
        return None;
    }
    let i = xs[..n].partition_point(|v| *v <= x);
    if i == n {
        return Some(ys[n - 1]);
    }
    let (x0, x1) = (xs[i - 1], xs[i]);
    Some(ys[i - 1] + (ys[i] - ys[i - 1]) * (x - x0) / (x1 - x0))
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
    fn the_integral_of_a_triangle_is_its_area() {
        let (x, y) = ([0.0, 1.0, 2.0], [0.0, 1.0, 0.0]);
        assert_eq!(integral(&x, &y, 0.0, 2.0), Some(1.0));
        assert_eq!(integral(&x, &y, 0.5, 1.5), Some(0.75));
        assert_eq!(integral(&x, &y, 0.5, 2.5), None);
    }
}
