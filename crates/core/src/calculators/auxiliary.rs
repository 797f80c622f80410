//! Water and methanol injected beside the fuel: how much flows, what it counts as fuel, what it can cool.

use super::fuel::GASOLINE;
use super::kind::METHANOL;
use crate::bounds::{Bound, OutOfRange};
use serde::Serialize;

const PRESSURE: Bound = Bound::new("pressure over ambient", "kPa", -101.0, 5_000.0);
const RATED: Bound = Bound::new("pressure the nozzle is rated at", "kPa", 1.0, 5_000.0);
const NOZZLE: Bound = Bound::new("nozzle flow", "L/min", 0.001, 100.0);
const SHARE: Bound = Bound::new("share of methanol", "", 0.0, 1.0);
const LAMBDA: Bound = Bound::new("λ", "", 0.3, 5.0);
const AIR: Bound = Bound::new("air flow", "g/s", 0.1, 100_000.0);

/// Density, kg/L, of water and of methanol.
const DENSITY: [f64; 2] = [0.998, METHANOL.density_kg_l];
/// Heat that evaporating takes, kJ/kg, of water and of methanol at about 25 °C (our choice of typical values).
const EVAPORATION: [f64; 2] = [2440.0, 1170.0];
/// Heat capacity of air, kJ/(kg·K).
const AIR_CP: f64 = 1.006;

/// An installation.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Auxiliary {
    /// Flow of the nozzle, L/min, at the pressure it is rated at.
    pub nozzle_l_min: f64,
    /// That pressure, kPa.
    pub rated_kpa: f64,
    /// Pressure the pump makes, kPa over ambient.
    pub pump_kpa: f64,
    /// Boost from which it flows and from which it flows fully, kPa over ambient.
    pub from_kpa: [f64; 2],
    /// Share of methanol in the mixture, by volume; the rest is water.
    pub methanol: f64,
}

/// What flows at one boost.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Flow {
    /// Mixture, L/min.
    pub l_min: f64,
    /// Water, g/s.
    pub water_g_s: f64,
    /// Methanol, g/s.
    pub methanol_g_s: f64,
    /// Fuel of a stoichiometric ratio of 14.7 that burns with as much air, g/s.
    pub counts_as_g_s: f64,
}

impl Auxiliary {
    /// Flow at a boost.
    ///
    /// # Formula
    /// `Q = Q_r·√((p_pump − p_boost)/p_r)·s`, `s` from 0 to 1 between start and full boost
    ///
    /// where
    /// - `Q_r`, `p_r`: the nozzle's flow and the pressure it holds for; pressures in kPa over ambient (domain, section 6;
    ///   flow rises evenly between start and full boost, our choice).
    ///
    /// ```
    /// use jamjar_core::calculators::auxiliary::Auxiliary;
    /// let a = Auxiliary { nozzle_l_min: 0.4, rated_kpa: 700.0, pump_kpa: 1000.0, from_kpa: [60.0, 120.0], methanol: 0.5 };
    /// assert_eq!(a.at(50.0)?.l_min, 0.0, "it has not begun");
    /// assert!((a.at(300.0)?.l_min - 0.4).abs() < 1e-12, "700 kPa across the nozzle: what it is rated at");
    /// # Ok::<(), jamjar_core::bounds::OutOfRange>(())
    /// ```
    ///
    /// # Errors
    /// [`OutOfRange`] for a number that cannot be.
    pub fn at(&self, boost_kpa: f64) -> Result<Flow, OutOfRange> {
        let boost = PRESSURE.check(boost_kpa)?;
        let (nozzle, rated) = (NOZZLE.check(self.nozzle_l_min)?, RATED.check(self.rated_kpa)?);
        let (pump, methanol) = (PRESSURE.check(self.pump_kpa)?, SHARE.check(self.methanol)?);
        let [start, full] = [PRESSURE.check(self.from_kpa[0])?, PRESSURE.check(self.from_kpa[1])?];
        let opened = if boost < start {
            0.0
        } else if full > start {
            ((boost - start) / (full - start)).min(1.0)
        } else {
            1.0
        };
        let l_min = nozzle * ((pump - boost).max(0.0) / rated).sqrt() * opened;
        let g_s = |share: f64, density: f64| l_min * share * density * 1000.0 / 60.0;
        let methanol_g_s = g_s(methanol, DENSITY[1]);
        Ok(Flow {
            l_min,
            water_g_s: g_s(1.0 - methanol, DENSITY[0]),
            methanol_g_s,
            counts_as_g_s: methanol_g_s * METHANOL.stoich_afr / GASOLINE.stoich_afr,
        })
    }
}

