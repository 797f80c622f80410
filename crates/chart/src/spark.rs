//! A curve the size of a word.

use crate::svg::{n, path};

/// A sparkline: points (x, y) within `x` and `0..=top`, with a dot at the highest. Decorative: the figures
/// stand beside it.
pub fn spark_svg(points: &[(f64, f64)], x: [f64; 2], top: f64) -> String {
    const SIZE: (f64, f64) = (92.0, 26.0);
    let place = |(a, b): (f64, f64)| {
        (
            1.5 + (SIZE.0 - 3.0) * (a - x[0]) / (x[1] - x[0]).max(1e-9),
            SIZE.1 - 2.0 - (SIZE.1 - 5.0) * b / top.max(1e-9),
        )
    };
    let line = path(points.iter().map(|p| place(*p)));
    let dot = points
        .iter()
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .map(|p| place(*p))
        .map_or(String::new(), |(cx, cy)| {
            format!("<circle cx=\"{}\" cy=\"{}\" r=\"1.9\" fill=\"currentColor\"/>", n(cx), n(cy))
        });
    format!(
        "<svg class=\"spark\" viewBox=\"0 0 {w} {h}\" width=\"{w}\" height=\"{h}\" aria-hidden=\"true\"><path d=\"{line}\" fill=\"none\" stroke=\"currentColor\" stroke-width=\"1.4\"/>{dot}</svg>",
        w = n(SIZE.0),
        h = n(SIZE.1)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_dot_stands_on_the_highest_point() {
        let svg = spark_svg(&[(2000.0, 40.0), (5000.0, 100.0), (6000.0, 90.0)], [2000.0, 6000.0], 100.0);
        assert!(svg.contains("<circle cx=\"68.25\" cy=\"3\""), "{svg}");
        assert_eq!(svg.matches('L').count(), 2);
        assert!(!spark_svg(&[], [0.0, 0.0], 0.0).contains("circle"));
    }
}
