//! Numbers in forms: one way to read them, and one sentence for what is none.

use jamjar_core::units::{HPA_PER_INHG, KPA_PER_PSI, Unit, typed};

/// A field that cannot be, by its name in the form, and what would be right.
pub(crate) type Wrong = (&'static str, String);

/// A number of a form; `what` is what the form calls it.
///
/// # Errors
/// A sentence with what was typed.
pub(crate) fn number(what: &str, s: &str) -> Result<f64, String> {
    typed(s).ok_or_else(|| format!("{what}: “{}” is not a number", s.trim()))
}

/// The same where a blank is an answer.
///
/// # Errors
/// A sentence with what was typed.
pub(crate) fn optional(what: &str, s: &str) -> Result<Option<f64>, String> {
    blank_or(s, |s| number(what, s))
}

/// A quantity with a unit behind it, or without one in the unit the form names; `units` are suffixes in lower
/// case, each with scale and offset to that unit.
fn with_unit(what: &str, s: &str, units: &[(&str, f64, f64)], example: &str) -> Result<f64, String> {
    let plain = s.trim().to_lowercase().replace('º', "°");
    let (text, scale, offset) = units
        .iter()
        .filter_map(|(u, k, o)| Some((plain.strip_suffix(u)?.trim_end(), *k, *o)))
        .min_by_key(|x| x.0.len())
        .unwrap_or((plain.as_str(), 1.0, 0.0));
    let v = typed(text)
        .ok_or_else(|| format!("{what}: “{}” is not a number; write for example {example}", s.trim()))?;
    Ok(v * scale + offset)
}

/// A temperature, °C: `21.4`, `72 °F`, `295 K`.
pub(crate) fn celsius(s: &str) -> Result<f64, String> {
    let ((f, f0), (k, k0)) = (Unit::Fahrenheit.to_si(0.0), Unit::Kelvin.to_si(0.0));
    let units = [("°f", f, f0), ("f", f, f0), ("°c", 1.0, 0.0), ("c", 1.0, 0.0), ("k", k, k0)];
    with_unit("temperature", s, &units, "21.4, or 72 °F")
}

/// Relative humidity, %.
pub(crate) fn humidity(s: &str) -> Result<f64, String> {
    with_unit("humidity", s, &[("%", 1.0, 0.0)], "52")
}

/// A pressure, hPa: `1002.1`, `29.6 inHg`, `100.2 kPa`.
pub(crate) fn hectopascal(s: &str) -> Result<f64, String> {
    let units = [
        ("hpa", 1.0, 0.0),
        ("mbar", 1.0, 0.0),
        ("kpa", 10.0, 0.0),
        ("inhg", HPA_PER_INHG, 0.0),
        ("in hg", HPA_PER_INHG, 0.0),
        ("mmhg", 1.333_224, 0.0),
        ("psi", 10.0 * KPA_PER_PSI, 0.0),
        ("bar", 1000.0, 0.0),
    ];
    with_unit("station pressure", s, &units, "1002.1, or 29.6 inHg")
}

/// Nothing typed is an answer.
pub(crate) fn blank_or<T>(s: &str, read: impl Fn(&str) -> Result<T, String>) -> Result<Option<T>, String> {
    if s.trim().is_empty() { Ok(None) } else { read(s).map(Some) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_unit_behind_a_number_is_meant() {
        assert!(
            (celsius("72 °F").unwrap() - 22.2222).abs() < 1e-3
                && (celsius("72F").unwrap() - 22.2222).abs() < 1e-3
        );
        assert!(
            (celsius("21,4").unwrap() - 21.4).abs() < 1e-9
                && (celsius("295 K").unwrap() - 21.85).abs() < 1e-9
        );
        assert!((hectopascal("29.6 inHg").unwrap() - 1002.37).abs() < 0.01);
        assert!(
            (hectopascal("100.2 kPa").unwrap() - 1002.0).abs() < 1e-9
                && (hectopascal("1002 mbar").unwrap() - 1002.0).abs() < 1e-9
        );
        assert!((humidity("52 %").unwrap() - 52.0).abs() < 1e-9);
        assert!(celsius("warm").unwrap_err().contains("72 °F"));
    }
}
