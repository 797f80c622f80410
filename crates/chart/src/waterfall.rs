//! A difference in steps: from the baseline, factor by factor, to the candidate, each step with its interval.

use crate::paint::Paint;
use crate::scale::Scale;
use crate::svg::{escape, n, shorten};
use std::fmt::Write;

/// One step, in the unit shown.
#[derive(Debug, Clone, PartialEq)]
pub struct WaterfallStep {
    /// What changed.
    pub label: String,
    /// By how much.
    pub difference: f64,
    /// Half-width of its 95 % interval.
    pub half: f64,
    /// Several factors changed at once: it is hatched, for it belongs to none of them.
    pub hatched: bool,
}

/// Everything the chart shows.
#[derive(Debug, Clone, PartialEq)]
pub struct Waterfall {
    /// Name and value of the baseline.
    pub from: (String, f64),
    /// Steps in order.
    pub steps: Vec<WaterfallStep>,
    /// Name of the candidate; its value is where the steps lead.
    pub to: String,
    /// Unit of all values.
    pub unit: String,
}

const WIDTH: f64 = 620.0;
const LEFT: f64 = 210.0;
const RIGHT: f64 = 150.0;
const ROW: f64 = 26.0;

/// Draws the steps below each other, each beginning where the last ended.
pub fn waterfall_svg(w: &Waterfall, paint: Paint) -> String {
    let mut at = w.from.1;
    let (mut low, mut high) = (at, at);
    for s in &w.steps {
        let end = at + s.difference;
        (low, high) = (low.min(end - s.half), high.max(end + s.half));
        at = end;
    }
    let end = at;
    let pad = ((high - low) * 0.06).max(0.5);
    let x = Scale::new((low - pad, high + pad), (LEFT, WIDTH - RIGHT));
    let height = ROW * (w.steps.len() as f64 + 2.0) + 6.0;
    let mut out = String::new();
    let text = |out: &mut String,
                px: f64,
                y: f64,
                anchor: &str,
                role: &str,
                weight: u32,
                colour: &str,
                s: &str| {
        let _ = write!(
            out,
            r#"<text x="{}" y="{}" text-anchor="{anchor}" font-family="{}" font-size="13" font-weight="{weight}" fill="{}">{}</text>"#,
            n(px),
            n(y),
            paint.font(role),
            paint.colour(colour),
            escape(s)
        );
    };
    let total = |out: &mut String, row: f64, name: &str, value: f64| {
        let y = row * ROW;
        text(out, LEFT - 12.0, y + 17.0, "end", "name", 600, "ink", &shorten(name, 30));
        let _ = write!(
            out,
            r#"<line x1="{0}" x2="{0}" y1="{1}" y2="{2}" stroke="{3}" stroke-width="2.4"/>"#,
            n(x.at(value)),
            n(y + 4.0),
            n(y + 22.0),
            paint.colour("ink")
        );
        text(
            out,
            WIDTH - RIGHT + 12.0,
            y + 17.0,
            "start",
            "figure",
            600,
            "ink",
            &format!("{value:.1} {}", w.unit),
        );
    };
    total(&mut out, 0.0, &w.from.0, w.from.1);
    at = w.from.1;
    for (k, s) in w.steps.iter().enumerate() {
        let (y, next) = (ROW * (k as f64 + 1.0), at + s.difference);
        let (a, b) = (x.at(at.min(next)), x.at(at.max(next)));
        text(&mut out, LEFT - 12.0, y + 17.0, "end", "text", 400, "ink", &shorten(&s.label, 32));
        let _ = write!(
            out,
            r#"<line x1="{0}" x2="{0}" y1="{1}" y2="{2}" stroke="{3}" stroke-dasharray="2 3"/><rect x="{4}" y="{5}" width="{6}" height="12" fill="{3}" fill-opacity="{7}"/><path d="M{8} {9}H{10}M{8} {11}v6M{10} {11}v6" stroke="{12}" fill="none" stroke-width="1.2"/>"#,
            n(x.at(at)),
            n(y - 4.0),
            n(y + 6.0),
            paint.colour("mid"),
            n(a),
            n(y + 7.0),
            n((b - a).max(1.0)),
            if s.difference.abs() > s.half { ".55" } else { ".22" },
            n(x.at(next - s.half)),
            n(y + 13.0),
            n(x.at(next + s.half)),
            n(y + 10.0),
            paint.colour("ink")
        );
        if s.hatched {
            hatch(&mut out, (a, b.max(a + 1.0)), y + 7.0, paint);
        }
        text(
            &mut out,
            WIDTH - RIGHT + 12.0,
            y + 17.0,
            "start",
            "figure",
            400,
            "ink",
            &format!("{:+.1} ± {:.1}", s.difference, s.half),
        );
        at = next;
    }
    total(&mut out, w.steps.len() as f64 + 1.0, &w.to, end);
    let words: Vec<String> = w.steps.iter().map(|s| format!("{} {:+.1}", s.label, s.difference)).collect();
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" class="waterfall" viewBox="0 0 {WIDTH} {}" role="img" aria-label="{}">{out}</svg>"#,
        n(height),
        escape(&format!("from {:.1} to {:.1} {}: {}", w.from.1, end, w.unit, words.join(", ")))
    )
}

/// Slanting strokes over a bar.
fn hatch(out: &mut String, (a, b): (f64, f64), top: f64, paint: Paint) {
    let mut strokes = String::new();
    let mut x = a;
    while x < b {
        // Each stroke leans by half the bar's height, and ends where the bar does.
        let end = (x + 6.0).min(b);
        let _ = write!(strokes, "M{} {}L{} {}", n(x), n(top + 12.0), n(end), n(top + 12.0 - 2.0 * (end - x)));
        x += 5.0;
    }
    let _ = write!(
        out,
        r#"<path class="hatch" d="{strokes}" stroke="{}" stroke-width="1.2"/>"#,
        paint.colour("ink")
    );
}

#[cfg(test)]
mod tests {
    use super::*;

    fn steps(d: &[(f64, f64)]) -> Waterfall {
        let steps = d.iter().enumerate().map(|(i, (difference, half))| WaterfallStep {
            label: format!("step <{i}>"),
            difference: *difference,
            half: *half,
            hatched: i == 2,
        });
        Waterfall {
            from: ("Stock".into(), 100.0),
            steps: steps.collect(),
            to: "C3".into(),
            unit: "kW".into(),
        }
    }

    #[test]
    fn each_step_begins_where_the_last_ended_and_the_end_is_their_sum() {
        let svg = waterfall_svg(&steps(&[(3.0, 0.5), (-1.0, 2.0), (12.0, 0.5)]), Paint::Page);
        assert!(
            svg.contains(">114.0 kW<")
                && svg.contains("aria-label=\"from 100.0 to 114.0 kW: step &lt;0&gt; +3.0")
        );
        assert_eq!(
            (svg.matches("fill-opacity=\".55\"").count(), svg.matches("fill-opacity=\".22\"").count()),
            (2, 1),
            "pale where nothing is shown"
        );
        assert!(!svg.contains("NaN") && svg.matches("<rect").count() == 3);
        assert_eq!(svg.matches("class=\"hatch\"").count(), 1, "only what several factors share is hatched");
    }

    #[test]
    fn no_step_is_still_a_picture() {
        assert!(waterfall_svg(&steps(&[]), Paint::Dark).contains("100.0 kW"));
    }
}
