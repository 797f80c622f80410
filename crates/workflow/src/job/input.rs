//! The job file as written, version 1. Adding fields is free; renaming or removing one needs version 2.

use crate::printed::Typed;
use jamjar_core::analysis::{Along, Engine, Headline, Settings, Vehicle};
use jamjar_core::computed::Computed;
use jamjar_core::correction::Correction;
use jamjar_core::driven::Driven;
use jamjar_core::gears::Gears;
use jamjar_core::limits::Limit;
use jamjar_core::pull::dyno::{Dyno, DynoKind};
use jamjar_core::stats::habit::{Habit, HabitBetween};
use serde::Deserialize;
use std::collections::BTreeMap;

/// The whole file. A field it does not know is refused by name: a misspelt one would change nothing and say
/// nothing.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct Job {
    pub jamjar_job: u32,
    pub vehicle: JobVehicle,
    #[serde(default)]
    pub correction: Correction,
    #[serde(default = "default_grid")]
    pub grid_rpm: f64,
    #[serde(default = "default_smoothing")]
    pub smoothing_s: f64,
    #[serde(default)]
    pub headline: Headline,
    #[serde(default)]
    pub band_rpm: Option<[f64; 2]>,
    #[serde(default)]
    pub margin_kw: Option<f64>,
    #[serde(default)]
    pub at_rpm: Option<f64>,
    #[serde(default)]
    pub driven_rpm: Option<Driven>,
    #[serde(default)]
    pub shift_rpm: Option<[f64; 2]>,
    /// The reason for comparing across gears; nothing else accepts it.
    #[serde(default, deserialize_with = "reason")]
    pub across_gears: Option<String>,
    /// What the gain is also given along, when not engine speed alone.
    #[serde(default)]
    pub along: Along,
    #[serde(default)]
    pub baseline: Option<String>,
    #[serde(default)]
    pub channels: Channels,
    /// Channels computed from those that are measured.
    #[serde(default)]
    pub computed: Vec<Computed>,
    #[serde(default)]
    pub limits: Vec<Limit>,
    /// The cell's habit, for sets whose day has no scatter of its own.
    #[serde(default)]
    pub provisional_scatter: Option<ProvisionalScatter>,
    /// Two steps whose gains are compared.
    #[serde(default)]
    pub steps: Option<Vec<JobStep>>,
    /// What was changed between sets beside their own configuration.
    #[serde(default)]
    pub interventions: Vec<Intervention>,
    pub sets: Vec<JobSet>,
}

/// Scatter of the cell's earlier days, relative.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct ProvisionalScatter {
    pub relative_sd: f64,
    pub dof: f64,
    pub sets: u32,
    #[serde(default)]
    pub between: Option<HabitBetween>,
    /// Where it comes from, in words.
    #[serde(default)]
    pub from: String,
}

impl ProvisionalScatter {
    /// As the core knows it.
    pub fn habit(&self) -> Habit {
        let Self { relative_sd, dof, sets, between, .. } = *self;
        Habit { relative_sd, dof, sets, between, spread: None }
    }
}

/// A step from one set to another.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct JobStep {
    pub from: String,
    pub to: String,
}

/// A change at a moment: software of a unit, a belt, a sensor.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct Intervention {
    pub at: String,
    pub what: String,
    #[serde(default)]
    pub from: String,
    #[serde(default)]
    pub to: String,
}

/// A reason in words; `true` alone is none: the sets stay “can't tell”, with their numbers.
fn reason<'de, D: serde::Deserializer<'de>>(d: D) -> Result<Option<String>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Said {
        Flag(#[allow(dead_code)] bool),
        Reason(String),
    }
    Ok(match Option::<Said>::deserialize(d)? {
        None | Some(Said::Flag(_)) => None,
        Some(Said::Reason(r)) => Some(r.trim().to_owned()).filter(|r| !r.is_empty()),
    })
}

fn default_grid() -> f64 {
    Settings::default().grid_rpm
}

fn default_smoothing() -> f64 {
    Settings::default().smoothing_s
}

