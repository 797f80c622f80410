//! Running a scenario: every day, set and pull in order, heat and learnt retard carried along; and what was
//! true of it.

use crate::computer::{Adaptation, MapProblem};
use crate::dialect;
use crate::driveline::{SimDyno, drum_loss_nm};
use crate::engine::EngineSpec;
use crate::fault::{FaultKind, Faults, Planted};
use crate::fuel::SimFuel;
use crate::instant::{Instant, PullSetup, STEP_S};
use crate::instruments::{Clock, RecorderSpec, Upset, record};
use crate::noise::Noise;
use crate::pull::{Trace, run_pull};
use crate::scenario::{DaySpec, Scenario, ScenarioError, SetSpec, seconds_of};
use crate::sweep::Sweep;
use crate::thermal::Thermal;
use jamjar_core::air::AirState;
use jamjar_core::maps::MapFile;
use jamjar_core::signal::interp::linear;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;

/// Pulls averaged for the truth of a configuration: knock differs from cycle to cycle.
const REFERENCE_PULLS: u64 = 4;
/// Time a pull needs to settle on its ramp before its power counts as true at that speed, s.
const SETTLED_S: f64 = 0.55;

/// A file as an instrument wrote it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SimFile {
    /// File name.
    pub name: String,
    /// Contents.
    pub bytes: Vec<u8>,
}

/// A true curve over engine speed.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct TrueCurve {
    /// Engine speeds, rpm, ascending.
    pub rpm: Vec<f64>,
    /// Uncorrected power at the dyno, what the engine's own inertia takes left out, kW.
    pub power_kw: Vec<f64>,
}

/// What was true of a pull.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct PullTruth {
    /// Engine-computer time − dyno time at the start of the recording, s; `None` without an engine-computer
    /// log.
    pub lag_s: Option<f64>,
    /// How fast the engine computer's clock runs against the dyno's, ppm.
    pub drift_ppm: f64,
    /// Its true curve.
    pub curve: TrueCurve,
    /// Start and end of the loaded part on the dyno clock, s.
    pub loaded_s: [f64; 2],
    /// Faults planted.
    pub planted: Vec<Planted>,
    /// Mean knock retard over the loaded part, °.
    pub mean_retard_deg: f64,
}

/// One pull with its files and truth.
#[derive(Debug, Clone)]
pub struct SimPull {
    /// Dyno recording.
    pub dyno: SimFile,
    /// Engine-computer log.
    pub ecu: Option<SimFile>,
    /// Time of day it began, s.
    pub at_s: f64,
    /// Air of the cell at that time.
    pub air: AirState,
    /// Oil, coolant and charge air at its start, °C.
    pub start_c: [f64; 3],
    /// What was true.
    pub truth: PullTruth,
}

/// One set.
#[derive(Debug, Clone)]
pub struct SimSet {
    /// As the scenario states it.
    pub spec: SetSpec,
    /// Pulls.
    pub pulls: Vec<SimPull>,
    /// True mean curve of what was really in the vehicle, at the day's air and one heat for all: the seed's
    /// answer.
    pub truth: TrueCurve,
}

/// A day in the cell.
#[derive(Debug, Clone)]
pub struct SimDay {
    /// As the scenario states it.
    pub spec: DaySpec,
    /// Air at the start.
    pub air: AirState,
    /// Sets in order of running.
    pub sets: Vec<SimSet>,
}

/// A scenario that was run.
#[derive(Debug, Clone)]
pub struct Simulated {
    /// Days.
    pub days: Vec<SimDay>,
    /// Coast-down of the drum with nothing on it, for inertia drums.
    pub coast_down: Option<SimFile>,
}

/// The parts of a scenario, found once.
struct Stage<'a> {
    scenario: &'a Scenario,
    engines: BTreeMap<&'a str, EngineSpec>,
    fuels: BTreeMap<&'a str, SimFuel>,
    maps: &'a BTreeMap<String, MapFile>,
}

