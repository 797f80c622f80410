//! `jamjar fuzz`: hostile input by the million, with what came of it as a table.

use jamjar_workflow::fuzz::{Kind, Outcome, SLOW, run as try_them};
use std::process::ExitCode;

/// Shares of the inputs: what takes longer gets fewer.
fn share(kind: Kind) -> u64 {
    match kind {
        Kind::Measured => 1,
        Kind::Scenario => 2,
        Kind::Recording => 5,
        Kind::Job | Kind::Map => 12,
        Kind::Calculator | Kind::Query => 34,
    }
}

pub(crate) fn run(inputs: u64, seed: u64) -> ExitCode {
    // A panic is counted, not printed a million times.
    std::panic::set_hook(Box::new(|_| {}));
    println!(
        "| input | tried | taken as good | panics | over {} s | longest, ms |\n|---|---|---|---|---|---|",
        SLOW.as_secs()
    );
    let mut bad = 0;
    for kind in Kind::ALL {
        let o: Outcome = try_them(kind, seed, inputs * share(kind) / 100);
        println!(
            "| {} | {} | {} | {} | {} | {:.0} |",
            kind.label(),
            o.tried,
            o.taken,
            o.panics.len(),
            o.slow.len(),
            o.longest.as_secs_f64() * 1e3
        );
        for s in o.panics.iter().chain(&o.slow).take(5) {
            println!("  seed {s} of {}", kind.label());
        }
        bad += o.panics.len() + o.slow.len();
    }
    let kib = std::fs::read_to_string("/proc/self/status").ok();
    let peak = kib
        .as_deref()
        .and_then(|s| s.lines().find_map(|l| l.strip_prefix("VmHWM:")))
        .and_then(|v| v.trim().trim_end_matches(" kB").parse::<u64>().ok());
    println!("largest memory of the whole run: {} MiB", peak.unwrap_or(0) >> 10);
    if bad == 0 { ExitCode::SUCCESS } else { ExitCode::from(2) }
}
