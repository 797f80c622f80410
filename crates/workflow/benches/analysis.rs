//! Analysis of jobs and reading of a wide CSV, timed for `bench/run`: prints one JSON object. Not a test of
//! anything.
#![allow(missing_docs, clippy::unwrap_used)]

use jamjar_core::analysis::Figure;
use jamjar_core::channel::Channel;
use jamjar_core::fuelling::cells::{Rules, Sample, corrections};
use jamjar_core::limits::{Limit, Sources, evaluate_all};
use jamjar_core::log::Recording;
use jamjar_core::pull::align::Alignment;
use jamjar_core::pull::span::{EndedBy, PullKind, PullSpan};
use jamjar_formats::{
    Mapping, Master, OutChannel, OutGroup, ParquetColumn, Rule, read_log, write_mdf, write_parquet,
};
use jamjar_store::encode_block;
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

/// A pull of 60 s with 40 channels at 1 kHz: numbers anybody can make again.
fn long_pull() -> (Recording, Vec<Limit>) {
    let n = 60_000;
    let t: Vec<f64> = (0..n).map(|i| f64::from(i) * 1e-3).collect();
    let mut log = Recording { t, ..Recording::default() };
    let name = |k: usize| Channel::new(format!("made_{k}")).unwrap();
    let full = |i: i32| (5_000..55_000).contains(&i);
    let mut put = |c: Channel, f: &dyn Fn(i32) -> f64| log.channels.insert(c, (0..n).map(f).collect());
    put(Channel::new("throttle").unwrap(), &|i| if full(i) { 100.0 } else { 10.0 });
    put(Channel::new("engine_speed").unwrap(), &|i| 2000.0 + 0.075 * f64::from(i));
    let mut limits = Vec::new();
    for k in 0..38 {
        put(name(k), &|i| {
            let i = f64::from(i);
            100.0 + 20.0 * (i * 1e-4 * (k + 1) as f64).sin() + (i * 12.9898).sin()
        });
        let limit = serde_json::json!({
            "id": format!("l{k}"), "channel": format!("made_{k}"), "direction": "above", "threshold": 500.0,
            "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.2, "caution": 5
        });
        limits.push(serde_json::from_value(limit).unwrap());
    }
    (log, limits)
}

/// All limits of a long pull.
fn limits() -> serde_json::Value {
    let (log, limits) = long_pull();
    let alignment = Alignment::single_log();
    let span = PullSpan {
        kind: PullKind::SweepUp,
        from_s: 5.0,
        to_s: 54.999,
        from_rpm: 2375.0,
        to_rpm: 6125.0,
        ended_by: EndedBy::Lift,
        plateau_rpm: None,
        rate: 75.0,
    };
    let (seconds, worst) = median(15, || {
        let sources = Sources::new(&log, None, &alignment, Some(&span));
        evaluate_all(&limits, &sources).iter().map(|o| o.worst).collect::<Vec<_>>()
    });
    serde_json::json!({"seconds": seconds, "worst": worst})
}

/// A recording of 360,000 rows and 40 channels out and in again: MDF 4 uncompressed, Parquet with zstd.
fn open_forms(folder: &Path) -> serde_json::Value {
    let n = 360_000;
    let t: Vec<f64> = (0..n).map(|i| f64::from(i) * 0.01).collect();
    let names: Vec<String> = (0..40).map(|k| format!("made_{k}")).collect();
    let made = |k: usize| -> Vec<f64> {
        let at = |i: i32| {
            let i = f64::from(i);
            100.0 + 20.0 * (i * 1e-4 * (k + 1) as f64).sin() + (i * 12.9898).sin()
        };
        (0..n).map(at).collect()
    };
    let columns: Vec<Vec<f64>> = (0..40).map(made).collect();
    let rule =
        |name: &String| Rule { channel: Channel::new(name).unwrap(), column: name.clone(), unit: None };
    let mapping = Mapping { rules: names.iter().map(rule).collect(), ..Mapping::default() };
    let out = |name: &str| std::io::BufWriter::new(std::fs::File::create(folder.join(name)).unwrap());
    let (mdf_write, ()) = median(3, || {
        let channel = |(name, values)| OutChannel { name, unit: "", comment: "", values };
        let channels =
            names.iter().map(String::as_str).zip(columns.iter().map(Vec::as_slice)).map(channel).collect();
        write_mdf(
            out("ours.mf4"),
            &[OutGroup { name: "made", by: Master::Time, t: &t, channels }],
            ("", 0),
            false,
        )
        .unwrap();
    });
    let (parquet_write, ()) = median(3, || {
        let all = std::iter::once(("time", t.as_slice()))
            .chain(names.iter().map(String::as_str).zip(columns.iter().map(Vec::as_slice)));
        let all: Vec<ParquetColumn<'_>> =
            all.map(|(name, values)| ParquetColumn { name, unit: "", values }).collect();
        write_parquet(out("ours.parquet"), &all, "").unwrap();
    });
    let read = |name: &str| {
        let (seconds, log) = median(3, || {
            read_log(std::fs::File::open(folder.join(name)).unwrap(), name, &mapping).unwrap().log
        });
        (seconds, log.channels.values().flatten().sum::<f64>())
    };
    let ((mdf_read, sum), (parquet_read, parquet_sum)) = (read("ours.mf4"), read("ours.parquet"));
    serde_json::json!({"mdf_write": mdf_write, "mdf_read": mdf_read, "sum": sum, "parquet_write": parquet_write, "parquet_read": parquet_read, "parquet_sum": parquet_sum})
}

