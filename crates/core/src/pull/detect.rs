//! Finding pulls in a recording, trimming tip-in and lift, and saying what ended each.

use super::held;
use super::load::{Load, ranked};
use super::span::{EndedBy, PullKind, PullSpan};
use crate::log::{Recording, Series};
use crate::signal::savgol::{WindowPlan, median_step};

/// A pull lasts at least this long, s.
pub const MIN_DURATION_S: f64 = 1.5;
/// A pull covers at least this much, rpm.
pub const MIN_SPAN_RPM: f64 = 1000.0;
/// A plateau must last this long to be a limiter, s (our choice).
const PLATEAU_S: f64 = 0.3;

/// Finds every pull in a speed trace. `scale` brings the trace to engine rpm for the minimum span.
///
/// # Formula
/// A sweep where `sign·dn/dt ≥ max(0.15·q80, 30 rpm/s)` under load for at least 1.5 s and 1000 rpm
///
/// where
/// - `n`: speed of the trace, rpm, times `scale` the engine's; its rate by a local fit over 0.4 s or 7 samples;
/// - `q80`: 80 % quantile of the rates under load, rpm/s: a slow ramp is judged by itself;
/// - load: throttle from 90 % up, or high torque where none was logged (domain, section 2; 0.15 and 30 rpm/s are our
///   choice: a hesitation stays in the pull, a coast does not).
pub fn detect(speed: &Series, load: &Load, scale: f64) -> Vec<PullSpan> {
    let n = speed.len();
    let Some(step) = median_step(&speed.t).filter(|_| n >= 8) else { return Vec::new() };
    let slope = WindowPlan::new(&speed.t, (7.2 * step).max(0.4)).rates(&speed.v);
    let loaded = load.swept(&speed.t);
    let mut out = Vec::new();
    for (kind, sign) in [(PullKind::SweepUp, 1.0), (PullKind::LugDown, -1.0)] {
        if kind == PullKind::LugDown && load.throttle.is_none() && load.torque.is_none() {
            continue;
        }
        let mut rates: Vec<f64> = (0..n)
            .filter(|&i| loaded[i] && sign * slope[i] > 30.0 / scale)
            .map(|i| sign * slope[i])
            .collect();
        if rates.is_empty() {
            continue;
        }
        let threshold = (0.15 * ranked(&mut rates, 80)).max(30.0 / scale);
        let rising: Vec<bool> = (0..n).map(|i| loaded[i] && sign * slope[i] >= threshold).collect();
        for (a, b) in bridged_runs(&speed.t, &speed.v, &rising, sign, scale) {
            if let Some(span) = trim(speed, &slope, &loaded, load, (a, b), kind, scale, step) {
                out.push(span);
            }
        }
    }
    let pedal = load.throttle.is_some();
    let held_load = if pedal { loaded } else { load.held(&speed.t) };
    add_held(&mut out, held::find(speed, &held_load, pedal, scale));
    out.sort_by(|a, b| a.from_s.total_cmp(&b.from_s));
    out
}

/// A test of several steps takes the place of the ramps inside it; fewer steps count where there is nothing
/// else.
fn add_held(out: &mut Vec<PullSpan>, tests: Vec<(PullSpan, usize)>) {
    for (test, _) in tests.iter().filter(|t| t.1 >= held::MIN_STEPS) {
        out.retain(|p| p.from_s < test.from_s || p.to_s > test.to_s);
        out.push(*test);
    }
    if out.is_empty() {
        out.extend(tests.into_iter().map(|t| t.0));
    }
}

/// Of the pulls found in a recording, those that are offered and numbered: lug-downs only where there is
/// nothing else, as speed also falls under load when a sweep is taken off the brake.
pub fn offered(mut found: Vec<PullSpan>) -> Vec<PullSpan> {
    if found.iter().any(|p| p.kind != PullKind::LugDown) {
        found.retain(|p| p.kind != PullKind::LugDown);
    }
    found
}

/// Pulls in an engine computer's own recording, by its engine speed.
pub(crate) fn pulls_in(log: &Recording) -> Vec<PullSpan> {
    log.series("engine_speed").map_or_else(Vec::new, |n| offered(detect(&n, &Load::from_log(log), 1.0)))
}

/// Runs of `mask`, joined across gaps under 0.35 s in which the trace does not turn back by more than 150
/// rpm.
fn bridged_runs(t: &[f64], v: &[f64], mask: &[bool], sign: f64, scale: f64) -> Vec<(usize, usize)> {
    let mut out: Vec<(usize, usize)> = Vec::new();
    for i in (0..mask.len()).filter(|&i| mask[i]) {
        match out.last_mut() {
            Some((_, b)) if i == *b + 1 || (t[i] - t[*b] < 0.35 && sign * (v[*b] - v[i]) < 150.0 / scale) => {
                *b = i
            }
            _ => out.push((i, i)),
        }
    }
    out
}

