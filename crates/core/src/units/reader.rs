//! Units in which a person reads channels.

use super::unit::{GASOLINE_STOICH_AFR, HPA_PER_INHG, KPA_PER_PSI, PowerUnit, TorqueUnit};
use crate::channel::Channel;
use serde::{Deserialize, Serialize};

/// Unit of pressures; always absolute here, and said so.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum PressureUnit {
    #[default]
    Kpa,
    Bar,
    Psi,
    InHg,
}

/// Unit of temperatures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum TemperatureUnit {
    #[default]
    Celsius,
    Fahrenheit,
}

/// Unit of road speed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum SpeedUnit {
    #[default]
    KmPerH,
    Mph,
}

/// Scale a person reads mixture on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Mixture {
    /// λ, which knows no fuel.
    #[default]
    Lambda,
    /// Air-fuel ratio on the gasoline scale, [`GASOLINE_STOICH_AFR`] at λ 1, whatever the fuel.
    Afr,
}

impl Mixture {
    /// Converts from λ.
    pub fn from_lambda(self, lambda: f64) -> f64 {
        match self {
            Self::Lambda => lambda,
            Self::Afr => lambda * GASOLINE_STOICH_AFR,
        }
    }
}

/// Units a person reads in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Units {
    /// Power.
    pub power: PowerUnit,
    /// Torque.
    pub torque: TorqueUnit,
    /// Mixture.
    pub mixture: Mixture,
    /// Pressures.
    pub pressure: PressureUnit,
    /// Temperatures.
    pub temperature: TemperatureUnit,
    /// Road speed.
    pub speed: SpeedUnit,
}

impl Units {
    /// Those in which everything is computed: kW, N·m, λ, kPa absolute, °C, km/h.
    pub const CANONICAL: Self = Self {
        power: PowerUnit::Kw,
        torque: TorqueUnit::Nm,
        mixture: Mixture::Lambda,
        pressure: PressureUnit::Kpa,
        temperature: TemperatureUnit::Celsius,
        speed: SpeedUnit::KmPerH,
    };
}

/// How a channel's values are shown: `shown = value·scale + offset`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shown {
    /// Unit.
    pub label: &'static str,
    /// Behind the unit where it must be said: absolute.
    pub zero: &'static str,
    /// Factor.
    pub scale: f64,
    /// Offset; none for differences.
    pub offset: f64,
    /// Digits behind the point.
    pub digits: usize,
}

impl Shown {
    /// A value in the unit shown.
    pub fn value(&self, v: f64) -> f64 {
        v * self.scale + self.offset
    }

    /// A difference of two values in the unit shown.
    pub fn difference(&self, d: f64) -> f64 {
        d * self.scale
    }

    /// Unit with what must be said of its zero: "kPa absolute".
    pub fn unit(&self) -> String {
        [self.label, self.zero].into_iter().filter(|s| !s.is_empty()).collect::<Vec<_>>().join(" ")
    }
}

/// Pressures that are told against vacuum; where the zero of the others lies only their sensor knows.
const ABSOLUTE: [&str; 4] = ["manifold_pressure", "ambient_pressure", "boost_target", "back_pressure"];

impl Units {
    /// How a channel is shown. A difference of its values has no zero.
    ///
    /// # Formula
    /// kPa to psi 0.145 038, to inHg 0.295 300, to bar 0.01; °C to °F `1.8·v + 32`; km/h to mph 0.621 371
    /// (exact definitions of inch, pound and degree; BIPM, SI brochure).
    ///
    /// ```
    /// use jamjar_core::channel::Channel;
    /// use jamjar_core::units::{TemperatureUnit, Units};
    /// let units = Units { temperature: TemperatureUnit::Fahrenheit, ..Units::default() };
    /// let shown = units.shown(&"exhaust_temp_1".parse::<Channel>().unwrap());
    /// assert_eq!((shown.value(850.0), shown.difference(100.0), shown.label), (1562.0, 180.0, "°F"));
    /// ```
    pub fn shown(self, channel: &Channel) -> Shown {
        let plain = |label, digits| Shown { label, zero: "", scale: 1.0, offset: 0.0, digits };
        let zero = if ABSOLUTE.contains(&channel.kind().map_or("", |k| k.name)) { "absolute" } else { "" };
        let pressure = |label, scale, digits| Shown { label, zero, scale, offset: 0.0, digits };
        match channel.unit() {
            "λ" if self.mixture == Mixture::Afr => {
                Shown { scale: GASOLINE_STOICH_AFR, ..plain("AFR, gasoline scale", 2) }
            }
            "λ" => plain("λ", 3),
            "kPa" => match self.pressure {
                PressureUnit::Kpa => pressure("kPa", 1.0, 0),
                PressureUnit::Bar => pressure("bar", 0.01, 2),
                PressureUnit::Psi => pressure("psi", 1.0 / KPA_PER_PSI, 1),
                PressureUnit::InHg => pressure("inHg", 10.0 / HPA_PER_INHG, 1),
            },
            "°C" => match self.temperature {
                TemperatureUnit::Celsius => plain("°C", 0),
                TemperatureUnit::Fahrenheit => Shown { scale: 1.8, offset: 32.0, ..plain("°F", 0) },
            },
            "km/h" => match self.speed {
                SpeedUnit::KmPerH => plain("km/h", 1),
                SpeedUnit::Mph => Shown { scale: 0.621_371_192, ..plain("mph", 1) },
            },
            "" => plain("", 2),
            "°" => plain("°", 1),
            "%" => plain("%", 1),
            "kW" => Shown { scale: self.power.from_kw(1.0), ..plain(self.power.label(), 1) },
            "N·m" => Shown { scale: self.torque.from_nm(1.0), ..plain(self.torque.label(), 1) },
            other => plain(other, if matches!(other, "MPa" | "ms") { 2 } else { 0 }),
        }
    }
}
