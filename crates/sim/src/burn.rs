//! Combustion: what a cylinder makes of its air and fuel, and what it does to spark, knock and exhaust.
//!
//! Forms after Heywood, chapters 9 and 15: efficiency quadratic around the best spark, best λ rich of
//! stoichiometric for power, exhaust temperature from the energy that neither crank nor wall took.

use crate::charge::CP_EXHAUST;
use crate::engine::{DieselBurn, EngineSpec, SparkBurn};
use crate::fuel::SimFuel;

/// Speed at which the share of heat to the walls is stated, rpm; it falls with the fourth root of speed.
const WALL_RPM: f64 = 4000.0;
/// λ of best power.
const BEST_LAMBDA: f64 = 0.88;

/// One cylinder's state before the burn.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Cylinder {
    pub(crate) rpm: f64,
    pub(crate) manifold_kpa: f64,
    pub(crate) charge_c: f64,
    /// Air of this cylinder per cycle, g.
    pub(crate) air_g: f64,
    pub(crate) lambda: f64,
    /// Delivered spark, or start of injection, ° before TDC.
    pub(crate) angle_deg: f64,
}

/// What came out of one cycle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Burn {
    /// Indicated work, J.
    pub(crate) work_j: f64,
    /// Exhaust gas, K.
    pub(crate) exhaust_k: f64,
    /// Smoke, 0–100 % opacity (diesel).
    pub(crate) smoke_percent: f64,
}

impl SparkBurn {
    /// Spark for best torque, ° before TDC.
    pub(crate) fn mbt_deg(&self, rpm: f64, manifold_kpa: f64, ethanol: f64) -> f64 {
        self.mbt[0] + self.mbt[1] * rpm / 1000.0 - self.mbt[2] * (manifold_kpa - 100.0) - 2.0 * ethanol
    }

    /// Spark at which the average cycle begins to knock, ° before TDC.
    pub(crate) fn knock_deg(&self, c: &Cylinder, ron: f64) -> f64 {
        let k = &self.knock;
        k[0] + k[1] * c.rpm / 1000.0 + k[2] * (ron - 95.0)
            - k[3] * (c.manifold_kpa - 100.0)
            - k[4] * (c.charge_c - 40.0)
            + 12.0 * (0.9 - c.lambda)
    }
}

/// Work per kilogram of air relative to the best λ.
fn by_lambda(lambda: f64) -> f64 {
    let d = lambda - BEST_LAMBDA;
    (1.0 - if d > 0.0 { 2.3 } else { 1.4 } * d * d).max(0.0)
}

/// Burns one cycle of a cylinder.
///
/// # Formula
/// Spark: `W = m_a·LHV/AFR_s·η_i·g(λ)·(1 − k·(θ−θ_MBT)²)`. Compression: `W = m_f·LHV·η_i·h(λ)·(1 −
/// k·(θ−θ_best)²)`, `h` falls below the smoke limit. Exhaust: `T = T_m + E·(1 − η − wall)/((1+f)·cp) −
/// 750·(1−λ)` for rich, `+ 3 K` for each degree of retard.
pub(crate) fn burn(e: &EngineSpec, c: &Cylinder, fuel: &SimFuel) -> Burn {
    match (&e.spark, &e.diesel) {
        (Some(s), _) => spark(e, s, c, fuel),
        (_, Some(d)) => compression(e, d, c, fuel),
        _ => Burn { work_j: 0.0, exhaust_k: c.charge_c + 273.15, smoke_percent: 0.0 },
    }
}

fn exhaust(e: &EngineSpec, c: &Cylinder, per_air_j_kg: f64, eta: f64, fuel_per_air: f64) -> f64 {
    let wall = e.wall_share * (WALL_RPM / c.rpm.max(600.0)).powf(0.25);
    c.charge_c + 273.15 + per_air_j_kg * (1.0 - eta - wall).max(0.05) / ((1.0 + fuel_per_air) * CP_EXHAUST)
}

fn spark(e: &EngineSpec, s: &SparkBurn, c: &Cylinder, fuel: &SimFuel) -> Burn {
    let late = s.mbt_deg(c.rpm, c.manifold_kpa, fuel.ethanol) - c.angle_deg;
    let per_air = fuel.lhv_mj_kg * 1e6 / fuel.stoich_afr;
    let burnt = if c.lambda > 1.0 { 1.0 / c.lambda } else { 1.0 };
    let eta = e.indicated_efficiency * by_lambda(c.lambda) * (1.0 - s.per_deg2 * late * late).max(0.2);
    let fuel_per_air = 1.0 / (c.lambda * fuel.stoich_afr);
    let rich = 750.0 * (1.0 - c.lambda).max(0.0);
    Burn {
        work_j: c.air_g * 1e-3 * per_air * eta,
        exhaust_k: exhaust(e, c, per_air * burnt, eta, fuel_per_air) - rich + 3.0 * late.max(0.0)
            - 30.0 * fuel.ethanol,
        smoke_percent: 0.0,
    }
}

fn compression(e: &EngineSpec, d: &DieselBurn, c: &Cylinder, fuel: &SimFuel) -> Burn {
    let away = d.best_start[0] + d.best_start[1] * (c.rpm / 1000.0 - 1.0) - c.angle_deg;
    let short = (d.smoke_lambda + 0.12 - c.lambda).max(0.0);
    let eta =
        e.indicated_efficiency * (1.0 - 0.55 * short).max(0.3) * (1.0 - d.per_deg2 * away * away).max(0.3);
    let per_air = fuel.lhv_mj_kg * 1e6 / (fuel.stoich_afr * c.lambda.max(0.8));
    let smoke = 100.0 * (1.0 - (-((d.smoke_lambda + 0.06 - c.lambda).max(0.0) * 4.0)).exp());
    Burn {
        work_j: c.air_g * 1e-3 * per_air * eta,
        exhaust_k: exhaust(e, c, per_air, eta, 1.0 / (c.lambda * fuel.stoich_afr)) + 4.0 * away.max(0.0),
        smoke_percent: smoke,
    }
}

/// Friction torque, N·m, at an oil temperature.
///
/// `T = (a + b·n/1000)·V_d/4π·(1 + 0.006·(90 − t_oil))`: thicker oil below 90 °C.
pub(crate) fn friction_nm(e: &EngineSpec, rpm: f64, oil_c: f64) -> f64 {
    let kpa = e.friction_kpa[0] + e.friction_kpa[1] * rpm / 1000.0;
    kpa * 1e3 * e.displacement_l * 1e-3 / (4.0 * std::f64::consts::PI)
        * (1.0 + 0.006 * (90.0 - oil_c).clamp(-20.0, 70.0))
        + e.accessories_nm
}
