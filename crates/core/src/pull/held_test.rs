use super::*;
use crate::pull::detect::{detect, offered};
use crate::pull::load::Load;
use crate::signal::savgol::FilterRecord;
use proptest::prelude::*;

/// Holds each level for `hold_s` and goes on at `rate`, with a hunting controller; 50 samples a second.
fn stairs(levels: &[f64], hold_s: f64, rate: f64, hunting: f64) -> Series {
    let (mut t, mut v, mut now) = (Vec::new(), Vec::new(), levels[0]);
    let mut put = |x: f64| {
        let at = t.len() as f64 / 50.0;
        t.push(at);
        v.push(x + hunting * (6.0 * at).sin());
    };
    for level in levels {
        while (now - level).abs() > rate / 50.0 {
            now += (level - now).signum() * rate / 50.0;
            put(now);
        }
        now = *level;
        (0..(hold_s * 50.0) as usize).for_each(|_| put(now));
    }
    Series { t, v }
}

fn full(s: &Series) -> Load {
    Load { throttle: Some(Series { t: s.t.clone(), v: vec![100.0; s.len()] }), torque: None }
}

fn kinds(s: &Series, load: &Load) -> Vec<PullKind> {
    offered(detect(s, load, 1.0)).iter().map(|p| p.kind).collect()
}

#[test]
fn steps_of_any_size_are_one_test_and_its_ramps_are_no_sweeps() {
    for levels in [
        &[1500.0, 1750.0, 2000.0, 2250.0][..],
        &[2000.0, 3500.0, 5000.0, 6500.0],
        &[2300.0, 2000.0, 1700.0, 1400.0],
    ] {
        let s = stairs(levels, 4.0, 600.0, 4.0);
        let found = offered(detect(&s, &full(&s), 1.0));
        assert_eq!(found.iter().map(|p| p.kind).collect::<Vec<_>>(), [PullKind::HeldSteps], "{levels:?}");
        assert!(
            (found[0].from_rpm - levels[0]).abs() < 10.0 && (found[0].to_rpm - levels[3]).abs() < 10.0,
            "{levels:?}: {:?}",
            found[0]
        );
    }
}

#[test]
fn a_sweep_between_two_held_speeds_is_a_sweep() {
    let s = stairs(&[2000.0, 6500.0], 3.0, 600.0, 2.0);
    assert_eq!(kinds(&s, &full(&s)), [PullKind::SweepUp]);
    let slow = stairs(&[1100.0, 2300.0], 3.0, 60.0, 2.0);
    assert_eq!(kinds(&slow, &full(&slow)), [PullKind::SweepUp], "a tractor's slow ramp");
}

#[test]
fn a_step_test_and_a_sweep_in_one_file_are_offered_one_by_one() {
    let (a, b) = (
        stairs(&[2000.0, 2500.0, 3000.0, 3500.0], 3.0, 600.0, 2.0),
        stairs(&[2000.0, 6500.0], 1.0, 600.0, 2.0),
    );
    let shift = a.t[a.len() - 1] + 20.0;
    let s = Series {
        t: a.t.iter().copied().chain(b.t.iter().map(|t| t + shift)).collect(),
        v: [a.v, b.v].concat(),
    };
    assert_eq!(kinds(&s, &full(&s)), [PullKind::HeldSteps, PullKind::SweepUp]);
}

#[test]
fn one_long_hold_counts_only_with_the_pedal_on_record_and_nothing_else() {
    let s = stairs(&[3000.0], 12.0, 600.0, 3.0);
    assert_eq!(kinds(&s, &full(&s)), [PullKind::HeldSteps]);
    assert_eq!(kinds(&s, &Load::default()), [], "an engine that idles is no pull");
    let part = Load { throttle: Some(Series { t: s.t.clone(), v: vec![60.0; s.len()] }), torque: None };
    assert_eq!(kinds(&s, &part), [], "part throttle is not full load");
}

#[test]
fn a_cruise_to_warm_up_is_no_step_test() {
    let (cruise, sweep) =
        (stairs(&[1800.0, 2200.0, 2600.0], 4.0, 400.0, 3.0), stairs(&[2000.0, 6500.0], 0.5, 600.0, 2.0));
    let shift = cruise.t[cruise.t.len() - 1] + 10.0;
    let s = Series {
        t: cruise.t.iter().copied().chain(sweep.t.iter().map(|t| t + shift)).collect(),
        v: [cruise.v, sweep.v].concat(),
    };
    let torque = |share: f64| Series {
        t: s.t.clone(),
        v: s.t.iter().map(|t| if *t < shift { share * 200.0 } else { 200.0 }).collect(),
    };
    let with = |share: f64| Load { throttle: None, torque: Some(torque(share)) };
    assert_eq!(kinds(&s, &with(0.35)), [PullKind::SweepUp], "a third of the torque");
    assert_eq!(kinds(&s, &with(0.9)), [PullKind::HeldSteps, PullKind::SweepUp]);
}

