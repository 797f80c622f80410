use super::*;
use crate::pull::detect::detect;
use crate::pull::load::Load;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, StandardNormal};

/// Engine speed of a pull that begins `tip` s into the record and climbs with a curved ramp scaled by `pace`.
fn engine_rpm(t: f64, tip: f64, pace: f64, top: f64) -> f64 {
    let s = t - tip;
    if s < 0.0 {
        return 1850.0;
    }
    let climb = |s: f64| 1850.0 + pace * (430.0 * s + 38.0 * s * s);
    let end = (0..4000).map(|i| f64::from(i) * 0.005).find(|s| climb(*s) >= top).unwrap_or(20.0);
    if s < end { climb(s) } else { (top - 1400.0 * (s - end)).max(900.0) }
}

fn sample(hz: f64, from: f64, seconds: f64, noise: f64, seed: u64, f: impl Fn(f64) -> f64) -> Series {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let n = (seconds * hz) as usize;
    let t: Vec<f64> = (0..n).map(|i| from + i as f64 / hz).collect();
    let v = t
        .iter()
        .map(|t| {
            let e: f64 = StandardNormal.sample(&mut rng);
            f(*t) + noise * e
        })
        .collect();
    Series { t, v }
}

const RATIO: f64 = 4.1;

fn dyno_of(tip: f64, pace: f64, top: f64, seed: u64) -> Series {
    sample(100.0, 0.0, 15.0, 0.6, seed, |t| engine_rpm(t, tip, pace, top) / RATIO)
}

fn ecu_of(lag: f64, tip: f64, pace: f64, top: f64, hz: f64, seed: u64) -> Series {
    sample(hz, 500.0, 16.0, 4.0, seed, move |t| engine_rpm(t - lag, tip, pace, top))
}

fn run(dyno: &Series, ecu: &Series, ratio: Ratio) -> Alignment {
    let pulls = detect(dyno, &Load::default(), RATIO);
    assert_eq!(pulls.len(), 1);
    align(&rigid(dyno, ecu, &pulls[0], ratio))
}

/// Two traces that cannot slip against each other.
fn rigid<'a>(dyno: &'a Series, ecu: &'a Series, pull: &'a PullSpan, ratio: Ratio) -> Pair<'a> {
    Pair { dyno, ecu, pull, ratio, rigid: true, load: None, clocks_of_day: false }
}

#[test]
fn a_known_lag_is_found_to_milliseconds_and_its_uncertainty_is_honest() {
    for (seed, hz) in [(1, 20.0), (2, 50.0), (3, 33.0), (4, 25.0)] {
        let lag = 499.2 + 0.137 * seed as f64;
        let a = run(
            &dyno_of(2.1, 1.0, 6700.0, seed),
            &ecu_of(lag, 2.1, 1.0, 6700.0, hz, seed + 50),
            Ratio::Known(RATIO),
        );
        assert_eq!(a.status, Status::Aligned, "{a:?}");
        let miss = (a.lag_s.unwrap() - lag).abs();
        assert!(miss < 0.004, "{hz} Hz: off by {miss}");
        assert!(miss < 5.0 * a.sigma_lag_s.unwrap() && a.sigma_lag_s.unwrap() < 0.02);
        assert!(a.r.unwrap() > 0.999);
    }
}

#[test]
fn the_ratio_is_fitted_when_it_is_not_known() {
    let a = run(&dyno_of(2.0, 1.0, 6700.0, 9), &ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10), Ratio::Free);
    assert_eq!(a.status, Status::Aligned, "{a:?}");
    assert!((a.lag_s.unwrap() - 499.5).abs() < 0.01, "{a:?}");
    assert!((a.measured_ratio.unwrap() - RATIO).abs() < 0.01);
}

fn refused(a: &Alignment) -> String {
    crate::words::refusal(a.refusal.as_ref().unwrap())
}

