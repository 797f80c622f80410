//! The jar as a verdict: its fill is the share of the tightest margin used.

use crate::paint::{Paint, Tone};
use crate::svg::n;

/// What a jar says.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Jar {
    /// Every limit measured; the share of the tightest margin used.
    Filled(f64),
    /// Some limits were not measured; the share of the tightest margin used by those that were.
    Partly(f64),
    /// A limit crossed: over its rim.
    Over,
    /// Most limits were not measured, or one cannot be told.
    Unmonitored,
    /// No limits are set.
    NoLimits,
    /// It was not pulled: a place where a jar could stand.
    NotPulled,
}

const BODY: &str = "M6 7h14c2 1 3 3 3 5v15a4 4 0 0 1-4 4H7a4 4 0 0 1-4-4V12c0-2 1-4 3-5z";

/// Outline of a jar that nobody looked at from all sides.
const DASHED: &str = r#" stroke-dasharray="2.5 2.5""#;

/// Draws a small jar. `id` keeps its clip path apart from others on the page.
pub fn jar_svg(jar: Jar, tone: Tone, id: &str, paint: Paint) -> String {
    let ink = paint.colour("ink");
    let fill = match jar {
        Jar::Filled(f) | Jar::Partly(f) => Some((f.clamp(0.03, 1.0), paint.colour(tone.name()))),
        Jar::Over => Some((1.0, paint.colour("rosehip"))),
        Jar::Unmonitored | Jar::NoLimits | Jar::NotPulled => None,
    };
    let id: String = id.chars().filter(char::is_ascii_alphanumeric).collect();
    let inner = fill.map_or_else(String::new, |(f, colour)| {
        format!(
            r#"<clipPath id="jar{id}"><path d="{BODY}"/></clipPath><rect x="2" y="{}" width="22" height="32" fill="{colour}" fill-opacity=".85" clip-path="url(#jar{id})"/>"#,
            n(31.0 - f * 22.0)
        )
    });
    let (dash, mark) = match jar {
        Jar::Partly(_) => (DASHED, ""),
        Jar::Unmonitored => {
            (DASHED, r#"<text x="13" y="25" text-anchor="middle" font-size="15" font-weight="700">?</text>"#)
        }
        _ => ("", ""),
    };
    if jar == Jar::NotPulled {
        let faint = paint.colour("mid");
        return format!(
            r#"<svg class="jar" width="26" height="33" viewBox="0 0 26 33" aria-hidden="true"><path d="{BODY}" fill="none" stroke="{faint}" stroke-width="1" stroke-opacity=".55"/></svg>"#
        );
    }
    let lid = match jar {
        Jar::Over => format!(
            r#"<rect x="5" y="2" width="16" height="4" rx="1" fill="{}" transform="translate(1 -1) rotate(9 13 4)"/>"#,
            paint.colour("rosehip")
        ),
        _ => format!(r#"<rect x="5" y="2" width="16" height="4" rx="1" fill="{ink}"/>"#),
    };
    format!(
        r#"<svg class="jar" width="26" height="33" viewBox="0 0 26 33" aria-hidden="true" fill="{ink}">{inner}<path d="{BODY}" fill="none" stroke="{ink}" stroke-width="1.5"{dash}/>{lid}{mark}</svg>"#
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_state_looks_different_without_colour() {
        let draw = |j| jar_svg(j, Tone::Damson, "a", Paint::Light);
        assert!(draw(Jar::Over).contains("rotate(9"), "the lid is off");
        assert!(draw(Jar::Unmonitored).contains("dasharray") && draw(Jar::Unmonitored).contains('?'));
        assert!(
            draw(Jar::Filled(0.5)).contains(r#"y="20""#) && !draw(Jar::Filled(0.5)).contains("dasharray")
        );
        let partly = draw(Jar::Partly(0.5));
        assert!(partly.contains(r#"y="20""#) && partly.contains("dasharray") && !partly.contains('?'));
        assert!(!draw(Jar::NoLimits).contains("clipPath"));
        assert!(!draw(Jar::NotPulled).contains("<rect"), "a place without a jar has no lid");
    }
}
