//! Reading a job file and its logs; every refusal names the place.

use super::Prepared;
use super::input::{Column, Conditions, Job, JobPull, JobSet};
use jamjar_core::air::AirState;
use jamjar_core::analysis::{PullInput, SetInput, Settings};
use jamjar_core::bounds::{GRID_RPM, OVERALL_RATIO, SMOOTHING_S};
use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use jamjar_core::pull::power::{CoastDown, fit_coast_down};
use jamjar_formats::{FormatError, Mapping, Rule, parse_unit, read_log};
use std::collections::{BTreeMap, HashSet, VecDeque};
use std::fs::File;
use std::path::Path;
use thiserror::Error;

/// Why a job cannot be analysed.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum JobError {
    /// A log cannot be read.
    #[error(transparent)]
    Format(#[from] FormatError),
    /// The job itself is at fault.
    #[error("{0}")]
    Bad(String),
}

fn bad(file: &str, what: impl std::fmt::Display) -> JobError {
    JobError::Bad(format!("{file}: {what}"))
}

/// Reads a job file and every log it names.
///
/// # Errors
/// [`JobError`] with file and place.
pub fn load(path: &Path) -> Result<Prepared, JobError> {
    let file = path.display().to_string();
    let text = std::fs::read_to_string(path).map_err(|e| bad(&file, format!("cannot be read: {e}")))?;
    let job: Job = serde_json::from_str(text.trim_start_matches('\u{feff}'))
        .map_err(|e| JobError::Bad(format!("{file}:{}:{}: {}", e.line(), e.column(), e.to_string().split(" at line").next().unwrap_or_default())))?;
    check(&job, &file)?;
    let folder = path.parent().unwrap_or(Path::new("."));
    let vehicle = job.vehicle.to_core();
    let coast_down = job.vehicle.dyno.coast_down.as_ref().map(|f| coast(folder, f, &job)).transpose()?;
    let (mut sets, mut files) = (Vec::new(), Files::new(folder, &job));
    for (order, set) in job.sets.iter().enumerate() {
        sets.push(read_set(order as f64, set, &job, &mut files, coast_down, &file)?);
    }
    let baseline = match &job.baseline {
        None => 0,
        Some(id) => job.sets.iter().position(|s| &s.id == id).ok_or_else(|| {
            let ids: Vec<&str> = job.sets.iter().map(|s| s.id.as_str()).collect();
            bad(&file, format!("the baseline “{id}” is not a set; the sets are: {}", ids.join(", ")))
        })?,
    };
    let settings = Settings {
        correction: job.correction,
        grid_rpm: job.grid_rpm,
        smoothing_s: job.smoothing_s,
        headline: job.headline,
        band_rpm: job.band_rpm,
        margin_kw: job.margin_kw,
        at_rpm: job.at_rpm,
        driven: job.driven_rpm,
        shift_rpm: job.shift_rpm,
        across_gears: job.across_gears,
        along: job.along,
        ..Settings::default()
    };
    Ok(Prepared { vehicle, settings, limits: job.limits, sets, baseline })
}

fn check(job: &Job, file: &str) -> Result<(), JobError> {
    if job.jamjar_job != 1 {
        return Err(bad(file, format!("jamjar_job is {}; this program reads version 1", job.jamjar_job)));
    }
    GRID_RPM.check(job.grid_rpm).map_err(|e| bad(file, e))?;
    SMOOTHING_S.check(job.smoothing_s).map_err(|e| bad(file, e))?;
    if let Some(k) = job.vehicle.dyno.overall_ratio {
        OVERALL_RATIO.check(k).map_err(|e| bad(file, e))?;
    }
    for (name, v) in [("inertia_kg_m2", job.vehicle.dyno.inertia_kg_m2), ("rotating_inertia_kg_m2", job.vehicle.dyno.rotating_inertia_kg_m2)] {
        if v.is_some_and(|v| !v.is_finite() || v < 0.0) {
            return Err(bad(file, format!("{name} must be zero or a positive number")));
        }
    }
    if let Some(b) = job.band_rpm
        && !(b[0] > 0.0 && b[1] > b[0])
    {
        return Err(bad(file, format!("band_rpm {} to {} is not a band: the first must be lower", b[0], b[1])));
    }
    if job.sets.is_empty() {
        return Err(bad(file, "there are no sets"));
    }
    let mut seen = HashSet::new();
    for s in &job.sets {
        if !seen.insert(&s.id) {
            return Err(bad(file, format!("the set “{}” appears twice", s.id)));
        }
        if s.pulls.is_empty() {
            return Err(bad(file, format!("the set “{}” has no pulls", s.id)));
        }
        let mut pulls = HashSet::new();
        if let Some(p) = s.pulls.iter().find(|p| !pulls.insert(&p.id)) {
            return Err(bad(file, format!("the set “{}” has the pull “{}” twice", s.id, p.id)));
        }
    }
    let mut limits = HashSet::new();
    for l in &job.limits {
        l.validate().map_err(|e| bad(file, e))?;
        if !limits.insert(&l.id) {
            return Err(bad(file, format!("the limit “{}” appears twice", l.id)));
        }
    }
    Ok(())
}

