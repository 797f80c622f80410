//! Gain over the baseline with its band, solid only where the band excludes zero.

use super::{Frame, Gain, Panel, stretches};
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

impl Frame<'_> {
    /// Returns its lower edge.
    pub(super) fn gain(&mut self, top: f64, panel: &Panel) -> f64 {
        let reach = |g: &Gain| {
            g.gain
                .iter()
                .zip(g.half.iter().copied().chain(std::iter::repeat(0.0)))
                .filter(|(v, h)| v.is_finite() && h.is_finite())
                .fold((0.0_f64, 0.0_f64), |a, (v, h)| (a.0.min(v - h), a.1.max(v + h)))
        };
        let (low, high) =
            panel.gains.iter().map(reach).fold((0.0_f64, 0.0_f64), |a, b| (a.0.min(b.0), a.1.max(b.1)));
        let gap = 15.0 * self.k;
        let bottom = top + self.chart.heights().1.max(panel.gains.len().saturating_sub(1) as f64 * gap + 8.0);
        let pad = ((high - low) * 0.05).max(0.5);
        let y = Scale::new((low - pad, high + pad), (bottom, top + 4.0));
        for t in y.ticks(5) {
            self.line(self.left, y.at(t), self.right, y.at(t), if t == 0.0 { "mid" } else { "grid" }, "");
            let s = if t > 0.0 { format!("+{}", n(t)) } else { n(t) };
            self.text(self.left - 7.0, y.at(t) + 4.0, "end", "figure", 12.0, 400, "mid", &s);
        }
        self.title(top + 10.0, &panel.gain_title);
        let ends: Vec<f64> = panel.gains.iter().map(|g| g.gain.last().map_or(bottom, |v| y.at(*v))).collect();
        let places = spread(&ends, gap, top + 8.0, bottom);
        for (i, g) in panel.gains.iter().enumerate() {
            let s = &self.chart.series[g.series];
            let colour = self.colour(s.tone.name());
            let _ = write!(self.out, r#"<g class="series" data-key="{}">"#, escape(&s.key));
            if !g.half.is_empty() && (!self.is_dense() || g.series == self.chart.focus) {
                for stretch in stretches(&g.rpm) {
                    let with_band = || stretch.clone().filter(|&i| g.half[i].is_finite());
                    let mut d = path(with_band().map(|i| (self.x.at(g.rpm[i]), y.at(g.gain[i] + g.half[i]))));
                    d.push_str(
                        &path(with_band().rev().map(|i| (self.x.at(g.rpm[i]), y.at(g.gain[i] - g.half[i]))))
                            .replacen('M', "L", 1),
                    );
                    let _ = write!(self.out, r#"<path d="{d}Z" fill="{colour}" fill-opacity=".15"/>"#);
                }
            }
            for (solid, span) in spans(g) {
                let d = path(span.map(|k| (self.x.at(g.rpm[k]), y.at(g.gain[k]))));
                let look = if solid {
                    "stroke-width=\"2.6\""
                } else {
                    "stroke-width=\"1.1\" stroke-opacity=\".6\" stroke-dasharray=\"1.5 3\""
                };
                let _ = write!(
                    self.out,
                    r#"<path d="{d}" fill="none" stroke="{colour}" {look} stroke-linecap="round"/>"#
                );
            }
            if let Some(v) = g.gain.last() {
                let end = self.x.at(g.rpm[g.rpm.len() - 1]);
                let at = self.right + 18.0;
                let _ = write!(
                    self.out,
                    r#"<path d="M{} {}L{} {}" fill="none" stroke="{colour}" stroke-width=".9"/>"#,
                    n(end + 3.0),
                    n(ends[i]),
                    n(at - 4.0),
                    n(places[i] - 4.0)
                );
                self.text(at, places[i], "start", "figure", 12.5, 600, s.tone.name(), &format!("{v:+.1}"));
                self.text(
                    at + 46.0 * self.k,
                    places[i],
                    "start",
                    "text",
                    12.0,
                    400,
                    "mid",
                    &shorten(&format!("{} {}", s.name, s.detail), 18),
                );
            }
            self.out.push_str("</g>");
        }
        bottom
    }
}

/// Stretches where the band excludes zero (solid) and where it does not, overlapping by one point so that
/// they join; none across a hole.
pub(super) fn spans(g: &Gain) -> Vec<(bool, std::ops::Range<usize>)> {
    let solid = |k: usize| g.half.get(k).is_some_and(|h| g.gain[k].abs() > *h);
    let mut out = Vec::new();
    for stretch in stretches(&g.rpm) {
        let mut start = stretch.start;
        for k in stretch.start + 1..=stretch.end {
            if k == stretch.end || solid(k) != solid(start) {
                out.push((solid(start), start..(k + 1).min(stretch.end)));
                start = k;
            }
        }
    }
    out
}
