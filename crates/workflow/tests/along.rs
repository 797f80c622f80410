//! Gains along other axes than engine speed, on simulated days.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

mod simday;

use jamjar_core::signal::interp::linear;
use simday::{Day, day};

/// Gain at an engine speed, read between the grid points.
fn at_engine(d: &Day, rpm: f64) -> f64 {
    let c = &d.comparisons[0].power.curve;
    linear(&c.rpm, &c.gain, rpm).unwrap()
}

#[test]
fn shaft_speed_is_engine_speed_through_the_ratio() {
    let d = day("tolvern", &[None; 2], "shaft_speed", |_| {});
    let (c, ratio) = (&d.comparisons[0], d.measured[0][0].ratio);
    let g = c.power.other.as_ref().unwrap();
    assert!(g.rpm.len() > 80 && g.rpm.iter().all(|x| (x / 10.0).fract() == 0.0), "{:?}", g.rpm);
    assert_eq!(g.gain.len(), g.rpm.len());
    for (x, gain) in g.rpm.iter().zip(&g.gain) {
        assert!((gain - at_engine(&d, x * ratio)).abs() < 0.05, "{x}");
    }
    assert_eq!(g.half.len(), g.rpm.len());
    let near = |v: &[f64], h: &[f64], x: f64| linear(v, h, x).unwrap();
    let (here, there) =
        (near(&g.rpm, &g.half, 1200.0), near(&c.power.curve.rpm, &c.power.curve.half, 1200.0 * ratio));
    assert!((here / there - 1.0).abs() < 0.15, "the band is about the same: {here} against {there}");
    assert_eq!(d.result["comparisons"][0]["gain_along"]["axis"], "shaft_speed");
}

#[test]
fn road_speed_is_read_where_it_was_logged_and_nowhere_else() {
    let d = day("quillet", &[None; 2], "road_speed", |_| {});
    let g = d.comparisons[0].power.other.as_ref().unwrap();
    assert!(g.rpm.len() > 20 && g.rpm.iter().all(|x| x.fract() == 0.0), "{:?}", g.rpm);
    assert_eq!(g.gain.len(), g.rpm.len());
    for (x, gain) in g.rpm.iter().zip(&g.gain) {
        let [rpm, road] = &d.results[0].other.as_ref().unwrap().places;
        let engine = linear(road, rpm, *x).unwrap();
        assert!(
            (gain - at_engine(&d, engine)).abs() < 0.5,
            "{x} km/h is about {engine} rpm: {gain} against {}",
            at_engine(&d, engine)
        );
    }
    let hub = day("tolvern", &[None; 2], "road_speed", |_| {});
    assert!(hub.comparisons[0].power.other.as_ref().unwrap().rpm.is_empty(), "a hub log has no road speed");
    assert!(!hub.comparisons[0].power.curve.rpm.is_empty());
}

#[test]
fn time_runs_from_tip_in() {
    let d = day("tolvern", &[None; 2], "time", |_| {});
    let drawn = d.results[0].drawn();
    assert!(drawn.rpm[0] < 0.5 && *drawn.rpm.last().unwrap() > 5.0, "{:?}", drawn.span_rpm());
    let m = &d.measured[0][0];
    let (i, from) = (m.grid.rpm.iter().position(|r| *r == 4000.0).unwrap(), m.span.unwrap().from_s);
    let own = &d.results[0].other.as_ref().unwrap().pulls[0];
    let then = linear(&own.rpm, &own.power_kw, m.grid.time_s[i] - from).unwrap();
    assert!((then / d.results[0].pulls[0].curve.power_kw[i] - 1.0).abs() < 0.005);
}
