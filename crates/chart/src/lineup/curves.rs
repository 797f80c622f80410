//! The curves of a quantity with names at the line ends.

use super::mark::mark;
use super::{CurveOf, Frame, Panel, Series, stretches};
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

/// Grid points between two marks of a rung.
const RUNG_MARKS_APART: usize = 16;

impl Frame<'_> {
    /// Returns its lower edge.
    pub(super) fn curves(&mut self, top_y: f64, panel: &Panel) -> f64 {
        let gap = if self.is_dense() { 17.0 * self.k } else { 31.0 * self.k };
        let series = &self.chart.series;
        let names = series.len().saturating_sub(1) as f64 * gap;
        let bottom = top_y + self.chart.heights().0.max(names + 14.0);
        let top = panel
            .curves
            .iter()
            .flat_map(|c| c.y.iter().copied())
            .filter(|v| v.is_finite())
            .fold(0.0, f64::max);
        let y = Scale::new((0.0, (top * 1.11).max(1.0)), (bottom, top_y));
        for t in y.ticks(8) {
            self.line(self.left, y.at(t), self.right, y.at(t), "grid", "");
            self.text(self.left - 7.0, y.at(t) + 4.0, "end", "figure", 12.0, 400, "mid", &n(t));
        }
        self.title(top_y + 12.0, &panel.title);
        let last = |c: &CurveOf| c.y.iter().rev().find(|v| v.is_finite()).map_or(bottom, |p| y.at(*p));
        let ends: Vec<f64> = panel.curves.iter().map(last).collect();
        let places = spread(&ends, gap, top_y + 8.0, bottom - 4.0);
        for (i, (s, c)) in series.iter().zip(&panel.curves).enumerate() {
            let _ = write!(self.out, r#"<g class="series" data-key="{}">"#, escape(&s.key));
            self.curve(s, c, &y);
            if let Some(end) = s.rpm.last().filter(|_| c.y.iter().any(|v| v.is_finite())) {
                self.label(s, c, self.x.at(*end), ends[i], places[i]);
            }
            self.out.push_str("</g>");
        }
        bottom
    }

    fn curve(&mut self, s: &Series, c: &CurveOf, y: &Scale) {
        let colour = self.colour(s.tone.name());
        let known = |k: std::ops::Range<usize>| k.filter(|i| c.y.get(*i).is_some_and(|v| v.is_finite()));
        let stretch = |k: std::ops::Range<usize>| path(known(k).map(|i| (self.x.at(s.rpm[i]), y.at(c.y[i]))));
        let d: String = stretches(&s.rpm).into_iter().map(stretch).collect();
        let _ = write!(
            self.out,
            r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{}" stroke-dasharray="{}" stroke-linejoin="round" stroke-linecap="round"/>"#,
            s.weight(),
            s.dash.array()
        );
        let at = |i: usize| (self.x.at(s.rpm[i]), y.at(c.y[i]));
        let marked: Vec<(f64, f64)> = if s.is_stepped() {
            known(0..s.rpm.len()).map(at).collect()
        } else if s.rung.is_some() {
            // A few on the way, so that rungs are told apart wherever one looks.
            known(0..s.rpm.len()).skip(6).step_by(RUNG_MARKS_APART).map(at).collect()
        } else {
            Vec::new()
        };
        let marks: String = marked.into_iter().map(|p| mark(s.rung, p, 2.4, &colour, &colour)).collect();
        self.out.push_str(&marks);
        if let Some((rpm, v)) = c.peak {
            let peak = mark(s.rung, (self.x.at(rpm), y.at(v)), 3.6, &self.colour("paper"), &colour);
            self.out.push_str(&peak);
        }
    }

    fn label(&mut self, s: &Series, c: &CurveOf, x: f64, from: f64, y: f64) {
        let at = self.right + 18.0;
        let _ = write!(
            self.out,
            r#"<path d="M{} {}L{} {}" fill="none" stroke="{}" stroke-width=".9"/>"#,
            n(x + 3.0),
            n(from),
            n(at - 4.0),
            n(y - 4.0),
            self.colour(s.tone.name())
        );
        let name = shorten(&s.name, 16);
        let room = 21usize.saturating_sub(name.chars().count());
        let _ = write!(
            self.out,
            r#"<text x="{}" y="{}" font-family="{}" font-size="{}" font-weight="600" fill="{}">{} <tspan font-family="{}" font-size="{}" font-weight="400" fill="{}">{}</tspan></text>"#,
            n(at),
            n(y),
            self.paint.font("name"),
            n(14.5 * self.k),
            self.colour(s.tone.name()),
            escape(&name),
            self.paint.font("text"),
            n(12.5 * self.k),
            self.colour("mid"),
            escape(&shorten(&s.detail, room.max(4)))
        );
        if !self.is_dense() {
            self.text(at, y + 13.5 * self.k, "start", "figure", 12.0, 400, "mid", &c.headline);
        }
    }
}
