//! Kinds of fuel with what is typical of each, and what a shop knows better.

use super::fuel::{Fuel, GASOLINE, ethanol_blend};
use crate::bounds::{Bound, OutOfRange};
use serde::{Deserialize, Serialize};

/// Methanol, typical (domain, section 6).
pub const METHANOL: Fuel = Fuel { density_kg_l: 0.792, stoich_afr: 6.46, lhv_mj_kg: 19.9 };
/// Diesel, typical (domain, section 6).
pub const DIESEL: Fuel = Fuel { density_kg_l: 0.832, stoich_afr: 14.5, lhv_mj_kg: 42.6 };

const DENSITY: Bound = Bound::new("density", "kg/L", 0.5, 1.5);
const STOICH: Bound = Bound::new("stoichiometric air-fuel ratio", "", 2.0, 40.0);
const HEAT: Bound = Bound::new("heating value", "MJ/kg", 5.0, 130.0);

/// What a fuel is made from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// Gasoline with any share of ethanol, neat ethanol too.
    Gasoline,
    /// Methanol.
    Methanol,
    /// Diesel.
    Diesel,
}

impl Kind {
    /// Every kind.
    pub const ALL: [Self; 3] = [Self::Gasoline, Self::Methanol, Self::Diesel];

    /// The word it is stored as.
    pub fn id(self) -> &'static str {
        match self {
            Self::Gasoline => "gasoline",
            Self::Methanol => "methanol",
            Self::Diesel => "diesel",
        }
    }

    /// As a person reads it.
    pub fn label(self) -> &'static str {
        match self {
            Self::Gasoline => "gasoline or ethanol blend",
            Self::Methanol => "methanol",
            Self::Diesel => "diesel",
        }
    }

    /// The kind of a stored word.
    pub fn of(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|k| k.id() == id)
    }

    /// Typical properties; `None` for a gasoline whose ethanol nobody knows.
    fn typical(self, ethanol: Option<f64>) -> Option<Fuel> {
        match self {
            Self::Gasoline => ethanol_blend(ethanol?).ok().map(Into::into),
            Self::Methanol => Some(METHANOL),
            Self::Diesel => Some(DIESEL),
        }
    }
}

/// What is known of a fuel. A property that was typed stands in place of the typical one.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct FuelFacts {
    /// Its kind; `None` where nobody said it.
    pub kind: Option<Kind>,
    /// Ethanol in it, share of volume; `None` where nobody measured it.
    pub ethanol: Option<f64>,
    /// Density, kg/L.
    pub density_kg_l: Option<f64>,
    /// Stoichiometric air-fuel ratio by mass.
    pub stoich_afr: Option<f64>,
    /// Lower heating value, MJ/kg.
    pub lhv_mj_kg: Option<f64>,
}

impl FuelFacts {
    /// A gasoline of which its ethanol alone is known.
    pub fn of_ethanol(share: f64) -> Self {
        Self { ethanol: Some(share), ..Self::default() }
    }

    /// Its properties, `usual` being its kind where nobody said it; `None` where one is neither typed nor typical of what
    /// is known.
    ///
    /// ```
    /// use jamjar_core::calculators::kind::{FuelFacts, Kind};
    /// let methanol = FuelFacts { kind: Some(Kind::Methanol), ..FuelFacts::default() };
    /// assert_eq!(methanol.properties(Kind::Gasoline).map(|f| f.stoich_afr), Some(6.46));
    /// assert_eq!(FuelFacts::default().properties(Kind::Gasoline), None, "nobody measured its ethanol");
    /// assert_eq!(FuelFacts::default().properties(Kind::Diesel).map(|f| f.stoich_afr), Some(14.5));
    /// ```
    pub fn properties(&self, usual: Kind) -> Option<Fuel> {
        let typical = self.kind.unwrap_or(usual).typical(self.ethanol);
        Some(Fuel {
            density_kg_l: self.density_kg_l.or(typical.map(|t| t.density_kg_l))?,
            stoich_afr: self.stoich_afr.or(typical.map(|t| t.stoich_afr))?,
            lhv_mj_kg: self.lhv_mj_kg.or(typical.map(|t| t.lhv_mj_kg))?,
        })
    }

    /// Refuses properties that cannot be.
    ///
    /// # Errors
    /// [`OutOfRange`] with the bound that is left.
    pub fn check(&self) -> Result<(), OutOfRange> {
        let each = [(DENSITY, self.density_kg_l), (STOICH, self.stoich_afr), (HEAT, self.lhv_mj_kg)];
        each.into_iter().filter_map(|(b, v)| Some(b.check(v?))).try_for_each(|r| r.map(|_| ()))
    }
}

impl Fuel {
    /// Litres of it at equal air and λ, for one of neat gasoline.
    ///
    /// # Formula
    /// `(AFRg·ρg)/(AFR·ρ)`
    ///
    /// where
    /// - `AFR`, `ρ`: stoichiometric air-fuel ratio and density, kg/L; `g`: of neat gasoline (domain, section 6).
    pub fn volume_flow(&self) -> f64 {
        GASOLINE.stoich_afr * GASOLINE.density_kg_l / (self.stoich_afr * self.density_kg_l)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_typed_stands_in_place_of_what_is_typical() {
        let of = |f: FuelFacts| f.properties(Kind::Gasoline);
        let e85 = of(FuelFacts::of_ethanol(0.85)).unwrap();
        let blend = ethanol_blend(0.85).unwrap();
        assert!((e85.volume_flow() - blend.volume_flow_ratio).abs() < 1e-12);
        let dense = FuelFacts { density_kg_l: Some(0.80), ..FuelFacts::of_ethanol(0.85) };
        assert_eq!(of(dense).unwrap(), Fuel { density_kg_l: 0.80, ..e85 });
        let methanol = FuelFacts { kind: Some(Kind::Methanol), ..FuelFacts::default() };
        assert!((of(methanol).unwrap().volume_flow() - 14.7 * 0.745 / (6.46 * 0.792)).abs() < 1e-12);
        let typed = FuelFacts { density_kg_l: Some(0.7), stoich_afr: Some(15.1), ..FuelFacts::default() };
        assert_eq!(of(typed), None, "its heating value is not known");
        assert!(of(FuelFacts { lhv_mj_kg: Some(44.0), ..typed }).is_some());
    }

    #[test]
    fn a_property_that_cannot_be_is_refused_with_its_bounds() {
        let wrong = FuelFacts { density_kg_l: Some(745.0), ..FuelFacts::default() };
        assert!(wrong.check().unwrap_err().to_string().contains("density"));
        assert!(FuelFacts { stoich_afr: Some(14.7), ..FuelFacts::default() }.check().is_ok());
        assert!(Kind::ALL.into_iter().all(|k| Kind::of(k.id()) == Some(k)) && Kind::of("").is_none());
    }
}