/// Runs a scenario, days in parallel.
///
/// # Errors
/// [`ScenarioError`] when a map is missing or lacks a table the engine needs.
pub fn simulate(scenario: &Scenario, maps: &BTreeMap<String, MapFile>) -> Result<Simulated, ScenarioError> {
    let engines: Result<BTreeMap<&str, EngineSpec>, ScenarioError> =
        scenario.builds().into_iter().map(|b| Ok((b, scenario.engine(b)?))).collect();
    let engines = engines?;
    let fuels =
        scenario.fuel.iter().filter_map(|f| Some((f.name.as_str(), scenario.fuel(&f.name)?))).collect();
    if let Some(m) = scenario.map.iter().find(|m| !maps.contains_key(&m.name)) {
        return Err(ScenarioError::whole(format!("map {} was not read from {}", m.name, m.file)));
    }
    let stage = Stage { scenario, engines, fuels, maps };
    let days: Result<Vec<SimDay>, MapProblem> =
        scenario.day.par_iter().enumerate().map(|(k, d)| stage.day(k, d)).collect();
    let days = days.map_err(|e| ScenarioError::whole(e.to_string()))?;
    Ok(Simulated { days, coast_down: stage.coast_down() })
}

impl Stage<'_> {
    fn day(&self, index: usize, d: &DaySpec) -> Result<SimDay, MapProblem> {
        let seed = self.scenario.seed.wrapping_mul(1_000_003).wrapping_add(index as u64 * 7919);
        let mut noise = Noise::new(seed, "day");
        let start = seconds_of(&d.start).unwrap_or(32_400.0);
        let (mut now, mut thermal) = (start, Thermal::morning(d.temperature_c, d.cold_k));
        let mut mounting = 1.0 + noise.normal(self.scenario.cell.mounting_scatter);
        let ecu_epoch = noise.uniform() * 400.0;
        let mut flashed: Option<(&str, Adaptation)> = None;
        let mut sets = Vec::new();
        for (k, s) in d.set.iter().enumerate() {
            if s.remount && k > 0 {
                mounting = 1.0 + noise.normal(self.scenario.cell.mounting_scatter);
            }
            now += s.before_min * 60.0;
            thermal.rest(s.before_min * 60.0, d.temperature_c);
            let mut pulls = Vec::new();
            for i in 1..=s.pulls {
                let faults = self.faults(s, i);
                let map = self.map_in(s, &faults);
                let mut adaptation = match &flashed {
                    Some((name, a)) if *name == map.name => *a,
                    _ => Adaptation::fresh(map),
                };
                let hours = (now - start) / 3600.0;
                let air = air_at(d, hours);
                let pull_seed = seed.wrapping_add((k * 64 + i) as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15);
                let setup = PullSetup {
                    engine: &self.engines[s.build.as_str()],
                    map,
                    fuel: self.fuel_in(s, &faults),
                    cell: &self.scenario.cell,
                    sweep: s.sweep.unwrap_or(self.scenario.sweep),
                    boost_kpa: s.boost_kpa,
                    ambient_c: air.temperature_c,
                    ambient_kpa: air.pressure_hpa / 10.0,
                    faults: &faults,
                    scale: mounting * (1.0 + noise.normal(self.scenario.cell.pull_scatter)),
                    lambda_ready_s: if k == 0 && i == 1 { 0.9 } else { 0.0 },
                    seed: pull_seed,
                };
                let begin = thermal;
                let trace = run_pull(&setup, &mut thermal, &mut adaptation)?;
                flashed = Some((map.name.as_str(), adaptation));
                let elapsed = now - start + ecu_epoch;
                pulls.push(self.files(
                    s,
                    i,
                    &trace,
                    &faults,
                    Moment { at_s: now, ecu_s: elapsed, air, heat: begin, seed: pull_seed },
                ));
                now += trace.instants.len() as f64 * STEP_S + s.rest_s;
                thermal.rest(s.rest_s, d.temperature_c);
            }
            sets.push(SimSet { spec: s.clone(), pulls, truth: TrueCurve::default() });
        }
        let air = air_at(d, 0.0);
        for s in &mut sets {
            s.truth = self.truth(&s.spec, air)?;
        }
        Ok(SimDay { spec: d.clone(), air, sets })
    }

    fn faults(&self, s: &SetSpec, number: usize) -> Faults {
        let mut f = Faults::of(&s.fault, number);
        f.filter_factor *= s.filter;
        f.gear_factor *= s.gear_ratio;
        f
    }

    fn map_in(&self, s: &SetSpec, f: &Faults) -> &MapFile {
        let name = f.map.as_ref().unwrap_or(&s.map);
        &self.maps[name]
    }

    fn fuel_in(&self, s: &SetSpec, f: &Faults) -> &SimFuel {
        let name = f.fuel.as_ref().unwrap_or(&s.fuel);
        &self.fuels[name.as_str()]
    }

    /// The mean of a few pulls without scatter from one heat, on the 50 rpm grid.
    fn truth(&self, s: &SetSpec, air: AirState) -> Result<TrueCurve, MapProblem> {
        let lasting: Vec<_> = s.fault.iter().filter(|f| f.pulls.is_empty()).cloned().collect();
        let mut faults = Faults::of(&lasting, 1);
        faults.filter_factor *= s.filter;
        faults.gear_factor *= s.gear_ratio;
        let sweep = s.sweep.unwrap_or(self.scenario.sweep);
        let mut curves = Vec::new();
        for k in 0..REFERENCE_PULLS {
            let setup = PullSetup {
                engine: &self.engines[s.build.as_str()],
                map: self.map_in(s, &faults),
                fuel: self.fuel_in(s, &faults),
                cell: &self.scenario.cell,
                sweep,
                boost_kpa: s.boost_kpa,
                ambient_c: air.temperature_c,
                ambient_kpa: air.pressure_hpa / 10.0,
                faults: &faults,
                scale: 1.0,
                lambda_ready_s: 0.0,
                seed: 77 + k,
            };
            let trace =
                run_pull(&setup, &mut Thermal::reference(air.temperature_c), &mut Adaptation::default())?;
            curves.push(curve_of(&trace));
        }
        Ok(on_grid(&curves))
    }

    fn files(&self, s: &SetSpec, number: usize, trace: &Trace, faults: &Faults, m: Moment) -> SimPull {
        let stem = format!("{}-p{number}", s.id);
        let mut noise = Noise::new(m.seed, "recorders");
        let torque_noise = self.scenario.torque_noise_nm;
        let zero = noise.normal(0.12 * torque_noise);
        let heading =
            format!("{}, {}", self.scenario.cell.place, self.scenario.cell.dyno.id().replace('_', " "));
        let mut dyno_spec = self.scenario.dyno.clone();
        for c in ["hub_torque", "brake_torque"] {
            dyno_spec.sensor.entry(c.to_owned()).or_default().offset += zero;
        }
        let dyno = record(
            &without(&dyno_spec, &s.without),
            trace,
            Clock::default(),
            Upset { torque_noise, ..Upset::default() },
            &mut noise,
        );
        let ppm = 35.0 + faults.clock_ppm;
        let ecu_start = m.ecu_s + noise.uniform() * 0.7;
        let mut loaded = trace.instants.iter().filter(|i| i.loaded);
        let from = trace.tip_s;
        let upset = Upset {
            lambda_end: faults.lambda_end,
            lambda_frozen_s: faults.lambda_frozen.map(|share| from + share * (trace.lift_s - from)),
            torque_noise,
        };
        let ecu = self.scenario.ecu.as_ref().filter(|_| !s.no_ecu).map(|spec| {
            let r = record(
                &without(spec, &s.without),
                trace,
                Clock { start_s: ecu_start, ppm },
                upset,
                &mut noise,
            );
            SimFile {
                name: format!("{stem}_ecu.csv"),
                bytes: dialect::write(&r, spec.dialect, &heading, m.at_s - ecu_start, faults.misplaced_unit),
            }
        });
        let mut planted = faults.planted.clone();
        for p in &mut planted {
            p.at_s = acts_at(p, trace, faults);
        }
        SimPull {
            dyno: SimFile {
                name: format!("{stem}_dyno.csv"),
                bytes: dialect::write(&dyno, self.scenario.dyno.dialect, &heading, m.at_s, false),
            },
            truth: PullTruth {
                lag_s: ecu.is_some().then_some(ecu_start),
                drift_ppm: ppm,
                curve: curve_of(trace),
                loaded_s: [from, loaded.next_back().map_or(trace.lift_s, |i| i.t)],
                planted,
                mean_retard_deg: trace.mean_retard_deg,
            },
            ecu,
            at_s: m.at_s,
            air: m.air,
            start_c: [m.heat.oil_c, m.heat.coolant_c, trace.instants[0].intake_c],
        }
    }

    /// The drum alone, let go from its highest speed.
    fn coast_down(&self) -> Option<SimFile> {
        let c = &self.scenario.cell;
        (c.dyno == SimDyno::RollerInertia).then(|| {
            let mut omega = self.scenario.sweep.to_rpm / c.ratio * std::f64::consts::PI / 30.0;
            let mut noise = Noise::new(self.scenario.seed, "coast");
            let mut text = String::from("Time (s),Drum speed (rpm)\n");
            for k in 0..6000 {
                if k % 5 == 0 {
                    text += &format!(
                        "{:.2},{:.3}\n",
                        f64::from(k) * 0.01,
                        omega * 30.0 / std::f64::consts::PI + noise.normal(0.02)
                    );
                }
                omega = (omega - drum_loss_nm(c, omega) / c.inertia_kg_m2 * 0.01).max(0.0);
            }
            SimFile { name: "coast_down.csv".into(), bytes: text.into_bytes() }
        })
    }
}

