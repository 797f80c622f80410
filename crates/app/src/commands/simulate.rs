//! `jamjar simulate SCENARIO --out DIR`.

use super::bad_input;
use std::path::Path;
use std::process::ExitCode;

/// Scatter between mountings of the built-in scenario, as a share of torque.
const MOUNTING_SD: f64 = 0.001;

pub(crate) fn run(scenario: &str, out: &Path, seed: u64) -> ExitCode {
    if scenario != "first-light" {
        return bad_input(format!("there is no scenario “{scenario}”; there is: first-light"));
    }
    match jamjar_workflow::simulate::write_day(&jamjar_sim::first_light(seed, MOUNTING_SD), out) {
        Ok(()) => {
            println!("{}: recordings, job.json and truth.json", out.display());
            ExitCode::SUCCESS
        }
        Err(e) => bad_input(format!("{}: cannot be written: {e}", out.display())),
    }
}
