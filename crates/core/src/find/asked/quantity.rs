//! The figures a query may ask for, with their units.

use super::extreme::Extreme;
use crate::units::{
    GASOLINE_STOICH_AFR, HPA_PER_INHG, KPA_PER_PSI, Mixture, NM_PER_LBFT, PressureUnit, TemperatureUnit,
    Units, W_PER_HP, W_PER_PS,
};

/// A figure of a pull that can be asked for by range.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Quantity {
    /// Highest power, in the correction family of the search, kW.
    Power,
    /// Highest torque, in the same family, N·m.
    Torque,
    /// Highest power over the mean of the day's baseline, in the same family, kW.
    Gain,
    /// Engine speed at the highest power, rpm.
    PeakSpeed,
    /// Boost target of the set, kPa as the set says it.
    Boost,
    /// Ethanol in the fuel, % by volume.
    Ethanol,
    /// Air temperature of the pull, °C.
    Air,
    /// Share of the tightest limit's margin used, %.
    Used,
    /// What a channel reached over the pull, in its own unit.
    Reached(Extreme),
}

/// What can be measured in one unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Dimension {
    Power,
    Torque,
    Speed,
    Pressure,
    Share,
    Temperature,
    Angle,
    Mixture,
}

/// Names by which a query may call a quantity; the first is the one shown.
pub(in crate::find) const NAMES: [(Quantity, &[&str]); 22] = [
    (Quantity::PeakSpeed, &["peak at", "peak rpm", "rpm"]),
    (Quantity::Power, &["power", "peak power", "peak"]),
    (Quantity::Torque, &["torque", "peak torque"]),
    (Quantity::Gain, &["gain", "gained", "gains"]),
    (Quantity::Boost, &["boost", "boost target"]),
    (Quantity::Ethanol, &["ethanol"]),
    (Quantity::Air, &["air", "temperature"]),
    (Quantity::Used, &["limit used", "margin used", "used"]),
    (Quantity::Reached(Extreme::Knock), &["knock retard", "knock"]),
    (Quantity::Reached(Extreme::Exhaust), &["exhaust", "exhaust temperature", "exhaust gas"]),
    (
        Quantity::Reached(Extreme::Leanest),
        &["leanest λ", "leanest lambda", "leanest", "λ", "lambda", "mixture", "afr"],
    ),
    (Quantity::Reached(Extreme::Richest), &["richest λ", "richest lambda", "richest"]),
    (Quantity::Reached(Extreme::Duty), &["injector duty", "duty"]),
    (Quantity::Reached(Extreme::Manifold), &["manifold pressure", "manifold"]),
    (Quantity::Reached(Extreme::Oil), &["oil temperature", "oil temp", "oil"]),
    (Quantity::Reached(Extreme::Coolant), &["coolant", "coolant temperature", "water"]),
    (Quantity::Reached(Extreme::Intake), &["intake temperature", "intake", "charge temperature"]),
    (Quantity::Reached(Extreme::OilPressure), &["oil pressure"]),
    (Quantity::Reached(Extreme::FuelPressure), &["fuel pressure"]),
    (Quantity::Reached(Extreme::Rail), &["rail pressure", "rail"]),
    (Quantity::Reached(Extreme::Back), &["back pressure"]),
    (Quantity::Reached(Extreme::Turbo), &["turbo speed", "turbo"]),
];

/// A unit: what it measures, scale and offset to the dimension's own unit, and its words.
type UnitWords = (Dimension, f64, f64, &'static [&'static str]);

/// Own units are kW, N·m, rpm, kPa, %, °C, ° and λ.
const UNITS: [UnitWords; 18] = [
    (Dimension::Power, 1.0, 0.0, &["kw", "kilowatt", "kilowatts"]),
    (Dimension::Power, W_PER_HP / 1000.0, 0.0, &["hp", "bhp", "horsepower"]),
    (Dimension::Power, W_PER_PS / 1000.0, 0.0, &["ps"]),
    (Dimension::Torque, 1.0, 0.0, &["nm", "n·m", "n-m"]),
    (Dimension::Torque, NM_PER_LBFT, 0.0, &["lbft", "lb·ft", "lb-ft", "ftlb"]),
    (Dimension::Speed, 1.0, 0.0, &["rpm"]),
    (Dimension::Pressure, 1.0, 0.0, &["kpa"]),
    (Dimension::Pressure, 100.0, 0.0, &["bar"]),
    (Dimension::Pressure, 1000.0, 0.0, &["mpa"]),
    (Dimension::Pressure, KPA_PER_PSI, 0.0, &["psi"]),
    (Dimension::Pressure, HPA_PER_INHG / 10.0, 0.0, &["inhg"]),
    (Dimension::Share, 1.0, 0.0, &["%", "percent"]),
    (Dimension::Temperature, 1.0, 0.0, &["°c", "c"]),
    (Dimension::Temperature, 5.0 / 9.0, -160.0 / 9.0, &["°f", "f"]),
    (Dimension::Angle, 1.0, 0.0, &["°", "deg", "degrees", "degree"]),
    (Dimension::Mixture, 1.0, 0.0, &["λ"]),
    (Dimension::Mixture, 1.0 / GASOLINE_STOICH_AFR, 0.0, &["afr"]),
    (Dimension::Mixture, 1.0, 0.0, &["lambda"]),
];

