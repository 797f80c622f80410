//! Marks on lines: one shape for each rung of a map on a fuel.

use crate::svg::n;

/// A mark of a rung at a place; a disc for what is no rung.
pub(super) fn mark(rung: Option<usize>, (x, y): (f64, f64), r: f64, fill: &str, stroke: &str) -> String {
    let look = format!(r#"fill="{fill}" stroke="{stroke}" stroke-width="1.8""#);
    let polygon = |corners: &[(f64, f64)]| {
        let points: Vec<String> =
            corners.iter().map(|(a, b)| format!("{},{}", n(x + a * r * 1.3), n(y + b * r * 1.3))).collect();
        format!(r#"<polygon points="{}" {look}/>"#, points.join(" "))
    };
    match rung.map(|k| k % 5) {
        None | Some(0) => format!(r#"<circle cx="{}" cy="{}" r="{r}" {look}/>"#, n(x), n(y)),
        Some(1) => polygon(&[(0.0, -1.0), (1.0, 0.8), (-1.0, 0.8)]),
        Some(2) => polygon(&[(-0.85, -0.85), (0.85, -0.85), (0.85, 0.85), (-0.85, 0.85)]),
        Some(3) => polygon(&[(0.0, -1.15), (1.15, 0.0), (0.0, 1.15), (-1.15, 0.0)]),
        Some(_) => polygon(&[(0.0, 1.0), (1.0, -0.8), (-1.0, -0.8)]),
    }
}
