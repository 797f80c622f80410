//! What a job file may not say: values that cannot be, names that appear twice.

use super::crossed::moment;
use super::input::{Job, JobPull, JobSet};
use jamjar_core::analysis::Engine;
use jamjar_core::bounds::{
    Bound, CYLINDERS, DISPLACEMENT_L, ENGINE_RPM, GEAR_RATIO, GRID_RPM, HOUR_OF_DAY, INERTIA_KG_M2, LAG_S,
    MARGIN_KW, NUMBER_IN_FILE, OVERALL_RATIO, PULSES_PER_CYCLE, SMOOTHING_S,
};
use jamjar_core::computed::compile_all;
use jamjar_core::limits::{Limit, Threshold};
use std::collections::HashSet;

/// Checks every number of a job against what it can be, and its names against each other.
pub(super) fn check(job: &Job) -> Result<(), String> {
    if job.jamjar_job != 1 {
        return Err(format!("jamjar_job is {}; this program reads version 1", job.jamjar_job));
    }
    let d = &job.vehicle.dyno;
    within("grid_rpm", GRID_RPM, Some(job.grid_rpm))?;
    within("smoothing_s", SMOOTHING_S, Some(job.smoothing_s))?;
    within("margin_kw", MARGIN_KW, job.margin_kw)?;
    within("at_rpm", ENGINE_RPM, job.at_rpm)?;
    within("vehicle.dyno.overall_ratio", OVERALL_RATIO, d.overall_ratio)?;
    within("vehicle.dyno.inertia_kg_m2", INERTIA_KG_M2, d.inertia_kg_m2)?;
    within("vehicle.dyno.rotating_inertia_kg_m2", INERTIA_KG_M2, d.rotating_inertia_kg_m2)?;
    engine(&job.vehicle.engine)?;
    gears(job)?;
    for (i, x) in job.interventions.iter().enumerate() {
        if moment(&x.at).is_none() {
            return Err(format!(
                "interventions[{i}].at “{}” is not a date such as 2026-03-02 or 2026-03-02T11:40",
                x.at
            ));
        }
        if x.what.trim().is_empty() {
            return Err(format!("interventions[{i}].what says nothing"));
        }
    }
    for (name, band) in [("band_rpm", job.band_rpm), ("shift_rpm", job.shift_rpm)] {
        let Some([a, b]) = band else { continue };
        within(name, ENGINE_RPM, Some(a))?;
        within(name, ENGINE_RPM, Some(b))?;
        if b <= a {
            return Err(format!("{name} {a} to {b} is not a band: the first must be lower"));
        }
    }
    if job.sets.is_empty() {
        return Err("there are no sets".into());
    }
    unique("set", job.sets.iter().map(|s| s.id.as_str()))?;
    for (i, step) in job.steps.iter().flatten().enumerate() {
        for (end, id) in [("from", &step.from), ("to", &step.to)] {
            if job.sets.iter().all(|s| s.id != *id) {
                return Err(format!("steps[{i}].{end} “{id}” is not a set"));
            }
        }
        if step.from == step.to {
            return Err(format!("steps[{i}] goes from “{}” to itself", step.from));
        }
    }
    if let Some(all) = &job.steps
        && all.len() != 2
    {
        return Err(format!("steps has {} of them: a gain of gains takes two", all.len()));
    }
    if let Some(h) = &job.provisional_scatter {
        let between = h.between.map_or([0.0, 0.0], |b| [b.relative_sd, b.dof]);
        for (name, v) in [
            ("relative_sd", h.relative_sd),
            ("dof", h.dof),
            ("between.relative_sd", between[0]),
            ("between.dof", between[1]),
        ] {
            let most = if name.ends_with("dof") { 1e6 } else { 0.5 };
            if !(0.0..=most).contains(&v) {
                return Err(format!("provisional_scatter.{name}: {v} cannot be; give 0 to {most}"));
            }
        }
    }
    job.sets.iter().try_for_each(set)?;
    unique("limit", job.limits.iter().map(|l| l.id.as_str()))?;
    compile_all(&job.computed).map_err(|e| e.to_string())?;
    job.limits.iter().try_for_each(limit)
}

fn within(field: &str, bound: Bound, value: Option<f64>) -> Result<(), String> {
    value.map_or(Ok(()), |v| bound.check(v).map(|_| ()).map_err(|e| format!("{field}: {e}")))
}

