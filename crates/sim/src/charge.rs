//! The air path: filter, charger, intercooler, throttle, manifold. Mean values, stepped through time.
//!
//! Sources of the forms: filling-and-emptying mean-value models as in Heywood, *Internal Combustion Engine
//! Fundamentals*, chapters 6, 7 and 14. Simplified: gas properties are constant, pulses are averaged, the
//! compressor's map is one formula.

use crate::engine::{Blower, EngineSpec, Turbo};
use crate::fault::Faults;

/// Gas constant of air, J/(kg·K); heat capacities of air and exhaust, J/(kg·K).
pub(crate) const R_AIR: f64 = 287.05;
pub(crate) const CP_AIR: f64 = 1005.0;
pub(crate) const CP_EXHAUST: f64 = 1150.0;
/// Shape of the turbine's and the waste gate's flow over pressure ratio: `p/p0 = √(1 + 1.15·y²)`, our fit to
/// an orifice.
const ORIFICE: f64 = 1.15;

/// What the air path is doing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Charge {
    /// Manifold pressure, kPa absolute.
    pub(crate) manifold_kpa: f64,
    /// Pressure before the throttle, kPa absolute.
    pub(crate) boost_kpa: f64,
    /// Exhaust pressure before the turbine, kPa absolute.
    pub(crate) back_kpa: f64,
    /// Charge temperature in the manifold, °C.
    pub(crate) charge_c: f64,
    /// Air into the engine, g/s.
    pub(crate) air_g_s: f64,
    /// Turbo shaft speed as a share of its limit.
    pub(crate) turbo: f64,
    /// Opening of the waste gate, 0–1.
    pub(crate) gate: f64,
    /// Intercooler metal, °C.
    pub(crate) metal_c: f64,
    /// Slip of the blower's belt, share.
    pub(crate) belt_slip: f64,
    /// Torque the blower takes at the crank, N·m.
    pub(crate) blower_nm: f64,
    /// What the filter takes from ambient pressure, kPa.
    pub(crate) depression_kpa: f64,
}

/// What surrounds and drives it in one step.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ChargeInput {
    pub(crate) rpm: f64,
    pub(crate) ambient_kpa: f64,
    /// Air at the filter, °C.
    pub(crate) inlet_c: f64,
    /// Plate opening, 0–1.
    pub(crate) plate: f64,
    /// Waste-gate command, 0 open … 1 held shut.
    pub(crate) duty: f64,
    /// Exhaust temperature, K, and flow, g/s, of the step before.
    pub(crate) exhaust_k: f64,
    pub(crate) exhaust_g_s: f64,
    /// Charge cooling by the fuel, K.
    pub(crate) cooling_k: f64,
}

impl Charge {
    pub(crate) fn at_rest(ambient_kpa: f64, inlet_c: f64, metal_c: f64) -> Self {
        Self {
            manifold_kpa: 0.5 * ambient_kpa,
            boost_kpa: ambient_kpa,
            back_kpa: ambient_kpa,
            charge_c: inlet_c,
            air_g_s: 10.0,
            turbo: 0.12,
            gate: 0.0,
            metal_c,
            belt_slip: 0.0,
            blower_nm: 0.0,
            depression_kpa: 0.0,
        }
    }

    /// One step of `dt` seconds.
    ///
    /// # Formula
    /// `m = VE·p_m·V_d·n/(120·R·T_m)`; losses ∝ `m²·T/p`; `p_m` follows its quasi-steady value within 25 ms;
    /// intercooler: `T_m = T_2 − ε(T_2 − T_metal)`, `C·dT_metal/dt = ε·m·cp·(T_2 − T_metal) − h·(T_metal −
    /// T_air)`.
    pub(crate) fn step(&mut self, e: &EngineSpec, i: &ChargeInput, faults: &Faults, dt: f64) {
        let flow = (self.air_g_s / 100.0).powi(2);
        let inlet_kpa = i.ambient_kpa - (e.filter_kpa * faults.filter_factor) * flow;
        self.depression_kpa = i.ambient_kpa - inlet_kpa;
        let mut hot_c = i.inlet_c;
        let mut before_kpa = inlet_kpa;
        if let Some(t) = &e.turbo {
            let leak = 1.0 - faults.boost_leak * ((self.boost_kpa - i.ambient_kpa) / i.ambient_kpa).max(0.0);
            let ratio = self.turbocharge(t, i, inlet_kpa, faults, dt);
            hot_c = heated(i.inlet_c, ratio, t.efficiency[0]);
            before_kpa = i.ambient_kpa + (inlet_kpa * ratio - i.ambient_kpa) * leak.clamp(0.2, 1.0);
        } else if let Some(b) = &e.blower {
            before_kpa = self.blow(b, e, i, inlet_kpa, faults);
            hot_c = heated(i.inlet_c, before_kpa / inlet_kpa, b.efficiency);
        }
        if let Some(c) = &e.intercooler {
            let moved = c.effectiveness * (hot_c - self.metal_c);
            self.metal_c += dt
                * (self.air_g_s * 1e-3 * CP_AIR * moved - c.to_air_w_k * (self.metal_c - i.inlet_c))
                / c.heat_j_k;
            hot_c -= moved;
            before_kpa -= c.loss_kpa * flow;
        }
        self.charge_c = hot_c + 6.0 - i.cooling_k;
        let area = i.plate.clamp(0.0, 1.0).powf(2.3).max(0.008);
        let loss = e.throttle_kpa * flow / (area * area);
        let wanted = (before_kpa - loss).clamp(0.28 * i.ambient_kpa, before_kpa);
        self.manifold_kpa += (wanted - self.manifold_kpa) * (dt / 0.025).min(1.0);
        self.boost_kpa += (before_kpa - self.boost_kpa) * (dt / 0.025).min(1.0);
        let back = 1.0 - 0.06 * (self.back_kpa / self.manifold_kpa - 1.0).clamp(-1.0, 2.5);
        let ve = e.volumetric_efficiency.at(i.rpm) * back;
        let air = ve * self.manifold_kpa * 1e3 * e.displacement_l * 1e-3 * i.rpm
            / (120.0 * R_AIR * (self.charge_c + 273.15))
            * 1e3;
        self.air_g_s += (air - self.air_g_s) * (dt / 0.02).min(1.0);
        if e.turbo.is_none() {
            self.back_kpa = i.ambient_kpa + e.exhaust_kpa * (i.exhaust_g_s / 100.0).powi(2);
        }
    }

