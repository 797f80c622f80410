//! Scenarios: days in a cell as readable text (TOML) that a person can edit.

use crate::driveline::{CellSpec, SimDyno};
use crate::engine::EngineSpec;
use crate::fault::{FaultKind, FaultSpec};
use crate::fuel::SimFuel;
use crate::instruments::{RecorderSpec, is_known};
use crate::sweep::Sweep;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};
use thiserror::Error;

/// Version of the scenario form.
pub const SCENARIO_VERSION: u32 = 1;

/// A scenario that cannot be run: where and what to do.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{}{problem}", place(*line, *column))]
pub struct ScenarioError {
    /// Line from 1, when known.
    pub line: Option<usize>,
    /// Column from 1, when known.
    pub column: Option<usize>,
    /// What is wrong and what to do.
    pub problem: String,
}

fn place(line: Option<usize>, column: Option<usize>) -> String {
    match (line, column) {
        (Some(l), Some(c)) => format!("{l}:{c}: "),
        (Some(l), None) => format!("{l}: "),
        _ => String::new(),
    }
}

impl ScenarioError {
    /// An error about the scenario as a whole.
    pub fn whole(problem: impl Into<String>) -> Self {
        Self { line: None, column: None, problem: problem.into() }
    }
}

/// The vehicle.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct VehicleSpec {
    /// Name.
    pub name: String,
    /// Built-in engine: `tolvern-t3`, `marrow-48`, `quillet-650`, `brae`.
    pub engine: String,
    /// Changes to that engine, part by part.
    #[serde(default)]
    pub change: toml::Table,
    /// The vehicle's sheet as the shop keeps it: gears, tyres, quoted output. Passed on as it stands.
    #[serde(default)]
    pub sheet: serde_json::Value,
}

/// A fuel by name.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FuelSpec {
    /// Name.
    pub name: String,
    /// Volume fraction of ethanol.
    #[serde(default)]
    pub ethanol: f64,
    /// Research octane number as sold.
    pub ron: Option<f64>,
    /// Price of a litre at the pump.
    pub price: Option<f64>,
    /// It is diesel.
    #[serde(default)]
    pub diesel: bool,
}

/// A map by name, and the file it stands in.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MapRef {
    /// Name on the day sheet.
    pub name: String,
    /// Map file, relative to the scenario.
    pub file: String,
}

/// A build state of the vehicle.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BuildSpec {
    /// Name.
    pub name: String,
    /// Date from which it stands.
    pub since: String,
    /// What changed.
    pub changed: String,
    /// Changes to the engine, part by part.
    #[serde(default)]
    pub change: toml::Table,
}

/// A note on a day.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NoteSpec {
    /// Time of day, `HH:MM`.
    pub at: String,
    /// Tag.
    #[serde(default)]
    pub tag: String,
    /// Text.
    pub text: String,
    /// Engine speeds it was observed over, rpm.
    #[serde(default)]
    pub rpm: Option<[f64; 2]>,
    /// Loads it was observed over, % of full.
    #[serde(default)]
    pub load: Option<[f64; 2]>,
}

/// One set of a day.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SetSpec {
    /// Id, unique in the scenario.
    pub id: String,
    /// Map by name.
    pub map: String,
    /// Fuel by name.
    pub fuel: String,
    /// Highest boost target, kPa gauge; the map's own when absent.
    pub boost_kpa: Option<f64>,
    /// Gear.
    #[serde(default = "gear")]
    pub gear: String,
    /// Ratio of that gear to the one the cell's ratio holds for.
    #[serde(default = "one")]
    pub gear_ratio: f64,
    /// The correction of the print that is all a cell handed over of it; no recordings then.
    pub printed: Option<String>,
    /// Build state.
    #[serde(default = "build")]
    pub build: String,
    /// Declared extras, such as an airbox cover.
    #[serde(default)]
    pub extras: BTreeMap<String, String>,
    /// Pulls.
    #[serde(default = "three")]
    pub pulls: usize,
    /// Note.
    #[serde(default)]
    pub note: String,
    /// Minutes of work before the first pull.
    #[serde(default = "work")]
    pub before_min: f64,
    /// Rest between pulls, s.
    #[serde(default = "rest")]
    pub rest_s: f64,
    /// Strapped down afresh: draws a new mounting.
    #[serde(default = "yes")]
    pub remount: bool,
    /// Air filter's loss against a clean one with its cover on.
    #[serde(default = "one")]
    pub filter: f64,
    /// Another sweep than the scenario's.
    pub sweep: Option<Sweep>,
    /// Channels that were not logged in this set.
    #[serde(default)]
    pub without: Vec<String>,
    /// No engine-computer log at all.
    #[serde(default)]
    pub no_ecu: bool,
    /// Pulls a person left out, with the reason.
    #[serde(default)]
    pub left_out: Vec<LeftOut>,
    /// Faults planted.
    #[serde(default)]
    pub fault: Vec<FaultSpec>,
}

