//! Small helpers for writing SVG.

use std::fmt::Write;

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
    let mut out = String::new();
    push_n(&mut out, v);
    out
}

/// The same at the end of a text. A chart has thousands of them: whole hundredths are written, which is much
/// quicker than exact decimals.
pub(crate) fn push_n(out: &mut String, v: f64) {
    let hundredths = (v * 100.0).round();
    if hundredths.abs() >= 1e15 || hundredths.is_nan() {
        let _ = write!(out, "{v}");
        return;
    }
    push_parts(out, hundredths as i64, 2);
}

/// A whole number of parts, `10^decimals` of which make one, without zeros at the end.
fn push_parts(out: &mut String, parts: i64, decimals: usize) {
    let mut buffer = itoa::Buffer::new();
    let digits = buffer.format(parts.unsigned_abs());
    if parts < 0 {
        out.push('-');
    }
    let (whole, rest) = digits.split_at(digits.len().saturating_sub(decimals));
    out.push_str(if whole.is_empty() { "0" } else { whole });
    let rest_shown = rest.trim_end_matches('0');
    if !rest_shown.is_empty() {
        out.push('.');
        (rest.len()..decimals).for_each(|_| out.push('0'));
        out.push_str(rest_shown);
    }
}

/// A value to five digits after its first, at the end of a text, as JSON takes it.
pub(crate) fn push_digits(out: &mut String, v: f64) {
    let place = v.abs().log10().floor();
    // Nearly all of them: a whole number of parts is written much quicker than an exact decimal.
    if (-9.0..=5.0).contains(&place) {
        let decimals = 5 - place as i32;
        push_parts(out, (v * 10f64.powi(decimals)).round() as i64, decimals as usize);
        return;
    }
    let rounded = if !(-200.0..200.0).contains(&place) {
        v
    } else if place > 5.0 {
        let unit = 10f64.powi(place as i32 - 5);
        (v / unit).round() * unit
    } else {
        let parts = 10f64.powi(5 - place as i32);
        (v * parts).round() / parts
    };
    let _ = if rounded.is_finite() { write!(out, "{rounded}") } else { write!(out, "null") };
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
        push_n(&mut out, x);
        out.push(' ');
        push_n(&mut out, y);
        pen = true;
    }
    out
}

/// Shortens text to a number of characters with an ellipsis.
pub(crate) fn shorten(s: &str, most: usize) -> String {
    if s.chars().count() <= most {
        s.to_owned()
    } else {
        s.chars().take(most.saturating_sub(1)).chain(['…']).collect()
    }
}

/// The same, with a number at the end kept: it tells one sensor from the next.
pub(crate) fn shorten_numbered(s: &str, most: usize) -> String {
    match s.rsplit_once(' ').filter(|(_, n)| n.len() < 3 && n.chars().all(|c| c.is_ascii_digit())) {
        Some((name, n)) if s.chars().count() > most => {
            format!("{} {n}", shorten(name, most.saturating_sub(n.len() + 1)))
        }
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
    fn six_digits_are_kept_at_every_size_and_nothing_that_is_no_number() {
        for v in [
            0.0,
            1.0,
            -0.1,
            101.325,
            6_543.216_789,
            1_234_567.8,
            9.999_996,
            0.000_012_345_678,
            -3.3e-9,
            7.77e12,
            250.0,
            1e-300,
        ] {
            let mut out = String::new();
            push_digits(&mut out, v);
            let (got, want): (f64, f64) = (out.parse().unwrap(), format!("{v:.5e}").parse().unwrap());
            assert!((got - want).abs() <= 1e-15 * want.abs() || v.abs() < 1e-200, "{v}: {out}, {want}");
            assert!(out.len() < 18 || v.abs() < 1e-200, "{out}");
        }
        let mut out = String::new();
        push_digits(&mut out, f64::NAN);
        assert_eq!(out, "null");
    }

    #[test]
    fn digits_are_those_of_the_exact_decimal() {
        let exact = |v: f64| {
            let parts = 10f64.powi(5 - v.abs().log10().floor() as i32);
            format!("{}", (v * parts).round() / parts)
        };
        let mut v = 1.000_37e-9;
        while v < 9e5 {
            for x in [v, -v] {
                let mut text = String::new();
                push_digits(&mut text, x);
                assert_eq!(text, exact(x));
            }
            v *= 1.037;
        }
        for (v, want) in
            [(0.0, "0"), (f64::NAN, "null"), (1_234_567.0, "1234570"), (100.0, "100"), (0.05, "0.05")]
        {
            let mut text = String::new();
            push_digits(&mut text, v);
            assert_eq!(text, want);
        }
    }

    #[test]
    fn paths_break_at_holes() {
        assert_eq!(path([(0.0, 0.0), (1.0, f64::NAN), (2.0, 1.5)].into_iter()), "M0 0M2 1.5");
        assert_eq!(n(-0.001), "0");
        for (v, text) in [
            (12.5, "12.5"),
            (-0.07, "-0.07"),
            (3.999, "4"),
            (1e300, &format!("{}", 1e300)),
            (f64::NAN, "NaN"),
            (-61.0, "-61"),
        ] {
            assert_eq!(n(v), text);
        }
        assert_eq!(shorten("abcdef", 4), "abc…");
    }
}
