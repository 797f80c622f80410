//! One pull on stacked lanes that share an axis. Nothing is lost to decimation: each column of pixels keeps
//! its lowest and highest.

use crate::hatch::{LimitLine, scale_with};
use crate::paint::Paint;
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, push_digits, shorten_numbered};
use std::fmt::Write;

/// One line in a lane.
#[derive(Debug, Clone, PartialEq)]
pub struct LaneLine {
    /// Name beside the line's end.
    pub label: String,
    /// Colour name of the palette.
    pub colour: &'static str,
    /// Dash array.
    pub dash: &'static str,
    /// Thin: a target or a raw trace behind a filtered one.
    pub thin: bool,
    /// Points in order of time.
    pub points: Vec<(f64, f64)>,
}

/// One lane: a few channels of one unit.
#[derive(Debug, Clone, PartialEq)]
pub struct TraceLane {
    /// Name and unit.
    pub label: String,
    /// Its lines.
    pub lines: Vec<LaneLine>,
    /// Limits on its channels.
    pub limits: Vec<LimitLine>,
}

/// The lanes of a pull.
#[derive(Debug, Clone, PartialEq)]
pub struct TraceChart {
    /// What is on the shared axis, with its unit.
    pub axis: String,
    /// Ends of the axis.
    pub span: [f64; 2],
    /// Lanes from the top.
    pub lanes: Vec<TraceLane>,
    /// Places worth a mark, in words.
    pub marks: Vec<(f64, String)>,
    /// A stretch laid under everything: where a figure was read.
    pub region: Option<[f64; 2]>,
    /// Size of the text against the paper theme's.
    pub scale: f64,
}

const WIDTH: f64 = 1180.0;
const LEFT: f64 = 56.0;
const RIGHT: f64 = 128.0;
/// Letters of usual size that fit there.
const LABEL_LETTERS: f64 = 21.0;
const LANE: f64 = 68.0;
const GAP: f64 = 8.0;
/// Pixels of one column at most; a column keeps its extremes, so a wider one loses nothing but the order of
/// samples closer than a line is thick.
const COLUMN: f64 = 2.0;
/// Rows that the words of marks may stand in.
const MARK_ROWS: usize = 3;

/// Keeps the lowest and the highest point of each of `columns` columns, in order; a line that is short enough
/// stays whole.
pub(crate) fn decimate(points: &[(f64, f64)], from: f64, to: f64, columns: usize) -> Vec<(f64, f64)> {
    let inside: Vec<(f64, f64)> = points.iter().copied().filter(|p| p.0 >= from && p.0 <= to).collect();
    if inside.len() <= 2 * columns {
        return inside;
    }
    let mut out = Vec::with_capacity(2 * columns + 2);
    let column = |x: f64| (((x - from) / (to - from) * columns as f64) as usize).min(columns - 1);
    let mut i = 0;
    while i < inside.len() {
        let c = column(inside[i].0);
        let end = inside[i..].iter().position(|p| column(p.0) != c).map_or(inside.len(), |k| i + k);
        let part = &inside[i..end];
        let low = part.iter().enumerate().min_by(|a, b| a.1.1.total_cmp(&b.1.1)).map_or(0, |x| x.0);
        let high = part.iter().enumerate().max_by(|a, b| a.1.1.total_cmp(&b.1.1)).map_or(0, |x| x.0);
        let (a, b) = (low.min(high), low.max(high));
        out.push(part[a]);
        if b != a {
            out.push(part[b]);
        }
        i = end;
    }
    out
}

