//! `jamjar analyse JOB`.

use super::bad_input;
use jamjar_core::analysis::{Figure, find_days, set_verdicts};
use jamjar_core::limits::judged;
use jamjar_core::units::Units;
use jamjar_core::words::{Speech, caution, caveat, finding, headline_sentence, limit_sentence};
use jamjar_workflow::job::{Analysed, Prepared, Ran, check_code, run as run_job};
use std::path::Path;
use std::process::ExitCode;

pub(crate) fn run(path: &Path, json: bool, check: bool) -> ExitCode {
    let Ran { result, job, analysed } = match run_job(path) {
        Ok(r) => r,
        Err(e) => return bad_input(e),
    };
    if json {
        println!("{result}");
    } else {
        print_words(&job, &analysed);
    }
    if check { ExitCode::from(check_code(&job, &analysed)) } else { ExitCode::SUCCESS }
}

fn print_words(job: &Prepared, a: &Analysed) {
    println!(
        "{}, {}, power {}, {}",
        job.vehicle.name,
        job.settings.correction.label(),
        job.vehicle.dyno.kind.place(),
        job.settings.headline.label()
    );
    let said = find_days(&a.sets, &a.measured);
    for (i, (set, measured)) in a.sets.iter().zip(&a.measured).enumerate() {
        let peak = set.figure(Figure::PeakPower);
        match (peak.headline, peak.rpm) {
            (Some(v), Some(rpm)) => {
                println!("  {}: {v:.1} kW at {rpm:.0} rpm, {} of {} pulls", set.id, set.n(), set.pulls.len())
            }
            _ => println!("  {}: no power figure", set.id),
        }
        for (l, o) in judged(&set_verdicts(measured), &job.limits) {
            println!("    {}", limit_sentence(l, o));
        }
        for (k, (m, c)) in measured.iter().zip(&set.pulls).enumerate() {
            let of_day = said.iter().filter(|f| f.set == i && f.pull == k).map(|f| &f.found);
            let found = m.flags.iter().chain(of_day).map(|f| finding(f, Units::default()));
            for text in found.chain(c.cautions.iter().map(caution)) {
                println!("    {}: {text}", m.id);
            }
        }
    }
    for c in &a.comparisons {
        println!("{}", headline_sentence(c, &a.sets, &Speech::PLAIN));
        for n in &c.notes {
            println!("  {}", caveat(n, &Speech::PLAIN));
        }
    }
}
