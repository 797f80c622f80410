//! Every engine-computer log against every pull of its set: the right one is always accepted, another's
//! nearly never.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod cell;

use cell::Folder;
use serde_json::{Value, json};

fn cross(seed: u64, sets: usize) -> (Vec<(f64, f64)>, usize, u32, u32) {
    let folder = Folder::new(&format!("cross{seed}"));
    let (loaded, run) = jamjar_workflow::scenarios::first_light(seed, 0.001).unwrap();
    jamjar_workflow::simulate::write_days(&loaded, &run, folder.path()).unwrap();
    let mut job = jamjar_workflow::simulate::job_of(&loaded, &run.days);
    let day = &run.days[0];
    let mut own = Vec::new();
    let mut all: Vec<Value> = Vec::new();
    for s in &day.sets[..sets] {
        for (i, p) in s.pulls.iter().enumerate() {
            for (j, q) in s.pulls.iter().enumerate() {
                own.push((i == j, p.truth.lag_s.unwrap()));
                let id = format!("{}-{i}-{j}", s.spec.id);
                all.push(json!({"id": id, "factors": {"map": id}, "pulls": [{"id": "p", "dyno": p.dyno.name, "ecu": q.ecu.as_ref().unwrap().name}]}));
            }
        }
    }
    job["baseline"] = all[0]["id"].clone();
    job["sets"] = json!(all);
    job["limits"] = json!([]);
    let r = folder.run(&job).unwrap();
    let (mut lags, mut wrongly_refused, mut refused, mut accepted) = (Vec::new(), 0usize, 0u32, 0u32);
    assert_eq!(r["sets"].as_array().unwrap().len(), own.len());
    for (set, (is_own, lag)) in r["sets"].as_array().unwrap().iter().zip(own) {
        let a = &set["pulls"][0]["alignment"];
        match (is_own, a["status"] == "aligned") {
            (true, true) => lags.push((a["lag_s"].as_f64().unwrap(), lag)),
            (true, false) => wrongly_refused += 1,
            (false, true) => accepted += 1,
            (false, false) => {
                assert!(
                    a["reason"].is_string() && a["r"].as_f64().unwrap() > 0.99,
                    "refused although it correlates: {a}"
                );
                refused += 1;
            }
        }
    }
    (lags, wrongly_refused, refused, accepted)
}

#[test]
fn the_right_log_is_always_taken_and_a_foreign_one_nearly_never() {
    let (mut all_refused, mut all_accepted) = (0u32, 0u32);
    for seed in [21, 22] {
        let (lags, wrongly_refused, refused, accepted) = cross(seed, 4);
        assert_eq!((lags.len(), wrongly_refused), (12, 0), "seed {seed}");
        for (got, truth) in lags {
            assert!((got - truth).abs() < 0.005, "seed {seed}: lag off by {}", got - truth);
        }
        all_refused += refused;
        all_accepted += accepted;
    }
    let share = f64::from(all_refused) / f64::from(all_refused + all_accepted);
    assert!(share >= 0.8, "{all_refused} foreign logs refused, {all_accepted} accepted");
}
