//! Gain against the margin it used: one mark a map, a line through those that no other beats.

use crate::frame::Frame;
use crate::paint::Paint;
use crate::scale::{Scale, spread};
use crate::svg::{escape, n, path, shorten};
use std::fmt::Write;

/// One map.
#[derive(Debug, Clone, PartialEq)]
pub struct FrontMark {
    /// Its name, beside the mark.
    pub label: String,
    /// Colour of its map.
    pub colour: &'static str,
    /// Share of the tightest margin used; 1 is the limit.
    pub used: f64,
    /// Gain and its interval.
    pub gain: f64,
    /// Interval.
    pub interval: Option<[f64; 2]>,
    /// Nothing bars it: a full mark; else hollow.
    pub clear: bool,
    /// On the front.
    pub on_front: bool,
}

/// The picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Front {
    /// What is gained, with its unit.
    pub value: String,
    /// The maps.
    pub marks: Vec<FrontMark>,
    /// Smallest gain that counts.
    pub smallest: f64,
}

const WIDTH: f64 = 560.0;
const HEIGHT: f64 = 280.0;
const LEFT: f64 = 48.0;
const RIGHT: f64 = 140.0;
const TOP: f64 = 22.0;
const BOTTOM: f64 = 36.0;

impl Front {
    /// Draws it.
    pub fn svg(&self, paint: Paint) -> String {
        let (right, bottom) = (WIDTH - RIGHT, HEIGHT - BOTTOM);
        let most = self.marks.iter().map(|m| m.used).fold(1.0, f64::max).max(1.05) * 1.04;
        let ends =
            self.marks.iter().flat_map(|m| m.interval.unwrap_or([m.gain; 2])).chain([0.0, self.smallest]);
        let (low, high) = ends.fold((0.0_f64, 1.0_f64), |(a, b), v| (a.min(v), b.max(v)));
        let (x, y) = (
            Scale::new((0.0, most), (LEFT, right)),
            Scale::new((low - 0.06 * (high - low), high + 0.06 * (high - low)), (bottom, TOP)),
        );
        let (grid, mid, ink, red) =
            (paint.colour("grid"), paint.colour("mid"), paint.colour("ink"), paint.colour("rosehip"));
        let mut s = format!(
            r#"<svg class="front" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}">"#,
            escape(&format!(
                "{} against the share of the tightest margin used, {} maps",
                self.value,
                self.marks.len()
            )),
            paint.font("text")
        );
        let frame = Frame { x, y, left: LEFT, right, top: TOP, bottom };
        frame.level(&mut s, 5, paint);
        frame.upright(&mut s, 5, paint, |t| format!("{:.0} %", 100.0 * t));
        let limit = n(x.at(1.0));
        let _ = write!(
            s,
            r#"<line x1="{limit}" x2="{limit}" y1="{TOP}" y2="{bottom}" stroke="{red}" stroke-width="1.4"/><text x="{limit}" y="{}" text-anchor="middle" font-size="11" fill="{red}">limit</text><line x1="{LEFT}" x2="{right}" y1="{1}" y2="{1}" stroke="{mid}" stroke-dasharray="2 4"/>"#,
            n(TOP - 4.0),
            n(y.at(self.smallest))
        );
        let mut front: Vec<&FrontMark> = self.marks.iter().filter(|m| m.on_front).collect();
        front.sort_by(|a, b| a.used.total_cmp(&b.used));
        if front.len() > 1 {
            let d = path(front.iter().map(|m| (x.at(m.used.max(0.0)), y.at(m.gain))));
            let _ = write!(s, r#"<path d="{d}" fill="none" stroke="{mid}" stroke-width="1.2"/>"#);
        }
        let wanted: Vec<f64> = self.marks.iter().map(|m| y.at(m.gain)).collect();
        for (m, label_y) in self.marks.iter().zip(spread(&wanted, 14.0, TOP + 4.0, bottom)) {
            let (px, py, colour) = (x.at(m.used.max(0.0)), y.at(m.gain), paint.colour(m.colour));
            if let Some([a, b]) = m.interval {
                let _ = write!(
                    s,
                    r#"<line x1="{0}" x2="{0}" y1="{1}" y2="{2}" stroke="{colour}" stroke-width="2"/>"#,
                    n(px),
                    n(y.at(a)),
                    n(y.at(b))
                );
            }
            let fill = if m.clear { colour.clone() } else { paint.colour("paper") };
            let _ = write!(
                s,
                r#"<circle cx="{}" cy="{}" r="5" fill="{fill}" stroke="{colour}" stroke-width="2"/><path d="M{} {}L{} {}" stroke="{grid}" fill="none"/><text x="{}" y="{}" font-size="12" fill="{ink}">{}</text>"#,
                n(px),
                n(py),
                n(px + 7.0),
                n(py),
                n(right + 2.0),
                n(label_y),
                n(right + 6.0),
                n(label_y + 4.0),
                escape(&shorten(&m.label, 22))
            );
        }
        frame.words(&mut s, &self.value, "share of its tightest margin used", HEIGHT - 5.0, paint);
        s.push_str("</svg>");
        s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_barred_is_hollow_and_the_front_runs_through_the_best() {
        let mark = |label: &str, used, gain, clear, on_front| FrontMark {
            label: label.into(),
            colour: "damson",
            used,
            gain,
            interval: Some([gain - 1.0, gain + 1.0]),
            clear,
            on_front,
        };
        let f = Front {
            value: "gain, kW".into(),
            marks: vec![
                mark("C1 & co", 0.4, 8.0, true, true),
                mark("C2", 0.9, 12.0, true, true),
                mark("C3", 1.2, 11.0, false, false),
            ],
            smallest: 3.0,
        };
        let s = f.svg(Paint::Page);
        assert_eq!((s.matches("<circle").count(), s.matches("var(--paper)").count()), (3, 1));
        assert!(s.contains("C1 &amp; co") && s.contains(">limit<"));
        assert_eq!(s.matches("stroke-width=\"1.2\"").count(), 1, "one line through two maps");
    }
}
