//! Engine, fuel, air, computer and dyno coupled, one step at a time.

use crate::burn::{Burn, Cylinder, burn, friction_nm};
use crate::charge::{Charge, ChargeInput};
use crate::computer::{Adaptation, Calibration, Computer, Demand, MOST, MapProblem, Readings};
use crate::driveline::{Link, SimDyno, drum_loss_nm, efficiency, link, rolling_nm};
use crate::engine::EngineSpec;
use crate::instant::{Instant, Phase, PullSetup, STEP_S};
use crate::noise::Noise;

use crate::supply::{Feed, Supply};
use crate::thermal::Thermal;

const RAD_S_PER_RPM: f64 = std::f64::consts::PI / 30.0;
const FOUR_PI: f64 = 4.0 * std::f64::consts::PI;
/// Transport of exhaust to the λ sensor: constant part, s, and volume, L.
const SENSOR_WAY: (f64, f64) = (0.02, 1.1);
/// Time constants of the λ sensor and the exhaust thermocouple, s.
const SENSOR_S: (f64, f64) = (0.06, 1.2);
/// λ of a cylinder that gets no fuel.
const NO_FUEL: f64 = 9.9;

/// What one step gave.
pub(crate) struct Step {
    pub(crate) instant: Instant,
    /// Rate the dyno lets the engine run up, rpm/s.
    pub(crate) rpm_rate: f64,
    /// A rev or speed limiter cuts.
    pub(crate) on_limiter: bool,
    /// Speed a controlled dyno settles at on a limiter; `None` on an inertia drum, which has no say in it.
    pub(crate) held_rpm: Option<f64>,
}

/// Everything that moves, between steps.
pub(crate) struct Rig<'a> {
    s: &'a PullSetup<'a>,
    computer: Computer<'a>,
    learnt_deg: f64,
    charge: Charge,
    supply: Supply,
    sensors: Sensors,
    knock_noise: Noise,
    inlet_c: f64,
    exhaust_k: f64,
    shaft_nm: f64,
    torque_share: f64,
    /// Share of an engine cycle since the last that was counted.
    cycle: f64,
    steps: usize,
}

struct Sensors {
    lambda: [f64; MOST],
    exhaust_c: [f64; MOST],
    past: Vec<[f64; MOST]>,
}

/// All cylinders of one step.
struct Burnt {
    work_j: f64,
    exhaust_k: f64,
    lambda: [f64; MOST],
    exhaust_c: [f64; MOST],
    smoke: f64,
}

impl<'a> Rig<'a> {
    pub(crate) fn new(
        s: &'a PullSetup<'a>,
        thermal: &Thermal,
        adaptation: &Adaptation,
    ) -> Result<Self, MapProblem> {
        let mut computer = Computer::new(Calibration::new(s.map, s.engine, s.boost_kpa, s.fuel.stoich_afr)?);
        if let Some(below) = s.faults.speed_cut_below_end {
            computer.map.speed_limit = (s.sweep.to_rpm - below) / s.cell.ratio * s.cell.kmh_per_rpm.max(1e-6);
        }
        if let Some(below) = s.faults.cut_below_end {
            computer.map.rev_limit = s.sweep.to_rpm - below;
        }
        let inlet_c = s.ambient_c + s.faults.inlet_extra_c;
        Ok(Self {
            computer,
            learnt_deg: adaptation.learnt_deg,
            charge: Charge::at_rest(
                s.ambient_kpa,
                inlet_c + thermal.cell_k,
                thermal.metal_c.max(inlet_c + 3.0),
            ),
            supply: Supply::at_rest(s.engine),
            sensors: Sensors {
                lambda: [1.0; MOST],
                exhaust_c: [540.0; MOST],
                past: Vec::with_capacity(8000),
            },
            knock_noise: Noise::new(s.seed, "knock"),
            inlet_c,
            exhaust_k: 820.0,
            shaft_nm: 0.0,
            torque_share: 0.0,
            cycle: 0.0,
            steps: 0,
            s,
        })
    }

