//! One pull, stepped through time: tip-in, sweep, lift; what every instrument could see in each instant.

use crate::burn::{Cylinder, burn, friction_nm};
use crate::charge::{Charge, ChargeInput};
use crate::computer::{Adaptation, Calibration, Computer, Demand, MOST, MapProblem, Readings};
use crate::driveline::{CellSpec, SimDyno, drum_loss_nm, efficiency, link, rolling_nm};
use crate::engine::EngineSpec;
use crate::fault::Faults;
use crate::fuel::SimFuel;
use crate::noise::Noise;
use crate::supply::Supply;
use crate::thermal::Thermal;
use jamjar_core::maps::MapFile;
use serde::Deserialize;

/// Step of the model, s.
pub(crate) const STEP_S: f64 = 0.002;
const RAD_S_PER_RPM: f64 = std::f64::consts::PI / 30.0;
/// Time after the lift that is still recorded, s.
const AFTER_S: f64 = 1.6;
/// Transport of exhaust to the λ sensor: constant part, s, and volume, L.
const SENSOR_WAY: (f64, f64) = (0.02, 1.1);
/// Time constants of the λ sensor and the exhaust thermocouple, s.
const SENSOR_S: (f64, f64) = (0.06, 1.2);

/// How a pull is driven.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sweep {
    /// Engine speed where it starts, rpm.
    pub from_rpm: f64,
    /// Engine speed where the driver lifts, rpm.
    pub to_rpm: f64,
    /// Rate on a controlled dyno, engine rpm/s; an inertia drum takes its own.
    #[serde(default = "usual_rate")]
    pub rate_rpm_s: f64,
    /// Pedal, %.
    #[serde(default = "full")]
    pub pedal: f64,
    /// From high speed down under load, as with a tractor on a brake.
    #[serde(default)]
    pub lug_down: bool,
}

fn usual_rate() -> f64 {
    590.0
}
fn full() -> f64 {
    100.0
}

/// Everything that sets one pull apart.
#[derive(Debug, Clone)]
pub(crate) struct PullSetup<'a> {
    pub(crate) engine: &'a EngineSpec,
    pub(crate) map: &'a MapFile,
    pub(crate) fuel: &'a SimFuel,
    pub(crate) cell: &'a CellSpec,
    pub(crate) sweep: Sweep,
    pub(crate) boost_kpa: Option<f64>,
    pub(crate) ambient_c: f64,
    pub(crate) ambient_kpa: f64,
    pub(crate) faults: &'a Faults,
    /// Multiplier of torque: pull and mounting scatter.
    pub(crate) scale: f64,
    pub(crate) lambda_ready_s: f64,
    pub(crate) seed: u64,
}

/// What was so in one instant; temperatures and λ of sensors are as the sensor has them, before the recorder's own faults.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Instant {
    pub(crate) t: f64,
    pub(crate) rpm: f64,
    pub(crate) shaft_rpm: f64,
    pub(crate) shaft_nm: f64,
    /// Power at the dyno with what the engine's inertia took added back and a drum's own loss left out, kW.
    pub(crate) power_kw: f64,
    pub(crate) pedal: f64,
    pub(crate) throttle: f64,
    pub(crate) manifold_kpa: f64,
    pub(crate) back_kpa: f64,
    pub(crate) boost_target_kpa: f64,
    pub(crate) duty: f64,
    pub(crate) lambda_target: f64,
    pub(crate) lambda: [f64; MOST],
    pub(crate) spark_deg: f64,
    pub(crate) retard: [f64; MOST],
    pub(crate) knock_level: f64,
    pub(crate) exhaust_c: [f64; MOST],
    pub(crate) intake_c: f64,
    pub(crate) coolant_c: f64,
    pub(crate) oil_c: f64,
    pub(crate) pulse_ms: f64,
    pub(crate) duty_percent: f64,
    pub(crate) fuel_kpa: f64,
    pub(crate) fuel_g_s: f64,
    pub(crate) air_g_s: f64,
    pub(crate) turbo_rpm: f64,
    pub(crate) blower_rpm: f64,
    pub(crate) rail_mpa: f64,
    pub(crate) start_deg: f64,
    pub(crate) duration_us: f64,
    pub(crate) smoke: f64,
    pub(crate) fuel_cut: f64,
    pub(crate) road_kmh: f64,
    pub(crate) loaded: bool,
}