#[allow(clippy::too_many_arguments)]
fn trim(
    s: &Series,
    slope: &[f64],
    loaded: &[bool],
    load: &Load,
    run: (usize, usize),
    kind: PullKind,
    scale: f64,
    step: f64,
) -> Option<PullSpan> {
    let sign = if kind == PullKind::SweepUp { 1.0 } else { -1.0 };
    let (mut a, mut b) = run;
    if s.t[b] - s.t[a] < MIN_DURATION_S || sign * (s.v[b] - s.v[a]) * scale < MIN_SPAN_RPM {
        return None;
    }
    let early = middle_of(&slope[a..=b.min(s.t.partition_point(|t| *t <= s.t[a] + 1.0))]);
    while a < b && (sign * slope[a]).abs() < 0.5 * early.abs() && s.t[a] - s.t[run.0] < 0.6 {
        a += 1;
    }
    let late_from = s.t.partition_point(|t| *t < s.t[b] - 1.0).max(a);
    let late = middle_of(&slope[late_from..=b]).abs();
    let walk_from = s.t.partition_point(|t| *t < s.t[b] - 0.6).max(a + 1);
    if let Some(i) = (walk_from..=b).find(|&i| sign * slope[i] < 0.5 * late) {
        b = i;
    }
    let (ended_by, plateau_rpm) = how_it_ended(s, loaded, load, b, sign, step);
    if ended_by == EndedBy::Lift {
        b = (a..=b).max_by(|&i, &j| (sign * s.v[i]).total_cmp(&(sign * s.v[j]))).unwrap_or(b);
    }
    if s.t[b] - s.t[a] < MIN_DURATION_S || sign * (s.v[b] - s.v[a]) * scale < MIN_SPAN_RPM {
        return None;
    }
    Some(PullSpan {
        kind,
        from_s: s.t[a],
        to_s: s.t[b],
        from_rpm: s.v[a],
        to_rpm: s.v[b],
        ended_by,
        plateau_rpm,
        rate: (s.v[b] - s.v[a]) / (s.t[b] - s.t[a]),
    })
}

fn middle_of(v: &[f64]) -> f64 {
    let mut w = v.to_vec();
    if w.is_empty() { 0.0 } else { crate::signal::median::median_in_place(&mut w) }
}

fn how_it_ended(
    s: &Series,
    loaded: &[bool],
    load: &Load,
    b: usize,
    sign: f64,
    step: f64,
) -> (EndedBy, Option<f64>) {
    let after = s.t.partition_point(|t| *t <= s.t[b] + PLATEAU_S + step);
    let window = &s.v[b..after];
    let lasts = s.t[after - 1] - s.t[b];
    if sign > 0.0 && lasts >= PLATEAU_S - step {
        let held = load.throttle.is_none() || loaded[b..after].iter().all(|l| *l);
        let level = middle_of(window);
        let close = window.iter().all(|v| (v - level).abs() <= 0.025 * level);
        let drift = window.last().copied().unwrap_or(level) - window[0];
        if held && close && drift > -0.012 * level {
            return (EndedBy::RevLimiter, Some(level));
        }
        return (EndedBy::Lift, None);
    }
    if s.t.last().copied().unwrap_or(0.0) - s.t[b] < 0.15_f64.max(2.0 * step) {
        (EndedBy::EndOfLog, None)
    } else {
        (EndedBy::Lift, None)
    }
}

/// What is known of the engine's limiters beyond one pull.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Endings {
    /// Highest engine speed known: the rev limit where somebody gave it, else the highest seen in any
    /// recording, rpm.
    pub highest_rpm: f64,
    /// Usual end of a pull, rpm.
    pub usual_rpm: f64,
    /// True when the same road speed ended pulls at different engine speeds.
    pub same_road_speed: bool,
}