#[test]
fn another_pulls_log_is_refused_although_it_correlates() {
    for (name, tip, pace, top) in [
        ("slower ramp", 2.0, 0.97, 6700.0),
        ("faster ramp", 1.7, 1.025, 6700.0),
        ("lifted early", 2.0, 1.0, 6480.0),
        ("lifted late", 2.0, 1.0, 6900.0),
    ] {
        let a =
            run(&dyno_of(2.0, 1.0, 6700.0, 9), &ecu_of(499.5, tip, pace, top, 50.0, 11), Ratio::Known(RATIO));
        assert!(a.r.unwrap() > 0.99, "{name}: the trap must look plausible");
        assert_eq!(a.status, Status::Refused, "{name}: {a:?}");
        assert!(refused(&a).contains("another pull"), "{name}");
    }
}

#[test]
fn a_wrong_gear_is_named_as_such() {
    let d = dyno_of(2.0, 1.0, 6700.0, 9);
    let a = run(&d, &ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10), Ratio::Known(5.4));
    assert_eq!(a.status, Status::Refused);
    assert!(refused(&a).contains("wrong gear"), "{a:?}");
}

#[test]
fn a_log_that_stops_half_way_is_refused_for_coverage() {
    let ecu = ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10).between(499.0, 499.5 + 6.5);
    let a = run(&dyno_of(2.0, 1.0, 6700.0, 9), &ecu, Ratio::Known(RATIO));
    assert_eq!(a.status, Status::Refused);
    assert!(matches!(a.refusal, Some(Refusal::Coverage { share }) if (0.3..0.9).contains(&share)), "{a:?}");
}

#[test]
fn a_bare_ramp_of_unknown_ratio_has_no_lag() {
    let d = dyno_of(2.0, 1.0, 6700.0, 9);
    let pull = detect(&d, &Load::default(), RATIO)[0];
    let ramp = d.between(pull.from_s, pull.to_s);
    let ecu = ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10).between(499.5 + pull.from_s, 499.5 + pull.to_s);
    let pair = |ratio| rigid(&ramp, &ecu, &pull, ratio);
    let a = align(&pair(Ratio::Free));
    assert_eq!(a.status, Status::Refused, "{a:?}");
    assert_eq!(a.refusal, Some(Refusal::BareRamp));
    assert_eq!(align(&pair(Ratio::Known(RATIO))).status, Status::Aligned);
}

#[test]
fn clocks_of_day_that_contradict_the_lag_refuse_it() {
    let d = dyno_of(2.0, 1.0, 6700.0, 9);
    let pull = detect(&d, &Load::default(), RATIO)[0];
    let ecu = ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10);
    let a = align(&Pair {
        dyno: &d,
        ecu: &ecu,
        pull: &pull,
        ratio: Ratio::Known(RATIO),
        rigid: true,
        load: None,
        clocks_of_day: true,
    });
    assert!(matches!(a.refusal, Some(Refusal::Clocks { off_s }) if (off_s - 499.5).abs() < 900.0), "{a:?}");
}

#[test]
fn a_fast_clock_is_scaled_and_reported() {
    let ecu = ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10);
    let mid = 506.0;
    let fast = Series { t: ecu.t.iter().map(|t| mid + (t - mid) * 1.004).collect(), v: ecu.v };
    let a = run(&dyno_of(2.0, 1.0, 6700.0, 9), &fast, Ratio::Known(RATIO));
    assert_eq!(a.status, Status::Aligned, "{a:?}");
    assert!((a.drift_ppm.unwrap() - 4000.0).abs() < 800.0, "{a:?}");
}

#[test]
fn a_hand_set_lag_is_kept_and_its_misfit_shown() {
    let d = dyno_of(2.0, 1.0, 6700.0, 9);
    let pull = detect(&d, &Load::default(), RATIO)[0];
    let ecu = ecu_of(499.5, 2.0, 1.0, 6700.0, 50.0, 10);
    let a = manual(&rigid(&d, &ecu, &pull, Ratio::Known(RATIO)), 500.5);
    assert_eq!((a.status, a.lag_s), (Status::Manual, Some(500.5)));
    assert!(a.residual_rpm.unwrap() > 200.0);
}