/// A pull as it happened.
#[derive(Debug, Clone)]
pub(crate) struct Trace {
    pub(crate) instants: Vec<Instant>,
    pub(crate) tip_s: f64,
    pub(crate) lift_s: f64,
    pub(crate) mean_retard_deg: f64,
}

/// Phase of a pull.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Phase {
    Hold,
    Loaded { since: f64 },
    Lifted { since: f64 },
}

struct Sensors {
    lambda: [f64; MOST],
    exhaust_c: [f64; MOST],
    past: Vec<[f64; MOST]>,
}

/// Runs a pull. Heat and what knock control learnt stay in `thermal` and `adaptation`.
///
/// # Errors
/// [`MapProblem`] when the map lacks a table the engine needs.
pub(crate) fn run_pull(s: &PullSetup<'_>, thermal: &mut Thermal, adaptation: &mut Adaptation) -> Result<Trace, MapProblem> {
    let e = s.engine;
    let mut computer = Computer::new(Calibration::new(s.map, e, s.boost_kpa, s.fuel.stoich_afr)?);
    if let Some(below) = s.faults.speed_cut_below_end {
        computer.map.speed_limit = (s.sweep.to_rpm - below) / s.cell.ratio * s.cell.kmh_per_rpm.max(1e-6);
    }
    if let Some(below) = s.faults.cut_below_end {
        computer.map.rev_limit = s.sweep.to_rpm - below;
    }
    let mut noise = Noise::new(s.seed, "pull");
    let mut knock_noise = Noise::new(s.seed, "knock");
    let sign = if s.sweep.lug_down { -1.0 } else { 1.0 };
    let span = (s.sweep.to_rpm - s.sweep.from_rpm).abs();
    let lift_rpm = match s.faults.abort_share {
        Some(share) => s.sweep.from_rpm + sign * share * span,
        None => s.sweep.to_rpm + noise.normal(20.0).clamp(-45.0, 45.0),
    };
    let tip_at = 1.6 + noise.normal(0.25).clamp(-0.6, 0.9);
    let rate = s.sweep.rate_rpm_s * (1.0 + noise.normal(0.012));
    let (phase_a, mut rpm) = (noise.normal(2.0), s.sweep.from_rpm);
    let inlet0 = s.ambient_c + s.faults.inlet_extra_c;
    let mut charge = Charge::at_rest(s.ambient_kpa, inlet0 + thermal.cell_k, thermal.metal_c.max(inlet0 + 3.0));
    let mut supply = Supply::at_rest(e);
    let mut sensors = Sensors { lambda: [1.0; MOST], exhaust_c: [540.0; MOST], past: Vec::with_capacity(8000) };
    let (mut exhaust_k, mut shaft_nm, mut torque_share) = (820.0, 0.0, 0.0_f64);
    let (mut phase, mut t) = (Phase::Hold, 0.0);
    let mut retard_sum = (0.0, 0u32);
    let mut cycle = 0.0;
    let mut limited_for = 0.0;
    let mut out = Trace { instants: Vec::with_capacity(9000), tip_s: tip_at, lift_s: 0.0, mean_retard_deg: 0.0 };
    loop {
        let pedal = match phase {
            Phase::Hold => 18.0,
            Phase::Loaded { since } => 18.0 + (s.sweep.pedal - 18.0) * ((t - since) / 0.12).clamp(0.0, 1.0),
            Phase::Lifted { .. } => 0.0,
        };
        let loaded = matches!(phase, Phase::Loaded { since } if t - since >= 0.12);
        let l = link(s.cell, s.faults, rpm, torque_share);
        let shaft_rpm = rpm / l.ratio;
        let road_kmh = shaft_rpm * s.cell.kmh_per_rpm;
        let cycles = rpm / 120.0;
        let air_g = charge.air_g_s / cycles.max(1.0) / e.cylinders as f64;
        let hottest = sensors.exhaust_c[..e.cylinders].iter().copied().fold(0.0, f64::max);
        let r = Readings { rpm, pedal, manifold_kpa: charge.manifold_kpa, ambient_kpa: s.ambient_kpa, road_kmh, exhaust_c: hottest, air_g };
        let d = computer.ask(&r, adaptation.learnt_deg, STEP_S);
        let tip = matches!(phase, Phase::Loaded { since } if t - since < STEP_S * 1.5);
        let fuel_g = match &e.diesel {
            Some(b) => supply.common_rail(e, b, &d, s.fuel, rpm, s.faults, STEP_S),
            None => supply.inject(e, &d, air_g, computer.map.stoich, s.fuel, rpm, tip, s.faults, STEP_S),
        };
        charge.step(
            e,
            &ChargeInput {
                rpm,
                ambient_kpa: s.ambient_kpa,
                inlet_c: inlet0 + thermal.cell_k,
                plate: if e.diesel.is_some() { 1.0 } else { d.plate },
                duty: d.duty,
                exhaust_k,
                exhaust_g_s: charge.air_g_s + supply.fuel_g_s,
                cooling_k: s.fuel.cooling_k,
            },
            s.faults,
            STEP_S,
        );
        let mut works = 0.0;
        let (mut hot, mut lambda_now, mut smoke) = (0.0, [9.9; MOST], 0.0_f64);
        let mut exhaust_c = [0.0; MOST];
        cycle += cycles * STEP_S;
        let fires = cycle >= 1.0;
        cycle -= cycle.floor();
        for k in 0..e.cylinders {
            let mut share = e.share_of(k);
            if let Some((weak, lack)) = s.faults.weak.filter(|w| w.0 == k) {
                share *= 1.0 - lack;
                debug_assert!(weak < MOST);
            }
            let lambda = if fuel_g > 0.0 { (air_g / (fuel_g * share * s.fuel.stoich_afr)).min(9.9) } else { 9.9 };
            let angle_deg = if e.diesel.is_some() { d.start_deg } else { d.spark_deg - computer.retard[k] };
            let c = Cylinder { rpm, manifold_kpa: charge.manifold_kpa, charge_c: charge.charge_c, air_g, lambda, angle_deg };
            let b = if fuel_g > 0.0 { burn(e, &c, s.fuel) } else { crate::burn::Burn { work_j: 0.0, exhaust_k: charge.charge_c + 330.0, smoke_percent: 0.0 } };
            works += b.work_j;
            lambda_now[k] = lambda;
            smoke = smoke.max(b.smoke_percent);
            let own = e.cylinder_exhaust_k.get(k).copied().unwrap_or(0.0);
            exhaust_c[k] = b.exhaust_k - 273.15 + own;
            hot += b.exhaust_k / e.cylinders as f64;
            if fires && loaded && fuel_g > 0.0 {
                knock(e, s, &mut computer, &c, k, &mut knock_noise);
            }
        }
        exhaust_k = hot;
        let indicated = works / (4.0 * std::f64::consts::PI);
        let pumping = (charge.back_kpa - charge.manifold_kpa) * e.displacement_l / (4.0 * std::f64::consts::PI);
        let crank = (indicated * s.scale) - friction_nm(e, rpm, thermal.oil_c) - pumping - charge.blower_nm;
        let alpha_rpm = ramp(s, phase, t, rate, phase_a, limited_for) * sign;
        let after_loss = if crank > 0.0 { crank * efficiency(e, thermal.oil_c) } else { crank / efficiency(e, thermal.oil_c) };
        // Through a slipping coupling torque passes whole and speed does not.
        let gross = after_loss * s.cell.ratio * s.faults.gear_factor - rolling_nm(s.cell, s.faults, after_loss * s.cell.ratio);
        let omega_shaft = shaft_rpm * RAD_S_PER_RPM;
        let inertia_drum = s.cell.dyno == SimDyno::RollerInertia;
        let (rpm_rate, measured) = if inertia_drum {
            let k = l.ratio;
            let alpha = (gross - drum_loss_nm(s.cell, omega_shaft)) / (s.cell.inertia_kg_m2 + e.rotating_inertia_kg_m2 * k * k);
            let held = matches!(phase, Phase::Hold);
            (if held { 0.0 } else { alpha / RAD_S_PER_RPM * k }, gross - drum_loss_nm(s.cell, omega_shaft))
        } else {
            (alpha_rpm, gross - e.rotating_inertia_kg_m2 * alpha_rpm * RAD_S_PER_RPM * s.cell.ratio * s.faults.gear_factor)
        };
        shaft_nm += (measured - shaft_nm) * (STEP_S / 0.02);
        torque_share += ((crank / full_torque(e)) - torque_share) * (STEP_S / 0.08);
        thermal.heat(e, (crank * rpm * RAD_S_PER_RPM).max(0.0), STEP_S);
        sensors.follow(e, &lambda_now, &exhaust_c, charge.back_kpa, exhaust_k, charge.air_g_s + supply.fuel_g_s, t < s.lambda_ready_s);
        if loaded {
            let mean = computer.retard[..e.cylinders].iter().sum::<f64>() / e.cylinders as f64;
            retard_sum = (retard_sum.0 + mean, retard_sum.1 + 1);
        }
        out.instants.push(Instant {
            t,
            rpm,
            shaft_rpm,
            shaft_nm,
            power_kw: (gross - if inertia_drum { drum_loss_nm(s.cell, omega_shaft) } else { 0.0 }) * omega_shaft / 1000.0,
            pedal,
            throttle: if e.diesel.is_some() { pedal } else { 100.0 * d.plate },
            manifold_kpa: charge.manifold_kpa,
            back_kpa: charge.back_kpa,
            boost_target_kpa: d.boost_target_kpa,
            duty: 100.0 * d.duty,
            lambda_target: d.lambda,
            lambda: sensors.lambda,
            spark_deg: d.spark_deg,
            retard: if loaded { computer.retard } else { [0.0; MOST] },
            knock_level: 0.9 + rpm / 5200.0 + 0.35 * computer.retard.iter().copied().fold(0.0, f64::max).min(4.0) * f64::from(u8::from(loaded)),
            exhaust_c: sensors.exhaust_c,
            intake_c: charge.charge_c + s.fuel.cooling_k,
            coolant_c: thermal.coolant_c,
            oil_c: thermal.oil_c,
            pulse_ms: supply.pulse_ms,
            duty_percent: supply.duty_percent,
            fuel_kpa: supply.pressure_kpa,
            fuel_g_s: supply.fuel_g_s,
            air_g_s: charge.air_g_s,
            turbo_rpm: e.turbo.as_ref().map_or(0.0, |x| charge.turbo * x.speed_limit_rpm),
            blower_rpm: e.blower.as_ref().map_or(0.0, |x| x.ratio * (1.0 - charge.belt_slip) * rpm),
            rail_mpa: supply.rail_mpa,
            start_deg: d.start_deg,
            duration_us: supply.duration_us,
            smoke: if loaded { smoke } else { 0.0 },
            fuel_cut: f64::from(u8::from(d.fuel_cut)),
            road_kmh,
            loaded,
        });
        limited_for = if loaded && (limited_for > 0.0 || limit_reached(&d, rpm, road_kmh, &computer)) { limited_for + STEP_S } else { limited_for };
        rpm = if limited_for > 0.0 && matches!(phase, Phase::Loaded { .. }) && !inertia_drum {
            rpm + (held_speed(&computer, s, out.instants.len()) - rpm) * 0.05
        } else {
            (rpm + rpm_rate * STEP_S).max(0.75 * s.sweep.from_rpm.min(s.sweep.to_rpm))
        };
        t += STEP_S;
        phase = match phase {
            Phase::Hold if t >= tip_at => Phase::Loaded { since: t },
            Phase::Loaded { .. } if sign * (rpm - lift_rpm) >= 0.0 || limited_for > 0.9 || t > tip_at + 60.0 => {
                out.lift_s = t;
                Phase::Lifted { since: t }
            }
            Phase::Lifted { since } if t - since >= AFTER_S => break,
            other => other,
        };
    }
    out.mean_retard_deg = retard_sum.0 / f64::from(retard_sum.1.max(1));
    adaptation.learn(out.mean_retard_deg);
    Ok(out)
}

