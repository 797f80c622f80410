//! Reading a job file and its logs; every refusal names the place.

use super::input::{Column, Conditions, Job, JobPull, JobSet, ProvisionalScatter};
use super::{JobError, Prepared, crossed, finished, strict};
use crate::input::ratio_in;
use jamjar_core::air::{AirError, AirState};
use jamjar_core::analysis::{PullInput, SetInput, Settings, Vehicle};
use jamjar_core::channel::Channel;
use jamjar_core::factors::Factors;
use jamjar_core::log::Recording;
use jamjar_core::pull::coast::{CoastDown, fit_coast_down};
use jamjar_formats::dialect_of;
use jamjar_formats::{Mapping, Rule, parse_unit, read_log};
use std::collections::{BTreeMap, HashSet, VecDeque};
use std::fs::File;
use std::path::Path;
use std::sync::Arc;

/// Whether a text is a job file whose every field and number can be; no log it names is opened.
///
/// # Errors
/// [`JobError`] with the place.
pub fn parse(text: &str, file: &str) -> Result<Job, JobError> {
    let text = text.trim_start_matches('\u{feff}');
    let at = |e: serde_json::Error| JobError::Syntax {
        file: file.to_owned(),
        line: e.line(),
        column: e.column(),
        problem: e.to_string().split(" at line").next().unwrap_or_default().to_owned(),
    };
    let job: Job = serde_json::from_str(text).map_err(at)?;
    strict::check(&job).map_err(|e| JobError::field(file, e))?;
    Ok(job)
}

/// Reads a job file and every log it names.
///
/// # Errors
/// [`JobError`] with file and place.
pub fn load(path: &Path) -> Result<Prepared, JobError> {
    let file = path.display().to_string();
    let text = std::fs::read_to_string(path).map_err(|e| JobError::unreadable(&file, &e))?;
    let job = parse(&text, &file)?;
    let folder = path.parent().unwrap_or(Path::new("."));
    let vehicle = job.vehicle.to_core(&job.computed);
    let coast_down = job.vehicle.dyno.coast_down.as_ref().map(|f| coast(folder, f, &job)).transpose()?;
    let of = Whole { job: &job, vehicle: &vehicle, coast_down, file: &file };
    let (mut sets, mut files) = (Vec::new(), Files::new(folder, &job));
    for (order, set) in job.sets.iter().enumerate() {
        sets.push(read_set(order as f64, set, &of, &mut files)?);
    }
    let baseline = match &job.baseline {
        None => 0,
        Some(id) => job.sets.iter().position(|s| &s.id == id).ok_or_else(|| {
            let ids: Vec<&str> = job.sets.iter().map(|s| s.id.as_str()).collect();
            JobError::NoBaseline { file: file.clone(), baseline: id.clone(), sets: ids.join(", ") }
        })?,
    };
    let settings = Settings {
        correction: job.correction,
        usual: None,
        grid_rpm: job.grid_rpm,
        smoothing_s: job.smoothing_s,
        headline: job.headline,
        band_rpm: job.band_rpm,
        margin_kw: job.margin_kw,
        habit: job.provisional_scatter.as_ref().map(ProvisionalScatter::habit),
        at_rpm: job.at_rpm,
        driven: job.driven_rpm,
        shift_rpm: job.shift_rpm,
        across_gears: job.across_gears.is_some(),
        along: job.along,
    };
    let at = |id: &String| job.sets.iter().position(|s| s.id == *id).expect("checked before");
    let steps = job.steps.as_ref().and_then(|all| match all.as_slice() {
        [one, two] => Some([[at(&one.from), at(&one.to)], [at(&two.from), at(&two.to)]]),
        _ => None,
    });
    Ok(Prepared {
        vehicle,
        settings,
        limits: job.limits,
        sets,
        baseline,
        steps,
        across_gears: job.across_gears,
    })
}

/// What every set and pull of a job shares.
struct Whole<'a> {
    job: &'a Job,
    vehicle: &'a Vehicle,
    coast_down: Option<CoastDown>,
    file: &'a str,
}

fn read_set(order: f64, set: &JobSet, of: &Whole<'_>, files: &mut Files<'_>) -> Result<SetInput, JobError> {
    let mut factors: Factors = set
        .factors
        .iter()
        .map(|(k, v)| (k.clone(), v.as_str().map_or_else(|| v.to_string(), str::to_owned)))
        .collect();
    let overall_ratio = factors.get("gear").and_then(|g| ratio_in(of.vehicle, g));
    let (states, said) = crossed::states(of.job, set);
    let in_time = states.keys().cloned().collect();
    for (what, state) in states {
        factors.entry(what).or_insert(state);
    }
    let pulls: Result<Vec<PullInput>, JobError> = set
        .pulls
        .iter()
        .map(|p| Ok(PullInput { overall_ratio, ..read_pull(p, &set.id, of, files)? }))
        .collect();
    let mut pulls = pulls?;
    pulls.iter_mut().for_each(|p| p.dyno.flags.extend(said.iter().cloned()));
    Ok(SetInput {
        id: set.id.clone(),
        day: set.day.clone(),
        at_h: set.at_h,
        order,
        factors,
        in_time,
        map_fuels: set.map_fuel.clone(),
        mounting: set.mounting.clone().filter(|m| !m.trim().is_empty()),
        pulls,
    })
}

