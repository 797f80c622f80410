//! What an engine is: dimensions and coefficients, read from readable text so that a person can edit them.

use serde::Deserialize;

/// A curve over engine speed.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OverRpm {
    /// Engine speeds, rpm, ascending.
    pub rpm: Vec<f64>,
    /// Values there.
    pub value: Vec<f64>,
}

impl OverRpm {
    /// Value at a speed, held at the ends.
    pub(crate) fn at(&self, rpm: f64) -> f64 {
        jamjar_core::signal::interp::linear_clamped(&self.rpm, &self.value, rpm).unwrap_or(0.0)
    }

    pub(crate) fn problem(&self) -> Option<&'static str> {
        if self.rpm.len() < 2 || self.rpm.len() != self.value.len() {
            Some("needs at least two speeds and as many values")
        } else if self.rpm.windows(2).any(|w| w[1] <= w[0]) {
            Some("needs ascending speeds")
        } else {
            None
        }
    }
}

/// How the charge is lit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Ignition {
    Spark,
    Compression,
}

/// An engine. Coefficients are typical of its kind and ours to choose; nothing describes a real engine.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EngineSpec {
    /// Cylinders.
    pub cylinders: usize,
    /// Displacement, L.
    pub displacement_l: f64,
    /// How the charge is lit.
    pub ignition: Ignition,
    /// Volumetric efficiency at the manifold's state.
    pub volumetric_efficiency: OverRpm,
    /// Indicated efficiency at the best spark (or injection) and λ.
    pub indicated_efficiency: f64,
    /// Friction mean pressure at 90 °C oil: constant and per 1000 rpm, kPa.
    pub friction_kpa: [f64; 2],
    /// Torque of pump, fan and alternator, N·m.
    pub accessories_nm: f64,
    /// Rotating inertia of engine and driveline at the crank, kg·m².
    pub rotating_inertia_kg_m2: f64,
    /// Share of crank torque that reaches the dyno, warm.
    pub driveline: f64,
    /// Pressure lost in the air filter at 100 g/s, kPa.
    pub filter_kpa: f64,
    /// Open throttle: pressure lost at 100 g/s, kPa.
    pub throttle_kpa: f64,
    /// Exhaust without turbine: pressure over ambient at 100 g/s, kPa.
    pub exhaust_kpa: f64,
    /// Heat to walls, as a share of the fuel's energy.
    pub wall_share: f64,
    /// Exhaust temperature of each cylinder over the mean, K.
    #[serde(default)]
    pub cylinder_exhaust_k: Vec<f64>,
    /// Air-cooled: the cylinders run hotter and have no coolant.
    #[serde(default)]
    pub air_cooled: bool,
    /// Turbocharger, if any.
    pub turbo: Option<Turbo>,
    /// Belt-driven blower, if any.
    pub blower: Option<Blower>,
    /// Intercooler, if any.
    pub intercooler: Option<Intercooler>,
    /// Injectors and pump.
    pub fuel: FuelSystem,
    /// Spark ignition: burn and knock.
    pub spark: Option<SparkBurn>,
    /// Compression ignition.
    pub diesel: Option<DieselBurn>,
}

/// A turbocharger.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Turbo {
    /// Highest shaft speed, rpm.
    pub speed_limit_rpm: f64,
    /// Inertia of the shaft, kg·m².
    pub inertia_kg_m2: f64,
    /// Pressure ratio at full speed and no flow, less one.
    pub head: f64,
    /// Corrected flow at which the compressor gives no pressure at full speed, g/s.
    pub choke_g_s: f64,
    /// Compressor and turbine efficiency.
    pub efficiency: [f64; 2],
    /// Flow capacity of the turbine, g·√K/(s·kPa).
    pub turbine: f64,
    /// The same of the open waste gate: its authority.
    pub wastegate: f64,
    /// Time constant of the waste-gate actuator, s.
    pub actuator_s: f64,
}

/// A belt-driven blower.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Blower {
    /// Blower speed ÷ crank speed without slip.
    pub ratio: f64,
    /// Air moved per turn, L.
    pub per_turn_l: f64,
    /// Efficiency.
    pub efficiency: f64,
    /// Torque at the blower above which the belt slips when it hardly turns, N·m.
    pub belt_holds_nm: f64,
    /// Blower speed at which the belt's own weight, flung outward, has taken all its grip, rpm: what it holds
    /// falls with the square.
    pub belt_lifts_rpm: f64,
    /// Slip for each N·m above, as a share.
    pub slip_per_nm: f64,
}