/// When and in what state a pull began.
struct Moment {
    at_s: f64,
    ecu_s: f64,
    air: AirState,
    heat: Thermal,
    seed: u64,
}

fn without(spec: &RecorderSpec, names: &[String]) -> RecorderSpec {
    let mut out = spec.clone();
    out.channels.retain(|c| !names.contains(c));
    out
}

/// Air after some hours: the same water in warmer air is drier.
fn air_at(d: &DaySpec, hours: f64) -> AirState {
    let t = d.temperature_c + d.warming_c_per_h * hours;
    let es = |t: f64| 6.1094 * (17.625 * t / (t + 243.04)).exp();
    let humidity = (d.humidity * es(d.temperature_c) / es(t)).clamp(0.0, 1.0);
    let pressure_hpa = d.pressure_hpa + d.pressure_hpa_per_h * hours;
    AirState {
        temperature_c: (t * 10.0).round() / 10.0,
        humidity: (humidity * 100.0).round() / 100.0,
        pressure_hpa: (pressure_hpa * 10.0).round() / 10.0,
    }
}

/// Where on the dyno's clock a fault acts, for those that have a place.
fn acts_at(p: &Planted, trace: &Trace, f: &Faults) -> Option<[f64; 2]> {
    let (tip, lift) = (trace.tip_s, trace.lift_s);
    match p.kind {
        FaultKind::LeanExcursion => Some([tip, tip + 1.0]),
        FaultKind::FrozenLambda => f.lambda_frozen.map(|s| [tip + s * (lift - tip), lift]),
        FaultKind::LimiterCut | FaultKind::SpeedLimiter => {
            let cut = trace.instants.iter().find(|i| i.loaded && i.fuel_cut > 0.5)?;
            Some([cut.t, lift])
        }
        FaultKind::AbortedPull => Some([lift, lift]),
        FaultKind::Knock => p.rpm.and_then(|r| {
            let mut inside = trace.instants.iter().filter(|i| i.loaded && (r[0]..=r[1]).contains(&i.rpm));
            let first = inside.next()?.t;
            Some([first, inside.next_back().map_or(first, |i| i.t)])
        }),
        _ => None,
    }
}

