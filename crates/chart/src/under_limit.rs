//! Pulls over a limit that is being thought about: every pull a line, those it would flag bold with a mark at their
//! worst place, the limit with its forbidden side hatched.

use crate::frame::Frame;
use crate::hatch::{LimitLine, scale_with};
use crate::lanes::decimate;
use crate::paint::Paint;
use crate::scale::Scale;
use crate::svg::{escape, n, path};
use std::fmt::Write;

/// One pull.
#[derive(Debug, Clone, PartialEq)]
pub struct PullLine {
    /// Colour of its map.
    pub colour: &'static str,
    /// Whose it is, in words.
    pub label: String,
    /// Samples inside the gate.
    pub points: Vec<(f64, f64)>,
    /// Where it crosses the limit worst, if it does.
    pub worst: Option<(f64, f64)>,
}

/// The picture. Its frame says its scales, so that a script can turn a click into a place.
#[derive(Debug, Clone, PartialEq)]
pub struct UnderLimit {
    /// What is on the axis, with its unit.
    pub axis: String,
    /// What is judged, with its unit.
    pub value: String,
    /// The pulls.
    pub pulls: Vec<PullLine>,
    /// The limit.
    pub limit: Option<LimitLine>,
    /// Places of its curve, which can be dragged.
    pub handles: Vec<(f64, f64)>,
}

const WIDTH: f64 = 760.0;
const HEIGHT: f64 = 320.0;
const LEFT: f64 = 54.0;
const RIGHT: f64 = 14.0;
const TOP: f64 = 22.0;
const BOTTOM: f64 = 34.0;
/// Columns of a line: each keeps its lowest and highest.
const COLUMNS: usize = 220;

impl UnderLimit {
    /// Draws it.
    pub fn svg(&self, paint: Paint) -> String {
        let all = || self.pulls.iter().flat_map(|p| p.points.iter().copied());
        let ends = |v: &mut dyn Iterator<Item = f64>| {
            v.filter(|v| v.is_finite())
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (f64::min(a, v), f64::max(b, v)))
        };
        let handles = || self.handles.iter().copied();
        let (x0, x1) = ends(&mut all().chain(handles()).map(|p| p.0));
        let (x0, x1) = if x1 > x0 { (x0, x1) } else { (0.0, 1.0) };
        let limits: Vec<LimitLine> = self.limit.iter().map(|l| along(l, x0, x1)).collect();
        let own = || limits.iter().flat_map(|l| l.points.iter().map(|p| p.1));
        let (low, high) = match ends(&mut all().map(|p| p.1)) {
            (a, b) if b >= a => (a, b),
            _ => ends(&mut own()),
        };
        let (low, high) = if high >= low { (low, high) } else { (0.0, 1.0) };
        let x = Scale::new((x0, x1), (LEFT, WIDTH - RIGHT));
        let (y, drawn) = scale_with((low, high), &limits, (HEIGHT - BOTTOM, TOP));
        let (bottom, right) = (HEIGHT - BOTTOM, WIDTH - RIGHT);
        let ink = paint.colour("ink");
        let (v0, v1) = (y.value(bottom), y.value(TOP));
        let mut s = format!(
            r#"<svg class="under" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}" data-px="{LEFT} {right}" data-x="{x0} {x1}" data-py="{bottom} {TOP}" data-y="{v0} {v1}">"#,
            escape(&format!("{} over {}, {} pulls", self.value, self.axis, self.pulls.len())),
            paint.font("text"),
        );
        let frame = Frame { x, y, left: LEFT, right, top: TOP, bottom };
        frame.upright(&mut s, 7, paint, |t| t.to_string());
        frame.level(&mut s, 5, paint);
        let crossed = |p: &&PullLine| p.worst.is_some();
        for p in self.pulls.iter().filter(|p| !crossed(p)).chain(self.pulls.iter().filter(crossed)) {
            let (width, opacity) = if p.worst.is_some() { ("2", "1") } else { ("1", ".55") };
            let d = path(decimate(&p.points, x0, x1, COLUMNS).iter().map(|p| (x.at(p.0), y.at(p.1))));
            let _ = write!(
                s,
                r#"<path d="{d}" fill="none" stroke="{}" stroke-width="{width}" stroke-opacity="{opacity}"><title>{}</title></path>"#,
                paint.colour(p.colour),
                escape(&p.label)
            );
        }
        for l in drawn {
            s.push_str(&l.svg((&x, &y), (LEFT, right), (TOP, bottom), paint));
        }
        for p in self.pulls.iter().filter_map(|p| p.worst) {
            let _ = write!(
                s,
                r#"<circle cx="{}" cy="{}" r="4.5" fill="{}" stroke="{}" stroke-width="1.5"/>"#,
                n(x.at(p.0)),
                n(y.at(p.1).clamp(TOP, bottom)),
                paint.colour("rosehip"),
                paint.colour("paper")
            );
        }
        for p in handles() {
            let _ = write!(
                s,
                r#"<rect class="handle" x="{}" y="{}" width="11" height="11" fill="{}" stroke="{ink}" stroke-width="1.5"/>"#,
                n(x.at(p.0) - 5.5),
                n(y.at(p.1).clamp(TOP, bottom) - 5.5),
                paint.colour("paper")
            );
        }
        frame.words(&mut s, &self.value, &self.axis, HEIGHT - 4.0, paint);
        s.push_str("</svg>");
        s
    }
}

/// A constant from edge to edge; a curve where it is.
fn along(l: &LimitLine, x0: f64, x1: f64) -> LimitLine {
    match l.points.as_slice() {
        [one] => LimitLine { points: vec![(x0, one.1), (x1, one.1)], above: l.above },
        _ => l.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_flagged_stands_out_and_the_frame_says_its_scales() {
        let pull = |worst| PullLine {
            colour: "quince",
            label: "C4 <b>".into(),
            points: (0..2000)
                .map(|i| (2000.0 + f64::from(i) * 2.0, 0.85 + f64::from(i % 7) * 1e-3))
                .collect(),
            worst,
        };
        let c = UnderLimit {
            axis: "engine rpm".into(),
            value: "λ 1".into(),
            pulls: vec![pull(Some((3000.0, 0.856))), pull(None)],
            limit: Some(LimitLine { points: vec![(0.0, 0.855)], above: true }),
            handles: vec![(2500.0, 0.855)],
        };
        let s = c.svg(Paint::Page);
        assert_eq!((s.matches("stroke-width=\"2\"").count(), s.matches("<circle").count()), (1, 1));
        assert!(
            s.contains("data-x=\"2000 5998\"")
                && s.contains("C4 &lt;b&gt;")
                && s.contains("class=\"handle\"")
        );
        assert!(s.len() < 40_000, "thinned to what a screen shows: {}", s.len());
        let nothing = UnderLimit { pulls: vec![], handles: vec![], ..c };
        assert!(nothing.svg(Paint::Page).contains("0 pulls"));
    }
}