fn trace(s: &Series, torque: impl Fn(f64) -> f64) -> PowerTrace {
    let torque_nm: Vec<f64> = s.t.iter().map(|t| torque(*t)).collect();
    PowerTrace {
        starts: vec![0],
        cuts: Vec::new(),
        power_kw: s
            .v
            .iter()
            .zip(&torque_nm)
            .map(|(n, q)| n * q * crate::units::RAD_S_PER_RPM / 1000.0)
            .collect(),
        torque_nm,
        t: s.t.clone(),
        rpm: s.v.clone(),
        shaft_rpm: s.v.clone(),
        edge: vec![false; s.len()],
        rate: vec![0.0; s.len()],
        filter: FilterRecord { window_s: 0.25, samples: 13, real_timestamps: false },
        estimated: false,
        flags: Vec::new(),
    }
}

#[test]
fn what_has_not_settled_does_not_count_and_what_never_does_is_said() {
    let s = stairs(&[2010.0, 2510.0, 3010.0], 4.0, 5000.0, 0.0);
    // Spool: torque comes within a second of each step; on the last it keeps falling by 1 % a second.
    let last = s.t.iter().zip(&s.v).find(|(_, v)| **v > 3000.0).map(|(t, _)| *t).unwrap();
    let q =
        trace(
            &s,
            |t| if t % 4.1 < 0.9 { 120.0 } else { 200.0 - if t > last { 2.0 * (t - last) } else { 0.0 } },
        );
    let found = steps(&q, None);
    assert_eq!(found.iter().map(|s| s.rpm.round()).collect::<Vec<_>>(), [2010.0, 2510.0, 3010.0]);
    assert!((found[0].torque_nm - 200.0).abs() < 1e-6 && !found[0].is_moving(), "{:?}", found[0]);
    assert!(found[2].is_moving() && found[2].moved < -0.015, "{:?}", found[2]);
    let mut flags = Vec::new();
    let grid = on_grid(&found, 50.0, &mut flags);
    assert_eq!(grid.iter().map(|g| g.0).collect::<Vec<_>>(), [2000.0, 2500.0, 3000.0]);
    assert!(flags.contains(&Finding::NotSettled { rpm: vec![3000.0], share: 0.01 }), "{flags:?}");
}

#[test]
fn load_taken_off_at_the_same_speed_is_no_part_of_a_step() {
    let s = stairs(&[2000.0, 2500.0, 3000.0], 6.0, 900.0, 0.0);
    let on = |t: f64| if t % 6.55 < 3.5 { 180.0 } else { 4.0 };
    let t = trace(&s, on);
    let found = steps(&t, None);
    assert_eq!(found.len(), 3, "{found:?}");
    assert!(found.iter().all(|s| (s.torque_nm - 180.0).abs() < 1e-6), "{found:?}");
    let kinds = offered(detect(
        &s,
        &Load {
            throttle: None,
            torque: Some(Series { t: s.t.clone(), v: s.t.iter().map(|t| on(*t)).collect() }),
        },
        1.0,
    ));
    assert_eq!(kinds.iter().map(|p| p.kind).collect::<Vec<_>>(), [PullKind::HeldSteps]);
}

#[test]
fn a_step_far_from_the_grid_is_named_and_a_step_at_part_throttle_left_out() {
    let s = stairs(&[2040.0, 2500.0, 3000.0], 3.0, 900.0, 0.0);
    let t = trace(&s, |_| 150.0);
    let mut flags = Vec::new();
    assert_eq!(on_grid(&steps(&t, None), 100.0, &mut flags).len(), 2);
    let [Finding::OffGrid { rpm, within_rpm: 25.0 }] = flags[..] else { panic!("{flags:?}") };
    assert!((rpm - 2040.0).abs() < 6.0);
    let throttle =
        Series { t: s.t.clone(), v: s.v.iter().map(|v| if *v < 2600.0 { 100.0 } else { 70.0 }).collect() };
    assert_eq!(steps(&t, Some(&throttle)).len(), 2);
}

proptest! {
    #[test]
    fn every_step_is_found_at_its_level(first in 1000.0..3000.0f64, gaps in prop::collection::vec(150.0..900.0f64, 3..8), hold in 2.5..6.0f64, hunting in 0.0..12.0f64) {
        let mut levels = vec![first];
        for g in gaps { levels.push(levels[levels.len() - 1] + g); }
        let s = stairs(&levels, hold, 800.0, hunting);
        let found = offered(detect(&s, &full(&s), 1.0));
        prop_assert_eq!(found.len(), 1);
        let got = steps(&trace(&s, |_| 100.0), None);
        prop_assert_eq!(got.len(), levels.len());
        for (g, want) in got.iter().zip(&levels) {
            prop_assert!((g.rpm - want).abs() < 6.0, "{} of {}", g.rpm, want);
        }
    }
}