/// Something that was changed on the vehicle.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct ChangedSpec {
    /// `HH:MM`.
    pub at: String,
    pub what: String,
    pub from: String,
    pub to: String,
}

/// A pull left out of figures.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LeftOut {
    /// Which, from 1.
    pub pull: usize,
    /// Why.
    pub reason: String,
}

fn gear() -> String {
    "4".into()
}
fn build() -> String {
    "A".into()
}
fn three() -> usize {
    3
}
fn work() -> f64 {
    12.0
}
fn rest() -> f64 {
    210.0
}
fn yes() -> bool {
    true
}
fn one() -> f64 {
    1.0
}

/// One day in the cell.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DaySpec {
    /// Date, `YYYY-MM-DD`.
    pub date: String,
    /// Start of work, `HH:MM`.
    #[serde(default = "nine")]
    pub start: String,
    /// Cell temperature at the start, °C.
    pub temperature_c: f64,
    /// Relative humidity at the start, 0–1.
    pub humidity: f64,
    /// Station pressure, hPa.
    pub pressure_hpa: f64,
    /// Warming of the cell, K per hour; humidity falls accordingly.
    #[serde(default)]
    pub warming_c_per_h: f64,
    /// Change of pressure, hPa per hour.
    #[serde(default)]
    pub pressure_hpa_per_h: f64,
    /// Oil below its ready temperature at the first pull, K.
    #[serde(default)]
    pub cold_k: f64,
    /// Note of the day.
    #[serde(default)]
    pub note: String,
    /// Notes with time and tag.
    #[serde(default)]
    pub notes: Vec<NoteSpec>,
    /// Changes on the vehicle with their time.
    #[serde(default)]
    pub changed: Vec<ChangedSpec>,
    /// Litres on hand of each fuel.
    #[serde(default)]
    pub litres: BTreeMap<String, f64>,
    /// Sets in order of running.
    pub set: Vec<SetSpec>,
}

fn nine() -> String {
    "09:00".into()
}

/// A scenario.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Scenario {
    /// Version of the form.
    pub jamjar_scenario: u32,
    /// Name.
    pub name: String,
    /// Seed; the same seed gives the same bytes.
    pub seed: u64,
    /// The vehicle.
    pub vehicle: VehicleSpec,
    /// The dyno.
    pub cell: CellSpec,
    /// How pulls are driven.
    pub sweep: Sweep,
    /// Band for mean power, rpm.
    pub band_rpm: Option<[f64; 2]>,
    /// The dyno's recorder.
    pub dyno: RecorderSpec,
    /// The engine computer's recorder.
    pub ecu: Option<RecorderSpec>,
    /// Noise of the torque cell, N·m at the dyno shaft.
    #[serde(default = "torque_noise")]
    pub torque_noise_nm: f64,
    /// Maps.
    pub map: Vec<MapRef>,
    /// Fuels.
    pub fuel: Vec<FuelSpec>,
    /// Build states.
    #[serde(default)]
    pub build: Vec<BuildSpec>,
    /// Limits, as a job file has them; passed on as they stand.
    #[serde(default)]
    pub limits: serde_json::Value,
    /// Days.
    pub day: Vec<DaySpec>,
}

fn torque_noise() -> f64 {
    5.0
}

/// Seconds of the day of `HH:MM`.
pub(crate) fn seconds_of(clock: &str) -> Option<f64> {
    let (h, m) = clock.split_once(':')?;
    let (h, m) = (h.parse::<u32>().ok()?, m.parse::<u32>().ok()?);
    (h < 24 && m < 60).then_some(f64::from(h * 3600 + m * 60))
}

