//! A tank as a jar: what stays in it and what is poured onto it, in layers from the bottom, against what it can hold.

use crate::paint::Paint;
use crate::svg::{escape, n};
use std::fmt::Write;

/// One layer.
#[derive(Debug, Clone, PartialEq)]
pub struct Layer {
    /// What stands beside it.
    pub label: String,
    /// Litres.
    pub litres: f64,
    /// Colour.
    pub colour: &'static str,
}

/// The picture.
#[derive(Debug, Clone, PartialEq)]
pub struct PourChart {
    /// Layers from the bottom.
    pub layers: Vec<Layer>,
    /// What the tank holds when it is full, L; without it the jar is as high as what is in it.
    pub capacity: Option<f64>,
    /// What stands at the mark of the capacity.
    pub capacity_label: String,
}

const WIDTH: f64 = 360.0;
const HEIGHT: f64 = 230.0;
const TOP: f64 = 34.0;
const BOTTOM: f64 = 214.0;
const LEFT: f64 = 12.0;
const RIGHT: f64 = 132.0;
/// Least distance of two labels.
const APART: f64 = 17.0;

impl PourChart {
    /// Draws it; nothing of an empty tank.
    pub fn svg(&self, paint: Paint) -> String {
        let all: f64 = self.layers.iter().map(|l| l.litres).sum();
        let full = self.capacity.unwrap_or(all).max(all);
        if full <= 0.0 || all <= 0.0 {
            return String::new();
        }
        let (ink, mid) = (paint.colour("ink"), paint.colour("mid"));
        let said: Vec<&str> =
            self.layers.iter().filter(|l| l.litres > 0.0).map(|l| l.label.as_str()).collect();
        let mut s = format!(
            r#"<svg class="pour" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="{}" font-family="{}" font-size="13">"#,
            escape(&format!("in the tank, from the bottom: {}", said.join("; "))),
            paint.font("text")
        );
        let scale = (BOTTOM - TOP) / full;
        let (mut at, mut label_at) = (BOTTOM, f64::INFINITY);
        for l in self.layers.iter().filter(|l| l.litres > 0.0) {
            let height = l.litres * scale;
            let colour = paint.colour(l.colour);
            let _ = write!(
                s,
                r#"<rect x="{LEFT}" y="{}" width="{}" height="{}" fill="{colour}" fill-opacity=".8"/>"#,
                n(at - height),
                n(RIGHT - LEFT),
                n(height)
            );
            let middle = at - 0.5 * height;
            label_at = (middle + 4.5).min(label_at - APART);
            let _ = write!(
                s,
                r#"<line x1="{RIGHT}" x2="{}" y1="{}" y2="{}" stroke="{mid}"/><text x="{}" y="{}" fill="{ink}">{}</text>"#,
                n(RIGHT + 12.0),
                n(middle),
                n(label_at - 4.5),
                n(RIGHT + 17.0),
                n(label_at),
                escape(&l.label)
            );
            at -= height;
        }
        let _ = write!(
            s,
            r#"<path d="M{} {}H{}V{}a10 10 0 0 1 -10 10H{}a10 10 0 0 1 -10 -10Z" fill="none" stroke="{ink}" stroke-width="1.8"/><rect x="{}" y="6" width="{}" height="11" rx="2" fill="{ink}"/>"#,
            n(LEFT),
            n(TOP - 14.0),
            n(RIGHT),
            n(BOTTOM - 8.0),
            n(LEFT + 10.0),
            n(LEFT + 8.0),
            n(RIGHT - LEFT - 16.0),
        );
        if self.capacity.is_some() {
            let above = label_at - APART < TOP + 4.5;
            let y = if above { TOP - 6.0 } else { TOP + 4.5 };
            let _ = write!(
                s,
                r#"<line x1="{LEFT}" x2="{}" y1="{TOP}" y2="{TOP}" stroke="{mid}" stroke-dasharray="4 3"/><text x="{}" y="{}" fill="{mid}">{}</text>"#,
                n(RIGHT + 12.0),
                n(RIGHT + 17.0),
                n(y),
                escape(&self.capacity_label)
            );
        }
        s.push_str("</svg>");
        s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn layer(label: &str, litres: f64) -> Layer {
        Layer { label: label.into(), litres, colour: "damson" }
    }

    #[test]
    fn layers_are_as_high_as_their_litres_and_labels_keep_apart() {
        let c = PourChart {
            layers: vec![layer("30.0 L there", 30.0), layer("0.5 L <E85>", 0.5), layer("nothing", 0.0)],
            capacity: Some(60.0),
            capacity_label: "60 L".into(),
        };
        let svg = c.svg(Paint::Light);
        assert!(svg.contains(r#"height="90""#) && svg.contains(r#"height="1.5""#), "{svg}");
        assert!(svg.contains("&lt;E85&gt;") && !svg.contains("nothing"));
        let labels: Vec<f64> = svg
            .split("<text ")
            .skip(1)
            .filter_map(|t| t.split("y=\"").nth(1)?.split('"').next()?.parse().ok())
            .collect();
        assert!(labels.windows(2).all(|w| w[0] - w[1] >= 16.9), "{labels:?}");
        assert_eq!(PourChart { layers: vec![], ..c }.svg(Paint::Light), "");
    }
}