/// Scale and offset that bring a written number to a quantity's own unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(in crate::find) struct Worth {
    scale: f64,
    offset: f64,
}

impl Worth {
    pub(in crate::find) fn of(self, v: f64) -> f64 {
        v * self.scale + self.offset
    }
}

impl Quantity {
    /// The word a query shows for it.
    pub fn name(self) -> &'static str {
        NAMES.iter().find(|n| n.0 == self).map_or("", |n| n.1[0])
    }

    fn dimension(self) -> Dimension {
        match self {
            Self::Power | Self::Gain => Dimension::Power,
            Self::Torque => Dimension::Torque,
            Self::PeakSpeed | Self::Reached(Extreme::Turbo) => Dimension::Speed,
            Self::Ethanol | Self::Used | Self::Reached(Extreme::Duty) => Dimension::Share,
            Self::Air
            | Self::Reached(Extreme::Exhaust | Extreme::Oil | Extreme::Coolant | Extreme::Intake) => {
                Dimension::Temperature
            }
            Self::Reached(Extreme::Knock) => Dimension::Angle,
            Self::Reached(Extreme::Leanest | Extreme::Richest) => Dimension::Mixture,
            Self::Boost
            | Self::Reached(
                Extreme::Manifold
                | Extreme::OilPressure
                | Extreme::FuelPressure
                | Extreme::Rail
                | Extreme::Back,
            ) => Dimension::Pressure,
        }
    }

    /// Its own unit for one of its dimension's.
    fn own(self) -> f64 {
        if self == Self::Reached(Extreme::Rail) { 0.001 } else { 1.0 }
    }

    /// Its usual unit, and what one of it is worth.
    pub(in crate::find) fn usual(self, u: Units) -> (&'static str, Worth) {
        let plain = |unit, scale| (unit, Worth { scale, offset: 0.0 });
        match self.dimension() {
            Dimension::Power => plain(u.power.label(), 1.0 / u.power.from_kw(1.0)),
            Dimension::Torque => plain(u.torque.label(), 1.0 / u.torque.from_nm(1.0)),
            Dimension::Speed => plain("rpm", 1.0),
            Dimension::Pressure if self == Self::Reached(Extreme::Rail) => plain("MPa", 1.0),
            Dimension::Pressure => match u.pressure {
                PressureUnit::Kpa => plain("kPa", 1.0),
                PressureUnit::Bar => plain("bar", 100.0),
                PressureUnit::Psi => plain("psi", KPA_PER_PSI),
                PressureUnit::InHg => plain("inHg", HPA_PER_INHG / 10.0),
            },
            Dimension::Share => plain("%", 1.0),
            Dimension::Temperature => match u.temperature {
                TemperatureUnit::Celsius => plain("°C", 1.0),
                TemperatureUnit::Fahrenheit => ("°F", Worth { scale: 1.0 / 1.8, offset: -32.0 / 1.8 }),
            },
            Dimension::Angle => plain("°", 1.0),
            Dimension::Mixture if u.mixture == Mixture::Afr => plain("AFR", 1.0 / GASOLINE_STOICH_AFR),
            Dimension::Mixture => plain("λ", 1.0),
        }
    }

    /// What the unit word is worth for this quantity; `Err` names the quantity it belongs to instead.
    pub(in crate::find) fn unit(self, word: &str) -> Option<Result<Worth, Self>> {
        let (dimension, scale, offset, _) = unit_of(word)?;
        if dimension == self.dimension() {
            return Some(Ok(Worth { scale: scale * self.own(), offset: offset * self.own() }));
        }
        NAMES.iter().map(|n| n.0).find(|q| q.dimension() == dimension).map(Err)
    }

    /// The quantity a unit word alone means; a per cent, a degree or a `c` alone means nothing.
    pub(in crate::find) fn of_unit(word: &str) -> Option<(Self, Worth)> {
        let (dimension, scale, offset, words) = unit_of(word)?;
        let of = match dimension {
            Dimension::Power => Self::Power,
            Dimension::Torque => Self::Torque,
            Dimension::Speed => Self::PeakSpeed,
            Dimension::Pressure => Self::Boost,
            Dimension::Temperature if word.to_lowercase() == words[0] => Self::Air,
            Dimension::Mixture => Self::Reached(Extreme::Leanest),
            Dimension::Temperature | Dimension::Share | Dimension::Angle => return None,
        };
        Some((of, Worth { scale, offset }))
    }

    /// Whether a word is a unit of anything.
    pub(in crate::find) fn is_unit(word: &str) -> bool {
        unit_of(word).is_some()
    }
}

/// Scale and offset from one unit to another of the same dimension.
pub(super) fn scale_between(from: &str, to: &str) -> Option<(f64, f64)> {
    let ((a, scale, offset, _), (b, own, own_offset, _)) = (unit_of(from)?, unit_of(to)?);
    (a == b).then(|| (scale / own, (offset - own_offset) / own))
}

fn unit_of(word: &str) -> Option<UnitWords> {
    let word = word.to_lowercase();
    UNITS.into_iter().find(|u| u.3.contains(&word.as_str()))
}
