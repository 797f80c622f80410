use super::*;
use crate::channel::Channel;
use crate::findings::Refusal;
use crate::log::Recording;
use crate::pull::align::{Alignment, Status};

fn recording(t: Vec<f64>, columns: Vec<(&str, Vec<f64>)>) -> Recording {
    Recording {
        t,
        channels: columns.into_iter().map(|(n, v)| (Channel::new(n).unwrap(), v)).collect(),
        ..Recording::default()
    }
}

fn lean() -> Limit {
    serde_json::from_str(
        r#"{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.90,
            "gate": [{"channel": "throttle", "above": 90}], "sustain_s": 0.2, "caution": 0.03, "severity": "stop"}"#,
    )
    .unwrap()
}

/// 8 s at 20 Hz, full throttle from 1 to 7 s, speed climbing, λ lively around `base` with `edit` applied.
fn ecu(base: f64, edit: impl Fn(f64, f64) -> f64) -> Recording {
    let t: Vec<f64> = (0..160).map(|i| f64::from(i) * 0.05).collect();
    let lambda = t
        .iter()
        .enumerate()
        .map(|(i, t)| edit(*t, base + 0.003 * ((i * 7919 % 13) as f64 - 6.0) / 6.0))
        .collect();
    let throttle = t.iter().map(|t| if (1.0..7.0).contains(t) { 99.0 } else { 20.0 }).collect();
    let speed = t.iter().map(|t| 1800.0 + 700.0 * t).collect();
    recording(t, vec![("lambda_1", lambda), ("throttle", throttle), ("engine_speed", speed)])
}

fn judge_one(limit: &Limit, ecu: &Recording) -> LimitOutcome {
    let dyno = Recording::default();
    evaluate(limit, &Sources::new(&dyno, Some(ecu), &Alignment::single_log(), None))
}

#[test]
fn every_verdict_of_the_domain_is_reached() {
    let at_end = |t: f64, v: f64| if t > 3.0 && t < 5.0 { 0.88 } else { v };
    let frozen = |t: f64, v: f64| if t > 2.0 && t < 6.0 { 0.851 } else { v };
    for (name, log, want) in [
        ("rich enough", ecu(0.82, |_, v| v), Verdict::Clear),
        ("inside the caution band", ecu(0.885, |_, v| v), Verdict::Close),
        ("lean for a second", ecu(0.82, |t, v| if t > 4.0 && t < 5.0 { 0.93 } else { v }), Verdict::Over),
        (
            "lean for one sample",
            ecu(0.82, |t, v| if (t - 4.0).abs() < 0.01 { 0.95 } else { v }),
            Verdict::Clear,
        ),
        ("lean outside the gate", ecu(0.82, |t, v| if t > 7.2 { 1.3 } else { v }), Verdict::Clear),
        ("sensor at its end short of the limit", ecu(0.82, at_end), Verdict::CantTell),
        (
            "sensor at its end beyond the limit",
            ecu(0.82, |t, v| if t > 3.0 && t < 5.0 { 1.02 } else { v }),
            Verdict::Over,
        ),
        ("sensor frozen in the sweep", ecu(0.82, frozen), Verdict::CantTell),
    ] {
        let got = judge_one(&lean(), &log);
        assert_eq!(got.verdict, want, "{name}: {got:?}");
    }
}

#[test]
fn absent_channels_and_closed_gates_are_said() {
    let mut log = ecu(0.82, |_, v| v);
    log.channels.remove(&Channel::new("lambda_1").unwrap());
    let got = judge_one(&lean(), &log);
    let channel = Channel::new("lambda_1").unwrap();
    assert_eq!(
        (got.verdict, got.why),
        (Verdict::NotMeasured, Some(Why::NotLogged { channel, wanted: Wanted::ItIsJudged }))
    );
    let mut limit = lean();
    limit.gate[0].above = Some(100.0);
    assert_eq!(judge_one(&limit, &ecu(0.82, |_, v| v)).verdict, Verdict::NotReached);
}

#[test]
fn the_worked_example_of_the_contract() {
    let mut log = ecu(0.82, |_, v| v);
    let l = log.channels.get_mut(&Channel::new("lambda_1").unwrap()).unwrap();
    l[80..90].fill(0.93);
    l[85] = 0.931;
    let got = judge_one(&lean(), &log);
    assert_eq!(got.verdict, Verdict::Over);
    assert!((got.worst.unwrap() - 0.93).abs() < 1e-9);
    assert!((got.margin.unwrap() + 0.03).abs() < 1e-9);
    assert!((got.share_used.unwrap() - 1.25).abs() < 1e-9);
    assert!((got.from_s.unwrap() - 4.0).abs() < 1e-9 && (got.to_s.unwrap() - 4.45).abs() < 1e-9);
    assert!((got.rpm.unwrap() - 4700.0).abs() < 300.0);
}

