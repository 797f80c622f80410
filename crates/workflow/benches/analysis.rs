//! Analysis of jobs and reading of a wide CSV, timed for `bench/run`: prints one JSON object. Not a test of
//! anything.
#![allow(missing_docs, clippy::unwrap_used)]

use jamjar_core::analysis::Figure;
use jamjar_core::channel::Channel;
use jamjar_formats::{Mapping, Rule, read_log};
use jamjar_workflow::job;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// What the program allocates with.
#[global_allocator]
static MEMORY: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Median of the seconds a piece of work takes.
fn median<T>(times: usize, mut work: impl FnMut() -> T) -> (f64, T) {
    let mut seconds = Vec::new();
    let mut last = None;
    for _ in 0..times {
        let t = Instant::now();
        last = Some(work());
        seconds.push(t.elapsed().as_secs_f64());
    }
    seconds.sort_by(f64::total_cmp);
    (seconds[seconds.len() / 2], last.unwrap())
}

fn analysis(paths: &[PathBuf]) -> serde_json::Value {
    let jobs: Vec<job::Prepared> = paths.iter().map(|p| job::load(p).unwrap()).collect();
    let pulls: usize = jobs.iter().flat_map(|j| &j.sets).map(|s| s.pulls.len()).sum();
    let (seconds, done) =
        median(std::env::var("JAMJAR_BENCH_TIMES").ok().and_then(|v| v.parse().ok()).unwrap_or(5), || {
            jobs.iter().map(|j| job::analyse(j).unwrap()).collect::<Vec<_>>()
        });
    let sets: Vec<_> = done
        .iter()
        .enumerate()
        .flat_map(|(k, a)| a.sets.iter().zip(&a.measured).map(move |(s, m)| (k, s, m)))
        .map(|(k, s, m)| {
            let lags: Vec<_> = m.iter().map(|m| m.alignment.usable_lag()).collect();
            let peaks: Vec<_> = s.pull_figures.iter().map(|f| f.peak_power.map(|p| p.value)).collect();
            let bands: Vec<_> = s.pull_figures.iter().map(|f| f.band_mean_power).collect();
            serde_json::json!({"job": k, "id": s.id, "lags": lags, "peaks": peaks, "bands": bands})
        })
        .collect();
    let comparisons: Vec<_> = done
        .iter()
        .enumerate()
        .flat_map(|(k, a)| a.comparisons.iter().map(move |c| (k, a, c)))
        .map(|(k, a, c)| {
            let f = c.figure(Figure::BandMeanPower);
            let q = c.power.curve.half.iter().copied().filter(|v| v.is_finite()).fold(f64::NAN, f64::min);
            serde_json::json!({"job": k, "id": a.sets[c.candidate].id, "difference": f.and_then(|f| f.mean_difference), "half_kw": q})
        })
        .collect();
    serde_json::json!({"pulls": pulls, "seconds": seconds, "sets": sets, "comparisons": comparisons})
}

/// Every column of a file that nobody recognises, as a channel of its own name.
fn every_column(path: &Path) -> Mapping {
    let read = |m: &Mapping| read_log(std::fs::File::open(path).unwrap(), "wide.csv", m).unwrap();
    let own = |(k, c): (usize, &jamjar_formats::ColumnReport)| {
        let channel = Channel::new(format!("column_{k}")).unwrap();
        c.channel.is_none().then(|| Rule { channel, column: c.header.clone(), unit: None })
    };
    let rules = read(&Mapping::default()).columns.iter().enumerate().filter_map(own).collect();
    Mapping { rules, ..Mapping::default() }
}

fn csv(path: &Path, mapping: &Mapping) -> serde_json::Value {
    let (seconds, log) =
        median(5, || read_log(std::fs::File::open(path).unwrap(), "wide.csv", mapping).unwrap().log);
    let sums: f64 = log.channels.values().flatten().filter(|v| v.is_finite()).sum();
    serde_json::json!({"seconds": seconds, "rows": log.t.len(), "channels": log.channels.len(), "sum": sums})
}

fn main() {
    let args: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    let out = match args.split_first() {
        Some((what, paths)) if what == "analysis" => {
            analysis(&paths.iter().map(PathBuf::from).collect::<Vec<_>>())
        }
        Some((what, paths)) if what == "csv" && paths.len() == 1 => {
            csv(Path::new(&paths[0]), &Mapping::default())
        }
        Some((what, paths)) if what == "csv-all" && paths.len() == 1 => {
            let path = Path::new(&paths[0]);
            csv(path, &every_column(path))
        }
        _ => {
            println!("analysis JOB…, csv FILE, or csv-all FILE; run by bench/run");
            return;
        }
    };
    println!("{out}");
}
