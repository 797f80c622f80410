//! Numbers in forms: one way to read them, and one sentence for what is none.

use jamjar_core::channel::Channel;
use jamjar_core::units::{HPA_PER_INHG, KPA_PER_PSI, Unit, VolumeUnit, typed};

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

/// A share of volume, typed in per cent: `85`, `85 %`. A bare number below one might be either, and is asked again.
pub(crate) fn ethanol(what: &str, s: &str) -> Result<f64, String> {
    let said = s.trim().ends_with('%');
    let v = number(what, s.trim().trim_end_matches('%'))?;
    if !said && v > 0.0 && v < 1.0 {
        let meant = (v * 1e4).round() / 100.0;
        return Err(format!("{what}: {v} may be a share or per cent: write {meant} for {meant} %, or {v} %"));
    }
    if !(0.0..=100.0).contains(&v) {
        return Err(format!("{what}: {v} % cannot be: give per cent of volume, 0 to 100"));
    }
    Ok(v / 100.0)
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

/// A volume, L: `60`, in the unit the form names, or with its own: `60 L`, `16 US gal`, `13 imp gal`.
pub(crate) fn litres(s: &str, form: VolumeUnit) -> Result<f64, String> {
    let (us, imperial) = (VolumeUnit::UsGallon.litres(), VolumeUnit::ImperialGallon.litres());
    // Longest suffix first decides; without one the form's unit holds.
    let units = [
        ("us gal", us / form.litres(), 0.0),
        ("imp gal", imperial / form.litres(), 0.0),
        ("l", 1.0 / form.litres(), 0.0),
    ];
    Ok(with_unit("volume", s, &units, "60, 60 L, 16 US gal or 13 imp gal")? * form.litres())
}

/// Values of channels that may be typed in other units than the channel's own.
struct TypedAs {
    own: &'static str,
    example: &'static str,
    units: &'static [(&'static str, Unit)],
}

const TYPED_AS: [TypedAs; 6] = [
    TypedAs {
        own: "°C",
        example: "850, or 1560 °F",
        units: &[
            ("°c", Unit::Celsius),
            ("°f", Unit::Fahrenheit),
            ("f", Unit::Fahrenheit),
            ("k", Unit::Kelvin),
        ],
    },
    TypedAs {
        own: "kPa",
        example: "250, or 36 psi",
        units: &[
            ("kpa", Unit::KpaAbs),
            ("bar", Unit::BarAbs),
            ("psi", Unit::PsiAbs),
            ("inhg", Unit::InHg),
            ("hpa", Unit::Hpa),
        ],
    },
    TypedAs {
        own: "λ",
        example: "0.9, or 13.2 AFR",
        units: &[("λ", Unit::Lambda), ("afr", Unit::AfrGasoline), ("afr gasoline", Unit::AfrGasoline)],
    },
    TypedAs { own: "km/h", example: "180, or 112 mph", units: &[("km/h", Unit::KmPerH), ("mph", Unit::Mph)] },
    TypedAs {
        own: "N·m",
        example: "320, or 236 lb·ft",
        units: &[("n·m", Unit::NewtonMetre), ("nm", Unit::NewtonMetre), ("lb·ft", Unit::PoundFoot)],
    },
    TypedAs {
        own: "kW",
        example: "150, or 201 hp",
        units: &[("kw", Unit::KiloWatt), ("hp", Unit::HorsePower), ("ps", Unit::MetricHorsePower)],
    },
];

/// A value of a channel in its own unit: `850`, or with another behind it, `1560 °F`. Pressures are told as the
/// channel has them, against vacuum where it is absolute; AFR is on the gasoline scale.
pub(crate) fn value_of(channel: &Channel, what: &str, s: &str) -> Result<f64, String> {
    let Some(typed) = TYPED_AS.iter().find(|t| t.own == channel.unit()) else { return number(what, s) };
    let worth = |(suffix, unit): &(&'static str, Unit)| {
        let (scale, offset) = unit.to_si(0.0);
        (*suffix, scale, offset)
    };
    with_unit(what, s, &typed.units.iter().map(worth).collect::<Vec<_>>(), typed.example)
}

/// Numbers as people paste them: blanks, commas or semicolons between them.
pub(crate) fn numbers(what: &str, text: &str) -> Result<Vec<f64>, String> {
    let parts = text.split(|c: char| c.is_whitespace() || c == ';' || c == ',').filter(|p| !p.is_empty());
    parts.map(|p| typed(p).ok_or_else(|| format!("{what}: “{p}” is not a number"))).collect()
}

/// Nothing typed is an answer.
pub(crate) fn blank_or<T>(s: &str, read: impl Fn(&str) -> Result<T, String>) -> Result<Option<T>, String> {
    if s.trim().is_empty() { Ok(None) } else { read(s).map(Some) }
}

/// A number between two bounds, where one was typed.
pub(crate) fn within(what: &str, s: &str, [low, high]: [f64; 2]) -> Result<Option<f64>, String> {
    let v = blank_or(s, |s| number(what, s))?;
    match v.filter(|v| !(low..=high).contains(v)) {
        Some(v) => Err(format!("{what}: {v} cannot be; give {low} to {high}")),
        None => Ok(v),
    }
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
        let value = |channel: &str, s: &str| value_of(&Channel::new(channel).unwrap(), "limit", s);
        assert!((value("exhaust_temp_1", "1560 °F").unwrap() - 848.89).abs() < 0.01);
        assert!((value("manifold_pressure", "36 psi").unwrap() - 248.21).abs() < 0.01);
        assert!((value("lambda_1", "13.2 AFR").unwrap() - 0.898).abs() < 1e-3);
        assert_eq!((value("lambda_1", "0,9"), value("spark_advance", "20")), (Ok(0.9), Ok(20.0)));
        assert!(value("manifold_pressure", "20 psi gauge").is_err() && value("lambda_1", "9 bar").is_err());
        for (text, form, want) in [
            ("60", VolumeUnit::Litre, 60.0),
            ("16", VolumeUnit::UsGallon, 60.567),
            ("60 L", VolumeUnit::UsGallon, 60.0),
            ("16 US gal", VolumeUnit::Litre, 60.567),
            ("13,2 imp gal", VolumeUnit::UsGallon, 60.008),
        ] {
            assert!((litres(text, form).unwrap() - want).abs() < 1e-3, "{text}");
        }
        let e = |s: &str| ethanol("ethanol", s);
        assert_eq!((e("85"), e("85 %"), e("0"), e("1")), (Ok(0.85), Ok(0.85), Ok(0.0), Ok(0.01)));
        assert!((e("0,5 %").unwrap() - 0.005).abs() < 1e-12);
        assert!(e("0.85").unwrap_err().contains("write 85 for 85 %"));
        assert!(e("120").is_err() && e("-1").is_err());
        assert!(celsius("warm").unwrap_err().contains("72 °F"));
    }
}