    /// One step at an engine speed, with the pedal and the ramp a controlled dyno imposes.
    pub(crate) fn step(
        &mut self,
        thermal: &mut Thermal,
        phase: Phase,
        t: f64,
        rpm: f64,
        pedal: f64,
        ramp: f64,
    ) -> Step {
        let (s, e, loaded) = (self.s, self.s.engine, phase.is_loaded(t));
        let coupling = link(s.cell, s.faults, rpm, self.torque_share);
        let road_kmh = rpm / coupling.ratio * s.cell.kmh_per_rpm;
        let air_g = self.charge.air_g_s / (rpm / 120.0).max(1.0) / e.cylinders as f64;
        let exhaust_c = self.sensors.exhaust_c[..e.cylinders].iter().copied().fold(0.0, f64::max);
        let readings = Readings {
            rpm,
            pedal,
            manifold_kpa: self.charge.manifold_kpa,
            ambient_kpa: s.ambient_kpa,
            road_kmh,
            exhaust_c,
            air_g,
        };
        let d = self.computer.ask(&readings, self.learnt_deg, STEP_S);
        let fuel_g = self.feed(&d, air_g, rpm, phase.is_tip(t));
        self.breathe(&d, rpm, thermal);
        let burnt = self.burn_all(&d, rpm, air_g, fuel_g, loaded);
        self.exhaust_k = burnt.exhaust_k;
        let pumping = (self.charge.back_kpa - self.charge.manifold_kpa) * e.displacement_l / FOUR_PI;
        let crank = burnt.work_j / FOUR_PI * s.scale
            - friction_nm(e, rpm, thermal.oil_c)
            - pumping
            - self.charge.blower_nm;
        let shaft = self.at_dyno(crank, rpm, coupling, ramp, phase, thermal.oil_c);
        self.shaft_nm += (shaft.measured_nm - self.shaft_nm) * (STEP_S / 0.02);
        self.torque_share += (crank / full_torque(e) - self.torque_share) * (STEP_S / 0.08);
        thermal.heat(e, (crank * rpm * RAD_S_PER_RPM).max(0.0), STEP_S);
        let flow = (self.charge.back_kpa, self.exhaust_k, self.charge.air_g_s + self.supply.fuel_g_s);
        self.sensors.follow(e.cylinders, &burnt, flow, t < s.lambda_ready_s);
        self.steps += 1;
        let limits = &self.computer.map;
        Step {
            on_limiter: d.fuel_cut && (rpm > limits.rev_limit - 120.0 || road_kmh > limits.speed_limit - 4.0),
            held_rpm: (s.cell.dyno != SimDyno::RollerInertia).then(|| self.held_rpm()),
            rpm_rate: shaft.rpm_rate,
            instant: self.instant(
                &d,
                thermal,
                &burnt,
                Now {
                    t,
                    rpm,
                    pedal,
                    road_kmh,
                    loaded,
                    shaft_rpm: rpm / coupling.ratio,
                    power_kw: shaft.power_kw,
                },
            ),
        }
    }

    fn feed(&mut self, d: &Demand, air_g: f64, rpm: f64, tip: bool) -> f64 {
        let s = self.s;
        let feed = Feed { engine: s.engine, demand: d, fuel: s.fuel, faults: s.faults, rpm, dt: STEP_S };
        match &s.engine.diesel {
            Some(b) => self.supply.common_rail(&feed, b),
            None => self.supply.inject(&feed, air_g, self.computer.map.stoich, tip),
        }
    }

    fn breathe(&mut self, d: &Demand, rpm: f64, thermal: &Thermal) {
        let s = self.s;
        let input = ChargeInput {
            rpm,
            ambient_kpa: s.ambient_kpa,
            inlet_c: self.inlet_c + thermal.cell_k,
            plate: if s.engine.diesel.is_some() { 1.0 } else { d.plate },
            duty: d.duty,
            exhaust_k: self.exhaust_k,
            exhaust_g_s: self.charge.air_g_s + self.supply.fuel_g_s,
            cooling_k: s.fuel.cooling_k,
        };
        self.charge.step(s.engine, &input, s.faults, STEP_S);
    }