    /// Shaft balance of the turbocharger; returns the compressor's pressure ratio.
    ///
    /// # Formula
    /// `PR = 1 + head·s²·(1 − (m_c/(choke·(0.35+0.65·s)))³)`, `s` = speed ÷ limit; compressor power
    /// `m·cp·T1·(PR^0.2857−1)/η_c`; turbine power `m_t·cp_e·T_e·(1−PR_t^−0.25)·η_t`; `J·ω·dω/dt` = the
    /// difference, less 3 % friction.
    fn turbocharge(&mut self, t: &Turbo, i: &ChargeInput, inlet_kpa: f64, faults: &Faults, dt: f64) -> f64 {
        let target = 1.0 - i.duty.clamp(0.0, 1.0);
        let tau = t.actuator_s * faults.gate_slow;
        self.gate += (target.max(faults.gate_leak) - self.gate) * (dt / tau).min(1.0);
        let capacity = t.turbine + t.wastegate * self.gate;
        let y = i.exhaust_g_s * i.exhaust_k.sqrt() / (capacity * i.ambient_kpa);
        let ratio = (1.0 + ORIFICE * y * y).sqrt();
        self.back_kpa += (i.ambient_kpa * ratio - self.back_kpa) * (dt / 0.03).min(1.0);
        let through = i.exhaust_g_s * t.turbine / capacity;
        let turbine_w =
            through * 1e-3 * CP_EXHAUST * i.exhaust_k * (1.0 - ratio.powf(-0.25)) * t.efficiency[1];
        let corrected = self.air_g_s * ((i.inlet_c + 273.15) / 298.0).sqrt() * (99.0 / inlet_kpa);
        let fill = corrected / (t.choke_g_s * (0.35 + 0.65 * self.turbo));
        let pressure = 1.0 + t.head * self.turbo * self.turbo * (1.0 - fill.powi(3)).max(0.0);
        let compressor_w =
            self.air_g_s * 1e-3 * CP_AIR * (i.inlet_c + 273.15) * (pressure.powf(0.2857) - 1.0)
                / t.efficiency[0];
        let top = t.speed_limit_rpm * std::f64::consts::PI / 30.0;
        let omega = (self.turbo * top).max(0.05 * top);
        let gained = (turbine_w * 0.97 - compressor_w - 40.0 * self.turbo) / (t.inertia_kg_m2 * omega);
        self.turbo = ((omega + gained * dt) / top).clamp(0.05, 1.15);
        pressure
    }

    /// Pressure a displacement blower makes: what it moves must go through the engine.
    fn blow(&mut self, b: &Blower, e: &EngineSpec, i: &ChargeInput, inlet_kpa: f64, faults: &Faults) -> f64 {
        let turns = b.ratio * (1.0 - self.belt_slip);
        let moved = turns * b.per_turn_l / (e.volumetric_efficiency.at(i.rpm) * e.displacement_l / 2.0);
        let heat = (self.charge_c + 273.15) / (i.inlet_c + 273.15);
        let ratio = (moved * 0.92 * heat).clamp(0.85, 2.6);
        let ratio = 1.0 + (ratio - 1.0) * i.plate.clamp(0.0, 1.0);
        let power_w =
            self.air_g_s * 1e-3 * CP_AIR * (i.inlet_c + 273.15) * (ratio.max(1.0).powf(0.2857) - 1.0)
                / b.efficiency;
        let omega = i.rpm * std::f64::consts::PI / 30.0;
        self.blower_nm = power_w / omega.max(10.0) + 0.4;
        let at_blower = self.blower_nm / b.ratio;
        let flung = (i.rpm * b.ratio / b.belt_lifts_rpm).powi(2);
        let holds = b.belt_holds_nm * (1.0 - faults.belt_slip) * (1.0 - flung).max(0.0);
        self.belt_slip = ((at_blower - holds).max(0.0) * b.slip_per_nm).min(0.25);
        inlet_kpa * ratio
    }
}

fn heated(inlet_c: f64, ratio: f64, efficiency: f64) -> f64 {
    inlet_c + (inlet_c + 273.15) * (ratio.max(1.0).powf(0.2857) - 1.0) / efficiency
}
