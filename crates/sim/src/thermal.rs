//! Heat that stays between pulls: oil, coolant, intercooler, cell.

use crate::engine::EngineSpec;

/// Temperatures carried through the day, °C.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Thermal {
    pub(crate) oil_c: f64,
    pub(crate) coolant_c: f64,
    pub(crate) metal_c: f64,
    /// Warmth of the cell's air at the filter over ambient, K.
    pub(crate) cell_k: f64,
}

/// Oil and coolant at which a warm engine stands ready, °C.
const READY: (f64, f64) = (88.0, 86.0);

impl Thermal {
    /// A warm engine at the start of the day; `short_k` below ready when it was not warmed through.
    pub(crate) fn morning(ambient_c: f64, short_k: f64) -> Self {
        Self {
            oil_c: READY.0 - short_k,
            coolant_c: READY.1 - 0.4 * short_k,
            metal_c: ambient_c + 6.0,
            cell_k: 2.0,
        }
    }

    /// The state in which configurations are compared at equal conditions.
    pub(crate) fn reference(ambient_c: f64) -> Self {
        Self { oil_c: 95.0, coolant_c: 90.0, metal_c: ambient_c + 8.0, cell_k: 3.0 }
    }

    /// Rest between pulls: exponential towards ready and ambient; 240 s fan on the intercooler, 500 s oil,
    /// 900 s cell.
    pub(crate) fn rest(&mut self, seconds: f64, ambient_c: f64) {
        let towards = |v: &mut f64, to: f64, tau: f64| *v += (to - *v) * (1.0 - (-seconds / tau).exp());
        towards(&mut self.oil_c, READY.0 + 4.0, 500.0);
        towards(&mut self.coolant_c, READY.1, 200.0);
        towards(&mut self.metal_c, ambient_c + 6.0, 240.0);
        towards(&mut self.cell_k, 2.0, 900.0);
    }

    /// One step under a power, W: `C·dT/dt` of oil 14 kJ/K, coolant 26 kJ/K, cell air.
    pub(crate) fn heat(&mut self, e: &EngineSpec, power_w: f64, dt: f64) {
        let share = if e.air_cooled { 0.22 } else { 0.09 };
        self.oil_c += dt * share * power_w / 14_000.0;
        self.coolant_c += dt * (0.12 * power_w - 600.0 * (self.coolant_c - 84.0).max(0.0)) / 26_000.0;
        self.cell_k += dt * power_w * 4e-7;
    }
}
