//! No hidden crossing is ever called clear: recordings in which a limit is truly crossed, with the crossing hidden by
//! a sensor that ends, stands still, goes blank, is not there, a log that stops early or clocks that do not agree.

use super::{Share, Subject};
use crate::draw::Draw;
use crate::validate::detections::Claim;
use jamjar_core::analysis::{Measured, PullInput, SetInput, Settings, measure_sets};
use jamjar_core::channel::Channel;
use jamjar_core::computed::Computed;
use jamjar_core::limits::{Limit, Severity, Verdict};
use jamjar_core::log::Recording;
use rayon::prelude::*;
use serde_json::json;
use std::sync::Arc;

/// How a crossing is hidden.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Hidden {
    Saturated,
    Frozen,
    Blank,
    Missing,
    EndedEarly,
    Misaligned,
}

const ALL: [Hidden; 6] = [
    Hidden::Saturated,
    Hidden::Frozen,
    Hidden::Blank,
    Hidden::Missing,
    Hidden::EndedEarly,
    Hidden::Misaligned,
];

/// One recording that was tried.
#[derive(Debug, Clone)]
pub struct Tried {
    /// What was hidden, how, and by which seed, for whoever wants to see it again.
    pub what: String,
    /// The verdict.
    pub verdict: Verdict,
}

impl Tried {
    /// Whether the crossing was called clear, close or never reached.
    pub fn flattered(&self) -> bool {
        matches!(self.verdict, Verdict::Clear | Verdict::Close | Verdict::NotReached)
    }
}

/// Channels a limit is put on, how much of the margin of its own swing lies beyond the threshold, and what may be
/// computed from it.
const CHANNELS: [(&str, &str, &str); 4] = [
    ("lambda_1", "lambda_1 - 0.1 λ", "λ"),
    ("exhaust_temp_1", "exhaust_temp_1 - 20 K", "°C"),
    ("manifold_pressure", "manifold_pressure - 101.3 kPa", "kPa"),
    ("injector_duty", "injector_duty * 2", "%"),
];

/// A share from 0 to 1.
fn share_of(draw: &mut Draw) -> f64 {
    draw.next() as f64 / u64::MAX as f64
}

/// A day read and measured, from which pulls are taken.
struct Day {
    sets: Vec<SetInput>,
    measured: Vec<Vec<Measured>>,
}

/// Tries `cases` recordings.
///
/// # Errors
/// A sentence when the built-in scenario is broken.
pub fn try_all(cases: usize, seed: u64) -> Result<Vec<Tried>, String> {
    let subject = Subject::new("first-light")?;
    let days: Result<Vec<Day>, String> = (0..3u64)
        .map(|k| {
            let run = subject.loaded.run(Some(9000 + k), None)?;
            let (sets, measured) = subject.measure(&run.days[0])?;
            Ok(Day { sets, measured })
        })
        .collect();
    let days = days?;
    Ok((0..cases as u64).into_par_iter().filter_map(|i| one(&subject, &days, seed + i)).collect())
}

/// As a claim of the validation.
///
/// # Errors
/// As [`try_all`].
pub fn study(cases: usize) -> Result<Vec<Claim>, String> {
    let all = try_all(cases, 31)?;
    let honest: Vec<f64> = all.iter().map(|t| f64::from(u8::from(!t.flattered()))).collect();
    Ok(vec![Claim {
        name: "a crossing that is hidden is never called clear, close or not reached",
        planted: format!(
            "{} recordings: λ, exhaust heat, boost or duty truly over its limit, hidden by saturation, standing still, blanks, absence, an early end or refused clocks; every second limit on what is computed from it",
            all.len()
        ),
        found: Share::clustered(&honest),
        false_alarms: None,
        when_not: "–",
    }])
}

