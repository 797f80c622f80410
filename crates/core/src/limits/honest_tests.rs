//! What must never be called clear.

use super::*;
use crate::channel::Channel;
use crate::log::Recording;
use crate::pull::align::{Alignment, Status};
use crate::pull::span::{EndedBy, PullKind, PullSpan};

const HZ: f64 = 20.0;

fn noise(i: usize) -> f64 {
    let x = (i as f64 * 12.9898).sin() * 43_758.545_3;
    2.0 * (x - x.floor()) - 1.0
}

/// 12 s of an engine computer's log: full throttle from 2 to 9 s, 2000 to 6550 rpm, λ alive around 0.82.
fn ecu() -> Recording {
    let t: Vec<f64> = (0..(12.0 * HZ) as usize).map(|i| i as f64 / HZ).collect();
    let mut log = Recording { t, ..Recording::default() };
    let full = |t: f64| (2.0..9.0).contains(&t);
    put(&mut log, "throttle", |_, t| if full(t) { 99.0 } else { 12.0 });
    put(&mut log, "engine_speed", |_, t| {
        if t > 9.0 { 6550.0 - 1500.0 * (t - 9.0) } else { 2000.0 + 650.0 * (t - 2.0).max(0.0) }
    });
    put(&mut log, "lambda_1", |i, t| if full(t) { 0.82 + 0.006 * noise(i) } else { 1.0 + 0.01 * noise(i) });
    put(&mut log, "manifold_pressure", |i, t| if full(t) { 190.0 + noise(i) } else { 40.0 + noise(i) });
    log
}

fn put(log: &mut Recording, name: &str, f: impl Fn(usize, f64) -> f64) {
    let v = log.t.iter().enumerate().map(|(i, t)| f(i, *t)).collect();
    log.channels.insert(Channel::new(name).unwrap(), v);
}

fn blank(log: &mut Recording, name: &str, from: f64, to: f64) {
    let t = log.t.clone();
    let v = log.channels.get_mut(&Channel::new(name).unwrap()).unwrap();
    t.iter().zip(v).filter(|(t, _)| (from..to).contains(*t)).for_each(|(_, v)| *v = f64::NAN);
}

fn limit(text: &str) -> Limit {
    serde_json::from_str(text).unwrap()
}

fn lean() -> Limit {
    limit(
        r#"{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.90, "sustain_s": 0.2, "caution": 0.03,
            "gate": [{"channel": "throttle", "above": 90}, {"channel": "manifold_pressure", "above": 150}]}"#,
    )
}

/// The pull as a dyno whose clock is 10 s behind shows it.
fn span() -> PullSpan {
    PullSpan {
        kind: PullKind::SweepUp,
        from_s: -8.0,
        to_s: -1.0,
        from_rpm: 2000.0,
        to_rpm: 6550.0,
        ended_by: EndedBy::Lift,
        plateau_rpm: None,
        rate: 650.0,
    }
}

fn aligned() -> Alignment {
    Alignment { status: Status::Aligned, lag_s: Some(10.0), ..Alignment::single_log() }
}

fn judge(l: &Limit, log: &Recording) -> LimitOutcome {
    evaluate(l, &Sources::new(&Recording::default(), Some(log), &aligned(), Some(&span())))
}

fn said(o: &LimitOutcome) -> String {
    o.why.as_ref().map(crate::words::why).unwrap_or_default()
}

#[test]
fn a_whole_log_is_clear_and_the_lift_is_no_hole() {
    let o = judge(&lean(), &ecu());
    assert_eq!(o.verdict, Verdict::Clear, "{o:?}");
    let mut rest = ecu();
    blank(&mut rest, "lambda_1", 9.1, 99.0);
    assert_eq!(judge(&lean(), &rest).verdict, Verdict::Clear, "blank after the lift only");
}

#[test]
fn blank_from_within_the_gate_to_the_lift_cannot_be_told() {
    for (name, from, to) in [
        ("to the lift", 5.0, 99.0),
        ("from before the gate", 0.0, 4.0),
        ("in between", 5.0, 5.4),
        ("all of the gate", 1.5, 9.5),
    ] {
        let mut log = ecu();
        blank(&mut log, "lambda_1", from, to);
        let o = judge(&lean(), &log);
        assert_eq!(o.verdict, Verdict::CantTell, "{name}: {o:?}");
    }
    let mut log = ecu();
    blank(&mut log, "lambda_1", 0.0, 99.0);
    assert_eq!(judge(&lean(), &log).verdict, Verdict::NotMeasured, "no value in the whole recording");
}