/// Whatever lag somebody types: where the log covers nothing of the pull, or only what lies beside it, there is no
/// evidence, and the lag stands as it was said.
#[test]
fn a_hand_set_lag_that_lays_the_log_beside_the_pull_has_no_evidence() {
    let (dyno, ecu) = (dyno_of(2.1, 1.0, 6700.0, 1), ecu_of(499.3, 2.1, 1.0, 6700.0, 20.0, 51));
    let pull = detect(&dyno, &Load::default(), RATIO)[0];
    for ratio in [Ratio::Known(RATIO), Ratio::Free] {
        let pair = rigid(&dyno, &ecu, &pull, ratio);
        let told = (0..400).map(|k| 480.0 + 0.1 * f64::from(k)).filter(|lag| {
            let a = manual(&pair, *lag);
            assert_eq!((a.status, a.lag_s), (Status::Manual, Some(*lag)));
            a.residual_rpm.is_some()
        });
        // The log runs from 500 s for 16 s, the pull from 2.1 to some 9 s.
        let told: Vec<f64> = told.collect();
        assert!(told.iter().all(|lag| lag + pull.to_s > 500.0 && lag + pull.from_s < 516.0), "{told:?}");
        assert!(told.len() > 150 && told.len() < 400, "{}", told.len());
    }
}

#[test]
fn a_slipping_tyre_does_not_pass_for_a_lag() {
    let (lag, slip) = (499.5, 0.02);
    let top = 6700.0;
    let load_at = |t: f64| {
        let loaded = t > 2.0 && engine_rpm(t + 0.02, 2.0, 0.6, top) > engine_rpm(t, 2.0, 0.6, top);
        f64::from(u8::from(loaded)) * (1.0 - 0.02 * (t - 2.0))
    };
    let shaft =
        sample(50.0, 0.0, 18.0, 0.2, 5, |t| engine_rpm(t, 2.0, 0.6, top) / RATIO / (1.0 + slip * load_at(t)));
    let load = sample(50.0, 0.0, 18.0, 0.0, 5, load_at);
    let ecu = sample(25.0, 500.0, 18.0, 3.0, 6, |t| engine_rpm(t - lag, 2.0, 0.6, top));
    let pull = detect(&shaft, &Load::default(), RATIO)[0];
    let pair = Pair {
        dyno: &shaft,
        ecu: &ecu,
        pull: &pull,
        ratio: Ratio::Known(RATIO),
        rigid: false,
        load: None,
        clocks_of_day: false,
    };
    let blind = align(&pair);
    assert!(
        (blind.lag_s.unwrap() - lag).abs() > 0.05,
        "without the load the slip is read as a lag: {blind:?}"
    );
    let a = align(&Pair { load: Some(&load), ..pair });
    assert_eq!(a.status, Status::Aligned, "{a:?}");
    assert!((a.lag_s.unwrap() - lag).abs() < 0.02, "{a:?}");
    assert!((a.slip_share.unwrap() - slip).abs() < 0.003, "{a:?}");
}

/// Engine speed over several sweeps of one and the same ramp.
fn sweeps(t: f64, tips: &[f64]) -> f64 {
    let begun = tips.iter().copied().filter(|tip| t >= *tip - 2.0).fold(tips[0], f64::max);
    engine_rpm(t, begun, 1.0, 6700.0).max(1500.0)
}

#[test]
fn the_same_ramp_three_times_is_told_apart_by_the_whole_recordings() {
    let tips = [20.0, 80.0, 150.0];
    let dyno = sample(50.0, 0.0, 180.0, 0.6, 1, |t| sweeps(t, &tips) / RATIO);
    let ecu = sample(25.0, 12.0, 178.0, 4.0, 2, |t| sweeps(t - 12.5, &tips));
    let pulls = detect(&dyno, &Load::default(), RATIO);
    assert_eq!(pulls.len(), 3);
    for pull in &pulls {
        let a = align(&Pair {
            dyno: &dyno,
            ecu: &ecu,
            pull,
            ratio: Ratio::Known(RATIO),
            rigid: true,
            load: None,
            clocks_of_day: false,
        });
        assert_eq!(a.status, Status::Aligned, "{a:?}");
        assert!((a.lag_s.unwrap() - 12.5).abs() < 0.01, "pull at {:.0} s: {a:?}", pull.from_s);
    }
}

