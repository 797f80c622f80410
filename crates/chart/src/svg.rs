//! Small helpers for writing SVG.

/// Escapes text for element content and attributes.
pub(crate) fn escape(s: &str) -> String {
    let mut out = String::with_capacity(s.len());
    for c in s.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c if (c as u32) < 32 => out.push(' '),
            c => out.push(c),
        }
    }
    out
}

/// A number with at most two decimals, no trailing zeros.
pub(crate) fn n(v: f64) -> String {
    let s = format!("{v:.2}");
    let s = s.trim_end_matches('0').trim_end_matches('.');
    if s == "-0" { "0".to_owned() } else { s.to_owned() }
}

/// `M x y L x y …` through the points; breaks where a value is not finite.
pub(crate) fn path(points: impl Iterator<Item = (f64, f64)>) -> String {
    let mut out = String::new();
    let mut pen = false;
    for (x, y) in points {
        if !(x.is_finite() && y.is_finite()) {
            pen = false;
            continue;
        }
        out.push_str(if pen { "L" } else { "M" });
        out.push_str(&n(x));
        out.push(' ');
        out.push_str(&n(y));
        pen = true;
    }
    out
}

/// Shortens text to a number of characters with an ellipsis.
pub(crate) fn shorten(s: &str, most: usize) -> String {
    if s.chars().count() <= most { s.to_owned() } else { s.chars().take(most.saturating_sub(1)).chain(['…']).collect() }
}

/// The same, with a number at the end kept: it tells one sensor from the next.
pub(crate) fn shorten_numbered(s: &str, most: usize) -> String {
    match s.rsplit_once(' ').filter(|(_, n)| n.len() < 3 && n.chars().all(|c| c.is_ascii_digit())) {
        Some((name, n)) if s.chars().count() > most => format!("{} {n}", shorten(name, most.saturating_sub(n.len() + 1))),
        _ => shorten(s, most),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shortened_sensor_keeps_its_number() {
        assert_eq!(shorten_numbered("exhaust temperature 12", 18), "exhaust temper… 12");
        assert_eq!(shorten_numbered("exhaust temperature 2", 30), "exhaust temperature 2");
        assert_eq!(shorten_numbered("injector pulse width", 12), "injector pu…");
    }

    #[test]
    fn markup_in_names_is_text() {
        assert_eq!(escape("<b>\"C3\" & co</b>"), "&lt;b&gt;&quot;C3&quot; &amp; co&lt;/b&gt;");
        assert_eq!(escape("a\u{0}b"), "a b");
    }

    #[test]
    fn paths_break_at_holes() {
        assert_eq!(path([(0.0, 0.0), (1.0, f64::NAN), (2.0, 1.5)].into_iter()), "M0 0M2 1.5");
        assert_eq!(n(-0.001), "0");
        assert_eq!(shorten("abcdef", 4), "abc…");
    }
}