/// One case; `None` where the draw makes no crossing.
fn one(subject: &Subject, days: &[Day], seed: u64) -> Option<Tried> {
    let mut draw = Draw(seed);
    let day = &days[draw.below(days.len())];
    let s = draw.below(day.sets.len());
    let p = draw.below(day.sets[s].pulls.len());
    let (input, m) = (&day.sets[s].pulls[p], &day.measured[s][p]);
    let (name, expr, unit) = CHANNELS[draw.below(CHANNELS.len())];
    let (computed, hidden) = (draw.below(2) == 1, ALL[draw.below(ALL.len())]);
    let (lag, span, ecu) = (m.alignment.usable_lag()?, m.span?, input.ecu.as_deref()?);
    let (from, to) = (span.from_s + lag, span.to_s + lag);
    let judged = if computed { "made_up" } else { name };
    let mut vehicle = subject.vehicle.clone();
    if computed {
        let made = Computed { name: Channel::new(judged).ok()?, unit: unit.into(), expr: expr.into() };
        vehicle.computed = vec![made];
    }
    // The threshold lies where the channel is over it in the last part of its way to the top.
    let s_of = ecu.series(name)?.between(from, to);
    let (low, high) =
        s_of.v.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let share = 0.55 + 0.35 * share_of(&mut draw);
    let at = low + share * (high - low);
    let first = (0..s_of.len()).find(|&i| s_of.v[i] > at).map(|i| s_of.t[i])?;
    let sustain = [0.0, 0.1, 0.2][draw.below(3)];
    let gate = match draw.below(3) {
        0 => json!([]),
        1 => json!([{"channel": "throttle", "above": 90}]),
        _ => json!([{"channel": "throttle", "above": 90}, {"channel": "engine_speed", "above": 1500}]),
    };
    let limit: Limit = serde_json::from_value(json!({
        "id": "l", "channel": judged, "direction": "above", "threshold": 0.0, "gate": gate, "sustain_s": sustain, "caution": 1e-3
    }))
    .ok()?;
    let limit = Limit { severity: Severity::Stop, ..limit };
    // What is computed has its own scale: the threshold is read off where the channel itself has it.
    let whole = set_of(input.clone());
    let threshold = if computed {
        let plain = measure_sets(std::slice::from_ref(&whole), &vehicle, &Settings::default(), &[]).ok()?;
        let c = plain[0][0].channels.iter().find(|c| c.channel.as_str() == judged)?;
        c.min + share * (c.max - c.min)
    } else {
        at
    };
    let limit = Limit { threshold: jamjar_core::limits::Threshold::Constant(threshold), ..limit };
    let verdict = |set: &SetInput| {
        let m = measure_sets(
            std::slice::from_ref(set),
            &vehicle,
            &Settings::default(),
            std::slice::from_ref(&limit),
        );
        m.ok()?.first()?.first()?.limits.first().map(|o| (o.verdict, o.from_s))
    };
    let (Verdict::Over, over_from) = verdict(&whole)? else { return None };
    let first = first.min(over_from.unwrap_or(first));
    let begins = (from + 0.15 * (to - from)).max(first - 0.4 - 0.6 * share_of(&mut draw));
    if begins >= first {
        return None;
    }
    let mut hid = input.clone();
    let log = Arc::make_mut(hid.ecu.as_mut()?);
    hide(log, &mut hid.dyno, (name, hidden), begins, (low + 0.3 * (at - low), lag));
    let (verdict, _) = verdict(&set_of(hid))?;
    let what = format!(
        "seed {seed}: {judged} ({name}) {hidden:?} from {:.0} % of the pull",
        100.0 * (begins - from) / (to - from)
    );
    Some(Tried { what, verdict })
}

fn set_of(p: PullInput) -> SetInput {
    SetInput { id: "s".into(), day: "2026-03-02".into(), pulls: vec![p], ..SetInput::default() }
}

/// Hides everything from a moment on.
fn hide(
    log: &mut Recording,
    dyno: &mut Recording,
    (name, how): (&str, Hidden),
    from: f64,
    (level, lag): (f64, f64),
) {
    let Ok(channel) = Channel::new(name) else { return };
    let first = log.t.partition_point(|t| *t < from);
    match how {
        Hidden::Missing => {
            log.channels.remove(&channel);
        }
        Hidden::EndedEarly => *log = log.window(f64::NEG_INFINITY, from),
        // The clocks cannot be brought together: the speed of the engine computer is another ramp's, and what is
        // judged stands in the other log while its gate does not.
        Hidden::Misaligned => {
            let Some(moved) = log.channels.remove(&channel) else { return };
            let series = jamjar_core::log::Series { t: log.t.iter().map(|t| t - lag).collect(), v: moved };
            let on = dyno.t.iter().map(|t| series.at(*t).unwrap_or(f64::NAN)).collect();
            dyno.channels.insert(channel, on);
            if let Ok(speed) = Channel::new("engine_speed")
                && let Some(v) = log.channels.get_mut(&speed)
            {
                let n = v.len() as f64;
                v.iter_mut()
                    .enumerate()
                    .for_each(|(i, v)| *v = *v * 0.7 + 900.0 * (i as f64 / n * 40.0).sin());
            }
        }
        Hidden::Saturated | Hidden::Frozen | Hidden::Blank => {
            let Some(v) = log.channels.get_mut(&channel) else { return };
            let before = v[..first].iter().rev().copied().find(|x| x.is_finite()).unwrap_or(level);
            for x in &mut v[first..] {
                *x = match how {
                    Hidden::Saturated => x.min(before),
                    Hidden::Frozen => before,
                    _ => f64::NAN,
                };
            }
            if how == Hidden::Saturated {
                v[..first].iter_mut().for_each(|x| *x = x.min(before));
            }
        }
    }
}
