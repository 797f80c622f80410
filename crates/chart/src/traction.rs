//! Force at the wheels over road speed, gear by gear, with the places to shift, against what holds the vehicle back.

use crate::frame::Frame;
use crate::paint::{Dash, Paint};
use crate::scale::Scale;
use crate::svg::{escape, n, path};
use std::fmt::Write;

/// One set: its gears as curves, and where each is left.
#[derive(Debug, Clone, PartialEq)]
pub struct TractionLine {
    /// What it is called at the end of its first gear.
    pub label: String,
    /// Colour of its map.
    pub colour: &'static str,
    /// Dash of its fuel.
    pub dash: Dash,
    /// Width.
    pub width: f64,
    /// Points of each gear: speed as shown, force in kN.
    pub gears: Vec<Vec<(f64, f64)>>,
    /// Where each gear is left: speed, force.
    pub shifts: Vec<(f64, f64)>,
}

/// The picture.
#[derive(Debug, Clone, PartialEq)]
pub struct TractionChart {
    /// Sets.
    pub lines: Vec<TractionLine>,
    /// What holds back: speed, kN.
    pub resistance: Vec<(f64, f64)>,
    /// Unit of the speed.
    pub unit: &'static str,
}

const WIDTH: f64 = 900.0;
const HEIGHT: f64 = 360.0;
const LEFT: f64 = 46.0;
const RIGHT: f64 = 130.0;
const TOP: f64 = 26.0;
const BOTTOM: f64 = 42.0;

impl TractionChart {
    /// Draws it; nothing of no points.
    pub fn svg(&self, paint: Paint) -> String {
        let points = || self.lines.iter().flat_map(|l| l.gears.iter().flatten());
        let most = |f: fn(&(f64, f64)) -> f64| points().map(f).fold(0.0_f64, f64::max);
        let (fast, strong) = (most(|p| p.0), most(|p| p.1));
        if fast <= 0.0 || strong <= 0.0 {
            return String::new();
        }
        let (right, bottom) = (WIDTH - RIGHT, HEIGHT - BOTTOM);
        let x = Scale::new((0.0, fast * 1.02), (LEFT, right));
        let y = Scale::new((0.0, strong * 1.06), (bottom, TOP));
        let names: Vec<&str> = self.lines.iter().map(|l| l.label.as_str()).collect();
        let mut s = format!(
            r#"<svg class="traction" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}">"#,
            escape(&format!("force at the wheels over road speed in every gear: {}", names.join(", "))),
            paint.font("text")
        );
        let frame = Frame { x, y, left: LEFT, right, top: TOP, bottom };
        frame.upright(&mut s, 9, paint, |t| format!("{t:.0}"));
        frame.level(&mut s, 6, paint);
        frame.words(
            &mut s,
            "force at the wheels, kN",
            &format!("road speed, {}", self.unit),
            HEIGHT - 6.0,
            paint,
        );
        let mid = paint.colour("mid");
        let d = path(self.resistance.iter().filter(|p| p.0 <= fast * 1.02).map(|p| (x.at(p.0), y.at(p.1))));
        let _ = write!(
            s,
            r#"<path d="{d}" fill="none" stroke="{mid}" stroke-width="1.2" stroke-dasharray="2 4"/>"#
        );
        if let Some(last) = self.resistance.iter().rfind(|p| p.0 <= fast * 1.02) {
            let _ = write!(
                s,
                r#"<text x="{}" y="{}" font-size="12" fill="{mid}">air and tyres</text>"#,
                n(right + 6.0),
                n(y.at(last.1) + 4.0)
            );
        }
        let mut taken: Vec<f64> = Vec::new();
        for l in &self.lines {
            let colour = paint.colour(l.colour);
            for g in &l.gears {
                let d = path(g.iter().map(|p| (x.at(p.0), y.at(p.1))));
                let _ = write!(
                    s,
                    r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{}" stroke-dasharray="{}"/>"#,
                    l.width,
                    l.dash.array()
                );
            }
            for p in &l.shifts {
                let _ = write!(
                    s,
                    r#"<circle cx="{}" cy="{}" r="4" fill="{colour}" stroke="{}" stroke-width="1.2"/>"#,
                    n(x.at(p.0)),
                    n(y.at(p.1)),
                    paint.colour("surface")
                );
            }
            // The name stands above the highest point of the first gear.
            let top = l.gears.first().and_then(|g| g.iter().copied().max_by(|a, b| a.1.total_cmp(&b.1)));
            if let Some((v, f)) = top {
                let mut at = y.at(f) - 7.0;
                while taken.iter().any(|t| (t - at).abs() < 15.0) {
                    at += 15.0;
                }
                taken.push(at);
                let _ = write!(
                    s,
                    r#"<text x="{}" y="{}" font-size="13" font-weight="650" fill="{colour}" font-family="{}">{}</text>"#,
                    n(x.at(v) + 44.0),
                    n(at.max(TOP + 2.0)),
                    paint.font("name"),
                    escape(&l.label)
                );
            }
        }
        s.push_str("</svg>");
        s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn gears_are_lines_and_shifts_are_dots() {
        let line = TractionLine {
            label: "C6 on E85".into(),
            colour: "damson",
            dash: Dash(0),
            width: 2.4,
            gears: vec![vec![(20.0, 9.0), (60.0, 7.0)], vec![(40.0, 5.0), (110.0, 4.0)]],
            shifts: vec![(60.0, 7.0)],
        };
        let c = TractionChart { lines: vec![line], resistance: vec![(0.0, 0.2), (300.0, 2.0)], unit: "km/h" };
        let svg = c.svg(Paint::Light);
        assert_eq!((svg.matches("<circle").count(), svg.matches("stroke-width=\"2.4\"").count()), (1, 2));
        assert!(svg.contains("C6 on E85") && !svg.contains("NaN"));
        assert_eq!(TractionChart { lines: vec![], resistance: vec![], unit: "km/h" }.svg(Paint::Light), "");
    }
}