/// Torque that counts as full for slip, N·m: 9 bar of mean pressure, more with a charger.
fn full_torque(e: &EngineSpec) -> f64 {
    let bar = match (&e.turbo, &e.blower) {
        (Some(_), _) => 18.0,
        (_, Some(_)) => 12.0,
        _ => 9.0,
    };
    bar * 1e5 * e.displacement_l * 1e-3 / (4.0 * std::f64::consts::PI)
}

fn limit_reached(d: &Demand, rpm: f64, road_kmh: f64, c: &Computer<'_>) -> bool {
    d.fuel_cut && (rpm > c.map.rev_limit - 120.0 || road_kmh > c.map.speed_limit - 4.0)
}

/// Speed a controlled dyno settles at while the engine sits on a limiter, with the limiter's hunting.
fn held_speed(c: &Computer<'_>, s: &PullSetup<'_>, step: usize) -> f64 {
    let by_speed = c.map.speed_limit / s.cell.kmh_per_rpm.max(1e-6) * s.cell.ratio;
    let level = c.map.rev_limit.min(by_speed) - 20.0;
    level + 22.0 * (step as f64 * STEP_S * 55.0).sin()
}

/// Rate a controlled dyno allows, engine rpm/s: it settles within half a second and hunts by a few per cent.
fn ramp(s: &PullSetup<'_>, phase: Phase, t: f64, rate: f64, phase_a: f64, limited_for: f64) -> f64 {
    match phase {
        Phase::Hold => 0.0,
        Phase::Loaded { .. } if limited_for > 0.0 => 0.0,
        Phase::Loaded { since } => rate * ((t - since - 0.15) / 0.35).clamp(0.0, 1.0) * (1.0 + 0.035 * (7.3 * t + phase_a).sin()),
        Phase::Lifted { since } => {
            let to = if s.sweep.lug_down { -0.3 } else { -1500.0 / rate };
            rate * to * ((t - since) / 0.1).clamp(0.0, 1.0)
        }
    }
}