#[test]
fn a_lone_pull_that_fits_two_sweeps_alike_is_refused() {
    let dyno = dyno_of(2.1, 1.0, 6700.0, 1).between(0.9, 14.0);
    // The very same samples twice: nothing in them can tell which is meant.
    let one = ecu_of(499.2, 2.1, 1.0, 6700.0, 50.0, 3);
    let later = one.t.iter().map(|t| t + 40.0);
    let ecu = Series {
        t: one.t.iter().copied().chain(later).collect(),
        v: [one.v.clone(), one.v.clone()].concat(),
    };
    let a = run(&dyno, &ecu, Ratio::Known(RATIO));
    assert_eq!(a.status, Status::Refused, "{a:?}");
    assert!(
        matches!(a.refusal, Some(Refusal::Rivals { lag_s, rival_s }) if ((lag_s - rival_s).abs() - 40.0).abs() < 0.1),
        "{a:?}"
    );
}

#[test]
fn clocks_of_two_time_zones_do_not_contradict_each_other() {
    let dyno = dyno_of(2.1, 1.0, 6700.0, 1);
    let pulls = detect(&dyno, &Load::default(), RATIO);
    for (lag, fits) in [
        (7200.0 + 12.0, true),
        (-19_800.0 - 40.0, true),
        (-86_400.0 + 3.0, true),
        (900.0, false),
        (5000.0, false),
    ] {
        let ecu = sample(25.0, lag, 16.0, 4.0, 5, |t| engine_rpm(t - lag, 2.1, 1.0, 6700.0));
        let a = align(&Pair {
            dyno: &dyno,
            ecu: &ecu,
            pull: &pulls[0],
            ratio: Ratio::Known(RATIO),
            rigid: true,
            load: None,
            clocks_of_day: true,
        });
        match fits {
            true => assert_eq!(a.status, Status::Aligned, "{lag} s: {a:?}"),
            false => assert!(matches!(a.refusal, Some(Refusal::Clocks { .. })), "{lag} s: {a:?}"),
        }
    }
}

/// A pull on tyres that slip by up to 1.5 % under a load that rises and falls.
fn on_tyres(pace: f64, seed: u64) -> (Series, Series) {
    let load = |t: f64| {
        if (2.0..11.0).contains(&t) {
            0.5 + 0.5 * ((t - 2.0) / 9.0 * std::f64::consts::PI).sin()
        } else {
            0.0
        }
    };
    let dyno = sample(100.0, 0.0, 15.0, 0.6, seed, move |t| {
        engine_rpm(t, 2.0, pace, 6700.0) / RATIO / (1.0 + 0.015 * load(t))
    });
    let held = Series { v: dyno.t.iter().map(|t| load(*t)).collect(), t: dyno.t.clone() };
    (dyno, held)
}

#[test]
fn swapped_logs_of_ramps_a_few_per_cent_apart_are_refused_on_tyres_too() {
    for (pace, refused) in [(1.0, false), (0.975, true), (1.025, true), (0.97, true), (1.03, true)] {
        let (dyno, load) = on_tyres(1.0, 31);
        let pulls = detect(&dyno, &Load::default(), RATIO);
        let ecu = ecu_of(499.5, 2.0, pace, 6700.0, 50.0, 32);
        let a = align(&Pair {
            dyno: &dyno,
            ecu: &ecu,
            pull: &pulls[0],
            ratio: Ratio::Known(RATIO),
            rigid: false,
            load: Some(&load),
            clocks_of_day: false,
        });
        assert_eq!(a.status == Status::Refused, refused, "pace {pace}: {a:?}");
    }
}

#[test]
fn the_stated_uncertainty_of_a_clock_rate_is_its_real_error() {
    let (mut square, mut stated, n) = (0.0, 0.0, 60);
    for seed in 0..n {
        let a = run(
            &dyno_of(2.1, 1.0, 6700.0, 100 + seed),
            &ecu_of(499.3, 2.1, 1.0, 6700.0, 50.0, 900 + seed),
            Ratio::Known(RATIO),
        );
        square += a.rate_ppm.unwrap().powi(2) / n as f64;
        stated += a.rate_se_ppm.unwrap().powi(2) / n as f64;
    }
    let ratio = (square / stated).sqrt();
    assert!((0.75..1.3).contains(&ratio), "real {} ppm, stated {} ppm", square.sqrt(), stated.sqrt());
}