/// True power over engine speed of the settled, uncut part; of a step test, over the second half of each held
/// speed.
fn curve_of(trace: &Trace) -> TrueCurve {
    if !trace.holds.is_empty() {
        let mean = |[a, b]: &[f64; 2]| {
            let late: Vec<&Instant> =
                trace.instants.iter().filter(|i| i.t >= 0.5 * (a + b) && i.t < *b).collect();
            let n = late.len().max(1) as f64;
            (late.iter().map(|i| i.rpm).sum::<f64>() / n, late.iter().map(|i| i.power_kw).sum::<f64>() / n)
        };
        let mut points: Vec<(f64, f64)> = trace.holds.iter().map(mean).collect();
        points.sort_by(|a, b| a.0.total_cmp(&b.0));
        return TrueCurve {
            rpm: points.iter().map(|p| p.0).collect(),
            power_kw: points.iter().map(|p| p.1).collect(),
        };
    }
    let cut = trace.instants.iter().find(|i| i.loaded && i.fuel_cut > 0.5).map_or(f64::INFINITY, |i| i.t);
    let settled = trace
        .instants
        .iter()
        .filter(|i| i.loaded && i.t > trace.tip_s + SETTLED_S && i.t < cut && i.t < trace.lift_s);
    let mut points: Vec<(f64, f64)> = settled.step_by(10).map(|i| (i.rpm, i.power_kw)).collect();
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    points.dedup_by(|a, b| a.0 <= b.0);
    TrueCurve { rpm: points.iter().map(|p| p.0).collect(), power_kw: points.iter().map(|p| p.1).collect() }
}