/// Second look with the knowledge of the whole job: a plateau in road speed below what the engine can turn is
/// a speed limiter, and a lift well before the usual end is an abort.
///
/// Our choice: 4 % below with a road-speed channel means speed limiter, as does one road speed at different
/// engine speeds; a lift below 85 % of the usual end means abort.
pub fn refine_ended_by(ended: EndedBy, to_rpm: f64, road_kmh: Option<f64>, known: &Endings) -> EndedBy {
    match (ended, road_kmh) {
        (EndedBy::RevLimiter, Some(_)) if to_rpm < 0.96 * known.highest_rpm || known.same_road_speed => {
            EndedBy::SpeedLimiter
        }
        (EndedBy::Lift, _) if to_rpm < 0.85 * known.usual_rpm => EndedBy::Abort,
        _ => ended,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Holds 2000 rpm for 2 s, sweeps at `rate`, then follows `tail(seconds after the end)`.
    fn trace(hz: f64, to: f64, rate: f64, tail_s: f64, tail: impl Fn(f64) -> f64) -> Series {
        let end = 2.0 + (to - 2000.0) / rate;
        let n = ((end + tail_s) * hz) as usize;
        let t: Vec<f64> = (0..n).map(|i| 100.0 + i as f64 / hz).collect();
        let v = t
            .iter()
            .map(|t| {
                let s = t - 100.0;
                if s < 2.0 {
                    2000.0
                } else if s < end {
                    2000.0 + rate * (s - 2.0)
                } else {
                    tail(s - end)
                }
            })
            .collect();
        Series { t, v }
    }

    #[test]
    fn each_ending_is_named() {
        let cases = [
            ("lift", trace(50.0, 6500.0, 600.0, 2.0, |s| 6500.0 - 1500.0 * s), EndedBy::Lift),
            (
                "limiter",
                trace(50.0, 6500.0, 600.0, 1.0, |s| 6500.0 + 40.0 * (s * 60.0).sin()),
                EndedBy::RevLimiter,
            ),
            ("log stops", trace(50.0, 6500.0, 600.0, 0.0, |_| 0.0), EndedBy::EndOfLog),
        ];
        for (name, s, want) in cases {
            let found = detect(&s, &Load::default(), 1.0);
            assert_eq!(found.len(), 1, "{name}");
            assert_eq!(found[0].ended_by, want, "{name}");
            assert!((found[0].to_rpm - 6500.0).abs() < 120.0, "{name}: {:?}", found[0]);
            assert!((found[0].from_rpm - 2000.0).abs() < 150.0, "{name}: {:?}", found[0]);
        }
    }

    #[test]
    fn part_throttle_and_short_blips_are_not_pulls() {
        let s = trace(50.0, 6500.0, 600.0, 1.0, |s| 6500.0 - 1500.0 * s);
        let load = Load { throttle: Some(Series { t: s.t.clone(), v: vec![60.0; s.len()] }), torque: None };
        assert!(detect(&s, &load, 1.0).is_empty());
        assert!(
            detect(&trace(50.0, 2800.0, 800.0, 1.0, |s| 2800.0 - 900.0 * s), &Load::default(), 1.0)
                .is_empty()
        );
    }

    #[test]
    fn two_pulls_in_one_file_are_two() {
        let one = trace(50.0, 6500.0, 600.0, 4.0, |s| (6500.0 - 1500.0 * s).max(2000.0));
        let shift = one.t.last().unwrap() - one.t[0] + 0.02;
        let s = Series {
            t: one.t.iter().copied().chain(one.t.iter().map(|t| t + shift)).collect(),
            v: [one.v.clone(), one.v].concat(),
        };
        assert_eq!(detect(&s, &Load::default(), 1.0).len(), 2);
    }

    #[test]
    fn a_lug_down_is_a_kind_of_its_own() {
        let up = trace(50.0, 2000.0, 600.0, 10.0, |s| 2300.0 - 150.0 * s);
        let load =
            Load { throttle: Some(Series { t: up.t.clone(), v: vec![100.0; up.len()] }), torque: None };
        let found = detect(&up, &load, 1.0);
        assert_eq!(found.iter().map(|p| p.kind).collect::<Vec<_>>(), vec![PullKind::LugDown]);
    }

    #[test]
    fn a_plateau_in_road_speed_that_the_engine_could_pass_is_a_speed_limiter() {
        let known = Endings { highest_rpm: 6500.0, usual_rpm: 6500.0, same_road_speed: false };
        let rev = EndedBy::RevLimiter;
        for (name, ended, rpm, road, known, want) in [
            ("below the highest", rev, 5600.0, Some(173.7), known, EndedBy::SpeedLimiter),
            ("near the highest", rev, 6480.0, Some(201.3), known, rev),
            (
                "all end there, the engine turned more before",
                rev,
                5840.0,
                Some(180.1),
                Endings { usual_rpm: 5850.0, ..known },
                EndedBy::SpeedLimiter,
            ),
            (
                "all end there, at the highest ever seen",
                rev,
                6505.0,
                Some(180.1),
                Endings { highest_rpm: 6510.0, ..known },
                rev,
            ),
            (
                "one road speed in two gears",
                rev,
                5850.0,
                Some(187.3),
                Endings { highest_rpm: 5850.0, same_road_speed: true, ..known },
                EndedBy::SpeedLimiter,
            ),
            ("no road speed", rev, 5600.0, None, known, rev),
            ("an early lift", EndedBy::Lift, 4000.0, None, known, EndedBy::Abort),
        ] {
            assert_eq!(refine_ended_by(ended, rpm, road, &known), want, "{name}");
        }
    }
}
