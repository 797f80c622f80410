//! The commands as a shell sees them: output, exit codes, places of errors.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

use serde_json::{Value, json};
use std::io::Write;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use tempfile::TempDir;

fn jamjar(args: &[&str], input: &str) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_jamjar"))
        .args(args)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    child.wait_with_output().unwrap()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

struct Folder(TempDir);

impl Folder {
    fn new(name: &str) -> Self {
        Self(TempDir::with_prefix(format!("jj-cli-{name}-")).unwrap())
    }

    fn dir(&self) -> &Path {
        self.0.path()
    }

    fn path(&self, name: &str) -> String {
        self.dir().join(name).display().to_string()
    }
}

#[test]
fn calculators_read_and_write_json_lines() {
    let out = jamjar(
        &["calc", "blend_volume"],
        "{\"litres_in_tank\": 36, \"ethanol_in_tank\": 0.031, \"ethanol_of_added\": 0.57, \"ethanol_target\": 0.132}\n\n{\"litres_in_tank\": 10, \"ethanol_in_tank\": 0.1, \"ethanol_of_added\": 0.9, \"ethanol_target\": 0.1}\n",
    );
    assert_eq!(out.status.code(), Some(0));
    let lines: Vec<Value> = text(&out.stdout).lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert!((lines[0]["litres_to_add"].as_f64().unwrap() - 8.301_369_863).abs() < 1e-8);
    assert_eq!(lines[1]["litres_to_add"], 0.0);
}

#[test]
fn a_bad_line_is_named_and_ends_with_two() {
    for (name, input, words) in [
        (
            "air",
            "{\"temp_c\": 20, \"humidity\": 0.5, \"pressure_hpa\": 1000}\n{\"temp_c\": 20, \"humidity\": 52, \"pressure_hpa\": 1000}\n",
            ["line 2", "0.52"],
        ),
        ("air", "nonsense\n", ["line 1", "not JSON"]),
        ("repeats", "{\"base\": [1], \"candidate\": [2]}\n", ["line 1", "no scatter"]),
        ("mbt", "{\"spark_deg\": [1, 2, 3], \"value\": [1, 2, 1]}\n", ["line 1", "distinct angles"]),
        (
            "savitzky_golay",
            "{\"y\": [1, 2, 3], \"window\": 4, \"order\": 2, \"dt_s\": 0.1}\n",
            ["line 1", "odd"],
        ),
        ("nothing", "", ["no calculator", "ethanol_blend"]),
    ] {
        let out = jamjar(&["calc", name], input);
        assert_eq!(out.status.code(), Some(2), "{name}");
        let said = text(&out.stderr);
        assert!(words.iter().all(|w| said.contains(w)), "{name}: {said}");
    }
}

#[test]
fn analyse_speaks_words_or_json_and_check_sets_the_code() {
    let folder = Folder::new("analyse");
    let out = jamjar(&["simulate", "first-light", "--out", &folder.dir().display().to_string()], "");
    assert_eq!(out.status.code(), Some(0), "{}", text(&out.stderr));
    let job = folder.path("job.json");
    let words = text(&jamjar(&["analyse", &job], "").stdout);
    assert!(words.contains("c2-e30 gains") && words.contains("not measured"), "{words}");
    let out = jamjar(&["analyse", &job, "--json", "--check"], "");
    assert_eq!(out.status.code(), Some(3), "a stop limit was over");
    let result: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(result["jamjar_result"], 1);
    let truth: Value = serde_json::from_slice(&std::fs::read(folder.path("truth.json")).unwrap()).unwrap();
    let lag = truth["days"][0]["sets"][0]["pulls"][0]["lag_s"].as_f64().unwrap();
    assert!((result["sets"][0]["pulls"][0]["alignment"]["lag_s"].as_f64().unwrap() - lag).abs() < 0.005);

    let edit = |change: &dyn Fn(&mut Value)| {
        let mut j: Value = serde_json::from_slice(&std::fs::read(&job).unwrap()).unwrap();
        change(&mut j);
        let path = folder.path("edited.json");
        std::fs::write(&path, j.to_string()).unwrap();
        jamjar(&["analyse", &path, "--check"], "").status.code()
    };
    assert_eq!(
        edit(&|j| j["sets"].as_array_mut().unwrap().truncate(1)),
        Some(4),
        "nothing over, back pressure not measured"
    );
    assert_eq!(
        edit(&|j| {
            j["sets"].as_array_mut().unwrap().truncate(1);
            j["limits"].as_array_mut().unwrap().truncate(2);
        }),
        Some(0)
    );
    assert_eq!(
        edit(&|j| {
            j.as_object_mut().unwrap().remove("limits");
        }),
        Some(4),
        "limits may be left out, but then no stop limit was judged"
    );
}

