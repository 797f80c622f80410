//! Gain over margin: power with names on the lines, gain with its band, one lane per limit, on one axis.

use crate::paint::{Dash, Paint, Tone};
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

/// One set's power curve, in the unit shown.
#[derive(Debug, Clone, PartialEq)]
pub struct Series {
    /// Stable key, for hovering and the cursor.
    pub key: String,
    /// Map name.
    pub name: String,
    /// Fuel and whatever else tells it apart.
    pub detail: String,
    /// Hue of the map.
    pub tone: Tone,
    /// Dash of the fuel.
    pub dash: Dash,
    /// The baseline is thin.
    pub baseline: bool,
    /// Axis values.
    pub rpm: Vec<f64>,
    /// Power.
    pub power: Vec<f64>,
    /// Peak of the curve drawn: place and value.
    pub peak: Option<(f64, f64)>,
    /// The headline figure in words, under the name.
    pub headline: String,
}

/// Gain of one series over the baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct Gain {
    /// Index into the series.
    pub series: usize,
    /// Axis values.
    pub rpm: Vec<f64>,
    /// Gain.
    pub gain: Vec<f64>,
    /// Half-width of the band; empty when there is none.
    pub half: Vec<f64>,
}

/// One limit of the chosen set.
#[derive(Debug, Clone, PartialEq)]
pub struct Lane {
    /// Name of the channel.
    pub label: String,
    /// Share of margin used at each axis value; `None` draws "not measured".
    pub share: Option<Vec<Option<f64>>>,
    /// What remains, in words.
    pub note: String,
    /// Over its limit.
    pub over: bool,
    /// Neither clear nor close nor over: said as loudly.
    pub unknown: bool,
}

/// Everything the chart shows.
#[derive(Debug, Clone, PartialEq)]
pub struct LineUpChart {
    /// Words over the power panel.
    pub power_title: String,
    /// Words over the gain panel.
    pub gain_title: String,
    /// Words over the lanes.
    pub lane_title: String,
    /// Sets, in the order of legend and table.
    pub series: Vec<Series>,
    /// Gains.
    pub gains: Vec<Gain>,
    /// Grid of the lanes.
    pub lane_rpm: Vec<f64>,
    /// Lanes.
    pub lanes: Vec<Lane>,
    /// Hue of the lanes.
    pub lane_tone: Tone,
    /// Unit of power and gain.
    pub unit: String,
    /// Size of text and lanes: 1 at a desk, larger for the cell theme.
    pub scale: f64,
}

const WIDTH: f64 = 880.0;
const POWER: (f64, f64) = (10.0, 252.0);
const LANE: f64 = 20.0;
const LEFT: f64 = 46.0;
const RIGHT: f64 = 176.0;

struct Frame<'a> {
    chart: &'a LineUpChart,
    paint: Paint,
    x: Scale,
    /// Text size factor.
    k: f64,
    /// Left and right edge of the plots.
    left: f64,
    right: f64,
    out: String,
}

/// Draws the chart. `paint` decides whether colours are the page's or fixed.
pub fn lineup_svg(chart: &LineUpChart, paint: Paint) -> String {
    let all = || chart.series.iter().flat_map(|s| s.rpm.iter().copied());
    let (from, to) = (all().fold(f64::INFINITY, f64::min), all().fold(f64::NEG_INFINITY, f64::max));
    let (from, to) = if from.is_finite() { (from, to) } else { (1000.0, 7000.0) };
    let k = chart.scale.clamp(0.5, 2.0);
    let (left, right) = (LEFT * k, WIDTH - RIGHT * k);
    let mut f = Frame { chart, paint, x: Scale::new((from, to), (left, right)), k, left, right, out: String::new() };
    f.power();
    let mut y = POWER.1 + 22.0;
    if !chart.gains.is_empty() {
        y = f.gain(y);
    }
    if !chart.lanes.is_empty() {
        y = f.lanes(y + 14.0);
    }
    let height = f.axis(y, from, to);
    let background = if paint == Paint::Page {
        String::new()
    } else {
        format!(r#"<rect width="{WIDTH}" height="{}" fill="{}"/>"#, n(height), paint.colour("paper"))
    };
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" class="lineup-chart" viewBox="0 0 {WIDTH} {}" role="img" aria-label="{}" data-x0="{}" data-x1="{}" data-p0="{}" data-p1="{}" data-bottom="{}">{background}{}</svg>"#,
        n(height),
        escape(&format!("{}; {}", chart.power_title, chart.gain_title)),
        n(from),
        n(to),
        n(left),
        n(right),
        n(y),
        f.out
    )
}

