//! The absolute rpm grid: every curve is read at the same multiples of a step, by a local linear fit, never
//! extrapolated.

/// A curve on the grid.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Gridded {
    /// Grid abscissae, ascending multiples of the step.
    pub x: Vec<f64>,
    /// Values; one vector for each input series.
    pub y: Vec<Vec<f64>>,
}

/// More points than this are no curve of an engine: a speed in another unit, or none at all.
const MOST_POINTS: f64 = 100_000.0;
/// Nor does one begin this many steps away from nothing.
const FARTHEST: f64 = 1e9;

/// Reads several series over `x` at multiples of `step` by a local linear fit with triangular weights of
/// half-width `step`.
///
/// A grid point is kept only when samples stand on both sides of it within the half-width (no extrapolation,
/// no bridging of gaps); with sparse data the half-width grows to the nearest samples, at most two steps.
/// Points where `usable` is false are left out.
///
/// # Formula
/// At `g = k·step`: the intercept of the line that minimises `Σ w_i·(y_i − a − b·(x_i − g))²`,
/// `w_i = max(1 − |x_i − g|/h, 1e-6)`
///
/// where
/// - `x`: the axis, usually engine speed in rpm; `step` in the same unit, multiples of it counted from 0, so that
///   curves of two pulls stand on the same points;
/// - `y`: each series, unit kept;
/// - `h`: half-width, `step`, or the distance of the nearest samples up to `2·step` (domain, section 2; the
///   weights are our choice: a sample moves into a fit and out of it without a jump).
///
/// ```
/// use jamjar_core::signal::grid::to_grid;
/// let rpm: Vec<f64> = (0..100).map(|i| 2990.0 + 11.0 * f64::from(i)).collect();
/// let power: Vec<f64> = rpm.iter().map(|n| 0.02 * n).collect();
/// let g = to_grid(&rpm, &[&power], &vec![true; rpm.len()], 50.0);
/// assert_eq!(g.x[0], 3000.0);
/// assert!((g.y[0][0] - 60.0).abs() < 1e-9);
/// ```
pub fn to_grid(x: &[f64], series: &[&[f64]], usable: &[bool], step: f64) -> Gridded {
    let mut order: Vec<usize> = (0..x.len())
        .filter(|&i| usable[i] && x[i].is_finite() && series.iter().all(|s| s[i].is_finite()))
        .collect();
    if !order.is_sorted_by(|&a, &b| x[a] <= x[b]) {
        order.sort_by(|&a, &b| x[a].total_cmp(&x[b]));
    }
    let sorted: Vec<f64> = order.iter().map(|&i| x[i]).collect();
    let mut out = Gridded { x: Vec::new(), y: vec![Vec::new(); series.len()] };
    let (Some(first), Some(last)) = (sorted.first(), sorted.last()) else { return out };
    let points = (last - first) / step;
    if points.is_nan() || points > MOST_POINTS || first.abs().max(last.abs()) > FARTHEST * step {
        return out;
    }
    let (mut k, end) = ((first / step).ceil() as i64, (last / step).floor() as i64);
    let values: Vec<Vec<f64>> = series.iter().map(|s| order.iter().map(|&i| s[i]).collect()).collect();
    // Grid points ascend, and so do the ends of what stands around them.
    let (mut right, mut from, mut to, mut near) = (0, 0, 0, Near::default());
    let walk = |at: &mut usize, is_before: &dyn Fn(f64) -> bool| {
        while sorted.get(*at).is_some_and(|v| is_before(*v)) {
            *at += 1;
        }
    };
    while k <= end {
        let at = k as f64 * step;
        k += 1;
        walk(&mut right, &|v| v < at);
        let (Some(above), Some(below)) =
            (sorted.get(right), sorted[..(right + 1).min(sorted.len())].iter().rev().find(|v| **v <= at))
        else {
            continue;
        };
        let reach = (above - at).max(at - below);
        if reach > 2.0 * step {
            continue;
        }
        let half = step.max(reach * 1.0001);
        // A half-width that grew at the point before may have gone farther back than this one does.
        while from > 0 && sorted[from - 1] >= at - half {
            from -= 1;
        }
        while to > 0 && sorted[to - 1] > at + half {
            to -= 1;
        }
        walk(&mut from, &|v| v < at - half);
        walk(&mut to, &|v| v <= at + half);
        out.x.push(at);
        near.weigh(&sorted[from..to], at, half);
        for (v, y) in values.iter().zip(&mut out.y) {
            y.push(near.line(&v[from..to]));
        }
    }
    out
}

/// Samples around a grid point with their weights: the part of the fit that all series share.
#[derive(Default)]
struct Near {
    /// Weight, and weight times distance, of each.
    weighed: Vec<[f64; 2]>,
    sw: f64,
    sx: f64,
    sxx: f64,
}

impl Near {
    fn weigh(&mut self, x: &[f64], at: f64, half: f64) {
        let (mut sw, mut sx, mut sxx) = (0.0, 0.0, 0.0);
        let weigh = |xi: &f64| {
            let u = xi - at;
            let w = (1.0 - (u / half).abs()).max(1e-6);
            sw += w;
            sx += w * u;
            sxx += w * u * u;
            [w, w * u]
        };
        self.weighed.clear();
        self.weighed.extend(x.iter().map(weigh));
        (self.sw, self.sx, self.sxx) = (sw, sx, sxx);
    }

    /// The fitted line at the grid point.
    fn line(&self, y: &[f64]) -> f64 {
        let Self { weighed, sw, sx, sxx } = self;
        let (mut sy, mut sxy) = (0.0, 0.0);
        for ([w, wu], yi) in weighed.iter().zip(y) {
            sy += w * yi;
            sxy += wu * yi;
        }
        let det = sw * sxx - sx * sx;
        if det.abs() <= 1e-9 * sw * sxx.max(1e-12) { sy / sw } else { (sxx * sy - sx * sxy) / det }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_grid_is_absolute_and_never_extrapolates() {
        let x: Vec<f64> = (0..200).map(|i| 2013.0 + 7.3 * f64::from(i)).collect();
        let ok = vec![true; x.len()];
        let g = to_grid(&x, &[&x], &ok, 50.0);
        assert_eq!((g.x[0], *g.x.last().unwrap()), (2050.0, 3450.0));
        assert!(g.x.iter().zip(&g.y[0]).all(|(a, b)| (a - b).abs() < 1e-6));
    }

    #[test]
    fn a_gap_wider_than_two_steps_is_not_bridged() {
        let x = [2000.0, 2010.0, 2040.0, 2060.0, 2400.0, 2420.0, 2460.0];
        let g = to_grid(&x, &[&x], &[true; 7], 50.0);
        assert_eq!(g.x, vec![2000.0, 2050.0, 2400.0, 2450.0]);
    }

    proptest! {
        #[test]
        fn a_straight_line_is_read_exactly(slope in -1.0..1.0f64, steps in prop::collection::vec(1.0..30.0f64, 20..80)) {
            let mut x = vec![1000.0];
            for s in steps { x.push(x[x.len() - 1] + s); }
            let y: Vec<f64> = x.iter().map(|v| 5.0 + slope * v).collect();
            let g = to_grid(&x, &[&y], &vec![true; x.len()], 50.0);
            for (a, b) in g.x.iter().zip(&g.y[0]) {
                prop_assert!((5.0 + slope * a - b).abs() < 1e-6);
            }
        }
    }
}
