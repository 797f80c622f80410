//! Unit texts as they appear in headers, unit rows and job files.

use jamjar_core::units::Unit;

/// What a unit text says; pressures may leave open whether they are gauge or absolute.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Said {
    /// Unambiguous.
    Unit(Unit),
    /// A pressure without a zero: kPa, bar or psi, as its absolute form.
    Pressure(Unit),
    /// AFR without a scale.
    Afr,
}

const TABLE: &[(&str, Said)] = {
    use Said::{Afr, Pressure, Unit as U};
    use Unit::*;
    &[
        ("s", U(Second)),
        ("sec", U(Second)),
        ("secs", U(Second)),
        ("second", U(Second)),
        ("seconds", U(Second)),
        ("ms", U(Millisecond)),
        ("msec", U(Millisecond)),
        ("milliseconds", U(Millisecond)),
        ("hh:mm:ss", U(Clock)),
        ("clock", U(Clock)),
        ("clock time", U(Clock)),
        ("rpm", U(Rpm)),
        ("1/min", U(Rpm)),
        ("min-1", U(Rpm)),
        ("r/min", U(Rpm)),
        ("/min", U(Rpm)),
        ("rad/s", U(RadPerS)),
        ("km/h", U(KmPerH)),
        ("kmh", U(KmPerH)),
        ("kph", U(KmPerH)),
        ("kmph", U(KmPerH)),
        ("mph", U(Mph)),
        ("m/s", U(MPerS)),
        ("nm", U(NewtonMetre)),
        ("n*m", U(NewtonMetre)),
        ("n.m", U(NewtonMetre)),
        ("n m", U(NewtonMetre)),
        ("newton metre", U(NewtonMetre)),
        ("lbft", U(PoundFoot)),
        ("lb.ft", U(PoundFoot)),
        ("lb-ft", U(PoundFoot)),
        ("lb*ft", U(PoundFoot)),
        ("lb ft", U(PoundFoot)),
        ("ftlb", U(PoundFoot)),
        ("ft-lb", U(PoundFoot)),
        ("ft*lb", U(PoundFoot)),
        ("ft lb", U(PoundFoot)),
        ("lbf*ft", U(PoundFoot)),
        ("lbf.ft", U(PoundFoot)),
        ("ft-lbf", U(PoundFoot)),
        ("%", U(Percent)),
        ("pct", U(Percent)),
        ("percent", U(Percent)),
        ("per cent", U(Percent)),
        ("fraction", U(Fraction)),
        ("0-1", U(Fraction)),
        ("kpa", Pressure(KpaAbs)),
        ("kpaa", U(KpaAbs)),
        ("kpag", U(KpaGauge)),
        ("bar", Pressure(BarAbs)),
        ("bara", U(BarAbs)),
        ("barg", U(BarGauge)),
        ("psi", Pressure(PsiAbs)),
        ("psia", U(PsiAbs)),
        ("psig", U(PsiGauge)),
        ("hpa", U(Hpa)),
        ("mbar", U(Hpa)),
        ("inhg", U(InHg)),
        ("in hg", U(InHg)),
        ("mpa", U(Mpa)),
        ("lambda", U(Lambda)),
        ("la", U(Lambda)),
        ("λ", U(Lambda)),
        ("afr", Afr),
        ("a/f", Afr),
        ("afr gasoline", U(AfrGasoline)),
        ("gasoline afr", U(AfrGasoline)),
        ("afr petrol", U(AfrGasoline)),
        ("deg", U(Degree)),
        ("°", U(Degree)),
        ("degrees", U(Degree)),
        ("degree", U(Degree)),
        ("°ca", U(Degree)),
        ("deg ca", U(Degree)),
        ("degca", U(Degree)),
        ("deg btdc", U(Degree)),
        ("°btdc", U(Degree)),
        ("° btdc", U(Degree)),
        ("btdc", U(Degree)),
        ("° before tdc", U(Degree)),
        ("c", U(Celsius)),
        ("°c", U(Celsius)),
        ("degc", U(Celsius)),
        ("deg c", U(Celsius)),
        ("celsius", U(Celsius)),
        ("f", U(Fahrenheit)),
        ("°f", U(Fahrenheit)),
        ("degf", U(Fahrenheit)),
        ("deg f", U(Fahrenheit)),
        ("fahrenheit", U(Fahrenheit)),
        ("k", U(Kelvin)),
        ("kelvin", U(Kelvin)),
        ("us", U(Microsecond)),
        ("µs", U(Microsecond)),
        ("usec", U(Microsecond)),
        ("g/s", U(GramPerS)),
        ("gps", U(GramPerS)),
        ("kg/h", U(KgPerH)),
        ("kw", U(KiloWatt)),
        ("hp", U(HorsePower)),
        ("bhp", U(HorsePower)),
        ("ps", U(MetricHorsePower)),
        ("v", U(Volt)),
        ("volt", U(Volt)),
        ("volts", U(Volt)),
        ("-", U(None)),
        ("none", U(None)),
        ("bool", U(None)),
        ("0/1", U(None)),
        ("count", U(None)),
    ]
};