/// Bytes of the pulls of jobs: as the store keeps their samples, and as Parquet with zstd, a file for each recording.
fn bytes(paths: &[PathBuf]) -> serde_json::Value {
    let jobs: Vec<job::Prepared> = paths.iter().map(|p| job::load(p).unwrap()).collect();
    let parquet = |log: &Recording| {
        let names: Vec<(String, &Vec<f64>)> = log
            .channels
            .iter()
            .map(|(c, v)| (c.as_str().to_owned(), v))
            .filter(|c| c.1.len() == log.t.len())
            .collect();
        assert_eq!(names.len(), log.channels.len(), "all of it");
        let columns: Vec<ParquetColumn<'_>> = std::iter::once(("time", &log.t))
            .chain(names.iter().map(|(n, v)| (n.as_str(), *v)))
            .map(|(name, values)| ParquetColumn { name, unit: "", values })
            .collect();
        let mut out = Vec::new();
        write_parquet(&mut out, &columns, "").unwrap();
        out.len()
    };
    let (mut pulls, mut stored, mut other) = (0, 0, 0);
    for p in jobs.iter().flat_map(|j| &j.sets).flat_map(|s| &s.pulls) {
        pulls += 1;
        stored += encode_block(&p.dyno, p.ecu.as_deref()).len();
        other += parquet(&p.dyno) + p.ecu.as_deref().map_or(0, parquet);
    }
    serde_json::json!({"pulls": pulls, "stored": stored, "parquet": other})
}

/// Corrections of a table of 10 × 26 from a million samples.
fn cells() -> serde_json::Value {
    let x: Vec<f64> = (0..10).map(|i| 1000.0 + 600.0 * f64::from(i)).collect();
    let y: Vec<f64> = (0..26).map(|i| 20.0 + 8.0 * f64::from(i)).collect();
    let at = |i: u32| {
        let i = f64::from(i);
        Sample {
            x: 3700.0 + 2600.0 * (i * 3.1e-4).sin(),
            y: 120.0 + 95.0 * (i * 1.7e-4).sin(),
            ratio: 1.0 + 0.05 * (i * 7.0e-5).sin() + 0.01 * (i * 12.9898).sin(),
            t: i * 0.01,
            pull: 0,
        }
    };
    let samples: Vec<Sample> = (0..1_000_000).map(at).collect();
    let (seconds, c) = median(9, || corrections(&x, &y, &samples, &Rules::default()).unwrap());
    let hits: Vec<f64> = c.cells.iter().map(|c| c.hits).collect();
    serde_json::json!({"seconds": seconds, "hits": hits})
}

fn main() {
    let args: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    let out = match args.split_first() {
        Some((what, paths)) if what == "analysis" => {
            analysis(&paths.iter().map(PathBuf::from).collect::<Vec<_>>())
        }
        Some((what, paths)) if what == "bytes" => bytes(&paths.iter().map(PathBuf::from).collect::<Vec<_>>()),
        Some((what, _)) if what == "limits" => limits(),
        Some((what, _)) if what == "cells" => cells(),
        Some((what, paths)) if what == "open-forms" && paths.len() == 1 => open_forms(Path::new(&paths[0])),
        Some((what, paths)) if what == "csv" && paths.len() == 1 => {
            csv(Path::new(&paths[0]), &Mapping::default())
        }
        Some((what, paths)) if what == "csv-all" && paths.len() == 1 => {
            let path = Path::new(&paths[0]);
            csv(path, &every_column(path))
        }
        _ => {
            println!(
                "analysis JOB…, bytes JOB…, csv FILE, csv-all FILE, open-forms FOLDER, limits or cells; run by bench/run"
            );
            return;
        }
    };
    println!("{out}");
}
