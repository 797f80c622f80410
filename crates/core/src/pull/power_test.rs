use super::*;

use crate::channel::Channel;
use crate::pull::coast::fit_coast_down;
use crate::pull::span::{EndedBy, PullKind};

fn derived(
    l: &Recording,
    dyno: &Dyno,
    ratio: f64,
    smoothing_s: f64,
    cuts: &[[f64; 2]],
) -> Result<PowerTrace, PowerError> {
    derive(l, &whole(l), &With { dyno, ratio, coast: None, smoothing_s, cuts, engine: None })
}

fn log(columns: &[(&str, Vec<f64>)], hz: f64) -> Recording {
    let n = columns[0].1.len();
    let mut log = Recording { t: (0..n).map(|i| i as f64 / hz).collect(), ..Recording::default() };
    for (name, v) in columns {
        log.channels.insert(Channel::new(*name).unwrap(), v.clone());
    }
    log
}

fn whole(log: &Recording) -> PullSpan {
    let (a, b) = log.span().unwrap();
    PullSpan {
        kind: PullKind::SweepUp,
        from_s: a,
        to_s: b,
        from_rpm: 0.0,
        to_rpm: 0.0,
        ended_by: EndedBy::Lift,
        plateau_rpm: None,
        rate: 0.0,
    }
}

fn dyno(kind: DynoKind, inertia: Option<f64>) -> Dyno {
    Dyno { kind, overall_ratio: None, inertia_kg_m2: inertia, rotating_inertia_kg_m2: None }
}

#[test]
fn hub_power_is_torque_times_speed_and_torque_is_engine_referred() {
    let rpm: Vec<f64> = (0..500).map(|i| 500.0 + f64::from(i)).collect();
    let l = log(&[("roller_speed", rpm), ("hub_torque", vec![800.0; 500])], 100.0);
    let p = derived(&l, &dyno(DynoKind::Hub, None), 4.0, 0.25, &[]).unwrap();
    for k in [10, 250, 490] {
        assert!((p.torque_nm[k] - 200.0).abs() < 1e-6);
        assert!((p.power_kw[k] - 200.0 * p.rpm[k] * RAD_S_PER_RPM / 1000.0).abs() < 1e-9);
    }
    assert!(p.edge[5] && !p.edge[250] && p.edge[499]);
}

#[test]
fn a_drum_of_known_inertia_weighs_the_acceleration() {
    let rpm: Vec<f64> = (0..400).map(|i| 300.0 + 2.0 * f64::from(i)).collect();
    let l = log(&[("roller_speed", rpm)], 100.0);
    let p = derived(&l, &dyno(DynoKind::RollerInertia, Some(10.0)), 3.0, 0.25, &[]).unwrap();
    let want = 10.0 * 200.0 * RAD_S_PER_RPM / 3.0;
    assert!((p.torque_nm[200] - want).abs() < 1e-6, "{} {want}", p.torque_nm[200]);
    assert_eq!(
        derived(&l, &dyno(DynoKind::RollerInertia, None), 3.0, 0.25, &[]).unwrap_err(),
        PowerError::MissingInertia
    );
}

#[test]
fn a_coast_down_recovers_its_own_loss_and_marks_an_estimate() {
    let (i, a) = (12.0, [4.0, 0.05, 0.002]);
    let mut w = 120.0_f64;
    let mut rpm = Vec::new();
    for _ in 0..4000 {
        rpm.push(w / RAD_S_PER_RPM);
        w -= (a[0] + a[1] * w + a[2] * w * w) / i * 0.01;
    }
    let l = log(&[("roller_speed", rpm)], 100.0);
    let c = fit_coast_down(&l, i).unwrap();
    for at in [20.0, 60.0, 110.0] {
        let (got, want) = (c.a[0] + c.a[1] * at + c.a[2] * at * at, a[0] + a[1] * at + a[2] * at * at);
        assert!((got - want).abs() < 0.02 * want, "{at}: {got} {want}");
    }
}

#[test]
fn missing_torque_is_a_sentence() {
    let l = log(&[("roller_speed", vec![500.0; 50])], 50.0);
    let e = derived(&l, &dyno(DynoKind::Hub, None), 4.0, 0.25, &[]).unwrap_err();
    assert_eq!(e.to_string(), "no torque channel: a hub dyno recording needs hub_torque in N·m");
}

#[test]
fn a_spike_is_left_out_of_the_curve_and_said() {
    let rpm: Vec<f64> = (0..500).map(|i| 500.0 + f64::from(i)).collect();
    let mut torque: Vec<f64> = (0..500).map(|i| 800.0 + f64::from(i % 5)).collect();
    torque[250] = 5000.0;
    let l = log(&[("roller_speed", rpm), ("hub_torque", torque)], 100.0);
    let p = derived(&l, &dyno(DynoKind::Hub, None), 4.0, 0.25, &[]).unwrap();
    assert_eq!(p.t.len(), 499);
    assert!(p.torque_nm.iter().all(|t| *t < 205.0));
    assert_eq!(p.flags[0].kind(), "spikes");
}

#[test]
fn a_gap_is_never_smoothed_across() {
    assert_eq!(segments(&[0.0, 0.1, 0.2, 1.0, 1.1], 0.3, &[]), vec![0..3, 3..5]);
}

#[test]
fn without_smoothing_an_inertia_still_weighs_a_smoothed_rate() {
    let rpm: Vec<f64> =
        (0..600).map(|i| 500.0 + 1.4 * f64::from(i) + if i % 2 == 0 { 0.4 } else { -0.4 }).collect();
    let l = log(&[("roller_speed", rpm), ("hub_torque", vec![800.0; 600])], 100.0);
    let with = Dyno { rotating_inertia_kg_m2: Some(0.16), ..dyno(DynoKind::Hub, None) };
    let p = derived(&l, &with, 4.0, 0.0, &[]).unwrap();
    let want = 200.0 + 0.16 * 140.0 * 4.0 * RAD_S_PER_RPM;
    for k in 100..500 {
        assert!((p.torque_nm[k] - want).abs() < 1.5, "{k}: {} {want}", p.torque_nm[k]);
    }
}

