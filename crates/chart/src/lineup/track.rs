//! Channels under the curves: each set's mean with the extremes of its pulls, targets dashed, limits as lines
//! with the forbidden side hatched.

use super::{Frame, Series, stretches};
use crate::hatch::{LimitLine, scale_with};
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

/// One set's line of a channel.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TrackLine {
    /// Index into the series.
    pub series: usize,
    /// Which of several channels of the lane, such as `λ 2`; empty when there is one.
    pub label: String,
    /// Places on the axis.
    pub x: Vec<f64>,
    /// Mean over the pulls.
    pub y: Vec<f64>,
    /// Lowest sample of any pull around each place; empty for none.
    pub low: Vec<f64>,
    /// Highest.
    pub high: Vec<f64>,
    /// What was commanded, not what was measured.
    pub target: bool,
}

/// A lane of one kind of channel.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Track {
    /// Name and unit.
    pub label: String,
    /// Lines.
    pub lines: Vec<TrackLine>,
    /// Limits.
    pub limits: Vec<LimitLine>,
    /// Digits behind the point at the cursor.
    pub digits: usize,
    /// Who did not log it, in words; empty when all did.
    pub missing: String,
    /// Twice as high as others: what the picture is about.
    pub tall: bool,
}

const HEIGHT: f64 = 84.0;

impl Frame<'_> {
    /// Returns its lower edge.
    pub(super) fn track(&mut self, top: f64, track: &Track) -> f64 {
        let height = if track.tall { 2.0 * HEIGHT } else { HEIGHT };
        let bottom = top + height * self.k.max(1.0);
        let (left, right) = (self.left, self.right);
        let all = || track.lines.iter().flat_map(|l| l.y.iter().chain(&l.low).chain(&l.high).copied());
        let ends = all()
            .filter(|v| v.is_finite())
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        self.line(left, bottom, right, bottom, "rule", "");
        if ends.0.is_finite() {
            let (y, drawn) = scale_with(ends, &track.limits, (bottom, top + 14.0));
            for t in y.ticks(3) {
                self.line(left, y.at(t), right, y.at(t), "grid", "");
                self.text(left - 7.0, y.at(t) + 4.0, "end", "figure", 11.5, 400, "mid", &n(t));
            }
            for l in drawn {
                let drawn = l.svg((&self.x, &y), (left, right), (top + 2.0, bottom), self.paint);
                self.out.push_str(&drawn);
            }
            for l in &track.lines {
                self.track_line(l, &y);
            }
            self.names(track, &y, (top, bottom));
        }
        let words = match track.missing.as_str() {
            "" => track.label.clone(),
            missing => format!("{}; {missing}", track.label),
        };
        let _ = write!(
            self.out,
            r#"<text x="{}" y="{}" font-family="{}" font-size="{}" font-weight="600" fill="{}" stroke="{}" stroke-width="3.5" paint-order="stroke">{}</text>"#,
            n(left + 6.0),
            n(top + 10.0),
            self.paint.font("text"),
            n(12.5 * self.k),
            self.colour("ink"),
            self.colour("paper"),
            escape(&shorten(&words, ((right - left) / (6.6 * self.k)) as usize))
        );
        bottom
    }

    fn track_line(&mut self, l: &TrackLine, y: &Scale) {
        let Some(s) = self.chart.series.get(l.series) else { return };
        let colour = self.colour(s.tone.name());
        let _ = write!(self.out, r#"<g class="series" data-key="{}">"#, escape(&s.key));
        for part in stretches(&l.x) {
            let known = || part.clone().filter(|&i| l.y.get(i).is_some_and(|v| v.is_finite()));
            if !l.low.is_empty() && !self.is_dense() {
                let up = path(known().map(|i| (self.x.at(l.x[i]), y.at(l.high[i]))));
                let down =
                    path(known().rev().map(|i| (self.x.at(l.x[i]), y.at(l.low[i])))).replacen('M', "L", 1);
                let _ = write!(self.out, r#"<path d="{up}{down}Z" fill="{colour}" fill-opacity=".14"/>"#);
            }
            let d = path(known().map(|i| (self.x.at(l.x[i]), y.at(l.y[i]))));
            let (width, dash) = match (l.target, s.baseline) {
                (true, _) => (1.1, "5 3"),
                (false, true) => (1.3, s.dash.array()),
                (false, false) => (2.0, s.dash.array()),
            };
            let _ = write!(
                self.out,
                r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{dash}" stroke-linejoin="round"/>"#
            );
        }
        self.out.push_str("</g>");
    }

    /// Names at the ends of the lines, as many as there is room for.
    fn names(&mut self, track: &Track, y: &Scale, (top, bottom): (f64, f64)) {
        let gap = 13.5 * self.k;
        let room = ((bottom - top) / gap) as usize;
        let named: Vec<(&TrackLine, &Series, f64, f64)> = track
            .lines
            .iter()
            .filter(|l| !l.target)
            .filter_map(|l| {
                let i = (0..l.y.len()).rev().find(|i| l.y[*i].is_finite())?;
                Some((l, self.chart.series.get(l.series)?, y.at(l.y[i]), l.y[i]))
            })
            .take(room)
            .collect();
        let ends: Vec<f64> = named.iter().map(|l| l.2).collect();
        let places = spread(&ends, gap, top + 8.0, bottom - 1.0);
        let words: Vec<(String, &'static str, f64)> = named
            .iter()
            .zip(places)
            .map(|((l, s, _, v), at)| {
                let name =
                    if l.label.is_empty() { s.name.clone() } else { format!("{} {}", s.name, l.label) };
                (format!("{} {}", short_number(*v), shorten(&name, 17)), s.tone.name(), at)
            })
            .collect();
        for (text, tone, at) in words {
            self.text(self.right + 18.0, at + 4.0, "start", "text", 12.0, 400, tone, &text);
        }
    }
}

/// A value short enough to stand beside a line.
fn short_number(v: f64) -> String {
    match v.abs() {
        a if a >= 100.0 => format!("{v:.0}"),
        a if a >= 10.0 => format!("{v:.1}"),
        _ => format!("{v:.2}"),
    }
}
