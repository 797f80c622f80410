//! A limit: its line, and short strokes on the forbidden side.

use crate::paint::Paint;
use crate::scale::Scale;
use crate::svg::{n, path};
use std::fmt::Write;

/// A limit on a channel along an axis.
#[derive(Debug, Clone, PartialEq)]
pub struct LimitLine {
    /// Threshold along the axis.
    pub points: Vec<(f64, f64)>,
    /// Forbidden is what lies above; else what lies below.
    pub above: bool,
}

/// Between two strokes of a hatch, and how far they reach.
const HATCH: f64 = 7.0;
/// A limit further away than so many heights of the data is not drawn: it would flatten the lines.
const REACH: f64 = 1.2;

/// The scale of values from `low` to `high` with the limits near enough to be drawn on it.
pub(crate) fn scale_with(
    (low, high): (f64, f64),
    limits: &[LimitLine],
    (bottom, top): (f64, f64),
) -> (Scale, Vec<&LimitLine>) {
    let span = (high - low).max(1e-3 * high.abs().max(low.abs())).max(1e-6);
    let reach = low - REACH * span..=high + REACH * span;
    let drawn: Vec<&LimitLine> =
        limits.iter().filter(|l| l.points.iter().any(|p| reach.contains(&p.1))).collect();
    let (mut a, mut b) = (low, high);
    for p in drawn.iter().flat_map(|l| &l.points) {
        let v = p.1.clamp(*reach.start(), *reach.end());
        (a, b) = (a.min(v), b.max(v));
    }
    let room = (b - a).max(span) * 0.08;
    (Scale::new((a - room, b + room), (bottom, top)), drawn)
}

impl LimitLine {
    /// Drawn between `left` and `right`, `top` and `bottom`.
    pub(crate) fn svg(
        &self,
        (x, y): (&Scale, &Scale),
        (left, right): (f64, f64),
        (top, bottom): (f64, f64),
        paint: Paint,
    ) -> String {
        let colour = paint.colour("rosehip");
        let points: Vec<(f64, f64)> = self
            .points
            .iter()
            .map(|p| (x.at(p.0).clamp(left, right), y.at(p.1).clamp(top, bottom)))
            .collect();
        let d = path(points.iter().copied());
        let mut hatch = String::new();
        for w in points.windows(2) {
            let mut x = (w[0].0 / HATCH).ceil() * HATCH;
            while x < w[1].0 {
                let share = (x - w[0].0) / (w[1].0 - w[0].0).max(1e-9);
                let at = w[0].1 + share * (w[1].1 - w[0].1);
                let to = if self.above { (at - HATCH).max(top) } else { (at + HATCH).min(bottom) };
                let _ = write!(hatch, "M{} {}L{} {}", n(x), n(at), n(x + (at - to).abs() * 0.7), n(to));
                x += HATCH;
            }
        }
        format!(
            r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="1.4"/><path d="{hatch}" fill="none" stroke="{colour}" stroke-width=".8" stroke-opacity=".7"/>"#
        )
    }
}
