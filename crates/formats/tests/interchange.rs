//! Files for others and of others: what is written here is read by their readers sample for sample, and what they write is
//! read here. Their readers live in an environment of their own, made when it is missing.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use jamjar_formats::{
    LogForm, Mapping, Master, OutChannel, OutGroup, OutLog, read_log, write_mdf, write_recordings,
    written_unit,
};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::OnceLock;

/// Python with the readers of others.
fn python() -> &'static Path {
    static PYTHON: OnceLock<PathBuf> = OnceLock::new();
    PYTHON.get_or_init(|| {
        let home = Path::new(env!("CARGO_TARGET_TMPDIR")).join("readers");
        let (python, done) = (home.join("bin/python"), home.join("done"));
        if !done.exists() {
            let ran = |what: &mut Command| {
                let out =
                    what.output().unwrap_or_else(|e| panic!("{what:?}: {e}; python3 with venv is needed"));
                assert!(out.status.success(), "{what:?}: {}", String::from_utf8_lossy(&out.stderr));
            };
            ran(Command::new("python3").args(["-m", "venv", "--clear"]).arg(&home));
            let wanted = scripts().join("readers.txt");
            ran(Command::new(&python).args(["-m", "pip", "install", "-q", "-r"]).arg(wanted));
            std::fs::write(done, "").unwrap();
        }
        python
    })
}

fn scripts() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/interchange")
}

/// What a script prints.
fn run(script: &str, arguments: &[&Path]) -> String {
    let out = Command::new(python()).arg(scripts().join(script)).args(arguments).output().unwrap();
    assert!(out.status.success(), "{script}: {}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).unwrap()
}

fn recording(n: usize, step: f64, channels: &[&str]) -> Recording {
    let t: Vec<f64> = (0..n).map(|i| step * i as f64).collect();
    let mut log = Recording { t: t.clone(), ..Recording::default() };
    for (k, name) in channels.iter().enumerate() {
        let at = |(i, t): (usize, &f64)| {
            if (i + k) % 9 == 0 { f64::NAN } else { 100.0 * (k + 1) as f64 + t.sin() }
        };
        log.channels.insert(Channel::new(*name).unwrap(), t.iter().enumerate().map(at).collect());
    }
    log
}

fn told(log: &Recording) -> Value {
    let values = |v: &Vec<f64>| v.iter().map(|v| v.is_finite().then_some(*v)).collect::<Vec<_>>();
    let channels: serde_json::Map<String, Value> = log
        .channels
        .iter()
        .map(|(c, v)| (c.as_str().to_owned(), json!([written_unit(c), values(v)])))
        .collect();
    json!({"t": log.t, "channels": channels})
}

#[test]
fn readers_of_others_find_every_sample_and_unit() {
    let folder = tempfile::tempdir().unwrap();
    let dyno = recording(5000, 0.01, &["roller_speed", "hub_torque"]);
    let ecu = recording(
        1200,
        0.04,
        &["engine_speed", "lambda_1", "manifold_pressure", "exhaust_temp_1", "knock_retard_1"],
    );
    let both = [OutLog::new("dyno", &dyno), OutLog::new("ecu", &ecu)];
    let written = |name: &str, form, logs: &[OutLog<'_>]| {
        let path = folder.path().join(name);
        write_recordings(std::fs::File::create(&path).unwrap(), form, logs, ("a pull", 0)).unwrap();
        path
    };
    let say = |name: &str, logs: &[&Recording]| {
        let path = folder.path().join(name);
        std::fs::write(&path, Value::Array(logs.iter().map(|l| told(l)).collect()).to_string()).unwrap();
        path
    };
    let mdf = written("both.mf4", LogForm::Mdf, &both);
    assert_eq!(run("reads.py", &[&say("both.json", &[&dyno, &ecu]), &mdf]).trim(), "same");
    let parquet = written("ecu.parquet", LogForm::Parquet, &both[1..]);
    assert_eq!(run("reads.py", &[&say("ecu.json", &[&ecu]), &parquet]).trim(), "same");
}

#[test]
fn curves_that_know_no_clock_are_counted_and_read_by_others() {
    let folder = tempfile::tempdir().unwrap();
    let (count, rpm): (Vec<f64>, Vec<f64>) =
        (0..100).map(|k| (f64::from(k), 2000.0 + 50.0 * f64::from(k))).unzip();
    let power: Vec<f64> = rpm.iter().map(|r| if *r < 2500.0 { f64::NAN } else { r / 60.0 }).collect();
    let channel = |name, unit, values| OutChannel { name, unit, comment: "", values };
    let name = "C1 on E30 (set 2) power";
    let channels = vec![channel("engine speed", "rpm", &rpm[..]), channel(name, "kW", &power[..])];
    let (mdf, told) = (folder.path().join("curves.mf4"), folder.path().join("curves.json"));
    let group = OutGroup { name: "line-up", by: Master::Index, t: &count, channels };
    write_mdf(std::fs::File::create(&mdf).unwrap(), &[group], ("a line-up", 0), true).unwrap();
    let finite = |v: &[f64]| v.iter().map(|v| v.is_finite().then_some(*v)).collect::<Vec<_>>();
    let said =
        json!([{"t": count, "channels": {"engine speed": ["rpm", rpm], name: ["kW", finite(&power)]}}]);
    std::fs::write(&told, said.to_string()).unwrap();
    assert_eq!(run("reads.py", &[&told, &mdf]).trim(), "same");
}

#[test]
fn files_of_others_are_read_sample_for_sample() {
    let folder = tempfile::tempdir().unwrap();
    let written: Value = serde_json::from_str(&run("writes.py", &[folder.path()])).unwrap();
    let read = |name: &str| {
        let bytes = std::fs::read(folder.path().join(name)).unwrap();
        read_log(bytes.as_slice(), name, &Mapping::default()).unwrap_or_else(|e| panic!("{e}")).log
    };
    let numbers = |v: &Value| v.as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect::<Vec<_>>();
    for name in ["plain.mf4", "deflated.mf4", "turned.mf4", "cut.mf4"] {
        let log = read(name);
        for (channel, of) in written.as_object().unwrap() {
            let s = log.series(channel).unwrap_or_else(|| panic!("{name}: no {channel}"));
            assert_eq!(s.t, numbers(&of[0]), "{name}: times of {channel}");
            let close = s.v.iter().zip(numbers(&of[1])).all(|(a, b)| (a - b).abs() <= 1e-9 * b.abs());
            assert!(close && s.v.len() == numbers(&of[1]).len(), "{name}: {channel}");
        }
    }
    for name in ["snappy", "zstd", "gzip", "lz4", "none", "polars"] {
        let log = read(&format!("{name}.parquet"));
        assert_eq!(log.t.len(), 400, "{name}");
        assert_eq!(log.series("engine_speed").unwrap().v, numbers(&written["engine_speed"][1]), "{name}");
        assert_eq!(log.series("exhaust_temp_1").unwrap().len(), 100, "{name}: nulls are blanks");
        assert!(log.series("gear").unwrap().v.iter().all(|g| *g == 4.0), "{name}");
    }
}