fn air(c: &Conditions) -> Result<AirState, AirError> {
    match c.altitude_m {
        Some(h) => AirState::from_sea_level(c.temperature_c, c.humidity, c.pressure_hpa, h),
        None => AirState::new(c.temperature_c, c.humidity, c.pressure_hpa),
    }
}

fn read_pull(p: &JobPull, set: &str, of: &Whole<'_>, files: &mut Files<'_>) -> Result<PullInput, JobError> {
    let (channels, file) = (&of.job.channels, of.file);
    let place = |problem: AirError| JobError::Air {
        file: file.to_owned(),
        set: set.to_owned(),
        pull: p.id.clone(),
        problem: Box::new(problem),
    };
    let air = p.conditions.as_ref().map(air).transpose().map_err(place)?;
    let ambient = air.map(|a| a.pressure_hpa / 10.0);
    let where_ = format!("set “{set}”, pull “{}”", p.id);
    let finished = finished::finished(p, files.folder, file, &where_)?;
    let dyno = match &p.dyno {
        Some(f) => Arc::unwrap_or_clone(files.open(f, &mapping(&channels.dyno, ambient, file)?)?),
        None => Recording { name: p.table.clone().unwrap_or_default(), ..Recording::default() },
    };
    // The dyno's barometer stands nearer to the engine than a reading taken for the day.
    let ambient = dyno
        .series("ambient_pressure")
        .and_then(|s| s.mean_between(f64::NEG_INFINITY, f64::INFINITY))
        .or(ambient);
    let ecu = p.ecu.as_ref().map(|f| files.open(f, &mapping(&channels.ecu, ambient, file)?)).transpose()?;
    Ok(PullInput {
        id: p.id.clone(),
        dyno,
        ecu,
        air,
        lag_s: p.lag_s,
        excluded: p.exclude.clone(),
        coast_down: of.coast_down,
        pull_index: p.number_in_file.map(|n| n - 1),
        finished,
        overall_ratio: None,
    })
}

fn mapping(
    columns: &BTreeMap<String, Column>,
    ambient_kpa: Option<f64>,
    file: &str,
) -> Result<Mapping, JobError> {
    let rules: Result<Vec<Rule>, JobError> = columns
        .iter()
        .map(|(name, c)| {
            let channel = Channel::new(name.as_str()).map_err(|e| JobError::field(file, e))?;
            let unit = match &c.unit {
                None => None,
                Some(text) => Some(parse_unit(text).ok_or_else(|| JobError::Unit {
                    file: file.to_owned(),
                    channel: name.clone(),
                    unit: text.clone(),
                })?),
            };
            Ok(Rule { channel, column: c.column.clone(), unit })
        })
        .collect();
    Ok(Mapping { rules: rules?, ambient_kpa, ..Mapping::default() })
}

/// The recordings of a job. One that holds several pulls is named by each of them and read once: the two of
/// those read last are kept.
struct Files<'a> {
    folder: &'a Path,
    injections_per_rev: Option<f64>,
    several: HashSet<&'a str>,
    last: VecDeque<(String, Mapping, Arc<Recording>)>,
}

impl<'a> Files<'a> {
    fn new(folder: &'a Path, job: &'a Job) -> Self {
        let mut once = HashSet::new();
        let named = job
            .sets
            .iter()
            .flat_map(|s| &s.pulls)
            .flat_map(|p| [p.dyno.as_deref(), p.ecu.as_deref()])
            .flatten();
        Self {
            folder,
            injections_per_rev: job.vehicle.engine.injections_per_rev(),
            several: named.filter(|n| !once.insert(*n)).collect(),
            last: VecDeque::new(),
        }
    }

    fn open(&mut self, name: &str, mapping: &Mapping) -> Result<Arc<Recording>, JobError> {
        if let Some(known) = self.last.iter().find(|k| k.0 == name && k.1 == *mapping) {
            return Ok(known.2.clone());
        }
        let read = Arc::new(open(self.folder, name, mapping)?.with_duty(self.injections_per_rev));
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
    let file = File::open(&path).map_err(|e| JobError::unreadable(&shown, &e))?;
    Ok(read_log(file, &shown, mapping)?.log)
}

fn coast(folder: &Path, name: &str, job: &Job) -> Result<CoastDown, JobError> {
    // The coast-down comes from the dyno's own recorder: the names the job gives to its columns hold, where
    // the file has them.
    let mut wanted = mapping(&job.channels.dyno, None, name)?;
    let headers =
        dialect_of(File::open(folder.join(name)).map_err(|e| JobError::unreadable(name, &e))?, name)?.headers;
    wanted.rules.retain(|r| headers.iter().any(|h| *h == r.column || h.starts_with(&r.column)));
    let log = open(folder, name, &wanted)?;
    let inertia = job
        .vehicle
        .dyno
        .inertia_kg_m2
        .ok_or_else(|| JobError::field(name, "a coast-down needs inertia_kg_m2"))?;
    fit_coast_down(&log, inertia).map_err(|problem| JobError::CoastDown { file: name.to_owned(), problem })
}
