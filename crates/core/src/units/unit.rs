//! Units at the edge: everything inside is SI (with kW, kPa absolute, °C, λ, rpm); these convert on the way
//! in and out.

use serde::{Deserialize, Serialize};

/// Watts in one mechanical horsepower (hp, bhp).
pub const W_PER_HP: f64 = 745.7;
/// Watts in one metric horsepower (PS).
pub const W_PER_PS: f64 = 735.498_75;
/// N·m in one lb·ft.
pub const NM_PER_LBFT: f64 = 1.355_817_9;
/// kPa in one psi.
pub const KPA_PER_PSI: f64 = 6.894_757;
/// hPa in one inch of mercury.
pub const HPA_PER_INHG: f64 = 33.8639;
/// Stoichiometric air–fuel ratio that defines the "gasoline scale" of AFR.
pub const GASOLINE_STOICH_AFR: f64 = 14.7;
/// rad/s in one rpm.
pub const RAD_S_PER_RPM: f64 = std::f64::consts::PI / 30.0;

/// What a column of numbers measures in, as found in a header or chosen by a person.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Unit {
    Second,
    Millisecond,
    Clock,
    Rpm,
    RadPerS,
    KmPerH,
    Mph,
    MPerS,
    NewtonMetre,
    PoundFoot,
    KiloWatt,
    HorsePower,
    MetricHorsePower,
    Percent,
    Fraction,
    KpaAbs,
    KpaGauge,
    BarAbs,
    BarGauge,
    PsiAbs,
    PsiGauge,
    Hpa,
    InHg,
    Mpa,
    Lambda,
    AfrGasoline,
    Degree,
    Celsius,
    Fahrenheit,
    Kelvin,
    Microsecond,
    GramPerS,
    KgPerH,
    Volt,
    None,
}

const _: () = assert!(Unit::ALL.len() == Unit::None as usize + 1, "a unit is missing from the list");

impl Unit {
    /// Every unit.
    pub const ALL: [Unit; 35] = {
        use Unit::*;
        [
            Second,
            Millisecond,
            Clock,
            Rpm,
            RadPerS,
            KmPerH,
            Mph,
            MPerS,
            NewtonMetre,
            PoundFoot,
            KiloWatt,
            HorsePower,
            MetricHorsePower,
            Percent,
            Fraction,
            KpaAbs,
            KpaGauge,
            BarAbs,
            BarGauge,
            PsiAbs,
            PsiGauge,
            Hpa,
            InHg,
            Mpa,
            Lambda,
            AfrGasoline,
            Degree,
            Celsius,
            Fahrenheit,
            Kelvin,
            Microsecond,
            GramPerS,
            KgPerH,
            Volt,
            None,
        ]
    };

    /// Label shown beside numbers.
    pub fn label(self) -> &'static str {
        use Unit::*;
        match self {
            Second => "s",
            Millisecond => "ms",
            Clock => "clock time",
            Rpm => "rpm",
            RadPerS => "rad/s",
            KmPerH => "km/h",
            Mph => "mph",
            MPerS => "m/s",
            NewtonMetre => "N·m",
            PoundFoot => "lb·ft",
            Percent => "%",
            Fraction => "fraction",
            KpaAbs => "kPa absolute",
            KpaGauge => "kPa gauge",
            BarAbs => "bar absolute",
            BarGauge => "bar gauge",
            PsiAbs => "psi absolute",
            PsiGauge => "psi gauge",
            Hpa => "hPa",
            InHg => "inHg",
            Mpa => "MPa",
            Lambda => "λ",
            AfrGasoline => "AFR gasoline",
            Degree => "°",
            Celsius => "°C",
            Fahrenheit => "°F",
            Kelvin => "K",
            Microsecond => "µs",
            GramPerS => "g/s",
            KgPerH => "kg/h",
            KiloWatt => "kW",
            HorsePower => "hp",
            MetricHorsePower => "PS",
            Volt => "V",
            None => "",
        }
    }

    /// Scale and offset to the canonical unit of the channel: `si = raw·scale + offset`.
    /// `ambient_kpa` is used by gauge pressures only.
    pub fn to_si(self, ambient_kpa: f64) -> (f64, f64) {
        use Unit::*;
        match self {
            Millisecond => (1e-3, 0.0),
            RadPerS => (1.0 / RAD_S_PER_RPM, 0.0),
            Mph => (1.609_344, 0.0),
            MPerS => (3.6, 0.0),
            PoundFoot => (NM_PER_LBFT, 0.0),
            Fraction => (100.0, 0.0),
            KpaGauge => (1.0, ambient_kpa),
            BarAbs => (100.0, 0.0),
            BarGauge => (100.0, ambient_kpa),
            PsiAbs => (KPA_PER_PSI, 0.0),
            PsiGauge => (KPA_PER_PSI, ambient_kpa),
            Hpa => (0.1, 0.0),
            InHg => (HPA_PER_INHG / 10.0, 0.0),
            AfrGasoline => (1.0 / GASOLINE_STOICH_AFR, 0.0),
            Fahrenheit => (5.0 / 9.0, -160.0 / 9.0),
            Kelvin => (1.0, -273.15),
            KgPerH => (1.0 / 3.6, 0.0),
            HorsePower => (W_PER_HP / 1000.0, 0.0),
            MetricHorsePower => (W_PER_PS / 1000.0, 0.0),
            _ => (1.0, 0.0),
        }
    }
}