impl Flow {
    /// λ with it, where the mixture without it is known and the fuel is left as it was.
    ///
    /// # Formula
    /// `1/λ' = 1/λ + 6.46·ṁ_m/ṁ_a`
    ///
    /// where
    /// - `ṁ_m`, `ṁ_a`: methanol and air, g/s; 6.46 the stoichiometric air-fuel ratio of methanol (domain, section 6).
    ///
    /// # Errors
    /// [`OutOfRange`] for a λ or an air flow that cannot be.
    pub fn lambda_with(&self, lambda: f64, air_g_s: f64) -> Result<f64, OutOfRange> {
        let (lambda, air) = (LAMBDA.check(lambda)?, AIR.check(air_g_s)?);
        Ok(1.0 / (1.0 / lambda + METHANOL.stoich_afr * self.methanol_g_s / air))
    }

    /// The most it can cool the air, K: all of it evaporated in it, which never happens; what it does cool shows in the
    /// intake temperature.
    ///
    /// # Formula
    /// `ΔT = (ṁ_w·2440 + ṁ_m·1170)/(ṁ_a·1.006)`
    ///
    /// # Errors
    /// [`OutOfRange`] for an air flow that cannot be.
    pub fn cools_at_most(&self, air_g_s: f64) -> Result<f64, OutOfRange> {
        let air = AIR.check(air_g_s)?;
        Ok((self.water_g_s * EVAPORATION[0] + self.methanol_g_s * EVAPORATION[1]) / (air * AIR_CP))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const A: Auxiliary = Auxiliary {
        nozzle_l_min: 0.4,
        rated_kpa: 700.0,
        pump_kpa: 1000.0,
        from_kpa: [60.0, 120.0],
        methanol: 0.5,
    };

    #[test]
    fn it_opens_between_its_pressures_and_stops_where_boost_meets_the_pump() {
        let half = A.at(90.0).unwrap();
        assert!((half.l_min - 0.4 * (910.0f64 / 700.0).sqrt() * 0.5).abs() < 1e-12);
        assert_eq!(A.at(1000.0).unwrap().l_min, 0.0);
        assert_eq!(A.at(1500.0).unwrap().l_min, 0.0);
        let at_once = Auxiliary { from_kpa: [60.0, 60.0], ..A };
        assert!(at_once.at(60.0).unwrap().l_min > 0.4);
        assert!(Auxiliary { methanol: 50.0, ..A }.at(90.0).is_err());
    }

    #[test]
    fn methanol_makes_it_richer_and_water_alone_does_not() {
        let f = A.at(300.0).unwrap();
        // 0.2 L/min of methanol is 2.64 g/s: with 150 g/s of air 17.05 g/s of it burn beside the fuel's.
        assert!((f.methanol_g_s - 2.64).abs() < 0.01, "{f:?}");
        let l = f.lambda_with(0.85, 150.0).unwrap();
        assert!((1.0 / l - (1.0 / 0.85 + 17.054 / 150.0)).abs() < 1e-3 && l < 0.85);
        let water = Auxiliary { methanol: 0.0, ..A }.at(300.0).unwrap();
        assert!((water.lambda_with(0.85, 150.0).unwrap() - 0.85).abs() < 1e-12);
        assert!(water.cools_at_most(150.0).unwrap() > f.cools_at_most(150.0).unwrap());
    }
}
