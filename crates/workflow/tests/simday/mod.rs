//! A simulated day, written out and analysed as a job; its true answer is known.
#![allow(dead_code)]

use jamjar_core::analysis::{Comparison, Measured, SetInput, SetResult, Vehicle};
use jamjar_core::limits::Limit;
use jamjar_sim::{SimPull, Simulated, Sweep};
use jamjar_workflow::job::Ran;
use jamjar_workflow::scenarios::{Loaded, built_in};
use serde_json::{Value, json};
use std::sync::Arc;

pub(crate) struct Day {
    pub(crate) run: Simulated,
    pub(crate) result: Value,
    pub(crate) vehicle: Vehicle,
    pub(crate) limits: Vec<Limit>,
    pub(crate) inputs: Vec<SetInput>,
    pub(crate) measured: Vec<Vec<Arc<Measured>>>,
    pub(crate) results: Vec<SetResult>,
    pub(crate) comparisons: Vec<Comparison>,
}

/// Runs the first sets of a scenario's first day, two pulls each, each driven as given or as the scenario
/// says, and analyses the job that comes of it along an axis.
pub(crate) fn day(name: &str, sweeps: &[Option<Sweep>], along: &str, edit: impl FnOnce(&mut Loaded)) -> Day {
    let mut l = built_in(name).unwrap();
    l.scenario.day.truncate(1);
    l.scenario.day[0].set.truncate(sweeps.len());
    for (s, sweep) in l.scenario.day[0].set.iter_mut().zip(sweeps) {
        s.sweep = *sweep;
        s.pulls = 2;
    }
    edit(&mut l);
    let run = l.run(None, None).unwrap();
    let folder = tempfile::tempdir().unwrap();
    jamjar_workflow::simulate::write_days(&l, &run, folder.path()).unwrap();
    let file = folder.path().join("job.json");
    let mut job: Value = serde_json::from_str(&std::fs::read_to_string(&file).unwrap()).unwrap();
    job["along"] = json!(along);
    std::fs::write(&file, job.to_string()).unwrap();
    let Ran { result, analysed: a, job } = jamjar_workflow::job::run(&file).unwrap();
    let (vehicle, limits, inputs) = (job.vehicle, job.limits, job.sets);
    Day {
        run,
        result,
        vehicle,
        limits,
        inputs,
        measured: a.measured,
        results: a.sets,
        comparisons: a.comparisons,
    }
}

impl Day {
    pub(crate) fn pull(&self, set: usize, i: usize) -> (&Measured, &SimPull, &Value) {
        (&self.measured[set][i], &self.run.days[0].sets[set].pulls[i], &self.result["sets"][set]["pulls"][i])
    }
}
