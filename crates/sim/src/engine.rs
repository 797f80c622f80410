//! Mean-value engine: air from volumetric efficiency and manifold pressure, fuel from λ, torque from efficiency and spark.

use crate::fuel::SimFuel;

/// What a calibration asks for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Map {
    /// Name and revision.
    pub name: &'static str,
    /// Kind: stock, off-the-shelf, custom.
    pub kind: &'static str,
    /// Boost target over ambient, kPa gauge.
    pub boost_kpa: f64,
    /// Commanded λ at full load, at 2000 and at 6500 rpm.
    pub lambda: [f64; 2],
    /// Commanded spark at 2000 and 6500 rpm, ° before TDC.
    pub spark_deg: [f64; 2],
}

/// A three-cylinder turbocharged engine of 1.6 L, as in the demo vehicle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct EngineModel {
    /// Displacement, m³.
    pub displacement_m3: f64,
    /// Injector flow of all injectors at full duty, g/s of a fuel of 0.745 kg/L.
    pub injector_g_s: f64,
    /// Share of crank torque that reaches the hub.
    pub driveline: f64,
}

/// Share of full injector flow that the fuel pump can hold: beyond it λ goes lean.
const PUMP_SHARE: f64 = 0.825;

/// Default demo engine.
pub(crate) const TOLVERN_T3: EngineModel = EngineModel { displacement_m3: 1.6e-3, injector_g_s: 16.4, driveline: 0.885 };

/// Air around and in the engine.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OperatingPoint {
    /// Engine speed, rpm.
    pub rpm: f64,
    /// Ambient pressure, kPa.
    pub ambient_kpa: f64,
    /// Intake air temperature, °C.
    pub intake_c: f64,
}

/// What the engine does there.
#[derive(Debug, Clone, Copy, PartialEq)]
#[allow(missing_docs)]
pub struct Output {
    pub hub_torque_engine_nm: f64,
    pub manifold_kpa: f64,
    pub lambda: f64,
    pub spark_deg: f64,
    pub knock_retard_deg: f64,
    pub fuel_g_s: f64,
    pub air_g_s: f64,
    pub duty_percent: f64,
    pub exhaust_steady_c: f64,
}

fn between(pair: [f64; 2], rpm: f64) -> f64 {
    pair[0] + (pair[1] - pair[0]) * ((rpm - 2000.0) / 4500.0).clamp(0.0, 1.0)
}

impl EngineModel {
    /// Steady full-load output.
    ///
    /// # Formula
    /// `m_air = VE(n)·p_m·V/(R·T)` per cycle; `p_m` follows the target through a logistic spool and tapers where the
    /// compressor runs out of flow; `m_fuel = m_air/(λ·AFR_s)`, bounded by injectors and pump, so λ goes lean when they end;
    /// `T = η(λ)·η_spark·m_fuel·LHV/4π − T_fric(n)`, `η_spark = 1 − 4.2e-4·(θ − θ_MBT)²`;
    /// knock retard is what the commanded spark exceeds a threshold falling with pressure and temperature, rising with octane.
    /// Simplified: no cylinder-to-cylinder spread, no exhaust back pressure, spool independent of history.
    pub fn at(&self, p: OperatingPoint, map: &Map, fuel: &SimFuel) -> Output {
        let n = p.rpm;
        let spool = 1.0 / (1.0 + (-(n - 2350.0) / 290.0).exp());
        let taper = 1.0 - 0.10 * ((n - 5600.0) / 1200.0).clamp(0.0, 1.5) * (map.boost_kpa / 100.0);
        let manifold_kpa = p.ambient_kpa * 0.97 + map.boost_kpa * spool * taper;
        let ve = 0.93 - 0.16 * ((n - 4300.0) / 3400.0).powi(2);
        let charge_k = p.intake_c + 273.15 + 9.0 - fuel.cooling_k;
        let air_cycle_kg = ve * manifold_kpa * 1000.0 * self.displacement_m3 / (287.05 * charge_k);
        let cycles = n / 120.0;
        let air_g_s = air_cycle_kg * cycles * 1000.0;
        let wanted = between(map.lambda, n);
        let fuel_wanted = air_g_s / (wanted * fuel.stoich_afr);
        let most = self.injector_g_s * fuel.density_kg_l / 0.745;
        let fuel_g_s = fuel_wanted.min(most * PUMP_SHARE);
        let lambda = air_g_s / (fuel_g_s * fuel.stoich_afr);
        let mbt = 11.0 + 17.0 * ((n - 1500.0) / 5000.0).clamp(0.0, 1.2) - 0.035 * (manifold_kpa - 160.0);
        let commanded = between(map.spark_deg, n);
        let threshold = mbt - 6.5 + 0.62 * (fuel.ron - 95.0) - 0.045 * (manifold_kpa - 180.0) - 0.09 * (p.intake_c - 30.0) - fuel.cooling_k * -0.05;
        let knock_retard_deg = (commanded - threshold).max(0.0) * 0.9;
        let spark_deg = commanded - knock_retard_deg;
        let eta_lambda =
            if lambda < 1.0 { 1.0 - 0.95 * (lambda - 0.9).powi(2) - 0.12 * (0.9 - lambda).max(0.0) } else { 1.0 - 0.4 * (lambda - 0.95) };
        let eta = 0.365 * eta_lambda * lambda.min(1.0).powf(0.82) * (1.0 - 4.2e-4 * (spark_deg - mbt).powi(2));
        let indicated = eta * (fuel_g_s / 1000.0 / cycles) * fuel.lhv_mj_kg * 1e6 / (4.0 * std::f64::consts::PI);
        let friction = (95.0 + 0.014 * n) * 1000.0 * self.displacement_m3 / (4.0 * std::f64::consts::PI);
        let exhaust_steady_c = 690.0 + 0.0395 * n + 0.62 * (manifold_kpa - 150.0) + 240.0 * (lambda - 0.86) + 5.0 * (mbt - 8.0 - spark_deg);
        Output {
            hub_torque_engine_nm: (indicated - friction) * self.driveline,
            manifold_kpa,
            lambda,
            spark_deg,
            knock_retard_deg,
            fuel_g_s,
            air_g_s,
            duty_percent: 100.0 * fuel_g_s / most,
            exhaust_steady_c,
        }
    }

    /// True power at the hub, kW.
    pub fn hub_power_kw(&self, p: OperatingPoint, map: &Map, fuel: &SimFuel) -> f64 {
        self.at(p, map, fuel).hub_torque_engine_nm * p.rpm * std::f64::consts::PI / 30.0 / 1000.0
    }
}
