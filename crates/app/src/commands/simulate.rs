//! `jamjar simulate SCENARIO --out DIR`.

use super::bad_input;
use jamjar_workflow::{scenarios, simulate};
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(scenario: &str, out: &Path, seed: Option<u64>) -> ExitCode {
    let result = scenarios::open(scenario).and_then(|l| l.run(seed, None).map(|run| (l, run)));
    let (l, run) = match result {
        Ok(x) => x,
        Err(e) => return bad_input(e),
    };
    match simulate::write_days(&l, &run, out) {
        Ok(()) => {
            let pulls: usize = run.days.iter().flat_map(|d| &d.sets).map(|s| s.pulls.len()).sum();
            println!(
                "{}: {} days, {pulls} pulls, maps, job.json and truth.json",
                out.display(),
                run.days.len()
            );
            ExitCode::SUCCESS
        }
        Err(e) => bad_input(format!("{}: cannot be written: {e}", out.display())),
    }
}