    fn burn_all(&mut self, d: &Demand, rpm: f64, air_g: f64, fuel_g: f64, loaded: bool) -> Burnt {
        let (s, e) = (self.s, self.s.engine);
        let mut out = Burnt {
            work_j: 0.0,
            exhaust_k: 0.0,
            lambda: [NO_FUEL; MOST],
            exhaust_c: [0.0; MOST],
            smoke: 0.0,
        };
        self.cycle += rpm / 120.0 * STEP_S;
        let fires = self.cycle >= 1.0;
        self.cycle -= self.cycle.floor();
        for k in 0..e.cylinders {
            let lack = s.faults.weak.filter(|w| w.0 == k).map_or(0.0, |w| w.1);
            let share = e.share_of(k) * (1.0 - lack);
            let lambda = if fuel_g > 0.0 {
                (air_g / (fuel_g * share * s.fuel.stoich_afr)).min(NO_FUEL)
            } else {
                NO_FUEL
            };
            let angle_deg =
                if e.diesel.is_some() { d.start_deg } else { d.spark_deg - self.computer.retard[k] };
            let c = Cylinder {
                rpm,
                manifold_kpa: self.charge.manifold_kpa,
                charge_c: self.charge.charge_c,
                air_g,
                lambda,
                angle_deg,
            };
            let b = if fuel_g > 0.0 {
                burn(e, &c, s.fuel)
            } else {
                Burn { work_j: 0.0, exhaust_k: self.charge.charge_c + 330.0, smoke_percent: 0.0 }
            };
            out.work_j += b.work_j;
            out.lambda[k] = lambda;
            out.smoke = out.smoke.max(b.smoke_percent);
            let own_k = e.cylinder_exhaust_k.get(k).copied().unwrap_or(0.0) + self.s.faults.exhaust_k;
            out.exhaust_c[k] = b.exhaust_k - 273.15 + own_k;
            out.exhaust_k += b.exhaust_k / e.cylinders as f64;
            if fires && loaded && fuel_g > 0.0 {
                self.listen(&c, k);
            }
        }
        out
    }

    /// Knock of one cycle of a cylinder: the onset scatters from cycle to cycle.
    fn listen(&mut self, c: &Cylinder, k: usize) {
        let (s, e) = (self.s, self.s.engine);
        let Some(spark) = &e.spark else { return };
        let mut onset = spark.knock_deg(c, s.fuel.ron) + self.knock_noise.normal(spark.cyclic_deg)
            - if e.air_cooled { 1.0 } else { 0.0 };
        if (s.faults.knock_rpm[0]..=s.faults.knock_rpm[1]).contains(&c.rpm) {
            onset -= s.faults.knock_deg;
        }
        if c.angle_deg > onset && !s.faults.deaf {
            self.computer.hear_knock(k, c.angle_deg - onset);
        }
    }

    /// Crank torque to the dyno. Through a slipping coupling torque passes whole and speed does not.
    fn at_dyno(&self, crank: f64, rpm: f64, coupling: Link, ramp: f64, phase: Phase, oil_c: f64) -> Shaft {
        let (s, e) = (self.s, self.s.engine);
        let share = efficiency(e, oil_c);
        let after_loss = if crank > 0.0 { crank * share } else { crank / share };
        let gear = s.cell.ratio * s.faults.gear_factor;
        let gross = after_loss * gear - rolling_nm(s.cell, s.faults, after_loss * s.cell.ratio);
        let omega = rpm / coupling.ratio * RAD_S_PER_RPM;
        if s.cell.dyno != SimDyno::RollerInertia {
            let measured_nm = gross - e.rotating_inertia_kg_m2 * ramp * RAD_S_PER_RPM * gear;
            return Shaft { measured_nm, rpm_rate: ramp, power_kw: gross * omega / 1000.0 };
        }
        let net = gross - drum_loss_nm(s.cell, omega);
        let k = coupling.ratio;
        let alpha = net / (s.cell.inertia_kg_m2 + e.rotating_inertia_kg_m2 * k * k);
        let rpm_rate = if phase == Phase::Hold { 0.0 } else { alpha / RAD_S_PER_RPM * k };
        Shaft { measured_nm: net, rpm_rate, power_kw: net * omega / 1000.0 }
    }

    /// Speed a controlled dyno settles at while the engine sits on a limiter, with the limiter's hunting.
    fn held_rpm(&self) -> f64 {
        let by_speed = self.computer.map.speed_limit / self.s.cell.kmh_per_rpm.max(1e-6) * self.s.cell.ratio;
        self.computer.map.rev_limit.min(by_speed) - 20.0 + 22.0 * (self.steps as f64 * STEP_S * 55.0).sin()
    }

