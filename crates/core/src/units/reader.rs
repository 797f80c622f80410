//! Units in which a person reads channels.

use super::unit::{GASOLINE_STOICH_AFR, HPA_PER_INHG, KPA_PER_PSI, PowerUnit, TorqueUnit};
use crate::channel::Channel;
use serde::{Deserialize, Serialize};

/// Unit of pressures; whether above vacuum or above the station's pressure is said with it.
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

impl SpeedUnit {
    /// A speed in km/h in it.
    pub fn from_kmh(self, kmh: f64) -> f64 {
        match self {
            Self::KmPerH => kmh,
            Self::Mph => kmh / super::Unit::Mph.to_si(0.0).0,
        }
    }

    /// "km/h", "mph".
    pub fn label(self) -> &'static str {
        match self {
            Self::KmPerH => "km/h",
            Self::Mph => "mph",
        }
    }
}

/// Scale a person reads mixture on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Mixture {
    /// λ, which knows no fuel.
    #[default]
    Lambda,
    /// Air-fuel ratio on the gasoline scale, [`GASOLINE_STOICH_AFR`] at λ 1, whatever the fuel.
    Afr,
    /// Air-fuel ratio of the fuel burned: [`Here::stoich_afr`] at λ 1. λ where nobody knows it.
    AfrOwn,
}

/// Unit of volumes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[allow(missing_docs)]
pub enum VolumeUnit {
    #[default]
    Litre,
    UsGallon,
    ImperialGallon,
}

impl VolumeUnit {
    /// Litres in one of it.
    ///
    /// # Formula
    /// US gallon 231 in³ = 3.785 411 784 L; imperial gallon 4.546 09 L (both exact by definition).
    pub fn litres(self) -> f64 {
        match self {
            Self::Litre => 1.0,
            Self::UsGallon => 3.785_411_784,
            Self::ImperialGallon => 4.546_09,
        }
    }

    /// "L", "US gal", "imp gal".
    pub fn label(self) -> &'static str {
        match self {
            Self::Litre => "L",
            Self::UsGallon => "US gal",
            Self::ImperialGallon => "imp gal",
        }
    }
}

/// What a reading rests on where it is taken: without it gauge pressures are shown absolute and own scales as λ.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Here {
    /// Station pressure, kPa absolute: the zero of gauge pressures.
    pub station_kpa: Option<f64>,
    /// Stoichiometric air-fuel ratio of the fuel burned.
    pub stoich_afr: Option<f64>,
}

/// Units a person reads in.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Units {
    /// Power.
    pub power: PowerUnit,
    /// Torque.
    pub torque: TorqueUnit,
    /// Mixture.
    pub mixture: Mixture,
    /// Pressures.
    pub pressure: PressureUnit,
    /// Manifold pressure and its like above the station's pressure instead of above vacuum.
    pub gauge: bool,
    /// Temperatures.
    pub temperature: TemperatureUnit,
    /// Road speed.
    pub speed: SpeedUnit,
    /// What the readings rest on.
    pub here: Here,
}

impl Units {
    /// Those in which everything is computed: kW, N·m, λ, kPa absolute, °C, km/h.
    pub const CANONICAL: Self = Self {
        power: PowerUnit::Kw,
        torque: TorqueUnit::Nm,
        mixture: Mixture::Lambda,
        pressure: PressureUnit::Kpa,
        gauge: false,
        temperature: TemperatureUnit::Celsius,
        speed: SpeedUnit::KmPerH,
        here: Here { station_kpa: None, stoich_afr: None },
    };
}

/// How a channel's values are shown: `shown = value·scale + offset`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shown {
    /// Unit.
    pub label: &'static str,
    /// Behind the unit where it must be said: absolute, gauge.
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

/// Pressures whose sensor is known to tell them against vacuum; where the zero of the others lies only their
/// sensor knows.
const ABSOLUTE: [&str; 4] = ["manifold_pressure", "boost_target", "back_pressure", AMBIENT];
/// Which has no gauge reading.
const AMBIENT: &str = "ambient_pressure";

impl Units {
    /// The same for a reading taken under other conditions.
    pub fn at(self, here: Here) -> Self {
        Self { here, ..self }
    }

    /// How a channel is shown. A difference of its values has no zero.
    ///
    /// # Formula
    /// kPa to psi 0.145 038, to inHg 0.295 300, to bar 0.01; gauge is `p − p_station`; °C to °F `1.8·v + 32`; km/h
    /// to mph 0.621 371 (exact definitions of inch, pound and degree; BIPM, SI brochure). AFR is `14.7·λ` on the
    /// gasoline scale and `AFR_stoich·λ` on the fuel's own.
    ///
    /// ```
    /// use jamjar_core::channel::Channel;
    /// use jamjar_core::units::{Here, TemperatureUnit, Units};
    /// let units = Units { temperature: TemperatureUnit::Fahrenheit, gauge: true, ..Units::default() };
    /// let shown = units.shown(&"exhaust_temp_1".parse::<Channel>().unwrap());
    /// assert_eq!((shown.value(850.0), shown.difference(100.0), shown.label), (1562.0, 180.0, "°F"));
    /// let boost = "manifold_pressure".parse::<Channel>().unwrap();
    /// let here = units.at(Here { station_kpa: Some(98.0), ..Here::default() }).shown(&boost);
    /// assert_eq!((here.value(250.0), here.unit().as_str()), (152.0, "kPa gauge"));
    /// assert_eq!(units.shown(&boost).unit(), "kPa absolute", "no station pressure, no gauge");
    /// ```
    pub fn shown(self, channel: &Channel) -> Shown {
        let plain = |label, digits| Shown { label, zero: "", scale: 1.0, offset: 0.0, digits };
        let kind = channel.kind().map_or("", |k| k.name);
        let (zero, below) = match self.here.station_kpa.filter(|_| self.gauge && kind != AMBIENT) {
            _ if !ABSOLUTE.contains(&kind) => ("", 0.0),
            Some(station) => ("gauge", station),
            None => ("absolute", 0.0),
        };
        let pressure = |label, scale, digits| Shown { label, zero, scale, offset: -below * scale, digits };
        match channel.unit() {
            "λ" => match (self.mixture, self.here.stoich_afr) {
                (Mixture::Afr, _) => Shown { scale: GASOLINE_STOICH_AFR, ..plain("AFR, gasoline scale", 2) },
                (Mixture::AfrOwn, Some(stoich)) => Shown { scale: stoich, ..plain("AFR, own fuel", 2) },
                (Mixture::Lambda | Mixture::AfrOwn, _) => plain("λ", 3),
            },
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