impl TraceChart {
    /// Draws it.
    pub fn svg(&self, paint: Paint) -> String {
        let top = if self.marks.is_empty() { 4.0 } else { (8.0 + 14.0 * MARK_ROWS as f64) * self.scale };
        let bottom = top + self.lanes.len() as f64 * (LANE + GAP);
        let height = bottom + 26.0 * self.scale;
        let x = Scale::new((self.span[0], self.span[1]), (LEFT, WIDTH - RIGHT));
        let names: Vec<&str> = self.lanes.iter().map(|l| l.label.as_str()).collect();
        let words = escape(&format!("{} over {}", names.join(", "), self.axis));
        let mut s = format!(
            r#"<svg class="traces" viewBox="0 0 {WIDTH} {}" role="img" aria-label="{words}" font-family="{}" data-x0="{}" data-x1="{}" data-p0="{LEFT}" data-p1="{}" data-top="{}" data-bottom="{}" data-axis="{}">"#,
            n(height),
            paint.font("text"),
            self.span[0],
            self.span[1],
            WIDTH - RIGHT,
            n(top),
            n(bottom),
            escape(&self.axis)
        );
        let (grid, mid, small) = (paint.colour("grid"), paint.colour("mid"), n(12.0 * self.scale));
        for t in x.ticks(9) {
            let at = n(x.at(t));
            let _ = write!(
                s,
                r#"<line x1="{at}" x2="{at}" y1="{top}" y2="{}" stroke="{grid}"/><text x="{at}" y="{}" text-anchor="middle" font-size="{small}" fill="{mid}">{t}</text>"#,
                n(bottom),
                n(bottom + 15.0 * self.scale)
            );
        }
        let _ = write!(
            s,
            r#"<text x="{}" y="{}" font-size="{small}" fill="{mid}">{}</text>"#,
            WIDTH - RIGHT + 26.0,
            n(bottom + 15.0 * self.scale),
            escape(&self.axis)
        );
        if let Some([a, b]) = self.region.map(|r| r.map(|v| x.at(v.clamp(self.span[0], self.span[1])))) {
            let _ = write!(
                s,
                r#"<rect class="read" x="{}" y="{}" width="{}" height="{}" fill="{}" fill-opacity=".13"/>"#,
                n(a.min(b) - 1.5),
                n(top),
                n((b - a).abs() + 3.0),
                n(bottom - top),
                paint.colour("quince")
            );
        }
        self.draw_marks(&mut s, &x, (top, bottom), paint);
        for (k, lane) in self.lanes.iter().enumerate() {
            self.draw_lane(&mut s, lane, top + k as f64 * (LANE + GAP), &x, paint);
        }
        s.push_str("</svg>");
        s
    }

    fn draw_marks(&self, s: &mut String, x: &Scale, (top, bottom): (f64, f64), paint: Paint) {
        let mut free = [f64::NEG_INFINITY; MARK_ROWS];
        let (line, colour) = (paint.colour("rule"), paint.colour("ink"));
        let mut marks: Vec<&(f64, String)> =
            self.marks.iter().filter(|m| (self.span[0]..=self.span[1]).contains(&m.0)).collect();
        marks.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (at, words) in marks {
            let px = x.at(*at);
            let wide = words.chars().count() as f64 * 6.2 * self.scale;
            let start = px.min(WIDTH - wide - 4.0);
            let row = free.iter().position(|f| start > *f);
            let y = row.map_or(top, |r| (12.0 + 14.0 * r as f64) * self.scale);
            let _ = write!(
                s,
                r#"<line x1="{0}" x2="{0}" y1="{1}" y2="{2}" stroke="{line}" stroke-dasharray="2 3"/>"#,
                n(px),
                n(y + 2.0),
                n(bottom)
            );
            if let Some(r) = row {
                let _ = write!(
                    s,
                    r#"<text x="{}" y="{}" font-size="{}" fill="{colour}">{}</text>"#,
                    n(start),
                    n(y),
                    n(12.0 * self.scale),
                    escape(words)
                );
                free[r] = start + wide + 8.0;
            }
        }
    }