#[test]
fn a_log_that_ends_before_the_lift_cannot_be_told_whichever_log_shows_the_lift() {
    let cut = ecu().window(0.0, 8.5);
    let o = judge(&lean(), &cut);
    assert_eq!(o.verdict, Verdict::CantTell, "the dyno shows 0.5 s more: {o:?}");
    assert!(said(&o).contains("its log ends"), "{o:?}");
    let alone =
        evaluate(&lean(), &Sources::new(&Recording::default(), Some(&cut), &Alignment::single_log(), None));
    assert_eq!(alone.verdict, Verdict::Clear, "neither log holds the lift");
    assert!(said(&alone).contains("end of log"), "{alone:?}");
    let mut slow = lean();
    slow.sustain_s = 2.0;
    assert_eq!(judge(&slow, &cut).verdict, Verdict::CantTell, "a long sustain time excuses no missing end");
}

#[test]
fn a_blank_gate_channel_is_no_shut_gate() {
    for name in ["manifold_pressure", "throttle"] {
        let mut log = ecu();
        blank(&mut log, name, 4.0, 99.0);
        let o = judge(&lean(), &log);
        assert_eq!(o.verdict, Verdict::CantTell, "{name} blank: {o:?}");
    }
    let mut log = ecu();
    blank(&mut log, "manifold_pressure", 0.0, 99.0);
    assert_eq!(judge(&lean(), &log).verdict, Verdict::NotMeasured, "a gate channel that is not there");
    let mut low = lean();
    low.gate[1].above = Some(300.0);
    assert_eq!(judge(&low, &ecu()).verdict, Verdict::NotReached);
}

#[test]
fn blanks_between_the_samples_of_a_slow_channel_are_no_hole() {
    let slow = |every: usize| {
        let mut log = ecu();
        put(&mut log, "exhaust_temp_1", |i, t| {
            if i % every == 0 { 700.0 + 10.0 * t + 3.0 * noise(i) } else { f64::NAN }
        });
        log
    };
    let egt = |sustain: f64| {
        limit(&format!(
            r#"{{"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": 950, "sustain_s": {sustain}, "caution": 25, "gate": [{{"channel": "throttle", "above": 90}}]}}"#
        ))
    };
    assert_eq!(judge(&egt(0.5), &slow(4)).verdict, Verdict::Clear, "5 Hz");
    assert_eq!(judge(&egt(3.0), &slow(20)).verdict, Verdict::Clear, "1 Hz, held for 3 s");
    assert_eq!(judge(&egt(0.5), &slow(20)).verdict, Verdict::CantTell, "1 Hz cannot see half a second");
}

#[test]
fn a_pedal_stands_for_a_throttle_a_throttle_for_a_pedal_and_the_sweep_for_both() {
    let mut no_throttle = ecu();
    put(&mut no_throttle, "pedal", |_, t| if (2.0..9.0).contains(&t) { 84.0 } else { 5.0 });
    no_throttle.channels.remove(&Channel::new("throttle").unwrap());
    let o = judge(&lean(), &no_throttle);
    assert_eq!(o.verdict, Verdict::Clear, "{o:?}");
    assert!(said(&o).contains("pedal stands for throttle") && said(&o).contains("84 %"), "{o:?}");
    let mut by_pedal = lean();
    by_pedal.gate[0].channel = Channel::new("pedal").unwrap();
    assert_eq!(judge(&by_pedal, &ecu()).verdict, Verdict::Clear, "a mixture limit does not need the pedal");
    let diesel = evaluate(
        &by_pedal,
        &Sources::new(&Recording::default(), Some(&ecu()), &aligned(), Some(&span())).on_diesel(true),
    );
    assert!(said(&diesel).contains("the detected full-load sweep"), "{diesel:?}");
    no_throttle.channels.remove(&Channel::new("pedal").unwrap());
    let o = judge(&lean(), &no_throttle);
    assert_eq!(o.verdict, Verdict::Clear);
    assert!(said(&o).contains("the detected full-load sweep"), "{o:?}");
    put(
        &mut no_throttle,
        "lambda_1",
        |i, t| if (4.0..5.0).contains(&t) { 0.95 } else { 0.82 + 0.006 * noise(i) },
    );
    assert_eq!(judge(&lean(), &no_throttle).verdict, Verdict::Over);
}

