//! Pump fuels and blends as the engine sees them.

/// A fuel in the tank.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SimFuel {
    /// Name on the day sheet.
    pub name: &'static str,
    /// Stoichiometric air–fuel ratio.
    pub stoich_afr: f64,
    /// Lower heating value, MJ/kg.
    pub lhv_mj_kg: f64,
    /// Density, kg/L.
    pub density_kg_l: f64,
    /// Research octane number, for the knock threshold.
    pub ron: f64,
    /// Charge cooling against gasoline, K (latent heat).
    pub cooling_k: f64,
}

/// Pump fuel with 5 % ethanol, RON 95.
pub(crate) const RON_95: SimFuel = SimFuel { name: "RON 95 E5", stoich_afr: 14.4, lhv_mj_kg: 42.5, density_kg_l: 0.747, ron: 95.0, cooling_k: 0.0 };
/// 30 % ethanol.
pub(crate) const E30: SimFuel = SimFuel { name: "E30", stoich_afr: 12.9, lhv_mj_kg: 38.3, density_kg_l: 0.758, ron: 101.0, cooling_k: 6.0 };