    /// What the cursor reads: each lane's lines as drawn, values to five digits. JSON for the page's script.
    pub fn data(&self) -> String {
        let columns = ((WIDTH - LEFT - RIGHT) / COLUMN) as usize;
        let mut out = String::from("[");
        for (i, lane) in self.lanes.iter().enumerate() {
            for (k, l) in lane.lines.iter().enumerate() {
                let points = decimate(&l.points, self.span[0], self.span[1], columns);
                let comma = if out.len() > 1 { "," } else { "" };
                let name = if lane.lines.len() == 1 {
                    lane.label.clone()
                } else {
                    format!("{}: {}", lane.label, l.label)
                };
                let name = format!("{name:?}").replace('<', "\\u003c");
                let first = u8::from(k == 0 && i > 0);
                let _ = write!(out, r#"{comma}{{"name":{name},"first":{first},"x":["#);
                list(&mut out, points.iter().map(|p| p.0));
                out.push_str(r#"],"y":["#);
                list(&mut out, points.iter().map(|p| p.1));
                out.push_str("]}");
            }
        }
        out.push(']');
        out
    }

    fn draw_lane(&self, s: &mut String, lane: &TraceLane, y0: f64, x: &Scale, paint: Paint) {
        let columns = ((WIDTH - LEFT - RIGHT) / COLUMN) as usize;
        let lines: Vec<(&LaneLine, Vec<(f64, f64)>)> = lane
            .lines
            .iter()
            .map(|l| (l, decimate(&l.points, self.span[0], self.span[1], columns)))
            .filter(|l| !l.1.is_empty())
            .collect();
        let (grid, mid, ink) = (paint.colour("grid"), paint.colour("mid"), paint.colour("ink"));
        let all = lines.iter().flat_map(|l| l.1.iter().map(|p| p.1)).filter(|v| v.is_finite());
        let (low, high) = all.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        let _ = write!(
            s,
            r#"<line x1="{LEFT}" x2="{0}" y1="{1}" y2="{1}" stroke="{grid}"/>"#,
            WIDTH - RIGHT,
            n(y0 + LANE)
        );
        if low.is_finite() {
            let (y, limits) = scale_with((low, high), &lane.limits, (y0 + LANE, y0 + 14.0));
            for l in limits {
                s.push_str(&l.svg((x, &y), (LEFT, WIDTH - RIGHT), (y0 + 2.0, y0 + LANE), paint));
            }
            for t in y.ticks(3) {
                let _ = write!(
                    s,
                    r#"<line x1="{LEFT}" x2="{0}" y1="{1}" y2="{1}" stroke="{grid}"/><text x="{2}" y="{3}" text-anchor="end" font-size="{4}" fill="{mid}">{5}</text>"#,
                    WIDTH - RIGHT,
                    n(y.at(t)),
                    LEFT - 6.0,
                    n(y.at(t) + 4.0),
                    n(11.0 * self.scale),
                    n(t)
                );
            }
            let ends: Vec<f64> = lines.iter().map(|l| y.at(l.1[l.1.len() - 1].1)).collect();
            let at = spread(&ends, 13.0 * self.scale, y0 + 8.0, y0 + LANE);
            for ((l, points), label_y) in lines.iter().zip(at) {
                let colour = paint.colour(l.colour);
                let (width, d) =
                    (if l.thin { "1" } else { "1.8" }, path(points.iter().map(|p| (x.at(p.0), y.at(p.1)))));
                let _ = write!(
                    s,
                    r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{}"/>"#,
                    l.dash
                );
                let _ = write!(
                    s,
                    r#"<text x="{}" y="{}" font-size="{}" fill="{colour}">{}</text>"#,
                    WIDTH - RIGHT + 8.0,
                    n(label_y + 4.0),
                    n(12.0 * self.scale),
                    escape(&shorten_numbered(&l.label, (LABEL_LETTERS / self.scale) as usize))
                );
            }
        }
        let _ = write!(
            s,
            r#"<text x="{}" y="{}" font-size="{}" font-weight="650" fill="{ink}" paint-order="stroke" stroke="{}" stroke-width="4">{}</text>"#,
            LEFT + 6.0,
            n(y0 + 12.0),
            n(12.0 * self.scale),
            paint.colour("paper"),
            escape(&lane.label)
        );
    }
}

/// Values with commas between them.
fn list(out: &mut String, values: impl Iterator<Item = f64>) {
    for (i, v) in values.enumerate() {
        out.push_str(if i > 0 { "," } else { "" });
        push_digits(out, v);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_single_spike_among_many_samples_is_still_drawn() {
        let mut points: Vec<(f64, f64)> = (0..200_000).map(|i| (f64::from(i), 1.0)).collect();
        points[123_456].1 = 9.0;
        points[60_000].1 = -4.0;
        let d = decimate(&points, 0.0, 200_000.0, 500);
        assert!(d.len() <= 1000);
        assert!(d.contains(&(123_456.0, 9.0)) && d.contains(&(60_000.0, -4.0)), "extremes survive");
        assert!(d.windows(2).all(|w| w[0].0 < w[1].0), "in order");
        assert_eq!(decimate(&points[..10], 0.0, 9.0, 500), &points[..10], "a short line stays whole");
        assert_eq!(decimate(&points, 10.0, 20.0, 500).len(), 11, "a zoom shows every sample");
    }

    #[test]
    fn lanes_name_their_lines_and_marks_and_escape_them() {
        let line = |label: &str, v: f64| LaneLine {
            label: label.into(),
            colour: "damson",
            dash: "",
            thin: false,
            points: vec![(2000.0, v), (6000.0, v + 1.0)],
        };
        let c = TraceChart {
            axis: "engine rpm".into(),
            span: [2000.0, 6500.0],
            lanes: vec![
                TraceLane {
                    label: "λ".into(),
                    lines: vec![line("λ 1", 0.86), line("target <x>", 0.85)],
                    limits: vec![],
                },
                TraceLane { label: "empty".into(), lines: vec![], limits: vec![] },
            ],
            region: None,
            marks: vec![(3000.0, "knock".into()), (99_999.0, "outside".into())],
            scale: 1.0,
        };
        let s = c.svg(Paint::Page);
        assert!(s.contains("target &lt;x&gt;") && s.contains(">knock<") && !s.contains("outside"));
        assert!(s.contains("aria-label=\"λ, empty over engine rpm\""));
        assert_eq!(s.matches("<path").count(), 2);
    }
}