impl Frame<'_> {
    fn colour(&self, name: &str) -> String {
        self.paint.colour(name)
    }

    #[allow(clippy::too_many_arguments)]
    fn text(&mut self, x: f64, y: f64, anchor: &str, role: &str, size: f64, weight: u32, colour: &str, s: &str) {
        let _ = write!(
            self.out,
            r#"<text x="{}" y="{}" text-anchor="{anchor}" font-family="{}" font-size="{}" font-weight="{weight}" fill="{}">{}</text>"#,
            n(x),
            n(y),
            self.paint.font(role),
            n(size * self.k),
            self.colour(colour),
            escape(s)
        );
    }

    fn line(&mut self, x1: f64, y1: f64, x2: f64, y2: f64, colour: &str, extra: &str) {
        let _ = write!(self.out, r#"<line x1="{}" y1="{}" x2="{}" y2="{}" stroke="{}" {extra}/>"#, n(x1), n(y1), n(x2), n(y2), self.colour(colour));
    }

    fn power(&mut self) {
        let top = self.chart.series.iter().flat_map(|s| s.power.iter().copied()).filter(|v| v.is_finite()).fold(0.0, f64::max);
        let y = Scale::new((0.0, (top * 1.06).max(1.0)), (POWER.1, POWER.0));
        for t in y.ticks(8) {
            self.line(self.left, y.at(t), self.right, y.at(t), "grid", "");
            self.text(self.left - 7.0, y.at(t) + 4.0, "end", "figure", 12.0, 400, "mid", &n(t));
        }
        self.text(self.left + 6.0, POWER.0 + 12.0, "start", "text", 13.0, 600, "mid", &self.chart.power_title.clone());
        let gap = if self.chart.series.len() > 8 { 17.0 * self.k } else { 31.0 * self.k };
        let ends: Vec<f64> = self.chart.series.iter().map(|s| s.power.last().map_or(POWER.1, |p| y.at(*p))).collect();
        let places = spread(&ends, gap, POWER.0 + 8.0, POWER.1 - 4.0);
        for (i, s) in self.chart.series.iter().enumerate() {
            let colour = self.colour(s.tone.name());
            let width = if s.baseline { 1.5 } else { 2.6 };
            let d = path(s.rpm.iter().zip(&s.power).map(|(r, p)| (self.x.at(*r), y.at(*p))));
            let _ = write!(self.out, r#"<g class="series" data-key="{}">"#, escape(&s.key));
            let _ = write!(
                self.out,
                r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{}" stroke-linejoin="round" stroke-linecap="round"/>"#,
                s.dash.array()
            );
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
                self.label(s, self.x.at(*end_rpm), ends[i], places[i], gap > 20.0 * self.k);
            }
            self.out.push_str("</g>");
        }
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

    fn gain(&mut self, top: f64) -> f64 {
        let reach = |g: &Gain| {
            g.gain
                .iter()
                .zip(g.half.iter().copied().chain(std::iter::repeat(0.0)))
                .filter(|(v, h)| v.is_finite() && h.is_finite())
                .fold((0.0_f64, 0.0_f64), |a, (v, h)| (a.0.min(v - h), a.1.max(v + h)))
        };
        let (low, high) = self.chart.gains.iter().map(reach).fold((0.0_f64, 0.0_f64), |a, b| (a.0.min(b.0), a.1.max(b.1)));
        let bottom = top + 112.0;
        let pad = ((high - low) * 0.05).max(0.5);
        let y = Scale::new((low - pad, high + pad), (bottom, top + 4.0));
        for t in y.ticks(5) {
            self.line(self.left, y.at(t), self.right, y.at(t), if t == 0.0 { "mid" } else { "grid" }, "");
            let s = if t > 0.0 { format!("+{}", n(t)) } else { n(t) };
            self.text(self.left - 7.0, y.at(t) + 4.0, "end", "figure", 12.0, 400, "mid", &s);
        }
        self.text(self.left + 6.0, top + 10.0, "start", "text", 13.0, 600, "mid", &self.chart.gain_title.clone());
        let ends: Vec<f64> = self.chart.gains.iter().map(|g| g.gain.last().map_or(bottom, |v| y.at(*v))).collect();
        let places = spread(&ends, 15.0 * self.k, top + 8.0, bottom);
        for (i, g) in self.chart.gains.iter().enumerate() {
            let s = &self.chart.series[g.series];
            let colour = self.colour(s.tone.name());
            let _ = write!(self.out, r#"<g class="series" data-key="{}">"#, escape(&s.key));
            if !g.half.is_empty() {
                let up = g.rpm.iter().zip(g.gain.iter().zip(&g.half)).filter(|(_, (_, h))| h.is_finite());
                let mut d = path(up.clone().map(|(r, (v, h))| (self.x.at(*r), y.at(v + h))));
                let back: Vec<(f64, f64)> = up.map(|(r, (v, h))| (self.x.at(*r), y.at(v - h))).collect();
                d.push_str(&path(back.into_iter().rev()).replacen('M', "L", 1));
                let _ = write!(self.out, r#"<path d="{d}Z" fill="{colour}" fill-opacity=".15"/>"#);
            }
            for (solid, span) in spans(g) {
                let d = path(span.map(|k| (self.x.at(g.rpm[k]), y.at(g.gain[k]))));
                let look = if solid { "stroke-width=\"2.6\"" } else { "stroke-width=\"1.1\" stroke-opacity=\".6\" stroke-dasharray=\"1.5 3\"" };
                let _ = write!(self.out, r#"<path d="{d}" fill="none" stroke="{colour}" {look} stroke-linecap="round"/>"#);
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
                self.text(at + 46.0 * self.k, places[i], "start", "text", 12.0, 400, "mid", &shorten(&format!("{} {}", s.name, s.detail), 18));
            }
            self.out.push_str("</g>");
        }
        bottom
    }

    fn lanes(&mut self, top: f64) -> f64 {
        self.text(self.left + 6.0, top + 8.0, "start", "text", 13.0, 600, "mid", &self.chart.lane_title.clone());
        let mut y = top + 8.0 + 6.0 * self.k;
        let (left, right) = (self.left, self.right);
        let tone = self.colour(self.chart.lane_tone.name());
        for lane in &self.chart.lanes {
            let height = (LANE - 5.0) * self.k;
            match &lane.share {
                None => {
                    let _ = write!(
                        self.out,
                        r#"<rect x="{}" y="{}" width="{}" height="{}" fill="none" stroke="{}" stroke-dasharray="3 3"/>"#,
                        n(left),
                        n(y),
                        n(right - left),
                        n(height),
                        self.colour("mid")
                    );
                }
                Some(share) => {
                    let cell = (right - left) / share.len().max(1) as f64;
                    for (rpm, v) in self.chart.lane_rpm.iter().zip(share).filter_map(|(r, v)| v.map(|v| (r, v))) {
                        let h = (v.clamp(0.04, 1.0)) * height;
                        let (fill, opacity) = if v > 1.0 {
                            (self.colour("rosehip"), ".95")
                        } else if v > 0.75 {
                            (tone.clone(), ".9")
                        } else {
                            (tone.clone(), ".45")
                        };
                        let _ = write!(
                            self.out,
                            r#"<rect x="{}" y="{}" width="{}" height="{}" fill="{fill}" fill-opacity="{opacity}"/>"#,
                            n(self.x.at(*rpm) - cell / 2.0),
                            n(y + height - h),
                            n(cell + 0.4),
                            n(h)
                        );
                    }
                    self.line(left, y + height, right, y + height, "rule", "");
                    self.line(left, y, right, y, "rule", "stroke-dasharray=\"1 3\"");
                }
            }
            let _ = write!(
                self.out,
                r#"<text x="{}" y="{}" font-family="{}" font-size="{}" font-weight="600" fill="{}" stroke="{}" stroke-width="3" paint-order="stroke">{}</text>"#,
                n(left + 6.0),
                n(y + 12.0 * self.k),
                self.paint.font("text"),
                n(12.5 * self.k),
                self.colour("ink"),
                self.colour("paper"),
                escape(&shorten(&lane.label, 44))
            );
            let (colour, weight) = if lane.over {
                ("rosehip", 700)
            } else if lane.unknown {
                ("ink", 700)
            } else {
                ("mid", 400)
            };
            self.text(right + 18.0, y + 12.0 * self.k, "start", "text", 12.5, weight, colour, &shorten(&lane.note, 25));
            y += LANE * self.k;
        }
        y - 3.0
    }

    fn axis(&mut self, bottom: f64, from: f64, to: f64) -> f64 {
        let s = Scale::new((from, to), (self.left, self.right));
        for t in s.ticks(10) {
            self.line(s.at(t), bottom, s.at(t), bottom + 4.0, "mid", "");
            self.text(s.at(t), bottom + 4.0 + 13.0 * self.k, "middle", "figure", 12.0, 400, "mid", &n(t));
        }
        self.text(self.right + 18.0, bottom + 4.0 + 13.0 * self.k, "start", "text", 12.5, 400, "mid", "engine rpm");
        bottom + 4.0 + 20.0 * self.k
    }
}

/// Stretches where the band excludes zero (solid) and where it does not, overlapping by one point so that they join.
fn spans(g: &Gain) -> Vec<(bool, std::ops::Range<usize>)> {
    let solid = |k: usize| g.half.get(k).is_some_and(|h| g.gain[k].abs() > *h);
    let mut out = Vec::new();
    let mut start = 0;
    for k in 1..=g.gain.len() {
        if k == g.gain.len() || solid(k) != solid(start) {
            out.push((solid(start), start..(k + 1).min(g.gain.len())));
            start = k;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn chart(sets: usize) -> LineUpChart {
        let rpm: Vec<f64> = (40..130).map(|k| f64::from(k) * 50.0).collect();
        let series: Vec<Series> = (0..sets)
            .map(|i| Series {
                key: i.to_string(),
                name: format!("C{i} <b>"),
                detail: "RON 95 E5".into(),
                tone: Tone::Damson,
                dash: Dash(i),
                baseline: i == 0,
                rpm: rpm.clone(),
                power: rpm.iter().map(|r| r / 60.0 + i as f64).collect(),
                peak: Some((6000.0, 100.0)),
                headline: "100.0 at 6000".into(),
            })
            .collect();
        let gains =
            vec![Gain { series: sets - 1, rpm: rpm.clone(), gain: rpm.iter().map(|r| (r - 4000.0) / 200.0).collect(), half: vec![2.0; rpm.len()] }];
        let lanes = vec![
            Lane {
                label: "λ 1".into(),
                share: Some(rpm.iter().map(|r| Some(r / 6000.0)).collect()),
                note: "over from 6000".into(),
                over: true,
                unknown: false,
            },
            Lane { label: "back pressure".into(), share: None, note: "not measured".into(), over: false, unknown: true },
        ];
        LineUpChart {
            power_title: "power".into(),
            gain_title: "gain".into(),
            lane_title: "margin".into(),
            series,
            gains,
            lane_rpm: rpm,
            lanes,
            lane_tone: Tone::Damson,
            unit: "kW".into(),
            scale: 1.0,
        }
    }

    #[test]
    fn names_are_escaped_and_every_set_is_drawn() {
        for sets in [2, 5, 16] {
            let svg = lineup_svg(&chart(sets), Paint::Page);
            assert!(!svg.contains("<b>"));
            assert_eq!(svg.matches("&lt;b&gt;").count(), sets + 1);
            assert!(!svg.contains("NaN") && !svg.contains("inf"));
        }
    }

    #[test]
    fn not_measured_is_drawn_and_over_is_red() {
        let svg = lineup_svg(&chart(2), Paint::Light);
        assert!(svg.contains("not measured") && svg.contains(r#"stroke-dasharray="3 3""#));
        assert!(svg.contains("#b0361e"));
        assert!(!svg.contains("var(--"), "a file stands alone");
    }

    #[test]
    fn the_gain_is_solid_only_where_the_band_excludes_zero() {
        let g = &chart(2).gains[0];
        let s = spans(g);
        assert_eq!(s.iter().map(|x| x.0).collect::<Vec<_>>(), vec![true, false, true]);
        assert!(g.gain[s[1].1.start].abs() <= 2.0);
        let mut bare = g.clone();
        bare.half.clear();
        assert_eq!(spans(&bare).len(), 1);
        assert!(!spans(&bare)[0].0);
    }

    #[test]
    fn nothing_to_draw_is_still_a_picture() {
        let empty = LineUpChart { series: vec![], gains: vec![], lanes: vec![], ..chart(2) };
        assert!(lineup_svg(&empty, Paint::Dark).starts_with("<svg"));
    }
}
