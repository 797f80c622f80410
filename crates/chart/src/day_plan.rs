//! A planned day over the clock: what is pulled, on which map, on which fuel, and what lies between.

use crate::paint::{Paint, Tone};
use crate::scale::Scale;
use crate::svg::{escape, n, shorten};
use crate::timeline::clock;
use std::fmt::Write;

/// Pulls of one set. Minutes count from the start of the plan.
#[derive(Debug, Clone, PartialEq)]
pub struct PlanBlock {
    /// Name in the block, where it has room.
    pub label: String,
    /// Hue of its map.
    pub tone: Tone,
    /// First and last minute of its pulls.
    pub pulls: [f64; 2],
    /// Whether it is the baseline.
    pub baseline: bool,
}

/// A map in the unit or a fuel in the tank, for as long as it stays.
#[derive(Debug, Clone, PartialEq)]
pub struct PlanBand {
    /// Name.
    pub label: String,
    /// Hue.
    pub tone: Tone,
    /// From the minute work on it begins, to that from which pulls may be made, to its end.
    pub minutes: [f64; 3],
}

/// The picture.
#[derive(Debug, Clone, PartialEq)]
pub struct DayPlanChart {
    /// Minute of the day the plan begins at.
    pub begins: f64,
    /// Sets.
    pub blocks: Vec<PlanBlock>,
    /// Maps.
    pub maps: Vec<PlanBand>,
    /// Fuels.
    pub fuels: Vec<PlanBand>,
    /// When the time there is ends, minutes from the start.
    pub until: Option<f64>,
    /// What it says, for those who do not see it.
    pub words: String,
}

const WIDTH: f64 = 1180.0;
const HEIGHT: f64 = 168.0;
const LEFT: f64 = 92.0;
const RIGHT: f64 = 20.0;
/// Top and height of each row.
const PULLS: (f64, f64) = (14.0, 48.0);
const MAPS: (f64, f64) = (74.0, 26.0);
const FUELS: (f64, f64) = (110.0, 26.0);
/// Width of one character, px.
const LETTER: f64 = 7.4;