/// No number of a scenario is larger; pulls and lines of a list are far fewer.
const LARGEST: f64 = 1e9;
const MOST: usize = 500;
/// Pulls of a set at most: more is a mistake of a digit.
const MOST_PULLS: i64 = 100;

/// A number that cannot be, or a list without end, with the path to it.
fn impossible(path: &str, v: &toml::Value) -> Option<String> {
    let below = |name: &str| if path.is_empty() { name.to_owned() } else { format!("{path}.{name}") };
    match v {
        toml::Value::Float(x) if !x.is_finite() || x.abs() > LARGEST => {
            Some(format!("{path}: {x} cannot be"))
        }
        toml::Value::Integer(n) if path.ends_with(".pulls") && !(1..=MOST_PULLS).contains(n) => {
            Some(format!("{path}: {n} pulls; 1 to {MOST_PULLS} make a set"))
        }
        toml::Value::Integer(n) if !path.ends_with("seed") && n.unsigned_abs() > LARGEST as u64 => {
            Some(format!("{path}: {n} cannot be"))
        }
        toml::Value::Array(a) if a.len() > MOST => {
            Some(format!("{path}: {} entries; {MOST} at most", a.len()))
        }
        toml::Value::Array(a) => {
            a.iter().enumerate().find_map(|(i, v)| impossible(&format!("{path}[{i}]"), v))
        }
        toml::Value::Table(t) => t.iter().find_map(|(k, v)| impossible(&below(k), v)),
        _ => None,
    }
}

impl Scenario {
    /// Reads and checks a scenario.
    ///
    /// # Errors
    /// [`ScenarioError`] with the line and column of a fault of form, or the names of what does not fit
    /// together.
    pub fn parse(text: &str) -> Result<Self, ScenarioError> {
        if let Ok(table) = toml::from_str::<toml::Table>(text)
            && let Some(p) = impossible("", &toml::Value::Table(table))
        {
            return Err(ScenarioError::whole(p));
        }
        let s: Self = toml::from_str(text).map_err(|e| {
            let at = e.span().map(|span| &text[..span.start.min(text.len())]);
            ScenarioError {
                line: at.map(|a| a.matches('\n').count() + 1),
                column: at.map(|a| a.rsplit('\n').next().map_or(0, |l| l.chars().count()) + 1),
                problem: e.message().to_owned(),
            }
        })?;
        match s.problem() {
            Some(p) => Err(ScenarioError::whole(p)),
            None => Ok(s),
        }
    }

    /// The engine of a build state, changes applied.
    ///
    /// # Errors
    /// [`ScenarioError`] for an unknown engine or a change that does not fit it.
    pub fn engine(&self, build: &str) -> Result<EngineSpec, ScenarioError> {
        let text = crate::engines::text(&self.vehicle.engine).ok_or_else(|| {
            ScenarioError::whole(format!(
                "there is no engine “{}”; there are: {}",
                self.vehicle.engine,
                crate::engines::NAMES.join(", ")
            ))
        })?;
        let mut table: toml::Table = toml::from_str(text)
            .map_err(|e| ScenarioError::whole(format!("engine {}: {}", self.vehicle.engine, e.message())))?;
        merge(&mut table, &self.vehicle.change);
        if let Some(b) = self.build.iter().find(|b| b.name == build) {
            merge(&mut table, &b.change);
        }
        let spec: EngineSpec = table.try_into().map_err(|e: toml::de::Error| {
            ScenarioError::whole(format!("change to the engine: {}", e.message()))
        })?;
        match spec.problem() {
            Some(p) => Err(ScenarioError::whole(p)),
            None => Ok(spec),
        }
    }

    /// Names of the build states that sets use.
    pub(crate) fn builds(&self) -> BTreeSet<&str> {
        self.day.iter().flat_map(|d| &d.set).map(|s| s.build.as_str()).collect()
    }

    /// A fuel by name.
    pub fn fuel(&self, name: &str) -> Option<SimFuel> {
        let f = self.fuel.iter().find(|f| f.name == name)?;
        if f.diesel { Some(SimFuel::diesel(&f.name)) } else { SimFuel::blend(&f.name, f.ethanol, f.ron) }
    }