fn engine(e: &Engine) -> Result<(), String> {
    within("vehicle.engine.cylinders", CYLINDERS, e.cylinders.map(f64::from))?;
    within("vehicle.engine.displacement_l", DISPLACEMENT_L, e.displacement_l)?;
    within("vehicle.engine.rev_limit_rpm", ENGINE_RPM, e.rev_limit_rpm)?;
    within("vehicle.engine.pulses_per_cycle", PULSES_PER_CYCLE, e.pulses_per_cycle.map(f64::from))
}

/// Gears with ratios that can be, and a gear the dyno's ratio holds for among them.
fn gears(job: &Job) -> Result<(), String> {
    let (all, d) = (&job.vehicle.gears, &job.vehicle.dyno);
    for (name, ratio) in all {
        within(&format!("vehicle.gears.{name}"), GEAR_RATIO, Some(*ratio))?;
    }
    match &d.reference_gear {
        Some(g) if !all.contains_key(g) => {
            Err(format!("vehicle.dyno.reference_gear “{g}” is not among vehicle.gears"))
        }
        None if !all.is_empty() && d.overall_ratio.is_some() => {
            Err("vehicle.gears needs vehicle.dyno.reference_gear: the gear overall_ratio holds for".into())
        }
        _ => Ok(()),
    }
}

fn unique<'a>(what: &str, mut names: impl Iterator<Item = &'a str>) -> Result<(), String> {
    let mut seen = HashSet::new();
    names.find(|n| !seen.insert(*n)).map_or(Ok(()), |n| Err(format!("the {what} “{n}” appears twice")))
}

fn set(s: &JobSet) -> Result<(), String> {
    if s.pulls.is_empty() {
        return Err(format!("the set “{}” has no pulls", s.id));
    }
    unique("pull", s.pulls.iter().map(|p| p.id.as_str())).map_err(|e| format!("set “{}”: {e}", s.id))?;
    within("at_h", HOUR_OF_DAY, s.at_h).map_err(|e| format!("set “{}”: {e}", s.id))?;
    s.pulls.iter().try_for_each(|p| pull(p).map_err(|e| format!("set “{}”, pull “{}”: {e}", s.id, p.id)))
}

fn pull(p: &JobPull) -> Result<(), String> {
    within("lag_s", LAG_S, p.lag_s)?;
    let (recorded, finished) = (p.dyno.is_some() || p.ecu.is_some(), [p.table.is_some(), p.typed.is_some()]);
    match (recorded, finished) {
        (false, [false, false]) => {
            return Err("it names no recording: dyno, ecu, table or typed".into());
        }
        (true, [true, _] | [_, true]) | (_, [true, true]) => {
            return Err("it is one of these: recordings (dyno, ecu), a table, or typed peaks".into());
        }
        _ => {}
    }
    let only_finished = [
        ("applied_correction", p.applied_correction.is_some()),
        ("place", p.place.is_some()),
        ("smoothing", p.smoothing.is_some()),
    ];
    if let Some((name, _)) = only_finished.iter().find(|f| recorded && f.1) {
        return Err(format!("{name} belongs to a finished curve or typed peaks, not to recordings"));
    }
    if p.table.is_none() && (p.run.is_some() || p.columns.is_some()) {
        return Err("run and columns belong to a table".into());
    }
    if let Some(at) = p.at.as_ref().filter(|a| moment(a).is_none()) {
        return Err(format!("at “{at}” is not a date such as 2026-03-02 or 2026-03-02T11:40"));
    }
    within("number_in_file", NUMBER_IN_FILE, p.number_in_file.map(|n| n as f64))
}

/// A threshold that no value of its channel can reach is a unit gone wrong.
fn limit(l: &Limit) -> Result<(), String> {
    l.validate().map_err(|e| e.to_string())?;
    let Some(kind) = l.channel.kind() else { return Ok(()) };
    let reach = kind.limitable();
    let values: Vec<f64> = match &l.threshold {
        Threshold::Constant(v) => vec![*v],
        Threshold::Curve { value, .. } => value.clone(),
    };
    let unit = if kind.unit.is_empty() { String::new() } else { format!(" {}", kind.unit) };
    match values.iter().find(|v| **v < reach.0 || **v > reach.1) {
        Some(v) => Err(format!(
            "limit “{}”: threshold {v}{unit} cannot be of {} ({} to {}{unit}): another unit?",
            l.id, kind.label, reach.0, reach.1
        )),
        None => Ok(()),
    }
}