impl DayPlanChart {
    /// Draws it; nothing of a plan without sets.
    pub fn svg(&self, paint: Paint) -> String {
        let Some(end) = self.blocks.iter().map(|b| b.pulls[1]).reduce(f64::max).filter(|e| *e > 0.0) else {
            return String::new();
        };
        let x = Scale::new((0.0, end.max(self.until.unwrap_or(0.0))), (LEFT, WIDTH - RIGHT));
        let (ink, mid, grid) = (paint.colour("ink"), paint.colour("mid"), paint.colour("grid"));
        let mut s = format!(
            r#"<svg class="dayplan" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}" font-size="13">"#,
            escape(&self.words),
            paint.font("text")
        );
        for (row, name) in [(PULLS, "pulls"), (MAPS, "in the unit"), (FUELS, "in the tank")] {
            let _ =
                write!(s, r#"<text x="4" y="{}" fill="{mid}">{name}</text>"#, n(row.0 + row.1 / 2.0 + 4.5));
        }
        self.hours(&mut s, &x, end, (&grid, &mid));
        for b in &self.blocks {
            let (from, to) = (x.at(b.pulls[0]), x.at(b.pulls[1]));
            let colour = paint.colour(b.tone.name());
            // The baseline is an outline: what is held against it is full.
            let fill = if b.baseline { "none".to_owned() } else { colour.clone() };
            let text = if b.baseline { &ink } else { &paint.colour("surface") };
            let _ = write!(
                s,
                r#"<g><title>{}</title><rect x="{}" y="{}" width="{}" height="{}" rx="3" fill="{fill}" stroke="{colour}" stroke-width="1.6"/>{}</g>"#,
                escape(&b.label),
                n(from + 0.8),
                PULLS.0,
                n((to - from - 1.6).max(1.0)),
                PULLS.1,
                inside(&b.label, (from, to), PULLS, text)
            );
        }
        for (row, bands) in [(MAPS, &self.maps), (FUELS, &self.fuels)] {
            for b in bands {
                let [work, from, to] = b.minutes.map(|m| x.at(m));
                let colour = paint.colour(b.tone.name());
                let _ = write!(
                    s,
                    r#"<g><title>{}</title><rect x="{}" y="{}" width="{}" height="{}" fill="{ink}" fill-opacity=".72"/><path d="M{} {}H{}" stroke="{colour}" stroke-width="4"/>{}</g>"#,
                    escape(&b.label),
                    n(work),
                    row.0,
                    n(from - work),
                    row.1,
                    n(from),
                    n(row.0 + row.1 - 2.0),
                    n(to - 1.0),
                    inside(&b.label, (from, to), (row.0, row.1 - 4.0), &ink)
                );
            }
        }
        if let Some(u) = self.until {
            let _ = write!(
                s,
                r#"<path d="M{0} 6V{1}" stroke="{2}" stroke-width="2" stroke-dasharray="5 3"/><text x="{3}" y="11" text-anchor="end" fill="{2}">time ends</text>"#,
                n(x.at(u)),
                n(FUELS.0 + FUELS.1),
                paint.colour("rosehip"),
                n(x.at(u) - 5.0)
            );
        }
        s.push_str("</svg>");
        s
    }

    fn hours(&self, s: &mut String, x: &Scale, end: f64, (grid, mid): (&str, &str)) {
        let end = end.max(self.until.unwrap_or(0.0));
        let step = if end > 300.0 { 60.0 } else { 30.0 };
        let mut at = (self.begins / step).ceil() * step;
        while at <= self.begins + end {
            let px = n(x.at(at - self.begins));
            let _ = write!(
                s,
                r#"<path d="M{px} 8V{}" stroke="{grid}"/><text x="{px}" y="{}" text-anchor="middle" fill="{mid}">{}</text>"#,
                n(FUELS.0 + FUELS.1 + 6.0),
                HEIGHT - 6.0,
                clock(at / 60.0 % 24.0)
            );
            at += step;
        }
    }
}

/// A name in the middle of a block, shortened to it; nothing where not even three letters have room.
fn inside(label: &str, (from, to): (f64, f64), (top, height): (f64, f64), colour: &str) -> String {
    let room = ((to - from - 8.0) / LETTER) as usize;
    if room < 3 {
        return String::new();
    }
    format!(
        r#"<text x="{}" y="{}" text-anchor="middle" fill="{colour}">{}</text>"#,
        n((from + to) / 2.0),
        n(top + height / 2.0 + 4.5),
        escape(&shorten(label, room))
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sets_stand_over_the_clock_and_a_name_without_room_is_left_to_its_title() {
        let block = |label: &str, pulls, baseline| PlanBlock {
            label: label.into(),
            tone: Tone::Damson,
            pulls,
            baseline,
        };
        let band = |label: &str, minutes| PlanBand { label: label.into(), tone: Tone::Ink, minutes };
        let mut c = DayPlanChart {
            begins: 14.0 * 60.0 + 15.0,
            blocks: vec![block("stock", [15.0, 30.0], true), block("C2 <E60>", [60.0, 61.0], false)],
            maps: vec![band("stock", [0.0, 0.0, 30.0]), band("C2", [30.0, 36.0, 61.0])],
            fuels: vec![band("RON 98", [0.0, 0.0, 61.0])],
            until: Some(50.0),
            words: "two sets".into(),
        };
        let svg = c.svg(Paint::Light);
        assert!(svg.contains("14:30") && svg.contains("15:00") && svg.contains("time ends"), "{svg}");
        assert!(svg.contains("<title>C2 &lt;E60&gt;</title>") && !svg.contains(">C2 &lt;E60&gt;</text>"));
        assert!(svg.contains(r##"fill="none" stroke="#7b2d63""##), "the baseline is an outline");
        c.blocks.clear();
        assert_eq!(c.svg(Paint::Light), "");
    }
}