fn read_set(order: f64, set: &JobSet, job: &Job, files: &mut Files<'_>, coast_down: Option<CoastDown>, file: &str) -> Result<SetInput, JobError> {
    let factors = set.factors.iter().map(|(k, v)| (k.clone(), v.as_str().map_or_else(|| v.to_string(), str::to_owned))).collect();
    let pulls: Result<Vec<PullInput>, JobError> = set.pulls.iter().map(|p| read_pull(p, set, job, files, coast_down, file)).collect();
    Ok(SetInput { id: set.id.clone(), day: set.day.clone(), at_h: set.at_h, order, factors, map_fuels: set.map_fuel.clone(), pulls: pulls? })
}

fn air(c: &Conditions) -> Result<AirState, jamjar_core::air::AirError> {
    match c.altitude_m {
        Some(h) => AirState::from_sea_level(c.temperature_c, c.humidity, c.pressure_hpa, h),
        None => AirState::new(c.temperature_c, c.humidity, c.pressure_hpa),
    }
}

fn read_pull(p: &JobPull, set: &JobSet, job: &Job, files: &mut Files<'_>, coast_down: Option<CoastDown>, file: &str) -> Result<PullInput, JobError> {
    let place = |what: String| bad(file, format!("set “{}”, pull “{}”: {what}", set.id, p.id));
    let air = p.conditions.as_ref().map(air).transpose().map_err(|e| place(e.to_string()))?;
    let ambient = air.map(|a| a.pressure_hpa / 10.0);
    let dyno = files.open(&p.dyno, &mapping(&job.channels.dyno, ambient, file)?)?;
    let ecu = p.ecu.as_ref().map(|f| files.open(f, &mapping(&job.channels.ecu, ambient, file)?)).transpose()?;
    if p.lag_s.is_some_and(|l| !l.is_finite()) {
        return Err(place("lag_s is not a finite number".into()));
    }
    if p.number_in_file == Some(0) {
        return Err(place("number_in_file counts from 1".into()));
    }
    Ok(PullInput {
        id: p.id.clone(),
        dyno,
        ecu,
        air,
        lag_s: p.lag_s,
        excluded: p.exclude.clone(),
        coast_down,
        pull_index: p.number_in_file.map(|n| n - 1),
    })
}

fn mapping(columns: &BTreeMap<String, Column>, ambient_kpa: Option<f64>, file: &str) -> Result<Mapping, JobError> {
    let rules: Result<Vec<Rule>, JobError> = columns
        .iter()
        .map(|(name, c)| {
            let channel = Channel::new(name.as_str()).map_err(|e| bad(file, e))?;
            let unit = match &c.unit {
                None => None,
                Some(text) => Some(parse_unit(text).ok_or_else(|| bad(file, format!("channels: “{text}” for {name} is not a unit we know")))?),
            };
            Ok(Rule { channel, column: c.column.clone(), unit })
        })
        .collect();
    Ok(Mapping { rules: rules?, ambient_kpa })
}

/// The recordings of a job. One that holds several pulls is named by each of them and read once: the two of those read last are kept.
struct Files<'a> {
    folder: &'a Path,
    injections_per_rev: Option<f64>,
    several: HashSet<&'a str>,
    last: VecDeque<(String, Mapping, Recording)>,
}

impl<'a> Files<'a> {
    fn new(folder: &'a Path, job: &'a Job) -> Self {
        let mut once = HashSet::new();
        let named = job.sets.iter().flat_map(|s| &s.pulls).flat_map(|p| [Some(p.dyno.as_str()), p.ecu.as_deref()]).flatten();
        Self { folder, injections_per_rev: job.vehicle.engine.injections_per_rev(), several: named.filter(|n| !once.insert(*n)).collect(), last: VecDeque::new() }
    }

    fn open(&mut self, name: &str, mapping: &Mapping) -> Result<Recording, JobError> {
        if let Some(known) = self.last.iter().find(|k| k.0 == name && k.1 == *mapping) {
            return Ok(known.2.clone());
        }
        let read = open(self.folder, name, mapping)?.with_duty(self.injections_per_rev);
        if !self.several.contains(name) {
            return Ok(read);
        }
        self.last.truncate(1);
        self.last.push_front((name.to_owned(), mapping.clone(), read.clone()));
        Ok(read)
    }
}

fn open(folder: &Path, name: &str, mapping: &Mapping) -> Result<Recording, JobError> {
    let path = folder.join(name);
    let shown = path.display().to_string();
    let file = File::open(&path).map_err(|e| bad(&shown, format!("cannot be opened: {e}")))?;
    Ok(read_log(file, &shown, mapping)?.log)
}

fn coast(folder: &Path, name: &str, job: &Job) -> Result<CoastDown, JobError> {
    let log = open(folder, name, &Mapping::default())?;
    let inertia = job.vehicle.dyno.inertia_kg_m2.ok_or_else(|| bad(name, "a coast-down needs inertia_kg_m2"))?;
    fit_coast_down(&log, inertia).map_err(|e| bad(name, e))
}
