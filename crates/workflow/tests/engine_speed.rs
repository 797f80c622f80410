//! Whose engine speed a pull goes by, on simulated days whose true curve is known.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod simday;

use jamjar_core::pull::align::{Pair, Ratio, align};
use jamjar_core::pull::shaft::shaft_speed;
use jamjar_core::signal::interp::linear;
use simday::{Day, day};

/// Stall share of slip, and the engine speed at which it has closed.
const CONVERTER: Option<[f64; 2]> = Some([0.3, 5500.0]);

/// Of the buggy on its brake.
const RATIO: f64 = 3.2;

/// Largest share by which the measured power is off the true one at an engine speed, away from the ends.
fn worst(d: &Day) -> f64 {
    let (m, p, _) = d.pull(0, 0);
    let (grid, truth) = (&m.grid, &p.truth.curve);
    let inside = |i: &usize| !grid.edge[*i] && grid.rpm[*i] > truth.rpm[0] + 300.0;
    let off =
        |i: usize| Some((grid.power_kw[i] / linear(&truth.rpm, &truth.power_kw, grid.rpm[i])? - 1.0).abs());
    let all: Vec<f64> = (0..grid.rpm.len()).filter(inside).filter_map(off).collect();
    assert!(all.len() > 40, "{}", all.len());
    all.into_iter().fold(0.0, f64::max)
}

fn flag<'a>(pull: &'a serde_json::Value, kind: &str) -> Option<&'a str> {
    pull["flags"].as_array().unwrap().iter().find(|f| f["kind"] == kind).and_then(|f| f["text"].as_str())
}

#[test]
fn behind_a_converter_the_tachometer_of_the_dyno_is_the_engine_speed() {
    let d = day("brae", &[None; 2], "engine_speed", |l| {
        l.scenario.cell.converter = CONVERTER;
        l.scenario.dyno.channels.push("engine_speed".to_owned());
    });
    let (m, _, json) = d.pull(0, 0);
    assert_eq!(json["engine_speed_from"], "measured", "{}", json["flags"]);
    assert!(flag(json, "speed_measured").unwrap().contains("by the measured one"), "{}", json["flags"]);
    assert!(worst(&d) < 0.03, "{}", worst(&d));
    let shaft = m.grid.shaft_rpm.as_ref().unwrap();
    let slip = |i: usize| m.grid.rpm[i] / (shaft[i] * m.ratio) - 1.0;
    assert!(slip(3) > 0.08 && slip(m.grid.rpm.len() - 5).abs() < 0.02, "{} {}", slip(3), m.ratio);
    let c = &d.result["comparisons"][0];
    assert!(!c["gain_at_shaft_speed"]["at"].as_array().unwrap().is_empty());
    let said = c["notes"]
        .as_array()
        .unwrap()
        .iter()
        .any(|n| n.as_str().unwrap().contains("equal speed of the dyno"));
    assert!(said, "{}", c["notes"]);
}

#[test]
fn tyres_that_creep_by_half_a_per_cent_leave_the_shaft_its_say() {
    let d = day("brae", &[None; 2], "engine_speed", |l| l.scenario.cell.tyre_slip = 0.003);
    let (m, _, json) = d.pull(0, 0);
    assert_eq!(json["engine_speed_from"], "shaft", "{}", json["flags"]);
    assert!(m.grid.shaft_rpm.is_none() && flag(json, "speed_measured").is_none());
    assert!(d.result["comparisons"][0]["gain_at_shaft_speed"].is_null());
}

#[test]
fn a_hub_cannot_slip_so_the_quieter_of_two_equal_speeds_stays() {
    let d = day("tolvern", &[None; 2], "engine_speed", |_| {});
    for k in 0..2 {
        assert_eq!(d.pull(k, 0).2["engine_speed_from"], "shaft");
    }
}

#[test]
fn without_a_tachometer_the_lift_aligns_the_engine_computer_where_the_converter_has_closed() {
    let d = day("brae", &[None; 2], "engine_speed", |l| l.scenario.cell.converter = CONVERTER);
    for k in 0..2 {
        let (m, p, json) = d.pull(0, k);
        let lag = m.alignment.usable_lag().unwrap_or_else(|| panic!("{:?}", m.alignment));
        assert!((lag - p.truth.lag_s.unwrap()).abs() < 0.03, "{lag} {:?}", p.truth.lag_s);
        assert_eq!(json["engine_speed_from"], "measured", "{}", json["flags"]);
    }
    assert!(worst(&d) < 0.03, "{}", worst(&d));
}

#[test]
fn a_converter_that_never_closes_is_not_aligned_and_its_axis_says_whose_speed_it_is() {
    let d = day("brae", &[None; 2], "engine_speed", |l| l.scenario.cell.converter = Some([0.3, 12000.0]));
    let (m, _, json) = d.pull(0, 0);
    assert!(m.alignment.usable_lag().is_none(), "{:?}", m.alignment);
    assert_eq!(json["engine_speed_from"], "shaft");
}

#[test]
fn the_log_of_another_pull_is_not_taken_for_a_converter() {
    // The same brake, its ramp slower by some per cent: the level departs below and agrees at the lift.
    for slower in [0.98, 0.95, 0.9, 0.8] {
        let d = day("brae", &[None; 2], "engine_speed", |l| {
            let mut other = l.scenario.sweep;
            other.rate_rpm_s *= slower;
            l.scenario.day[0].set[1].sweep = Some(other);
        });
        let shaft = shaft_speed(&d.inputs[0].pulls[0].dyno, Some(RATIO)).unwrap();
        let ecu = d.inputs[1].pulls[0].ecu.as_ref().unwrap().series("engine_speed").unwrap();
        let pull = d.measured[0][0].span.unwrap();
        let a = align(&Pair {
            dyno: &shaft,
            ecu: &ecu,
            pull: &pull,
            ratio: Ratio::Known(RATIO),
            rigid: false,
            load: None,
            clocks_of_day: false,
        });
        assert!(a.usable_lag().is_none(), "{slower}: {a:?}");
    }
}