#[test]
fn analyse_refuses_with_file_line_and_column() {
    let folder = Folder::new("refuse");
    std::fs::write(folder.path("d.csv"), "Time (s),Hub speed (rpm),Hub torque (N·m)\n0,500,1\n0.01,oops,1\n")
        .unwrap();
    let job = json!({"jamjar_job": 1, "vehicle": {"dyno": {"kind": "hub"}}, "sets": [{"id": "a", "pulls": [{"id": "p1", "dyno": "d.csv"}]}]});
    std::fs::write(folder.path("job.json"), job.to_string()).unwrap();
    let out = jamjar(&["analyse", &folder.path("job.json"), "--json"], "");
    assert_eq!(out.status.code(), Some(2));
    assert!(text(&out.stderr).contains("d.csv:3:2: “oops” is not a number"), "{}", text(&out.stderr));
    assert!(out.stdout.is_empty());
    assert_eq!(jamjar(&["analyse", "/nowhere/job.json"], "").status.code(), Some(2));
}

#[test]
fn the_private_database_goes_up_and_down() {
    let folder = Folder::new("db");
    let data = folder.dir().display().to_string();
    let status = || -> Value {
        serde_json::from_slice(&jamjar(&["db", "status", "--json", "--data", &data], "").stdout).unwrap()
    };
    assert_eq!(status()["running"], false);
    let up = jamjar(&["db", "up", "--data", &data], "");
    assert_eq!(up.status.code(), Some(0), "{}", text(&up.stderr));
    assert_eq!(status()["running"], true);
    let again = jamjar(&["db", "up", "--data", &data], "");
    assert_eq!(again.status.code(), Some(0), "a second start finds it");
    assert!(text(&jamjar(&["migrate", "--data", &data], "").stdout).contains("at this version"));
    assert_eq!(status()["running"], true, "kept running by db up, whoever used it since");
    assert!(text(&jamjar(&["db", "down", "--data", &data], "").stdout).contains("stopped"));
    assert_eq!(status()["running"], false);
    assert!(Path::new(&data).join("db").is_dir(), "the data stays");
}

#[test]
fn a_port_in_use_is_a_clear_sentence() {
    let taken = std::net::TcpListener::bind(("127.0.0.1", 0)).unwrap();
    let port = taken.local_addr().unwrap().port().to_string();
    let folder = Folder::new("port");
    let out = jamjar(&["serve", "--port", &port, "--data", &folder.dir().display().to_string()], "");
    assert_eq!(out.status.code(), Some(2));
    assert!(text(&out.stderr).contains("is in use; choose another with --port"));
    let out = jamjar(&["db", "up", "--db-port", &port, "--data", &folder.dir().display().to_string()], "");
    assert!(text(&out.stderr).contains("choose another with --db-port"), "{}", text(&out.stderr));
    let out = jamjar(&["db", "up", "--data", "/proc/nowhere"], "");
    assert_eq!(out.status.code(), Some(2));
}

const OWN: &str = r#"
jamjar_scenario = 1
name = "Mine"
seed = 4
map = [{ name = "Stock", file = "stock.map" }]
fuel = [{ name = "E30", ethanol = 0.3 }]
vehicle = { name = "Tern", engine = "tolvern-t3" }
cell = { dyno = "hub", ratio = 4.1 }
sweep = { from_rpm = 1800, to_rpm = 6700 }
dyno = { dialect = "clock_time", rate_hz = 50, channels = ["roller_speed", "hub_torque"] }
ecu = { dialect = "tab_milliseconds", rate_hz = 25, channels = ["engine_speed", "throttle", "lambda_1"] }

[[day]]
date = "2026-05-02"
temperature_c = 18.0
humidity = 0.5
pressure_hpa = 1003.0

[[day.set]]
id = "a"
map = "Stock"
fuel = "E30"
pulls = 2

[[day.set]]
id = "b"
map = "Stock"
fuel = "E30"
pulls = 2

[[day.set.fault]]
kind = "dirty_filter"
"#;

#[test]
fn a_persons_own_scenario_is_run_and_its_faults_of_form_are_named() {
    let folder = Folder::new("scenario");
    let first = Folder::new("scenario-maps");
    jamjar(&["simulate", "first-light", "--out", &first.dir().display().to_string()], "");
    std::fs::copy(first.dir().join("maps/tolvern-stock.map"), folder.dir().join("stock.map")).unwrap();
    let path = folder.path("mine.toml");
    std::fs::write(&path, OWN).unwrap();
    let out = folder.path("out");
    let said = jamjar(&["simulate", &path, "--out", &out], "");
    assert_eq!(said.status.code(), Some(0), "{}", text(&said.stderr));
    assert!(text(&said.stdout).contains("1 days, 4 pulls"), "{}", text(&said.stdout));
    let truth: Value = serde_json::from_slice(&std::fs::read(format!("{out}/truth.json")).unwrap()).unwrap();
    let b = &truth["days"][0]["sets"][1];
    assert_eq!(b["pulls"][0]["planted"][0]["kind"], "dirty_filter");
    let gain = &b["true_gain_over_first_set_kw"]["power_kw"];
    assert!(
        gain.as_array().unwrap().iter().all(|g| g.as_f64().unwrap() < 0.0),
        "a dirty filter costs everywhere"
    );
    let words = text(&jamjar(&["analyse", &format!("{out}/job.json")], "").stdout);
    assert!(
        words.contains("b loses") || words.contains("No difference shown") || words.contains("Can't tell"),
        "{words}"
    );

    let refuse = |from: &str, to: &str, want: &str| {
        std::fs::write(&path, OWN.replace(from, to)).unwrap();
        let r = jamjar(&["simulate", &path, "--out", &out], "");
        assert_eq!(r.status.code(), Some(2), "{to}");
        assert!(text(&r.stderr).contains(want), "{to}: {}", text(&r.stderr));
    };
    refuse("seed = 4", "seed = four", "mine.toml:4:8: ");
    refuse("stock.map", "gone.map", "gone.map: cannot be read");
    refuse("kind = \"dirty_filter\"", "kind = \"gremlins\"", "unknown variant `gremlins`");
    std::fs::write(
        folder.dir().join("stock.map"),
        "jamjar map 1\nname Stock\n\ntable spark_advance [°] over engine_speed [rpm]\n 1000 900\n 1 2\n",
    )
    .unwrap();
    refuse(
        "",
        "",
        "stock.map:4:1: table spark_advance: the places of engine_speed must be finite and strictly ascending",
    );
    let nowhere = jamjar(&["simulate", "nowhere", "--out", &out], "");
    assert!(text(&nowhere.stderr).contains("there are: first-light, tolvern, marrow, quillet, brae"));
}

