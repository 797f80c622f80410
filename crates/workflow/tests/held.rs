//! Other pulls than rising sweeps, from the simulated cell, whose true answer is known: lug-downs and speeds
//! held one after the other.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod simday;

use jamjar_core::analysis::{Caveat, Figure, Verdict};
use jamjar_core::pull::align::Status;
use jamjar_core::words::{Speech, caveat};
use jamjar_formats::Mapping;
use jamjar_sim::{Held, Sweep, TrueCurve};
use simday::{Day, day};

const TRACTOR: Sweep = Sweep {
    from_rpm: 1100.0,
    to_rpm: 2200.0,
    rate_rpm_s: 200.0,
    pedal: 100.0,
    lug_down: false,
    held: Some(Held { every_rpm: 200.0, seconds: 4.0 }),
};
const HUB: Sweep = Sweep {
    from_rpm: 2500.0,
    to_rpm: 6000.0,
    rate_rpm_s: 800.0,
    pedal: 100.0,
    lug_down: false,
    held: Some(Held { every_rpm: 500.0, seconds: 4.0 }),
};

fn near(truth: &TrueCurve, rpm: f64) -> f64 {
    let i = (0..truth.rpm.len())
        .min_by(|&a, &b| (truth.rpm[a] - rpm).abs().total_cmp(&(truth.rpm[b] - rpm).abs()))
        .unwrap();
    assert!((truth.rpm[i] - rpm).abs() < 15.0, "{rpm} of {:?}", truth.rpm);
    truth.power_kw[i] * rpm / truth.rpm[i]
}

fn holds_the_truth(d: &Day, rpm: &[f64]) {
    for i in 0..2 {
        let (m, p, json) = d.pull(0, i);
        assert_eq!(json["kind"], "held_steps", "{}", json["flags"]);
        assert_eq!(m.grid.rpm, rpm, "{:?}", m.flags);
        assert!(!rpm.is_empty() && m.grid.power_kw.len() == rpm.len());
        for (r, kw) in m.grid.rpm.iter().zip(&m.grid.power_kw) {
            let truth = near(&p.truth.curve, *r);
            assert!((kw / truth - 1.0).abs() < 0.01, "{r} rpm: {kw} of {truth}");
        }
        assert_eq!(m.alignment.status, Status::Aligned, "{:?}", m.alignment.refusal);
        assert!((m.alignment.lag_s.unwrap() - p.truth.lag_s.unwrap()).abs() < 0.02);
        assert_eq!(json["steps"].as_array().unwrap().len(), rpm.len());
        assert!(json["ramp_rpm_s"].is_null(), "nothing ramps");
        let off = p.dyno.bytes.as_slice();
        let ratio = m.ratio;
        let (_, preview) =
            jamjar_workflow::import::preview(off, "steps.csv", &Mapping::default(), Some(ratio)).unwrap();
        assert_eq!(preview.pulls.len(), 1, "and it is offered when the file is dropped");
    }
}

#[test]
fn held_steps_on_the_tractors_brake_are_found_and_weighed() {
    let d = day("marrow", &[Some(TRACTOR)], "engine_speed", |_| {});
    holds_the_truth(&d, &[1100.0, 1300.0, 1500.0, 1700.0, 1900.0, 2100.0]);
    let egt = d.measured[0][0].limits.iter().find(|l| l.limit == "egt").unwrap();
    assert!(egt.worst.is_some(), "{egt:?}");
}

#[test]
fn held_steps_at_the_hubs_are_found_and_weighed() {
    let d = day("tolvern", &[Some(HUB)], "engine_speed", |_| {});
    holds_the_truth(&d, &[2500.0, 3000.0, 3500.0, 4000.0, 4500.0, 5000.0, 5500.0, 6000.0]);
}

#[test]
fn two_maps_at_held_speeds_are_compared_with_an_interval_and_a_band() {
    let d = day("marrow", &[Some(TRACTOR); 2], "shaft_speed", |l| l.scenario.day[0].set[0].fault.clear());
    let c = &d.comparisons[0];
    let peak = c.figure(Figure::PeakPower).unwrap();
    assert_eq!(peak.verdict, Verdict::Gain, "{:?} {:?}", peak.ci95, c.notes);
    assert_eq!(c.power.curve.rpm.len(), 6);
    assert_eq!(c.power.curve.half.len(), 6, "the band holds at the held speeds");
    assert!(
        c.power.drawn().rpm.is_empty()
            && c.notes.iter().any(|n| matches!(n, Caveat::HeldSteps { shared } if *shared > 2)),
        "{:?}",
        c.notes
    );
    let truth = |s: usize| near(&d.run.days[0].sets[s].pulls[0].truth.curve, 1900.0);
    let (true_gain, i) = (truth(1) - truth(0), c.power.curve.rpm.iter().position(|r| *r == 1900.0).unwrap());
    assert!(
        (c.power.curve.gain[i] - true_gain).abs() < c.power.curve.half[i].max(0.5),
        "{} of {true_gain}",
        c.power.curve.gain[i]
    );
}

#[test]
fn held_steps_are_not_compared_with_a_sweep_nor_lend_it_their_scatter() {
    let d = day("marrow", &[Some(TRACTOR), None], "engine_speed", |_| {});
    let c = &d.comparisons[0];
    assert!(c.figures.iter().all(|f| f.verdict == Verdict::CantTell));
    assert!(caveat(&c.notes[0], &Speech::PLAIN).contains("held steps against sweeps"), "{:?}", c.notes[0]);
    assert!(c.power.curve.half.is_empty());
}

#[test]
fn a_lug_down_on_the_tractors_brake_is_found_and_weighed() {
    let down = Sweep {
        from_rpm: 2350.0,
        to_rpm: 1050.0,
        rate_rpm_s: 110.0,
        pedal: 100.0,
        lug_down: true,
        held: None,
    };
    let d = day("marrow", &[Some(down)], "engine_speed", |_| {});
    let (m, p, json) = d.pull(0, 0);
    assert_eq!(json["kind"], "lug_down", "{}", json["flags"]);
    let i = m.grid.rpm.iter().position(|r| *r == 1700.0).unwrap();
    let truth =
        jamjar_core::signal::interp::linear(&p.truth.curve.rpm, &p.truth.curve.power_kw, 1700.0).unwrap();
    assert!((m.grid.power_kw[i] / truth - 1.0).abs() < 0.02, "{} of {truth}", m.grid.power_kw[i]);
    let (_, preview) =
        jamjar_workflow::import::preview(p.dyno.bytes.as_slice(), "lug.csv", &Mapping::default(), Some(2.1))
            .unwrap();
    assert_eq!(preview.pulls.len(), 1, "and it is offered when the file is dropped");
}