/// An intercooler with its own heat.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Intercooler {
    /// Share of the difference to its metal that is taken out.
    pub effectiveness: f64,
    /// Heat capacity, J/K.
    pub heat_j_k: f64,
    /// Heat it gives to the cell's fan, W/K.
    pub to_air_w_k: f64,
    /// Pressure lost at 100 g/s, kPa.
    pub loss_kpa: f64,
}

/// Injectors and pump.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FuelSystem {
    /// Flow of one injector, always open, of a fuel of 0.745 kg/L at nominal pressure, g/s (spark ignition).
    pub injector_g_s: f64,
    /// Dead time, ms.
    pub dead_time_ms: f64,
    /// Nominal pressure over the manifold, kPa.
    pub pressure_kpa: f64,
    /// Volume the pump delivers at nominal pressure, L/h.
    pub pump_l_h: f64,
    /// Share of fuel each cylinder receives, 1 on average.
    #[serde(default)]
    pub spread: Vec<f64>,
}

/// Spark ignition.
///
/// `θ_MBT = mbt[0] + mbt[1]·n/1000 − mbt[2]·(p−100 kPa)`; knock begins at `θ_k = knock[0] + knock[1]·n/1000 +
/// knock[2]·(RON−95) − knock[3]·(p−100) − knock[4]·(T−40 °C) + 12·(0.9−λ)`.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SparkBurn {
    /// Coefficients of the best spark.
    pub mbt: [f64; 3],
    /// Efficiency lost per square degree away from it.
    pub per_deg2: f64,
    /// Coefficients of the onset of knock.
    pub knock: [f64; 5],
    /// Standard deviation of the onset from cycle to cycle, °.
    pub cyclic_deg: f64,
}

/// Compression ignition.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DieselBurn {
    /// λ below which it smokes and loses efficiency.
    pub smoke_lambda: f64,
    /// Best start of injection: at 1000 rpm and per 1000 rpm more, ° before TDC.
    pub best_start: [f64; 2],
    /// Efficiency lost per square degree away from it.
    pub per_deg2: f64,
    /// Rail volume the pump holds at 1000 rpm, mm³ per stroke and cylinder, and what it loses per 1000 rpm.
    pub rail_pump_mm3: [f64; 2],
    /// Mass one injector gives, mg per µs beyond its dead time at 100 MPa (∝ √p).
    pub mg_per_us: f64,
    /// Dead time of an injector, µs.
    pub dead_us: f64,
}

impl EngineSpec {
    /// What makes no sense, in words.
    pub(crate) fn problem(&self) -> Option<String> {
        let positive = [
            ("displacement_l", self.displacement_l),
            ("indicated_efficiency", self.indicated_efficiency),
            ("driveline", self.driveline),
            ("fuel.injector_g_s", self.fuel.injector_g_s),
            ("fuel.pump_l_h", self.fuel.pump_l_h),
            ("fuel.pressure_kpa", self.fuel.pressure_kpa),
        ];
        if let Some((name, v)) = positive.iter().find(|(_, v)| !(v.is_finite() && *v > 0.0)) {
            return Some(format!("engine: {name} must be a positive number, got {v}"));
        }
        if !(1..=16).contains(&self.cylinders) {
            return Some(format!("engine: cylinders must be 1 to 16, got {}", self.cylinders));
        }
        if let Some(p) = self.volumetric_efficiency.problem() {
            return Some(format!("engine: volumetric_efficiency {p}"));
        }
        match (self.ignition, &self.spark, &self.diesel) {
            (Ignition::Spark, None, _) => {
                Some("engine: ignition is spark, so it needs a [spark] part".into())
            }
            (Ignition::Compression, _, None) => {
                Some("engine: ignition is compression, so it needs a [diesel] part".into())
            }
            _ if self.turbo.is_some() && self.blower.is_some() => {
                Some("engine: a turbo and a blower together are not simulated".into())
            }
            _ => None,
        }
    }

    /// Share of fuel of a cylinder.
    pub(crate) fn share_of(&self, cylinder: usize) -> f64 {
        self.fuel.spread.get(cylinder).copied().unwrap_or(1.0)
    }
}