#[test]
fn validate_prints_the_table_and_writes_the_page() {
    let folder = Folder::new("validate");
    let page = folder.path("validation.md");
    let out = jamjar(&["validate", "--days", "2", "--json", "--out", &page], "");
    assert_eq!(out.status.code(), Some(0), "{}", text(&out.stderr));
    let v: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!((v["jamjar_validation"].as_u64(), v["coverage"].as_array().unwrap().len()), (Some(1), 11));
    let kinds: std::collections::BTreeSet<&str> =
        v["faults"].as_array().unwrap().iter().filter_map(|f| f["kind"].as_str()).collect();
    assert_eq!(kinds.len(), 25, "every kind has a row, some have two ways of being found");
    assert!(v["claims"].as_array().unwrap().iter().any(|c| c["claim"] == "the day drifts"));
    assert!(std::fs::read_to_string(&page).unwrap().contains("## Planted faults"));
    assert_eq!(jamjar(&["validate", "--days", "1", "--out", "/nowhere/x.md"], "").status.code(), Some(2));
}

#[test]
fn a_recording_goes_through_every_open_form_and_comes_back_the_same() {
    let folder = Folder::new("convert");
    let rows: String = (0..200)
        .map(|i| {
            let t = f64::from(i) * 0.02;
            let lambda = if i % 4 == 0 { format!("{:.3}", 0.8 + 0.001 * t) } else { String::new() };
            format!("{t:.2},{:.1},{lambda},{:.2},on\n", 2000.0 + 600.0 * t, 3.0 + t)
        })
        .collect();
    let text_of = format!("Time [s],RPM [rpm],Lambda 1,Shop rig [mV],Lamp\n{rows}");
    std::fs::write(folder.path("a.csv"), text_of).unwrap();
    for (from, to) in [
        ("a.csv", "b.mf4"),
        ("b.mf4", "c.parquet"),
        ("c.parquet", "d.csv"),
        ("d.csv", "e.mf4"),
        ("a.csv", "f.csv"),
    ] {
        let out = jamjar(&["convert", &folder.path(from), &folder.path(to), "--json"], "");
        assert_eq!(out.status.code(), Some(0), "{from} to {to}: {}", text(&out.stderr));
        let said: Value = serde_json::from_slice(&out.stdout).unwrap();
        assert_eq!(said["rows"], 200);
        assert_eq!(
            said["channels"],
            json!(["engine_speed", "lambda_1", "shop_rig"]),
            "{from} to {to}: words are no channel"
        );
    }
    let csv = |name: &str| std::fs::read_to_string(folder.path(name)).unwrap();
    assert_eq!(csv("d.csv"), csv("f.csv"), "through MDF and Parquet, or straight");
    assert!(
        csv("d.csv").starts_with(
            "time [s],engine_speed [rpm],lambda_1 [λ],shop_rig [mV]\n0,2000,0.8,3\n0.02,2012,,3.02\n"
        ),
        "{}",
        &csv("d.csv")[..120]
    );
    let again = jamjar(&["convert", &folder.path("a.csv"), &folder.path("b.mf4")], "");
    assert_eq!(again.status.code(), Some(2), "what is there is not written over");
    std::fs::write(folder.path("cut.mf4"), &std::fs::read(folder.path("b.mf4")).unwrap()[..900]).unwrap();
    let cut = jamjar(&["convert", &folder.path("cut.mf4"), &folder.path("g.csv")], "");
    assert_eq!(cut.status.code(), Some(2));
    assert!(text(&cut.stderr).contains("cut.mf4: "), "{}", text(&cut.stderr));
    assert!(!folder.dir().join("g.csv").exists(), "nothing half-written");
    assert_eq!(jamjar(&["convert", &folder.path("a.csv"), &folder.path("a.xyz")], "").status.code(), Some(2));
}
