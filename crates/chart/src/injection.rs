//! Injection over engine speed: for each set a band from where it begins to where it ends, in degrees of the crank,
//! with top dead centre as a line.

use crate::frame::Frame;
use crate::paint::Paint;
use crate::scale::Scale;
use crate::svg::{escape, n, path};
use std::fmt::Write;

/// One set.
#[derive(Debug, Clone, PartialEq)]
pub struct InjectionBand {
    /// What it is called on the band.
    pub label: String,
    /// Colour of its map.
    pub colour: &'static str,
    /// Engine speed, rpm, begin and end, degrees before top dead centre: after it they are negative.
    pub at: Vec<(f64, f64, f64)>,
}

/// The picture.
#[derive(Debug, Clone, PartialEq)]
pub struct InjectionChart {
    /// The sets.
    pub bands: Vec<InjectionBand>,
}

const WIDTH: f64 = 760.0;
const HEIGHT: f64 = 300.0;
const LEFT: f64 = 52.0;
const RIGHT: f64 = 110.0;
const TOP: f64 = 22.0;
const BOTTOM: f64 = 36.0;

impl InjectionChart {
    /// Draws it; nothing of no points.
    pub fn svg(&self, paint: Paint) -> String {
        let ends = |values: &mut dyn Iterator<Item = f64>| {
            values.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
        };
        let points = || self.bands.iter().flat_map(|b| b.at.iter());
        if points().next().is_none() {
            return String::new();
        }
        let rpm = ends(&mut points().map(|p| p.0));
        let (low, high) = ends(&mut points().flat_map(|p| [p.1, p.2]));
        let (right, bottom) = (WIDTH - RIGHT, HEIGHT - BOTTOM);
        let x = Scale::new((rpm.0, rpm.1.max(rpm.0 + 1.0)), (LEFT, right));
        let y = Scale::new((low.min(0.0) - 2.0, high.max(0.0) + 2.0), (bottom, TOP));
        let names: Vec<&str> = self.bands.iter().map(|b| b.label.as_str()).collect();
        let mut s = format!(
            r#"<svg class="injection" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}">"#,
            escape(&format!("injection from begin to end over engine speed: {}", names.join(", "))),
            paint.font("text")
        );
        let frame = Frame { x, y, left: LEFT, right, top: TOP, bottom };
        frame.upright(&mut s, 7, paint, |t| format!("{t:.0}"));
        frame.level(&mut s, 6, paint);
        let (ink, tdc) = (paint.colour("ink"), n(y.at(0.0)));
        let _ = write!(
            s,
            r#"<line x1="{LEFT}" x2="{}" y1="{tdc}" y2="{tdc}" stroke="{ink}" stroke-width="1.6"/><text x="{}" y="{}" font-size="12" fill="{ink}">TDC</text>"#,
            n(right),
            n(right + 6.0),
            n(y.at(0.0) + 4.0)
        );
        let mut taken: Vec<f64> = vec![y.at(0.0)];
        for b in &self.bands {
            let colour = paint.colour(b.colour);
            let begins = path(b.at.iter().map(|p| (x.at(p.0), y.at(p.1))));
            let outline = b.at.iter().map(|p| (x.at(p.0), y.at(p.1)));
            let outline = path(outline.chain(b.at.iter().rev().map(|p| (x.at(p.0), y.at(p.2)))));
            let ends = path(b.at.iter().map(|p| (x.at(p.0), y.at(p.2))));
            let _ = write!(
                s,
                r#"<path d="{outline}Z" fill="{colour}" fill-opacity=".13"/><path d="{begins}" fill="none" stroke="{colour}" stroke-width="2.2"/><path d="{ends}" fill="none" stroke="{colour}" stroke-width="1.4" stroke-dasharray="5 3"/>"#
            );
            if let Some(last) = b.at.last() {
                let mut at = y.at(last.2) + 4.0;
                while taken.iter().any(|t| (t - at).abs() < 13.0) {
                    at += 3.0;
                }
                taken.push(at);
                let _ = write!(
                    s,
                    r#"<text x="{}" y="{}" font-size="12" font-weight="650" fill="{colour}">{}</text>"#,
                    n(right + 6.0),
                    n(at),
                    escape(&b.label)
                );
            }
        }
        frame.words(&mut s, "degrees before TDC", "engine speed, rpm", HEIGHT - 4.0, paint);
        s.push_str("</svg>");
        s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_set_is_a_band_with_its_name_and_nothing_is_drawn_of_nothing() {
        let band = |label: &str, start: f64| InjectionBand {
            label: label.into(),
            colour: "damson",
            at: vec![(1000.0, start, start - 9.0), (2000.0, start + 2.0, start - 14.0)],
        };
        let s = InjectionChart { bands: vec![band("M1", 6.0), band("M2", 8.0)] }.svg(Paint::Page);
        assert_eq!(s.matches("fill-opacity").count(), 2);
        assert!(s.contains(">M1<") && s.contains(">M2<") && s.contains(">TDC<"));
        assert_eq!(InjectionChart { bands: Vec::new() }.svg(Paint::Page), "");
    }
}