/// Vehicle with its dyno.
#[derive(Debug, Clone, Deserialize)]
#[allow(missing_docs)]
pub struct JobVehicle {
    #[serde(default)]
    pub name: String,
    #[serde(default)]
    pub engine: Engine,
    pub dyno: JobDyno,
    /// Gear ratios by name, on any one scale.
    #[serde(default)]
    pub gears: BTreeMap<String, f64>,
}

/// Dyno of the job; the coast-down file is a path.
#[derive(Debug, Clone, Deserialize)]
#[allow(missing_docs)]
pub struct JobDyno {
    pub kind: DynoKind,
    #[serde(default)]
    pub overall_ratio: Option<f64>,
    #[serde(default)]
    pub inertia_kg_m2: Option<f64>,
    #[serde(default)]
    pub rotating_inertia_kg_m2: Option<f64>,
    #[serde(default)]
    pub coast_down: Option<String>,
    /// Gear for which the overall ratio holds.
    #[serde(default)]
    pub reference_gear: Option<String>,
}

impl JobVehicle {
    /// As the core knows it.
    pub fn to_core(&self, computed: &[Computed]) -> Vehicle {
        let d = &self.dyno;
        Vehicle {
            name: self.name.clone(),
            engine: self.engine.clone(),
            dyno: Dyno {
                kind: d.kind,
                overall_ratio: d.overall_ratio,
                inertia_kg_m2: d.inertia_kg_m2,
                rotating_inertia_kg_m2: d.rotating_inertia_kg_m2,
            },
            gears: Gears {
                reference: d.reference_gear.clone(),
                ratios: self.gears.clone(),
                ..Gears::default()
            },
            computed: computed.to_vec(),
        }
    }
}

/// Column assignments per log kind.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct Channels {
    #[serde(default)]
    pub dyno: BTreeMap<String, Column>,
    #[serde(default)]
    pub ecu: BTreeMap<String, Column>,
}

/// One assignment.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct Column {
    pub column: String,
    #[serde(default)]
    pub unit: Option<String>,
}

/// A set.
#[derive(Debug, Clone, Deserialize)]
#[allow(missing_docs)]
pub struct JobSet {
    pub id: String,
    #[serde(default)]
    pub day: String,
    /// Clock time of the first pull, h.
    #[serde(default)]
    pub at_h: Option<f64>,
    #[serde(default)]
    pub factors: BTreeMap<String, serde_json::Value>,
    /// Name of its mounting; sets that share one stood in one.
    #[serde(default)]
    pub mounting: Option<String>,
    /// Fuels the map is meant for; no set that puts it on another is proposed.
    #[serde(default)]
    pub map_fuel: Option<String>,
    pub pulls: Vec<JobPull>,
}

/// A pull.
#[derive(Debug, Clone, Deserialize)]
#[allow(missing_docs)]
pub struct JobPull {
    pub id: String,
    #[serde(default)]
    pub dyno: Option<String>,
    #[serde(default)]
    pub ecu: Option<String>,
    /// A finished curve in a table, in place of recordings.
    #[serde(default)]
    pub table: Option<String>,
    /// Which run of the table.
    #[serde(default)]
    pub run: Option<serde_json::Value>,
    /// Peaks from a print, in place of recordings.
    #[serde(default)]
    pub typed: Option<Typed>,
    #[serde(default)]
    pub applied_correction: Option<String>,
    #[serde(default)]
    pub smoothing: Option<String>,
    #[serde(default)]
    pub place: Option<String>,
    #[serde(default)]
    pub columns: Option<BTreeMap<String, Column>>,
    /// When it was pulled.
    #[serde(default)]
    pub at: Option<String>,
    #[serde(default)]
    pub conditions: Option<Conditions>,
    #[serde(default)]
    pub lag_s: Option<f64>,
    /// Reason for leaving the pull out of figures.
    #[serde(default)]
    pub exclude: Option<String>,
    /// Which pull of a file that holds several, from 1.
    #[serde(default)]
    pub number_in_file: Option<usize>,
}

/// Air of the cell. With `altitude_m` the pressure is taken as reduced to sea level.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct Conditions {
    pub pressure_hpa: f64,
    pub temperature_c: f64,
    pub humidity: f64,
    #[serde(default)]
    pub altitude_m: Option<f64>,
}