/// Mean of curves on the 50 rpm grid where all of them have a value.
fn on_grid(curves: &[TrueCurve]) -> TrueCurve {
    let mut out = TrueCurve::default();
    let top = curves.iter().filter_map(|c| c.rpm.last()).copied().fold(f64::INFINITY, f64::min);
    if !top.is_finite() {
        return out;
    }
    for k in 0..=(top / 50.0) as u32 {
        let rpm = f64::from(k) * 50.0;
        let at: Option<Vec<f64>> = curves.iter().map(|c| linear(&c.rpm, &c.power_kw, rpm)).collect();
        if let Some(v) = at {
            out.rpm.push(rpm);
            out.power_kw.push(v.iter().sum::<f64>() / v.len() as f64);
        }
    }
    out
}

/// One pull without recorders, for speed measurements and studies: its true curve.
///
/// # Errors
/// [`ScenarioError`] when the scenario has no set or the map does not fit.
pub fn one_pull(
    scenario: &Scenario,
    maps: &BTreeMap<String, MapFile>,
    seed: u64,
) -> Result<TrueCurve, ScenarioError> {
    let spec = scenario
        .day
        .first()
        .and_then(|d| d.set.first())
        .ok_or_else(|| ScenarioError::whole("the scenario has no set"))?;
    let engine = scenario.engine(&spec.build)?;
    let fuel = scenario.fuel(&spec.fuel).ok_or_else(|| ScenarioError::whole("no such fuel"))?;
    let map =
        maps.get(&spec.map).ok_or_else(|| ScenarioError::whole(format!("map {} was not read", spec.map)))?;
    let d = &scenario.day[0];
    let faults = Faults::default();
    let sweep: Sweep = spec.sweep.unwrap_or(scenario.sweep);
    let setup = PullSetup {
        engine: &engine,
        map,
        fuel: &fuel,
        cell: &scenario.cell,
        sweep,
        boost_kpa: spec.boost_kpa,
        ambient_c: d.temperature_c,
        ambient_kpa: d.pressure_hpa / 10.0,
        faults: &faults,
        scale: 1.0,
        lambda_ready_s: 0.0,
        seed,
    };
    let trace = run_pull(&setup, &mut Thermal::reference(d.temperature_c), &mut Adaptation::default())
        .map_err(|e| ScenarioError::whole(e.to_string()))?;
    Ok(curve_of(&trace))
}
