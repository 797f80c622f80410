//! The day at a glance: temperatures over the time of day, with every pull and note where it happened.

use crate::paint::{Paint, Tone};
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

/// One line of temperatures; hours of the day and °C (or whatever unit the label names).
#[derive(Debug, Clone, PartialEq)]
pub struct TimelineSeries {
    /// Name that sits at the line's end.
    pub label: String,
    /// Colour name of the palette.
    pub colour: &'static str,
    /// Dash array.
    pub dash: &'static str,
    /// Points in order of time.
    pub points: Vec<(f64, f64)>,
}

/// The pulls of one set.
#[derive(Debug, Clone, PartialEq)]
pub struct TimelineSet {
    /// Name above its ticks.
    pub label: String,
    /// Hue of its map.
    pub tone: Tone,
    /// Hours of the day of its pulls; `true` for one that is left out of figures.
    pub pulls: Vec<(f64, bool)>,
}

/// A day.
#[derive(Debug, Clone, PartialEq)]
pub struct Timeline {
    /// Temperature lines.
    pub series: Vec<TimelineSeries>,
    /// Sets in order of running.
    pub sets: Vec<TimelineSet>,
    /// Hours of the day of notes.
    pub notes: Vec<f64>,
    /// Unit of the temperatures.
    pub unit: String,
    /// Size of the text against the paper theme's; the cell theme reads from two metres.
    pub scale: f64,
}

const WIDTH: f64 = 1180.0;
const HEIGHT: f64 = 232.0;
const LEFT: f64 = 44.0;
const RIGHT: f64 = 96.0;
const BOTTOM: f64 = 24.0;
/// Width of one character of a set's name, px.
const LETTER: f64 = 7.8;

pub(crate) fn clock(hours: f64) -> String {
    let minutes = (hours * 60.0).round() as i64;
    format!("{:02}:{:02}", minutes / 60, minutes % 60)
}

impl Default for Timeline {
    fn default() -> Self {
        Self { series: Vec::new(), sets: Vec::new(), notes: Vec::new(), unit: String::new(), scale: 1.0 }
    }
}

impl Timeline {
    /// Height of a row of names, px.
    fn row(&self) -> f64 {
        16.0 * self.scale
    }

    /// Where the temperatures begin, px.
    fn top(&self) -> f64 {
        16.0 + 3.0 * self.row()
    }

    /// Whether there is anything to draw.
    pub fn is_empty(&self) -> bool {
        self.sets.iter().all(|s| s.pulls.is_empty())
    }

