use super::*;
use crate::channel::Channel;
use crate::log::Series;

fn kind(name: &str) -> &'static Kind {
    Channel::new(name).unwrap().kind().unwrap()
}

/// Noise that a test can repeat: uniform in ±1.
fn noise(i: usize) -> f64 {
    let x = (i as f64 * 12.9898).sin() * 43_758.545_3;
    2.0 * (x - x.floor()) - 1.0
}

fn series(hz: f64, seconds: f64, f: impl Fn(usize, f64) -> f64) -> Series {
    let n = (hz * seconds) as usize;
    let t: Vec<f64> = (0..n).map(|i| i as f64 / hz).collect();
    Series { v: t.iter().enumerate().map(|(i, t)| f(i, *t)).collect(), t }
}

fn rounded(v: f64, step: f64) -> f64 {
    (v / step).round() * step
}

/// A pull from 2 to 8 s, 700 rpm/s, in a recording of 12 s.
const PULL: [f64; 2] = [2.0, 8.0];

fn speed() -> Series {
    series(50.0, 12.0, |_, t| 2000.0 + 700.0 * (t.clamp(2.0, 8.0) - 2.0))
}

fn frozen(name: &str, s: &Series) -> usize {
    let speed = speed();
    Watched { s: s.view(), kind: kind(name), speed: Some(speed.view()), pull: Some(PULL) }.frozen().len()
}

fn at_end(name: &str, s: &Series) -> Vec<bool> {
    let speed = speed();
    Watched { s: s.view(), kind: kind(name), speed: Some(speed.view()), pull: Some(PULL) }
        .at_end()
        .into_iter()
        .map(|x| x.1)
        .collect()
}

#[test]
fn a_sensor_whose_noise_stops_is_frozen_however_short_beside_a_longer_rest() {
    let lambda = |i: usize, t: f64| match t {
        t if t > 8.5 => 1.0,
        t if (4.0..5.0).contains(&t) => 0.853,
        _ => rounded(0.85 + 0.006 * noise(i), 0.001),
    };
    assert_eq!(
        frozen("lambda_1", &series(20.0, 12.0, lambda)),
        1,
        "the rest after the lift is longer, the stretch in the pull counts"
    );
    let free = |i: usize, t: f64| if t > 8.5 { 1.0 } else { rounded(0.85 + 0.006 * noise(i), 0.001) };
    assert_eq!(frozen("lambda_1", &series(20.0, 12.0, free)), 0);
}

#[test]
fn what_goes_with_the_engine_cannot_stand_still_while_it_sweeps() {
    let until = |stop: f64, slope: f64, base: f64, step: f64| {
        move |_: usize, t: f64| rounded(base + slope * t.clamp(2.0, 8.0).min(stop), step)
    };
    for (name, slope, base, step) in [
        ("turbo_speed", 14_000.0, 20_000.0, 100.0),
        ("injector_duty", 9.0, 20.0, 0.1),
        ("road_speed", 12.0, 40.0, 0.1),
    ] {
        assert_eq!(
            frozen(name, &series(20.0, 12.0, until(6.0, slope, base, step))),
            1,
            "{name} stops at 6 s"
        );
        assert_eq!(frozen(name, &series(20.0, 12.0, until(99.0, slope, base, step))), 0, "{name} goes on");
    }
    assert_eq!(frozen("turbo_speed", &series(20.0, 12.0, |_, _| 20_000.0)), 1, "one value from end to end");
}

#[test]
fn a_flat_plateau_without_noise_a_gauge_at_rest_and_a_slow_temperature_are_not_frozen() {
    let boost = |_: usize, t: f64| rounded(100.0 + 40.0 * (t.clamp(2.0, 4.5) - 2.0), 0.5);
    assert_eq!(frozen("manifold_pressure", &series(50.0, 12.0, boost)), 0);
    assert!(at_end("manifold_pressure", &series(50.0, 12.0, boost)).is_empty());
    let quantised = |i: usize, t: f64| rounded(boost(i, t) + 0.15 * noise(i), 1.0);
    assert_eq!(
        frozen("manifold_pressure", &series(50.0, 12.0, quantised)),
        0,
        "noise smaller than the last digit"
    );
    let exhaust = |i: usize, t: f64| {
        rounded(820.0 - 300.0 * (-(t.clamp(2.0, 8.0) - 2.0) / 1.5).exp() + 0.2 * noise(i), 1.0)
    };
    assert_eq!(frozen("exhaust_temp_1", &series(10.0, 12.0, exhaust)), 0);
    assert!(
        at_end("exhaust_temp_1", &series(10.0, 12.0, exhaust)).is_empty(),
        "what levels off is no end of range"
    );
    assert_eq!(
        frozen("lambda_1", &series(20.0, 12.0, |_, t| if (2.0..8.0).contains(&t) { 0.85 } else { 1.0 })),
        0
    );
    assert_eq!(
        frozen("lambda_1", &series(20.0, 12.0, |_, _| 0.85)),
        1,
        "the same with a closed throttle and an open one"
    );
}

#[test]
fn the_end_of_a_range_is_seen_at_every_rate() {
    for hz in [5.0, 10.0, 20.0, 100.0] {
        let lambda = |i: usize, t: f64| {
            if (4.0..5.2).contains(&t) { 1.02 } else { rounded(0.86 + 0.006 * noise(i), 0.001) }
        };
        assert_eq!(at_end("lambda_1", &series(hz, 12.0, lambda)), [true], "{hz} Hz");
        let free = |i: usize, _: f64| rounded(0.86 + 0.006 * noise(i), 0.001);
        assert!(at_end("lambda_1", &series(hz, 12.0, free)).is_empty(), "{hz} Hz");
    }
    // From end to end of the recording, but for single samples.
    let nearly_always = |i: usize, _: f64| if i.is_multiple_of(17) { 0.845 } else { 0.85 };
    assert!(!at_end("lambda_1", &series(25.0, 12.0, nearly_always)).is_empty());
    let cut_off = |_: usize, t: f64| (600.0 + 60.0 * (t.clamp(2.0, 8.0) - 2.0)).min(800.0);
    assert_eq!(at_end("exhaust_temp_1", &series(10.0, 12.0, cut_off)), [true], "a slope that stops at once");
}

#[test]
fn the_smallest_step_is_read_off_the_values() {
    assert!((resolution(&[1.0, 1.0, 1.5, 1.25, 1.25]).unwrap() - 0.25).abs() < 1e-12);
    assert_eq!(resolution(&[3.0; 5]), None);
    assert_eq!(repeats(&[1.0, 1.0, 2.0]), [Still { from: 0, to: 2, value: 1.0 }]);
}

#[test]
fn up_through_a_pull_and_down_again_is_movement() {
    let speed = Series { t: vec![0.0, 4.0, 5.5], v: vec![4200.0, 6700.0, 4250.0] };
    assert!(
        (travelled(speed.view(), 0.0, 5.5) - 2500.0).abs() < 1e-9,
        "the ends are alike, the way between is not"
    );
    assert!(travelled(speed.view(), 0.0, 0.5) < 500.0);
}