#[test]
fn a_plate_that_stops_below_the_gate_is_scaled_to_its_plateau() {
    let mut log = ecu();
    put(&mut log, "throttle", |_, t| if (2.0..9.0).contains(&t) { 83.0 } else { 9.0 });
    let o = judge(&lean(), &log);
    assert_eq!(o.verdict, Verdict::Clear, "{o:?}");
    assert!(said(&o).contains("83 %"), "{o:?}");
}

#[test]
fn retard_of_nothing_is_measured_only_beside_a_live_level() {
    let knock = limit(
        r#"{"id": "knock", "channel": "knock_retard_1", "direction": "above", "threshold": 4, "sustain_s": 0.2, "caution": 1,
            "gate": [{"channel": "throttle", "above": 90}]}"#,
    );
    let mut log = ecu();
    put(&mut log, "knock_retard_1", |_, _| 0.0);
    assert_eq!(judge(&knock, &log).verdict, Verdict::CantTell, "no level");
    put(&mut log, "knock_level", |i, _| 0.5 + 0.1 * noise(i));
    assert_eq!(judge(&knock, &log).verdict, Verdict::CantTell, "a scattering floor");
    put(&mut log, "knock_level", |i, t| 0.5 + 0.1 * t + 0.05 * noise(i));
    assert_eq!(judge(&knock, &log).verdict, Verdict::Clear, "a level that hears the engine");
    let mut by_level = knock.clone();
    (by_level.channel, by_level.threshold) = (Channel::new("knock_level").unwrap(), Threshold::Constant(5.0));
    assert_eq!(judge(&by_level, &log).verdict, Verdict::Clear);
    put(&mut log, "knock_level", |_, _| 0.0);
    assert_eq!(judge(&by_level, &log).verdict, Verdict::CantTell);
    put(&mut log, "knock_retard_1", |_, t| if (5.0..6.0).contains(&t) { 5.0 } else { 0.0 });
    assert_eq!(judge(&knock, &log).verdict, Verdict::Over, "nothing downgrades it");
}

#[test]
fn a_gauge_at_rest_after_the_lift_and_a_flat_plateau_are_no_reason_to_doubt() {
    let mut log = ecu();
    put(&mut log, "exhaust_temp_1", |i, t| if t > 9.2 { 640.0 } else { 600.0 + 25.0 * t + noise(i) });
    let egt = limit(
        r#"{"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": 950, "sustain_s": 0.5, "caution": 25}"#,
    );
    let o = judge(&egt, &log);
    assert_eq!(o.verdict, Verdict::Clear, "{o:?}");
    put(&mut log, "manifold_pressure", |_, t| (100.0 + 45.0 * (t.clamp(2.0, 9.0) - 2.0)).min(190.0));
    let boost = limit(
        r#"{"id": "boost", "channel": "manifold_pressure", "direction": "above", "threshold": 220, "sustain_s": 0.2, "caution": 8}"#,
    );
    let o = judge(&boost, &log);
    assert_eq!(o.verdict, Verdict::Clear, "{o:?}");
}

#[test]
fn samples_of_a_neighbour_in_one_log_are_not_this_pulls() {
    let several = evaluate(
        &lean(),
        &Sources::new(&Recording::default(), Some(&ecu()), &Alignment::single_log(), None)
            .with_foreign_log(true),
    );
    assert_eq!(several.verdict, Verdict::CantTell);
    assert!(said(&several).contains("several pulls"));
    let whole = ecu();
    let mut part = ecu().window(1.0, 9.5);
    blank(&mut part, "lambda_1", 0.0, 99.0);
    let (empty, a) = (Recording::default(), aligned());
    let only = Sources::new(&empty, Some(&part), &a, Some(&span())).out_of(&empty, Some(&whole));
    assert_eq!(
        evaluate(&lean(), &only).verdict,
        Verdict::CantTell,
        "values stand elsewhere in the recording"
    );
}