    fn instant(&self, d: &Demand, thermal: &Thermal, burnt: &Burnt, now: Now) -> Instant {
        let (e, charge, supply, retard) = (self.s.engine, &self.charge, &self.supply, self.computer.retard);
        let loud = retard.iter().copied().fold(0.0, f64::max).min(4.0) * f64::from(u8::from(now.loaded));
        Instant {
            t: now.t,
            rpm: now.rpm,
            shaft_rpm: now.shaft_rpm,
            shaft_nm: self.shaft_nm,
            power_kw: now.power_kw,
            pedal: now.pedal,
            throttle: if e.diesel.is_some() { now.pedal } else { 100.0 * d.plate },
            manifold_kpa: charge.manifold_kpa,
            back_kpa: charge.back_kpa,
            depression_kpa: charge.depression_kpa,
            boost_target_kpa: d.boost_target_kpa,
            duty: 100.0 * d.duty,
            lambda_target: d.lambda,
            lambda: self.sensors.lambda,
            spark_deg: d.spark_deg,
            retard: if now.loaded { retard } else { [0.0; MOST] },
            knock_level: if self.s.faults.deaf { 0.0 } else { 0.9 + now.rpm / 5200.0 + 0.35 * loud },
            exhaust_c: self.sensors.exhaust_c,
            intake_c: charge.charge_c + self.s.fuel.cooling_k,
            coolant_c: thermal.coolant_c,
            oil_c: thermal.oil_c,
            pulse_ms: supply.pulse_ms,
            duty_percent: supply.duty_percent,
            // The gauge stands on the rail, whose regulator follows the manifold.
            fuel_kpa: supply.pressure_kpa + charge.manifold_kpa - self.s.ambient_kpa,
            fuel_g_s: supply.fuel_g_s,
            air_g_s: charge.air_g_s,
            turbo_rpm: e.turbo.as_ref().map_or(0.0, |x| charge.turbo * x.speed_limit_rpm),
            blower_rpm: e.blower.as_ref().map_or(0.0, |x| x.ratio * (1.0 - charge.belt_slip) * now.rpm),
            rail_mpa: supply.rail_mpa,
            start_deg: d.start_deg,
            duration_us: supply.duration_us,
            smoke: if now.loaded { burnt.smoke } else { 0.0 },
            fuel_cut: f64::from(u8::from(d.fuel_cut)),
            road_kmh: now.road_kmh,
            loaded: now.loaded,
        }
    }
}

struct Shaft {
    measured_nm: f64,
    rpm_rate: f64,
    power_kw: f64,
}

struct Now {
    t: f64,
    rpm: f64,
    pedal: f64,
    road_kmh: f64,
    loaded: bool,
    shaft_rpm: f64,
    power_kw: f64,
}

/// Torque that counts as full for slip, N·m: 9 bar of mean pressure, more with a charger.
fn full_torque(e: &EngineSpec) -> f64 {
    let bar = match (&e.turbo, &e.blower) {
        (Some(_), _) => 18.0,
        (_, Some(_)) => 12.0,
        _ => 9.0,
    };
    bar * 1e5 * e.displacement_l * 1e-3 / FOUR_PI
}

impl Sensors {
    /// λ arrives late and slowly; the thermocouple slower still. A cold λ sensor sits at its end of range.
    ///
    /// Delay `τ = τ0 + V·p/(ṁ·287·T)`; `flow` is its pressure, kPa, temperature, K, and rate, g/s.
    fn follow(&mut self, cylinders: usize, burnt: &Burnt, flow: (f64, f64, f64), cold: bool) {
        let mut capped = burnt.lambda;
        capped.iter_mut().for_each(|l| *l = l.min(1.6));
        self.past.push(capped);
        let delay =
            SENSOR_WAY.0 + SENSOR_WAY.1 * 1e-3 * flow.0 * 1e3 / (flow.2.max(1.0) * 1e-3 * 287.0 * flow.1);
        let back = (delay / STEP_S) as usize;
        let seen = self.past[self.past.len().saturating_sub(back + 1)];
        let readings = self.lambda.iter_mut().zip(&seen).zip(self.exhaust_c.iter_mut().zip(&burnt.exhaust_c));
        for ((lambda, seen), (exhaust, now)) in readings.take(cylinders) {
            *lambda = if cold { 1.6 } else { *lambda + (seen - *lambda) * (STEP_S / SENSOR_S.0) };
            *exhaust += (now - *exhaust) * (STEP_S / SENSOR_S.1);
        }
    }
}
