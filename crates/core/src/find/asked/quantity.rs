//! The figures a query may ask for, with their units.

use crate::units::{KPA_PER_PSI, NM_PER_LBFT, Units, W_PER_HP, W_PER_PS};

/// A figure of a pull that can be asked for by range.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Quantity {
    /// Highest power, in the correction family of the search, kW.
    Power,
    /// Highest torque, in the same family, N·m.
    Torque,
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
}

/// Names by which a query may call a quantity; the first is the one shown.
pub(in crate::find) const NAMES: [(Quantity, &[&str]); 7] = [
    (Quantity::PeakSpeed, &["peak at", "peak rpm", "rpm"]),
    (Quantity::Power, &["power", "peak power", "peak"]),
    (Quantity::Torque, &["torque", "peak torque"]),
    (Quantity::Boost, &["boost", "boost target"]),
    (Quantity::Ethanol, &["ethanol"]),
    (Quantity::Air, &["air", "temperature"]),
    (Quantity::Used, &["limit used", "margin used", "used"]),
];

/// Words for a unit: the quantity, what one of it is in the quantity's own unit, and the words.
pub(in crate::find) const UNITS: [(Quantity, f64, &[&str]); 12] = [
    (Quantity::Power, 1.0, &["kw", "kilowatt", "kilowatts"]),
    (Quantity::Power, W_PER_HP / 1000.0, &["hp", "bhp", "horsepower"]),
    (Quantity::Power, W_PER_PS / 1000.0, &["ps"]),
    (Quantity::Torque, 1.0, &["nm", "n·m", "n-m"]),
    (Quantity::Torque, NM_PER_LBFT, &["lbft", "lb·ft", "lb-ft", "ftlb"]),
    (Quantity::PeakSpeed, 1.0, &["rpm"]),
    (Quantity::Boost, 1.0, &["kpa"]),
    (Quantity::Boost, 100.0, &["bar"]),
    (Quantity::Boost, KPA_PER_PSI, &["psi"]),
    (Quantity::Ethanol, 1.0, &["%", "percent"]),
    (Quantity::Used, 1.0, &["%", "percent"]),
    (Quantity::Air, 1.0, &["°c", "c"]),
];

impl Quantity {
    /// The word a query shows for it.
    pub fn name(self) -> &'static str {
        NAMES.iter().find(|n| n.0 == self).map_or("", |n| n.1[0])
    }

    /// Its own unit and how many of its own unit one of the usual unit is.
    pub(in crate::find) fn usual(self, u: Units) -> (&'static str, f64) {
        match self {
            Self::Power => (u.power.label(), 1.0 / u.power.from_kw(1.0)),
            Self::Torque => (u.torque.label(), 1.0 / u.torque.from_nm(1.0)),
            Self::PeakSpeed => ("rpm", 1.0),
            Self::Boost => ("kPa", 1.0),
            Self::Ethanol | Self::Used => ("%", 1.0),
            Self::Air => ("°C", 1.0),
        }
    }

    /// What the unit word is worth for this quantity; `Err` names the quantity it belongs to instead.
    pub(in crate::find) fn unit(self, word: &str) -> Option<Result<f64, Self>> {
        let word = word.to_lowercase();
        let mut other = None;
        for (q, worth, words) in UNITS {
            if words.contains(&word.as_str()) {
                if q == self {
                    return Some(Ok(worth));
                }
                other = Some(q);
            }
        }
        other.map(Err)
    }

    /// The quantity a unit word alone means; a per cent alone means nothing.
    pub(in crate::find) fn of_unit(word: &str) -> Option<(Self, f64)> {
        let word = word.to_lowercase();
        UNITS
            .iter()
            .find(|u| {
                u.0 != Self::Ethanol && u.0 != Self::Used && word != "c" && u.2.contains(&word.as_str())
            })
            .map(|u| (u.0, u.1))
    }
}