#[test]
fn one_sample_over_is_over_when_samples_are_sparse() {
    let t: Vec<f64> = (0..40).map(|i| f64::from(i) * 0.15).collect();
    let mut lambda: Vec<f64> = (0..40).map(|i| 0.82 + 0.001 * f64::from(i % 3)).collect();
    lambda[20] = 0.95;
    let l = recording(
        t.clone(),
        vec![
            ("lambda_1", lambda),
            ("throttle", vec![99.0; 40]),
            ("engine_speed", t.iter().map(|t| 2000.0 + 500.0 * t).collect()),
        ],
    );
    assert_eq!(judge_one(&lean(), &l).verdict, Verdict::Over);
}

#[test]
fn a_gap_in_the_gate_cannot_be_answered_but_over_stays_over() {
    let mut log = ecu(0.82, |_, v| v);
    let l = log.channels.get_mut(&Channel::new("lambda_1").unwrap()).unwrap();
    l[80..90].fill(f64::NAN);
    assert_eq!(judge_one(&lean(), &log).verdict, Verdict::CantTell);
    let l = log.channels.get_mut(&Channel::new("lambda_1").unwrap()).unwrap();
    l[100..110].fill(0.95);
    assert_eq!(judge_one(&lean(), &log).verdict, Verdict::Over);
}

#[test]
fn a_curve_threshold_is_read_at_each_sample_and_never_extended() {
    let curve = |at: &str, value: &str| -> Limit {
        serde_json::from_str(&format!(
            r#"{{"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": {{"over": "engine_speed", "at": {at}, "value": {value}}}, "sustain_s": 0.5, "caution": 25}}"#
        ))
        .unwrap()
    };
    let t: Vec<f64> = (0..160).map(|i| f64::from(i) * 0.05).collect();
    let speed: Vec<f64> = t.iter().map(|t| 2000.0 + 500.0 * t).collect();
    let temp: Vec<f64> = t.iter().map(|t| 700.0 + 30.0 * t).collect();
    let l = recording(t, vec![("exhaust_temp_1", temp), ("engine_speed", speed)]);
    let clear = judge_one(&curve("[2000, 4000, 6500]", "[850, 900, 1000]"), &l);
    assert_eq!(clear.verdict, Verdict::Clear, "{clear:?}");
    assert!(
        matches!(clear.why, Some(Why::Reaches(Reach { load: Some(Load::Sweep), .. }))),
        "a sweep is not sustained load"
    );
    assert_eq!(judge_one(&curve("[2000, 4000, 6500]", "[700, 750, 800]"), &l).verdict, Verdict::Over);
    assert_eq!(judge_one(&curve("[2000, 4000]", "[850, 900]"), &l).verdict, Verdict::CantTell);
}

#[test]
fn a_gate_in_the_other_log_needs_alignment() {
    let full = ecu(0.82, |_, v| v);
    let throttle = full.column("throttle").unwrap().to_vec();
    let mut only = full.clone();
    only.channels.remove(&Channel::new("throttle").unwrap());
    let dyno = recording(full.t.iter().map(|t| t - 12.0).collect(), vec![("throttle", throttle)]);
    let mut a = Alignment::single_log();
    (a.status, a.lag_s) = (Status::Aligned, Some(12.0));
    let with = |a: &Alignment| evaluate(&lean(), &Sources::new(&dyno, Some(&only), a, None));
    assert_eq!(with(&a).verdict, Verdict::Clear);
    let refused = with(&a.clone().refuse(Refusal::NoLag));
    assert_eq!(refused.verdict, Verdict::CantTell);
    assert_eq!(refused.why, Some(Why::NotAligned { channel: Channel::new("throttle").unwrap() }));
}