#[test]
fn a_cut_splits_the_curve_before_the_filter_and_leaves_no_false_peak_beside_it() {
    let n = 600;
    let rpm: Vec<f64> = (0..n).map(|i| 500.0 + f64::from(i)).collect();
    // Torque falls gently, so that the true peak of torque is at the start and power is smooth.
    let smooth = |i: i32| 800.0 - 0.3 * f64::from(i);
    let cut = |i: i32| (300..312).contains(&i);
    let torque: Vec<f64> = (0..n).map(|i| if cut(i) { -120.0 } else { smooth(i) }).collect();
    let whole_torque: Vec<f64> = (0..n).map(smooth).collect();
    let with = |q: Vec<f64>, said: &[[f64; 2]]| {
        let l = log(&[("roller_speed", rpm.clone()), ("hub_torque", q)], 100.0);
        derived(&l, &dyno(DynoKind::Hub, None), 4.0, 0.25, said).unwrap()
    };
    let clean = with(whole_torque, &[]);
    let found = with(torque.clone(), &[]);
    assert_eq!((clean.starts.len(), found.starts.len(), found.cuts.len()), (1, 2, 1), "{:?}", found.cuts);
    let [Finding::PowerCut { n: 1, rpm }] = &found.flags[..] else { panic!("{:?}", found.flags) };
    assert!((rpm[0] - 3196.0).abs() < 0.5, "{rpm:?}");
    for (i, t) in found.t.iter().enumerate() {
        assert!(!(2.995..3.115).contains(t), "nothing inside the cut is kept: {t}");
        let k = (t * 100.0).round() as usize;
        assert!(
            (found.torque_nm[i] - smooth(k as i32) / 4.0).abs() < 1e-6,
            "at {t} s: {} beside a cut",
            found.torque_nm[i]
        );
        let beside = (2.995 - t).abs().min((t - 3.115).abs()) < 0.11;
        assert!(!beside || found.edge[i], "half a window beside the cut is barred from peaks: {t}");
    }
    let said = with((0..n).map(smooth).collect(), &[[3.0, 3.1]]);
    assert_eq!(said.starts.len(), 2, "a channel says it where torque does not");
}

/// 600 N·m at a shaft that rises from 400 to 1400 rpm in 8 s, behind a ratio of 4 and a converter.
fn behind_a_converter(slip: impl Fn(f64) -> f64) -> (Recording, Series) {
    let rpm: Vec<f64> = (0..801).map(|i| 400.0 + 1.25 * f64::from(i)).collect();
    let l = log(&[("roller_speed", rpm.clone()), ("hub_torque", vec![600.0; 801])], 100.0);
    let v = l.t.iter().zip(&rpm).map(|(t, n)| 4.0 * n * (1.0 + slip(*t))).collect();
    (l.clone(), Series { t: l.t, v })
}

#[test]
fn torque_is_referred_to_the_speed_the_engine_had() {
    let (l, engine) = behind_a_converter(|t| 0.4 * (-t / 1.5).exp());
    let hub = dyno(DynoKind::Hub, None);
    let with = |engine| With { dyno: &hub, ratio: 4.0, coast: None, smoothing_s: 0.25, cuts: &[], engine };
    let [shaft, own] = [None, Some(&engine)].map(|e| derive(&l, &whole(&l), &with(e)).unwrap());
    for k in [60, 300, 700] {
        assert!((own.power_kw[k] - shaft.power_kw[k]).abs() < 1e-9, "power is the dyno's own");
        let ratio = engine.v[k] / (4.0 * shaft.shaft_rpm[k]);
        assert!((own.rpm[k] / shaft.rpm[k] - ratio).abs() < 2e-3, "{k}");
        assert!((shaft.torque_nm[k] / own.torque_nm[k] - ratio).abs() < 2e-3, "{k}");
    }
    assert!(shaft.rpm[60] < 2000.0 && own.rpm[60] > 2400.0, "the axis moves by a quarter");
    assert!(own.flags.is_empty(), "{:?}", own.flags);
}

#[test]
fn a_converter_that_closes_within_the_sweep_leaves_each_speed_where_it_was_first_passed() {
    let (l, engine) = behind_a_converter(|t| if t < 4.0 { 0.25 } else { 0.25 * (-(t - 4.0) / 0.2).exp() });
    let hub = dyno(DynoKind::Hub, None);
    let with =
        With { dyno: &hub, ratio: 4.0, coast: None, smoothing_s: 0.25, cuts: &[], engine: Some(&engine) };
    let p = derive(&l, &whole(&l), &with).unwrap();
    assert!(p.rpm.windows(2).all(|w| w[1] > w[0] - 25.0), "no speed is passed twice");
    let n = p.t.len();
    assert!(
        [p.rpm.len(), p.shaft_rpm.len(), p.power_kw.len(), p.edge.len(), p.rate.len()]
            .iter()
            .all(|k| *k == n)
    );
    assert!(p.starts.len() == 2 && p.t[p.starts[1]] - p.t[p.starts[1] - 1] > 1.0, "{:?}", p.starts);
    assert!(
        matches!(p.flags[..], [Finding::SpeedFellBack { from_rpm, by_rpm }] if (from_rpm - 4500.0).abs() < 60.0 && by_rpm > 400.0),
        "{:?}",
        p.flags
    );
}