fn knock(e: &EngineSpec, s: &PullSetup<'_>, computer: &mut Computer<'_>, c: &Cylinder, k: usize, noise: &mut Noise) {
    let Some(spark) = &e.spark else { return };
    let mut onset = spark.knock_deg(c, s.fuel.ron) + noise.normal(spark.cyclic_deg) - if e.air_cooled { 1.0 } else { 0.0 };
    if (s.faults.knock_rpm[0]..=s.faults.knock_rpm[1]).contains(&c.rpm) {
        onset -= s.faults.knock_deg;
    }
    if c.angle_deg > onset {
        computer.hear_knock(k, c.angle_deg - onset);
    }
}

impl Sensors {
    /// λ arrives late and slowly; the thermocouple slower still. A cold λ sensor sits at its end of range.
    ///
    /// Delay `τ = τ0 + V·p/(ṁ·287·T)`.
    fn follow(&mut self, e: &EngineSpec, lambda: &[f64; MOST], exhaust_c: &[f64; MOST], back_kpa: f64, exhaust_k: f64, flow_g_s: f64, cold: bool) {
        let mut capped = *lambda;
        capped.iter_mut().for_each(|l| *l = l.min(1.6));
        self.past.push(capped);
        let delay = SENSOR_WAY.0 + SENSOR_WAY.1 * 1e-3 * back_kpa * 1e3 / (flow_g_s.max(1.0) * 1e-3 * 287.0 * exhaust_k);
        let back = (delay / STEP_S) as usize;
        let seen = self.past[self.past.len().saturating_sub(back + 1)];
        for k in 0..e.cylinders {
            if cold {
                self.lambda[k] = 1.6;
            } else {
                self.lambda[k] += (seen[k] - self.lambda[k]) * (STEP_S / SENSOR_S.0);
            }
            self.exhaust_c[k] += (exhaust_c[k] - self.exhaust_c[k]) * (STEP_S / SENSOR_S.1);
        }
    }
}