/// What a unit text says; `None` when it is not a unit we know.
pub(crate) fn said(text: &str) -> Option<Said> {
    let clean: String =
        text.trim().to_lowercase().replace(['·', '⋅', '×'], "*").replace('μ', "µ").replace('º', "°");
    let clean = clean.trim_matches(['[', ']', '(', ')']).trim();
    if let Some((_, s)) = TABLE.iter().find(|(t, _)| *t == clean) {
        return Some(*s);
    }
    for (words, gauge) in [
        (&["gauge", "gage", "rel", "relative", "(g)", "g"][..], true),
        (&["absolute", "abs", "(a)", "a"][..], false),
    ] {
        for w in words {
            if let Some(Said::Pressure(u)) =
                clean.strip_suffix(w).and_then(|stem| said(stem.trim_end_matches(['.', ',', '_', ' '])))
            {
                return Some(Said::Unit(with_zero(u, gauge)));
            }
        }
    }
    None
}

/// The gauge or absolute form of a pressure unit.
pub(crate) fn with_zero(u: Unit, gauge: bool) -> Unit {
    match (u, gauge) {
        (Unit::KpaAbs | Unit::KpaGauge, true) => Unit::KpaGauge,
        (Unit::BarAbs | Unit::BarGauge, true) => Unit::BarGauge,
        (Unit::PsiAbs | Unit::PsiGauge, true) => Unit::PsiGauge,
        (Unit::KpaAbs | Unit::KpaGauge, false) => Unit::KpaAbs,
        (Unit::BarAbs | Unit::BarGauge, false) => Unit::BarAbs,
        (Unit::PsiAbs | Unit::PsiGauge, false) => Unit::PsiAbs,
        (other, _) => other,
    }
}

/// Reads a unit as a person writes it: "AFR gasoline", "kPa gauge", "psi abs", "°F".
///
/// A pressure without a zero is taken as absolute and AFR as the gasoline scale.
pub fn parse_unit(text: &str) -> Option<Unit> {
    said(text).map(|s| match s {
        Said::Unit(u) | Said::Pressure(u) => u,
        Said::Afr => Unit::AfrGasoline,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_people_write() {
        for (text, want) in [
            ("[rpm]", Unit::Rpm),
            ("1/min", Unit::Rpm),
            ("N·m", Unit::NewtonMetre),
            ("(lb·ft)", Unit::PoundFoot),
            ("kPa gauge", Unit::KpaGauge),
            ("psi (g)", Unit::PsiGauge),
            ("bar abs", Unit::BarAbs),
            ("kPa(a)", Unit::KpaAbs),
            ("AFR gasoline", Unit::AfrGasoline),
            ("AFR", Unit::AfrGasoline),
            ("°C", Unit::Celsius),
            ("degF", Unit::Fahrenheit),
            ("mbar", Unit::Hpa),
            ("μs", Unit::Microsecond),
            ("λ", Unit::Lambda),
        ] {
            assert_eq!(parse_unit(text), Some(want), "{text}");
        }
        assert_eq!(parse_unit("furlong"), None);
        assert_eq!(said("kPa"), Some(Said::Pressure(Unit::KpaAbs)));
    }
}