    fn problem(&self) -> Option<String> {
        if self.jamjar_scenario != SCENARIO_VERSION {
            return Some(format!(
                "jamjar_scenario is {}; this program reads version {SCENARIO_VERSION}",
                self.jamjar_scenario
            ));
        }
        if let Some(e) = self.builds().iter().find_map(|b| self.engine(b).err()) {
            return Some(e.problem);
        }
        let recorders = [Some(&self.dyno), self.ecu.as_ref()];
        for r in recorders.into_iter().flatten() {
            if let Some(c) = r.channels.iter().find(|c| !is_known(c)) {
                return Some(format!("the simulator has no channel “{c}” to record"));
            }
            if !(1.0..=500.0).contains(&r.rate_hz) {
                return Some(format!("rate_hz is {}; a recorder samples 1 to 500 times a second", r.rate_hz));
            }
            if !(0.0..0.5).contains(&r.lost) {
                return Some(format!("lost is {}; at most half of the samples may be lost", r.lost));
            }
        }
        if !(self.cell.ratio.is_finite() && self.cell.ratio > 0.0) {
            return Some(format!("cell.ratio is {}; it must be positive", self.cell.ratio));
        }
        if self.cell.dyno == SimDyno::RollerInertia && self.cell.inertia_kg_m2 <= 0.0 {
            return Some("cell: a roller_inertia dyno needs inertia_kg_m2, its drum's".into());
        }
        if let Some(f) = self.fuel.iter().find(|f| !(0.0..=1.0).contains(&f.ethanol)) {
            return Some(format!("fuel {}: ethanol is {}; it is a fraction from 0 to 1", f.name, f.ethanol));
        }
        let mut ids = BTreeSet::new();
        self.day.iter().find_map(|d| self.day_problem(d, &mut ids))
    }

    fn day_problem<'a>(&self, d: &'a DaySpec, ids: &mut BTreeSet<&'a str>) -> Option<String> {
        if let Err(e) = jamjar_core::air::AirState::new(d.temperature_c, d.humidity, d.pressure_hpa) {
            return Some(format!("day {}: {e}", d.date));
        }
        if let Some(clock) = d.notes.iter().map(|n| &n.at).chain([&d.start]).find(|c| seconds_of(c).is_none())
        {
            return Some(format!("day {}: “{clock}” is not a time of day such as 14:30", d.date));
        }
        for s in &d.set {
            let about = format!("day {}, set {}", d.date, s.id);
            if !ids.insert(&s.id) {
                return Some(format!("{about}: this id stands twice"));
            }
            if self.map.iter().all(|m| m.name != s.map) {
                return Some(format!("{about}: there is no map “{}” among [[map]]", s.map));
            }
            if self.fuel(&s.fuel).is_none() {
                return Some(format!("{about}: there is no fuel “{}” among [[fuel]]", s.fuel));
            }
            if let Some(p) = s.sweep.unwrap_or(self.sweep).problem(self.cell.dyno) {
                return Some(format!("{about}: {p}"));
            }
            if !(1..=30).contains(&s.pulls) {
                return Some(format!("{about}: {} pulls; a set has 1 to 30", s.pulls));
            }
            for f in &s.fault {
                match f.kind {
                    FaultKind::WrongFuel if f.fuel.as_ref().is_none_or(|n| self.fuel(n).is_none()) => {
                        return Some(format!(
                            "{about}: wrong_fuel needs fuel = the name of one among [[fuel]]"
                        ));
                    }
                    FaultKind::SoftwareOverwritten
                        if f.map.as_ref().is_none_or(|n| self.map.iter().all(|m| m.name != *n)) =>
                    {
                        return Some(format!(
                            "{about}: software_overwritten needs map = the name of one among [[map]]"
                        ));
                    }
                    _ => {}
                }
                if let Some(p) = f.pulls.iter().find(|p| **p == 0 || **p > s.pulls) {
                    return Some(format!(
                        "{about}: a fault on pull {p}, but there are {} pulls, counted from 1",
                        s.pulls
                    ));
                }
            }
        }
        None
    }
}

/// Puts `over` into `base`, tables within tables.
fn merge(base: &mut toml::Table, over: &toml::Table) {
    for (k, v) in over {
        match (base.get_mut(k), v) {
            (Some(toml::Value::Table(b)), toml::Value::Table(o)) => merge(b, o),
            _ => {
                base.insert(k.clone(), v.clone());
            }
        }
    }
}
