//! Power over spark: one mark a pull, the parabola through those that count, its best angle with the interval.

use crate::frame::Frame;
use crate::paint::Paint;
use crate::scale::Scale;
use crate::svg::{escape, n, path};
use std::fmt::Write;

/// One pull.
#[derive(Debug, Clone, PartialEq)]
pub struct SweepMark {
    /// Delivered spark, degrees.
    pub deg: f64,
    /// Power or torque.
    pub value: f64,
    /// Colour of its map.
    pub colour: &'static str,
    /// Knock control had taken spark: hollow, and no part of the curve.
    pub retarded: bool,
    /// Whose it is.
    pub label: String,
}

/// The picture.
#[derive(Debug, Clone, PartialEq)]
pub struct SweepChart {
    /// What is on the upright axis, with its unit.
    pub value: String,
    /// The pulls.
    pub marks: Vec<SweepMark>,
    /// Vertex and curvature of the parabola.
    pub fit: Option<(f64, f64, f64)>,
    /// Interval of the vertex, where it has ends.
    pub best: Option<[f64; 2]>,
}

const WIDTH: f64 = 520.0;
const HEIGHT: f64 = 260.0;
const LEFT: f64 = 52.0;
const RIGHT: f64 = 12.0;
const TOP: f64 = 22.0;
const BOTTOM: f64 = 34.0;

impl SweepChart {
    /// Draws it.
    pub fn svg(&self, paint: Paint) -> String {
        let ends = |f: fn(&SweepMark) -> f64| {
            let v = self.marks.iter().map(f);
            v.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (f64::min(a, v), f64::max(b, v)))
        };
        let (d, v) = (ends(|m| m.deg), ends(|m| m.value));
        let room = |(a, b): (f64, f64), share: f64, least: f64| {
            let more = ((b - a) * share).max(least);
            (a - more, b + more)
        };
        let (right, bottom) = (WIDTH - RIGHT, HEIGHT - BOTTOM);
        let x = Scale::new(room(d, 0.12, 0.5), (LEFT, right));
        let y = Scale::new(room(v, 0.12, 0.2), (bottom, TOP));
        let mid = paint.colour("mid");
        let mut s = format!(
            r#"<svg class="sweep" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}">"#,
            escape(&format!("{} over delivered spark, {} pulls", self.value, self.marks.len())),
            paint.font("text")
        );
        if let Some(best) = self.best {
            let [a, b] = best.map(|v| x.at(v).clamp(LEFT, right));
            let _ = write!(
                s,
                r#"<rect x="{}" y="{TOP}" width="{}" height="{}" fill="{}" fill-opacity=".14"/>"#,
                n(a),
                n((b - a).max(1.0)),
                n(bottom - TOP),
                paint.colour("gooseberry")
            );
        }
        let frame = Frame { x, y, left: LEFT, right, top: TOP, bottom };
        frame.upright(&mut s, 6, paint, |t| format!("{t}°"));
        frame.level(&mut s, 4, paint);
        if let Some((vertex, top, curvature)) = self.fit {
            let (a, b) = room(d, 0.05, 0.2);
            let at = |i: usize| a + (b - a) * i as f64 / 60.0;
            let curve = (0..=60).map(|i| (x.at(at(i)), y.at(top + curvature * (at(i) - vertex).powi(2))));
            let inside = curve.filter(|p| p.1 >= TOP && p.1 <= bottom);
            let _ =
                write!(s, r#"<path d="{}" fill="none" stroke="{mid}" stroke-width="1.4"/>"#, path(inside));
        }
        for m in &self.marks {
            let colour = paint.colour(m.colour);
            let fill = if m.retarded { paint.colour("paper") } else { colour.clone() };
            let _ = write!(
                s,
                r#"<circle cx="{}" cy="{}" r="4.5" fill="{fill}" stroke="{colour}" stroke-width="1.8"><title>{}</title></circle>"#,
                n(x.at(m.deg)),
                n(y.at(m.value)),
                escape(&m.label)
            );
        }
        frame.words(&mut s, &self.value, "delivered spark before TDC", HEIGHT - 4.0, paint);
        s.push_str("</svg>");
        s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn retarded_pulls_are_hollow_and_the_best_angle_has_its_band() {
        let mark = |deg: f64, retarded| SweepMark {
            deg,
            value: 100.0 - 0.1 * (deg - 18.0_f64).powi(2),
            colour: "damson",
            retarded,
            label: "C1".into(),
        };
        let c = SweepChart {
            value: "power, kW".into(),
            marks: vec![mark(14.0, false), mark(17.0, false), mark(21.0, true)],
            fit: Some((18.0, 100.0, -0.1)),
            best: Some([17.0, 19.0]),
        };
        let s = c.svg(Paint::Page);
        assert_eq!((s.matches("<circle").count(), s.matches("var(--paper)").count()), (3, 1));
        assert!(s.contains("<rect") && s.contains("<path"));
    }
}
