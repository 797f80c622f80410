//! One cell: a number in either decimal convention, a clock time, a blank.

/// What a cell holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Cell {
    Number(f64),
    Blank,
    Infinite,
    Text,
}

const BLANKS: &[&[u8]] =
    &[b"", b"nan", b"-nan", b"n/a", b"na", b"#n/a", b"null", b"none", b"-", b"--", b"---"];

/// Reads a cell as a number.
pub(super) fn number(raw: &[u8], decimal_comma: bool) -> Cell {
    let raw = raw.trim_ascii();
    if !decimal_comma
        && let Ok(v) = fast_float2::parse::<f64, _>(raw)
        && v.is_finite()
    {
        return Cell::Number(v);
    }
    if raw.len() <= 5 && BLANKS.iter().any(|b| raw.eq_ignore_ascii_case(b)) {
        return Cell::Blank;
    }
    let Ok(s) = std::str::from_utf8(raw) else { return Cell::Text };
    let lower = s.trim_start_matches(['+', '-']);
    if ["inf", "infinity", "#div/0!", "1.#inf"].iter().any(|w| lower.eq_ignore_ascii_case(w)) {
        return Cell::Infinite;
    }
    let plain = match (s.rfind(','), s.rfind('.')) {
        (Some(c), Some(d)) if c > d => s.replace('.', "").replace(',', "."),
        (Some(_), Some(_)) => s.replace(',', ""),
        (Some(_), None) if decimal_comma => s.replace(',', "."),
        _ => s.to_owned(),
    };
    match plain.parse::<f64>() {
        Ok(v) if v.is_finite() && !plain.contains(['n', 'N', 'i', 'I']) => Cell::Number(v),
        Ok(_) => Cell::Infinite,
        Err(_) => Cell::Text,
    }
}

/// Reads `12:34:56.789`, `34:56.7`, `1:05:00 PM` or a date with a time as seconds (of the day when hours are
/// given). A zone behind the time (`Z`, `+02:00`) is left aside: the clock on the wall is meant.
pub(super) fn clock(raw: &[u8]) -> Option<f64> {
    let s = std::str::from_utf8(raw.trim_ascii()).ok()?;
    if let Some((time, half)) =
        s.len().checked_sub(2).filter(|i| s.is_char_boundary(*i)).map(|i| s.split_at(i))
    {
        let noon = match half.to_ascii_lowercase().as_str() {
            "am" => Some(0.0),
            "pm" => Some(12.0 * 3600.0),
            _ => None,
        };
        if let Some(noon) = noon {
            return clock(time.trim_end().as_bytes())
                .filter(|t| (3600.0..13.0 * 3600.0).contains(t))
                .map(|t| t % (12.0 * 3600.0) + noon);
        }
    }
    let s = s.rsplit(['T', ' ']).next()?.trim_end_matches('Z');
    let s = s.split(['+', '-']).next()?;
    let parts: Vec<&str> = s.split(':').collect();
    if !(2..=3).contains(&parts.len()) {
        return None;
    }
    let seconds: f64 = parts[parts.len() - 1].replace(',', ".").parse().ok()?;
    let whole: Option<Vec<f64>> =
        parts[..parts.len() - 1].iter().map(|p| p.parse::<u32>().ok().map(f64::from)).collect();
    let whole = whole?;
    if !(0.0..60.0).contains(&seconds) {
        return None;
    }
    Some(whole.iter().fold(0.0, |a, v| a * 60.0 + v) * 60.0 + seconds)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_in_both_conventions() {
        for (text, comma, want) in [
            ("1.5", false, Cell::Number(1.5)),
            (" -3 ", false, Cell::Number(-3.0)),
            ("1,5", true, Cell::Number(1.5)),
            ("1.234,5", true, Cell::Number(1234.5)),
            ("1,234.5", false, Cell::Number(1234.5)),
            ("1e3", false, Cell::Number(1000.0)),
            ("", false, Cell::Blank),
            ("NaN", false, Cell::Blank),
            ("--", true, Cell::Blank),
            ("inf", false, Cell::Infinite),
            ("-Infinity", false, Cell::Infinite),
            ("abc", false, Cell::Text),
            ("12a", true, Cell::Text),
        ] {
            assert_eq!(number(text.as_bytes(), comma), want, "{text}");
        }
    }

    #[test]
    fn clock_times() {
        for (text, want) in [
            ("10:32:11.250", Some(37931.25)),
            ("00:05.5", Some(5.5)),
            ("2026-03-02 10:00:00", Some(36000.0)),
            ("2026-03-02T00:00:01Z", Some(1.0)),
            ("2026-03-02T10:00:00.5+02:00", Some(36000.5)),
            ("10:00:00-0330", Some(36000.0)),
            ("12:00:05 AM", Some(5.0)),
            ("3/2/2026 1:05:00 pm", Some(47100.0)),
            ("13:05:00 PM", None),
            ("-3:00", None),
            ("12.5", None),
            ("a:b", None),
            ("1:75", None),
        ] {
            assert_eq!(clock(text.as_bytes()), want, "{text}");
        }
    }
}
