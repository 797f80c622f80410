//! The job file: the same analysis as the pages, with no database.

mod crossed;
mod error;
mod finished;
mod input;
mod load;
mod result;
mod strict;
#[cfg(test)]
mod tests;

pub use error::JobError;
pub use input::Job;
pub use load::{load, parse};
pub use result::to_json;
pub(crate) use result::{Told, told};

use jamjar_core::analysis::{
    Comparison, GainOfGains, Measured, SetInput, SetResult, Settings, Vehicle, analyse_sets, compare_all,
    gain_of_gains, measure_sets,
};
use jamjar_core::limits::{Limit, Verdict};
use serde_json::Value;
use std::path::Path;
use std::sync::Arc;

/// A job read from disk, ready to be analysed.
#[derive(Debug, Clone)]
pub struct Prepared {
    /// Vehicle and dyno.
    pub vehicle: Vehicle,
    /// Settings.
    pub settings: Settings,
    /// Limits.
    pub limits: Vec<Limit>,
    /// Sets with their logs.
    pub sets: Vec<SetInput>,
    /// Index of the baseline.
    pub baseline: usize,
    /// Two steps whose gains are compared: from and to, as indices of sets.
    pub steps: Option<[[usize; 2]; 2]>,
    /// Why different gears are compared, when a person accepts it.
    pub across_gears: Option<String>,
}

/// Everything an analysis found.
#[derive(Debug, Clone)]
pub struct Analysed {
    /// Measured pulls, per set.
    pub measured: Vec<Vec<Arc<Measured>>>,
    /// Sets.
    pub sets: Vec<SetResult>,
    /// Comparisons with the baseline.
    pub comparisons: Vec<Comparison>,
    /// The gain of gains that was asked for.
    pub gain_of_gains: Option<GainOfGains>,
}

/// Measures and compares.
///
/// # Errors
/// [`JobError`] when a log lacks the channels its dyno needs.
pub fn analyse(job: &Prepared) -> Result<Analysed, JobError> {
    let measured = measure_sets(&job.sets, &job.vehicle, &job.settings, &job.limits)?;
    let measured: Vec<Vec<Arc<Measured>>> =
        measured.into_iter().map(|pulls| pulls.into_iter().map(Arc::new).collect()).collect();
    let sets = analyse_sets(&job.sets, &measured, &job.vehicle.engine, &job.settings);
    let candidates: Vec<usize> = (0..sets.len()).filter(|i| *i != job.baseline).collect();
    let comparisons = compare_all(&sets, job.baseline, &candidates, &job.vehicle, &job.settings);
    let gain_of_gains = job.steps.map(|steps| gain_of_gains(&sets, &[], steps));
    Ok(Analysed { measured, sets, comparisons, gain_of_gains })
}

/// A job that was run.
#[derive(Debug)]
pub struct Ran {
    /// The result as its contract has it.
    pub result: Value,
    /// What was asked, with its recordings.
    pub job: Prepared,
    /// What came of it.
    pub analysed: Analysed,
}

/// Reads, analyses and renders a job file as the result contract, version 1.
///
/// # Errors
/// [`JobError`] for a job or log that cannot be used.
pub fn run(path: &Path) -> Result<Ran, JobError> {
    let job = load(path)?;
    let analysed = analyse(&job)?;
    Ok(Ran { result: to_json(&job, &analysed), job, analysed })
}

/// Exit code of `--check`: 3 when a stop limit was over; 4 when none was over but some are not clear, or no
/// stop limit was judged at all; else 0.
pub fn check_code(job: &Prepared, analysed: &Analysed) -> u8 {
    let stops: Vec<&str> = job
        .limits
        .iter()
        .filter(|l| l.severity == jamjar_core::limits::Severity::Stop)
        .map(|l| l.id.as_str())
        .collect();
    let all = || analysed.measured.iter().flatten().flat_map(|m| &m.limits);
    let judged = || all().filter(|o| stops.contains(&o.limit.as_str()));
    if judged().any(|o| o.verdict == Verdict::Over) {
        3
    } else if judged().next().is_none() || all().any(|o| o.verdict != Verdict::Clear) {
        4
    } else {
        0
    }
}
