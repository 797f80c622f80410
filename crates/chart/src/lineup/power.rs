//! The upper panel: power with names at the line ends.

use super::{Frame, POWER_HEIGHT, Series, TOP, stretches};
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

impl Frame<'_> {
    /// Returns its lower edge.
    pub(super) fn power(&mut self) -> f64 {
        let gap = if self.is_dense() { 17.0 * self.k } else { 31.0 * self.k };
        let names = self.chart.series.len().saturating_sub(1) as f64 * gap;
        let (top_y, bottom) = (TOP, TOP + POWER_HEIGHT.max(names + 14.0));
        let top = self
            .chart
            .series
            .iter()
            .flat_map(|s| s.power.iter().copied())
            .filter(|v| v.is_finite())
            .fold(0.0, f64::max);
        let y = Scale::new((0.0, (top * 1.06).max(1.0)), (bottom, top_y));
        for t in y.ticks(8) {
            self.line(self.left, y.at(t), self.right, y.at(t), "grid", "");
            self.text(self.left - 7.0, y.at(t) + 4.0, "end", "figure", 12.0, 400, "mid", &n(t));
        }
        self.title(top_y + 12.0, &self.chart.power_title.clone());
        let ends: Vec<f64> =
            self.chart.series.iter().map(|s| s.power.last().map_or(bottom, |p| y.at(*p))).collect();
        let places = spread(&ends, gap, top_y + 8.0, bottom - 4.0);
        for (i, s) in self.chart.series.iter().enumerate() {
            let colour = self.colour(s.tone.name());
            let width = if s.baseline { 1.5 } else { 2.6 };
            let stretch =
                |k: std::ops::Range<usize>| path(k.map(|i| (self.x.at(s.rpm[i]), y.at(s.power[i]))));
            let d: String = stretches(&s.rpm).into_iter().map(stretch).collect();
            let _ = write!(self.out, r#"<g class="series" data-key="{}">"#, escape(&s.key));
            let _ = write!(
                self.out,
                r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{}" stroke-linejoin="round" stroke-linecap="round"/>"#,
                s.dash.array()
            );
            if s.is_stepped() {
                for (r, p) in s.rpm.iter().zip(&s.power) {
                    let _ = write!(
                        self.out,
                        r#"<circle cx="{}" cy="{}" r="2.4" fill="{colour}"/>"#,
                        n(self.x.at(*r)),
                        n(y.at(*p))
                    );
                }
            }
            if let Some((rpm, p)) = s.peak {
                let _ = write!(
                    self.out,
                    r#"<circle cx="{}" cy="{}" r="3.4" fill="{}" stroke="{colour}" stroke-width="1.8"/>"#,
                    n(self.x.at(rpm)),
                    n(y.at(p)),
                    self.colour("paper")
                );
            }
            if let (Some(end_rpm), Some(_)) = (s.rpm.last(), s.power.last()) {
                self.label(s, self.x.at(*end_rpm), ends[i], places[i], !self.is_dense());
            }
            self.out.push_str("</g>");
        }
        bottom
    }

    fn label(&mut self, s: &Series, x: f64, from: f64, y: f64, roomy: bool) {
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
        if roomy {
            self.text(at, y + 13.5 * self.k, "start", "figure", 12.0, 400, "mid", &s.headline);
        }
    }
}
