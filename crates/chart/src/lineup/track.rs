//! Channels under the curves: each set's mean with the extremes of its pulls, targets dashed, limits as lines
//! with the forbidden side hatched.

use super::{Frame, Series, stretches};
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

/// A limit on the channel along the axis.
#[derive(Debug, Clone, PartialEq)]
pub struct TrackLimit {
    /// Threshold along the axis.
    pub points: Vec<(f64, f64)>,
    /// Forbidden is what lies above; else what lies below.
    pub above: bool,
}

/// A lane of one kind of channel.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Track {
    /// Name and unit.
    pub label: String,
    /// Lines.
    pub lines: Vec<TrackLine>,
    /// Limits.
    pub limits: Vec<TrackLimit>,
    /// Who did not log it, in words; empty when all did.
    pub missing: String,
}

const HEIGHT: f64 = 84.0;
/// A limit further away than so many heights of the data is named and not drawn: it would flatten the lines.
const REACH: f64 = 1.2;

impl Frame<'_> {
    /// Returns its lower edge.
    pub(super) fn track(&mut self, top: f64, track: &Track) -> f64 {
        let bottom = top + HEIGHT * self.k.max(1.0);
        let (left, right) = (self.left, self.right);
        let all = || track.lines.iter().flat_map(|l| l.y.iter().chain(&l.low).chain(&l.high).copied());
        let ends = all()
            .filter(|v| v.is_finite())
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        self.line(left, bottom, right, bottom, "rule", "");
        if ends.0.is_finite() {
            let (y, drawn) = scale(ends, &track.limits, (bottom, top + 14.0));
            for t in y.ticks(3) {
                self.line(left, y.at(t), right, y.at(t), "grid", "");
                self.text(left - 7.0, y.at(t) + 4.0, "end", "figure", 11.5, 400, "mid", &n(t));
            }
            for l in drawn {
                self.limit(l, &y, (top + 2.0, bottom));
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

    /// The line, and short strokes on its forbidden side.
    fn limit(&mut self, l: &TrackLimit, y: &Scale, (top, bottom): (f64, f64)) {
        let colour = self.colour("rosehip");
        let inside = |x: f64| x.clamp(self.left, self.right);
        let points: Vec<(f64, f64)> =
            l.points.iter().map(|p| (inside(self.x.at(p.0)), y.at(p.1).clamp(top, bottom))).collect();
        let d = path(points.iter().copied());
        let mut hatch = String::new();
        for w in points.windows(2) {
            let mut x = (w[0].0 / HATCH).ceil() * HATCH;
            while x < w[1].0 {
                let share = (x - w[0].0) / (w[1].0 - w[0].0).max(1e-9);
                let at = w[0].1 + share * (w[1].1 - w[0].1);
                let to = if l.above { (at - HATCH).max(top) } else { (at + HATCH).min(bottom) };
                let _ = write!(hatch, "M{} {}L{} {}", n(x), n(at), n(x + (at - to).abs() * 0.7), n(to));
                x += HATCH;
            }
        }
        let _ = write!(
            self.out,
            r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="1.4"/><path d="{hatch}" fill="none" stroke="{colour}" stroke-width=".8" stroke-opacity=".7"/>"#
        );
    }
}

/// Between two strokes of a hatch, and how far they reach.
const HATCH: f64 = 7.0;

/// The scale of the values, and the limits that are near enough to be drawn on it.
fn scale(
    (low, high): (f64, f64),
    limits: &[TrackLimit],
    (bottom, top): (f64, f64),
) -> (Scale, Vec<&TrackLimit>) {
    let span = (high - low).max(1e-3 * high.abs().max(low.abs())).max(1e-6);
    let near =
        |l: &&TrackLimit| l.points.iter().any(|p| (low - REACH * span..=high + REACH * span).contains(&p.1));
    let drawn: Vec<&TrackLimit> = limits.iter().filter(near).collect();
    let (mut a, mut b) = (low, high);
    for p in drawn.iter().flat_map(|l| &l.points) {
        let v = p.1.clamp(low - REACH * span, high + REACH * span);
        (a, b) = (a.min(v), b.max(v));
    }
    let room = (b - a).max(span) * 0.08;
    (Scale::new((a - room, b + room), (bottom, top)), drawn)
}

/// A value short enough to stand beside a line.
fn short_number(v: f64) -> String {
    match v.abs() {
        a if a >= 100.0 => format!("{v:.0}"),
        a if a >= 10.0 => format!("{v:.1}"),
        _ => format!("{v:.2}"),
    }
}