/// Power unit a person prefers to read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PowerUnit {
    /// Kilowatt.
    #[default]
    Kw,
    /// Mechanical horsepower, 745.7 W.
    Hp,
    /// Metric horsepower, 735.49875 W.
    Ps,
}

impl PowerUnit {
    /// Converts from kW.
    pub fn from_kw(self, kw: f64) -> f64 {
        match self {
            Self::Kw => kw,
            Self::Hp => kw * 1000.0 / W_PER_HP,
            Self::Ps => kw * 1000.0 / W_PER_PS,
        }
    }

    /// A power given in kW, in words: "2.0 hp".
    pub fn say(self, kw: f64) -> String {
        format!("{:.1} {}", self.from_kw(kw), self.label())
    }

    /// The same with its sign.
    pub fn say_signed(self, kw: f64) -> String {
        format!("{:+.1} {}", self.from_kw(kw), self.label())
    }

    /// Label shown beside numbers.
    pub fn label(self) -> &'static str {
        match self {
            Self::Kw => "kW",
            Self::Hp => "hp",
            Self::Ps => "PS",
        }
    }
}

/// Torque unit a person prefers to read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TorqueUnit {
    /// Newton metre.
    #[default]
    Nm,
    /// Pound-foot.
    LbFt,
}

impl TorqueUnit {
    /// Converts from N·m.
    pub fn from_nm(self, nm: f64) -> f64 {
        match self {
            Self::Nm => nm,
            Self::LbFt => nm / NM_PER_LBFT,
        }
    }

    /// Label shown beside numbers.
    pub fn label(self) -> &'static str {
        match self {
            Self::Nm => "N·m",
            Self::LbFt => "lb·ft",
        }
    }
}

/// No number that a person types is larger.
const LARGEST_TYPED: f64 = 1e9;

/// A number as people type it: blanks around it and a decimal comma allowed; `None` for anything else, also
/// for what is not finite or above a thousand million.
pub fn typed(s: &str) -> Option<f64> {
    s.trim().replace(',', ".").parse().ok().filter(|v: &f64| v.abs() <= LARGEST_TYPED)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn si(unit: Unit, raw: f64) -> f64 {
        let (a, b) = unit.to_si(100.0);
        raw * a + b
    }

    #[test]
    fn known_conversions_reach_the_canonical_unit() {
        for (unit, raw, want) in [
            (Unit::PsiGauge, 14.503_774, 200.0),
            (Unit::BarAbs, 1.5, 150.0),
            (Unit::Fahrenheit, 212.0, 100.0),
            (Unit::Fahrenheit, 32.0, 0.0),
            (Unit::AfrGasoline, 14.7, 1.0),
            (Unit::PoundFoot, 100.0, 135.581_79),
            (Unit::Mph, 60.0, 96.560_64),
            (Unit::Kelvin, 293.15, 20.0),
            (Unit::InHg, 29.92, 101.320_788_8),
        ] {
            assert!((si(unit, raw) - want).abs() < 1e-4, "{unit:?} {raw}: {}", si(unit, raw));
        }
    }

    #[test]
    fn numbers_are_read_as_people_type_them() {
        assert_eq!(["3,6", " 1240 ", "-0.5"].map(typed), [Some(3.6), Some(1240.0), Some(-0.5)]);
        assert_eq!(["", "heavy", "inf", "nan", "1e12", "1.2.3"].map(typed), [None; 6]);
    }

    #[test]
    fn preferred_units_are_inverse_of_import() {
        assert!((PowerUnit::Hp.from_kw(si(Unit::HorsePower, 200.0)) - 200.0).abs() < 1e-9);
        assert!((PowerUnit::Ps.from_kw(si(Unit::MetricHorsePower, 200.0)) - 200.0).abs() < 1e-9);
        assert!((TorqueUnit::LbFt.from_nm(si(Unit::PoundFoot, 150.0)) - 150.0).abs() < 1e-9);
    }
}