#[test]
fn below_mirrors_above() {
    let limit: Limit =
        serde_json::from_str(r#"{"id": "p", "channel": "fuel_pressure", "direction": "below", "threshold": 300, "sustain_s": 0.1, "caution": 20}"#)
            .unwrap();
    let t: Vec<f64> = (0..100).map(|i| f64::from(i) * 0.05).collect();
    let v: Vec<f64> = (0..100).map(|i| 350.0 - 0.6 * f64::from(i) + f64::from(i % 3)).collect();
    let got = judge_one(&limit, &recording(t, vec![("fuel_pressure", v)]));
    assert_eq!(got.verdict, Verdict::Over);
    assert!(got.margin.unwrap() < 0.0 && got.share_used.unwrap() > 1.0);
}

#[test]
fn a_limit_that_makes_no_sense_is_refused() {
    let mut l = lean();
    l.threshold = Threshold::Curve {
        over: Channel::new("engine_speed").unwrap(),
        at: vec![2000.0, 1000.0],
        value: vec![1.0, 2.0],
    };
    assert!(l.validate().unwrap_err().to_string().contains("ascending"));
    let mut l = lean();
    l.gate[0].above = None;
    assert!(l.validate().unwrap_err().to_string().contains("neither above nor below"));
}

#[test]
fn the_lane_shows_share_used_along_rpm() {
    let e = ecu(0.82, |t, v| if t > 4.0 && t < 5.0 { 0.93 } else { v });
    let dyno = Recording::default();
    let grid: Vec<f64> = (40..130).map(|k| f64::from(k) * 50.0).collect();
    let single = Alignment::single_log();
    let sources = Sources::new(&dyno, Some(&e), &single, None);
    let lane = trace(&lean(), &sources).unwrap().lane(&grid, 50.0, 0.0, 8.0).unwrap();
    assert!(lane[grid.iter().position(|g| *g == 4900.0).unwrap()].unwrap() > 1.2);
    assert!(lane[grid.iter().position(|g| *g == 3000.0).unwrap()].unwrap() < 0.5);
    assert!(lane[0].is_none());
}

#[test]
fn a_gate_on_boost_begins_there_where_boost_is_logged_and_is_left_out_and_said_where_it_is_not() {
    let mut on_boost = lean();
    on_boost.gate.push(
        serde_json::from_str(r#"{"channel": "manifold_pressure", "above": 135, "if_logged": true}"#).unwrap(),
    );
    // Stoichiometric off boost, rich on it: as a stock engine runs.
    let log = ecu(0.82, |t, v| if t < 2.5 { 1.0 } else { v });
    let mut boosted = log.clone();
    let pressure = log.t.iter().map(|t| if *t < 2.8 { 105.0 } else { 180.0 }).collect();
    boosted.channels.insert(Channel::new("manifold_pressure").unwrap(), pressure);
    assert_eq!(judge_one(&on_boost, &boosted).verdict, Verdict::Clear);
    let without = judge_one(&on_boost, &log);
    assert_eq!(without.verdict, Verdict::Over, "off boost counts where nobody knows when boost began");
    // The same term without "if logged" cannot be judged.
    on_boost.gate[1].if_logged = false;
    assert_eq!(judge_one(&on_boost, &log).verdict, Verdict::NotMeasured);
    on_boost.gate[1].if_logged = true;
    let rich = judge_one(&on_boost, &ecu(0.82, |_, v| v));
    assert_eq!(rich.verdict, Verdict::Clear);
    let Some(Why::Reaches(reach)) = rich.why else { panic!("how far it reaches is said: {:?}", rich.why) };
    assert_eq!(reach.stand_ins, [StandIn::LeftOut { wanted: Channel::new("manifold_pressure").unwrap() }]);
}

#[test]
fn two_hundred_limits_judged_by_all_threads_are_those_judged_one_by_one() {
    let log = ecu(0.86, |t, v| if t > 4.0 { v + 0.03 } else { v });
    let limits: Vec<Limit> = (0..200)
        .map(|k| Limit {
            id: format!("l{k}"),
            threshold: Threshold::Constant(0.80 + 0.001 * f64::from(k)),
            sustain_s: 0.1 + 0.01 * f64::from(k % 7),
            gate: if k % 3 == 0 { Vec::new() } else { lean().gate },
            ..lean()
        })
        .collect();
    let dyno = Recording::default();
    let alone = |l: &Limit| evaluate(l, &Sources::new(&dyno, Some(&log), &Alignment::single_log(), None));
    let sources = Sources::new(&dyno, Some(&log), &Alignment::single_log(), None);
    let together = evaluate_all(&limits, &sources);
    assert_eq!(together, limits.iter().map(alone).collect::<Vec<_>>());
    for wanted in [Verdict::Over, Verdict::Close, Verdict::Clear] {
        assert!(together.iter().any(|o| o.verdict == wanted), "{wanted:?} is among them");
    }
}
