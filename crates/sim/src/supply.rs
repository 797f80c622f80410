//! The fuel path: injectors with dead time and a duty limit, a pump that sags, a rail.

use crate::computer::Demand;
use crate::engine::{DieselBurn, EngineSpec};
use crate::fault::Faults;
use crate::fuel::SimFuel;

/// Longest an injector is open, as a share of the cycle.
const LONGEST: f64 = 0.98;
/// Share of wall film the computer does not make up for at tip-in; it decays with this time constant, s.
const FILM_S: f64 = 0.45;

/// What drives the fuel path in one step.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Feed<'a> {
    pub(crate) engine: &'a EngineSpec,
    pub(crate) demand: &'a Demand,
    pub(crate) fuel: &'a SimFuel,
    pub(crate) faults: &'a Faults,
    pub(crate) rpm: f64,
    pub(crate) dt: f64,
}

/// What the fuel path is doing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Supply {
    /// Fuel pressure over the manifold, kPa.
    pub(crate) pressure_kpa: f64,
    /// Rail pressure, MPa (diesel).
    pub(crate) rail_mpa: f64,
    /// Fuel into the engine, g/s.
    pub(crate) fuel_g_s: f64,
    /// Opening of one injector, ms.
    pub(crate) pulse_ms: f64,
    /// Duty, %.
    pub(crate) duty_percent: f64,
    /// Injection duration, µs (diesel).
    pub(crate) duration_us: f64,
    film: f64,
}

impl Supply {
    pub(crate) fn at_rest(e: &EngineSpec) -> Self {
        Self {
            pressure_kpa: e.fuel.pressure_kpa,
            rail_mpa: 40.0,
            fuel_g_s: 0.5,
            pulse_ms: 2.0,
            duty_percent: 4.0,
            duration_us: 500.0,
            film: 0.0,
        }
    }

    /// One step of a spark-ignition engine: mass of fuel per cylinder and cycle, g.
    ///
    /// # Formula
    /// Wanted `m = m_air/(λ·AFR_map)`; the injector gives `flow·√(p/p_0)·(ρ/0.745)` while open, at most 98 %
    /// of the cycle; when flow exceeds the pump's, pressure falls towards `p_0·(pump/flow)²` within 0.15 s.
    pub(crate) fn inject(&mut self, feed: &Feed<'_>, air_g: f64, stoich_map: f64, tip: bool) -> f64 {
        let Feed { engine: e, demand: d, fuel, faults, rpm, dt } = *feed;
        if tip {
            self.film = faults.lean_tip;
        }
        self.film -= self.film * (dt / FILM_S).min(1.0);
        let wanted = air_g / (d.lambda * stoich_map) * (1.0 - self.film);
        let cycle_s = 120.0 / rpm.max(300.0);
        let rate = e.fuel.injector_g_s * faults.injector_factor * (fuel.density_kg_l / 0.745);
        // The computer reckons with nominal pressure and with the fuel its map was made for: it does not see
        // sag.
        let open_s = (wanted / rate).min(LONGEST * cycle_s - e.fuel.dead_time_ms * 1e-3);
        self.pulse_ms = if d.fuel_cut { 0.0 } else { open_s * 1e3 + e.fuel.dead_time_ms };
        self.duty_percent = 100.0 * self.pulse_ms * 1e-3 / cycle_s;
        let given = if d.fuel_cut {
            0.0
        } else {
            rate * (self.pressure_kpa / e.fuel.pressure_kpa).max(0.05).sqrt() * open_s
        };
        let asked_g_s = rate * open_s * e.cylinders as f64 / cycle_s;
        let pump_g_s = e.fuel.pump_l_h * faults.pump_factor * fuel.density_kg_l / 3.6;
        let toward = e.fuel.pressure_kpa * (pump_g_s / asked_g_s.max(0.1)).min(1.0).powi(2);
        self.pressure_kpa += (toward - self.pressure_kpa) * (dt / 0.15).min(1.0);
        self.fuel_g_s = given * e.cylinders as f64 / cycle_s;
        given
    }

    /// One step of a diesel: mass of fuel per cylinder and stroke, g.
    ///
    /// # Formula
    /// The rail follows its target within 0.1 s, less what it cannot hold: `p = p_target·min(1, pump/asked)`;
    /// duration `= dead + q/(k·√(p/100 MPa))`; the mass follows the pressure that is there.
    pub(crate) fn common_rail(&mut self, feed: &Feed<'_>, b: &DieselBurn) -> f64 {
        let Feed { engine: e, demand: d, fuel, faults, rpm, dt } = *feed;
        let asked_mm3 = d.quantity_mg / fuel.density_kg_l;
        let pump = (b.rail_pump_mm3[0] - b.rail_pump_mm3[1] * (rpm / 1000.0 - 1.0)) * faults.pump_factor;
        let toward = d.rail_mpa * (pump / asked_mm3.max(1.0)).min(1.0);
        self.rail_mpa += (toward - self.rail_mpa) * (dt / 0.1).min(1.0);
        let root = |p: f64| (p / 100.0).max(0.05).sqrt();
        self.duration_us =
            if d.fuel_cut { 0.0 } else { b.dead_us + d.quantity_mg / (b.mg_per_us * root(d.rail_mpa)) };
        let given = if d.fuel_cut {
            0.0
        } else {
            (self.duration_us - b.dead_us) * b.mg_per_us * root(self.rail_mpa) * 1e-3
        };
        self.fuel_g_s = given * e.cylinders as f64 * rpm / 120.0;
        given
    }
}