    /// First and last hour, widened to whole half hours.
    fn span(&self) -> (f64, f64) {
        let range = |it: &mut dyn Iterator<Item = f64>| {
            it.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), h| (a.min(h), b.max(h)))
        };
        let (a, b) = range(&mut self.sets.iter().flat_map(|s| s.pulls.iter().map(|p| p.0)));
        // Notes long before the first pull or after the last do not squeeze the pulls together.
        let near = self.notes.iter().copied().filter(|h| (a - 1.0..=b + 1.0).contains(h));
        let (a, b) = range(&mut near.chain([a, b]));
        ((a * 2.0 - 0.2).floor() / 2.0, (b * 2.0 + 0.2).ceil() / 2.0)
    }

    /// Draws it.
    pub fn svg(&self, paint: Paint) -> String {
        let (from, to) = self.span();
        let x = Scale::new((from, to), (LEFT, WIDTH - RIGHT));
        let values = self.series.iter().flat_map(|s| s.points.iter().map(|p| p.1));
        let (low, high) = values.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        let (low, high) = if low.is_finite() {
            ((low / 10.0).floor() * 10.0, (high / 10.0).ceil() * 10.0)
        } else {
            (0.0, 100.0)
        };
        let y = Scale::new((low, high), (HEIGHT - BOTTOM, self.top()));
        let mut s = format!(
            r#"<svg class="timeline" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}">"#,
            escape(&self.words()),
            paint.font("text")
        );
        let (grid, mid, small) = (paint.colour("grid"), paint.colour("mid"), n(12.0 * self.scale));
        for t in y.ticks(4) {
            let _ = write!(
                s,
                r#"<line x1="{LEFT}" x2="{0}" y1="{1}" y2="{1}" stroke="{grid}"/><text x="{2}" y="{3}" text-anchor="end" font-size="{small}" fill="{mid}">{t:.0}</text>"#,
                WIDTH - RIGHT,
                n(y.at(t)),
                LEFT - 6.0,
                n(y.at(t) + 4.0)
            );
        }
        let _ = write!(
            s,
            r#"<text x="4" y="{}" font-size="{small}" fill="{mid}">{}</text>"#,
            n(self.top() - 4.0 - 10.0 * self.scale),
            escape(&self.unit)
        );
        let step = if to - from > 5.0 { 1.0 } else { 0.5 };
        let mut h = (from / step).ceil() * step;
        while h <= to + 1e-9 {
            let _ = write!(
                s,
                r#"<text x="{}" y="{}" text-anchor="middle" font-size="{small}" fill="{mid}">{}</text>"#,
                n(x.at(h)),
                HEIGHT - 6.0,
                clock(h)
            );
            h += step;
        }
        self.draw_sets(&mut s, &x, paint);
        self.draw_lines(&mut s, &x, &y, paint);
        for h in self.notes.iter().filter(|h| (from..=to).contains(*h)) {
            let _ = write!(
                s,
                r#"<path d="M{0} {1}l4 -7h-8z" fill="{2}"/>"#,
                n(x.at(*h)),
                HEIGHT - BOTTOM,
                paint.colour("quince")
            );
        }
        s.push_str("</svg>");
        s
    }

    fn draw_sets(&self, s: &mut String, x: &Scale, paint: Paint) {
        let drawn: Vec<&TimelineSet> = self.sets.iter().filter(|t| !t.pulls.is_empty()).collect();
        let mut ends = [f64::NEG_INFINITY; 3];
        for t in drawn {
            let colour = paint.colour(t.tone.name());
            let first = x.at(t.pulls[0].0);
            let label = shorten(&t.label, 22);
            let wide = label.chars().count() as f64 * LETTER * self.scale;
            // The first of three rows where the name has room; where none has, the lines stand without it.
            let start = first.min(WIDTH - wide - 4.0);
            let room = ends.iter().position(|e| *e + 12.0 * self.scale <= start);
            let row = room.unwrap_or(2);
            if room.is_some() {
                ends[row] = start + wide;
            }
            let base = 14.0 * self.scale + self.row() * row as f64;
            let label = if room.is_some() { label } else { String::new() };
            let _ = write!(
                s,
                r#"<text x="{}" y="{base}" font-size="{}" font-family="{}" fill="{colour}">{}</text>"#,
                n(start),
                n(13.0 * self.scale),
                paint.font("name"),
                escape(&label)
            );
            for (h, out) in &t.pulls {
                let dash = if *out { r#" stroke-dasharray="2 3""# } else { "" };
                let _ = write!(
                    s,
                    r#"<line x1="{0}" x2="{0}" y1="{1}" y2="{2}" stroke="{colour}" stroke-width="1.4" stroke-opacity=".7"{dash}/>"#,
                    n(x.at(*h)),
                    n(base + 4.0),
                    HEIGHT - BOTTOM
                );
            }
        }
    }

    fn draw_lines(&self, s: &mut String, x: &Scale, y: &Scale, paint: Paint) {
        let lines: Vec<&TimelineSeries> = self.series.iter().filter(|l| !l.points.is_empty()).collect();
        let wanted: Vec<f64> = lines.iter().map(|l| y.at(l.points[l.points.len() - 1].1)).collect();
        let at = spread(&wanted, 14.0 * self.scale, self.top(), HEIGHT - BOTTOM);
        for (l, label_y) in lines.iter().zip(at) {
            let colour = paint.colour(l.colour);
            let d = path(l.points.iter().map(|p| (x.at(p.0), y.at(p.1))));
            let _ = write!(
                s,
                r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="2" stroke-dasharray="{}"/>"#,
                l.dash
            );
            let _ = write!(
                s,
                r#"<text x="{}" y="{}" font-size="{}" fill="{colour}">{}</text>"#,
                WIDTH - RIGHT + 6.0,
                n(label_y + 4.0),
                n(13.0 * self.scale),
                escape(&l.label)
            );
        }
    }

    /// The picture in a sentence, for those who cannot see it.
    pub fn words(&self) -> String {
        let pulls: usize = self.sets.iter().map(|s| s.pulls.len()).sum();
        let (from, to) = self
            .sets
            .iter()
            .flat_map(|s| &s.pulls)
            .fold((f64::INFINITY, 0.0_f64), |(a, b), p| (a.min(p.0), b.max(p.0)));
        let lines: Vec<String> = self
            .series
            .iter()
            .filter_map(|l| {
                let (a, b) = l
                    .points
                    .iter()
                    .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| (a.min(p.1), b.max(p.1)));
                a.is_finite().then(|| format!("{} {a:.0} to {b:.0} {}", l.label, self.unit))
            })
            .collect();
        if pulls == 0 {
            return "no pull has a time yet".into();
        }
        format!("{pulls} pulls from {} to {}; {}", clock(from), clock(to), lines.join(", "))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day() -> Timeline {
        Timeline {
            series: vec![
                TimelineSeries {
                    label: "oil".into(),
                    colour: "medlar",
                    dash: "",
                    points: vec![(9.2, 85.0), (15.5, 104.0)],
                },
                TimelineSeries {
                    label: "intake".into(),
                    colour: "bilberry",
                    dash: "2 3",
                    points: vec![(9.2, 31.0)],
                },
            ],
            sets: vec![
                TimelineSet {
                    label: "Stock <95>".into(),
                    tone: Tone::Ink,
                    pulls: vec![(9.2, false), (9.3, true)],
                },
                TimelineSet {
                    label: "C1 on RON 95 E5, a long name".into(),
                    tone: Tone::Damson,
                    pulls: vec![(9.4, false)],
                },
                TimelineSet { label: "C2".into(), tone: Tone::Quince, pulls: vec![] },
                TimelineSet { label: "Stock again".into(), tone: Tone::Ink, pulls: vec![(15.5, false)] },
            ],
            notes: vec![11.1],
            unit: "°C".into(),
            scale: 1.0,
        }
    }

    #[test]
    fn it_says_in_words_what_it_draws_and_escapes_names() {
        assert_eq!(day().words(), "4 pulls from 09:12 to 15:30; oil 85 to 104 °C, intake 31 to 31 °C");
        let s = day().svg(Paint::Page);
        assert!(s.contains("Stock &lt;95&gt;") && !s.contains("<95>"));
        assert!(s.contains("09:00") && s.contains("16:00"), "whole hours on the axis");
        assert_eq!(
            s.matches(" stroke-dasharray=\"2 3\"/>").count(),
            2,
            "a pull left out is dashed, and so is the second line"
        );
    }

    #[test]
    fn names_of_sets_that_run_close_together_stand_in_rows() {
        let s = day().svg(Paint::Light);
        let y = |name: &str| {
            let at = s.find(name).unwrap();
            let start = s[..at].rfind(" y=\"").unwrap() + 4;
            s[start..start + s[start..].find('"').unwrap()].parse::<f64>().unwrap()
        };
        assert!((y("Stock &lt;95&gt;") - y("C1 on RON")).abs() >= 16.0);
    }

    #[test]
    fn a_name_without_room_is_left_out_rather_than_written_over_another() {
        let sets = (0..6)
            .map(|k| TimelineSet {
                label: format!("set number {k}"),
                tone: Tone::Ink,
                pulls: vec![(9.0 + 0.01 * f64::from(k), false)],
            })
            .collect();
        let s = Timeline { sets, ..day() }.svg(Paint::Page);
        assert_eq!(s.matches("set number").count(), 3);
    }

    #[test]
    fn a_day_without_times_is_empty() {
        assert!(Timeline::default().is_empty());
        assert_eq!(Timeline::default().words(), "no pull has a time yet");
    }
}
