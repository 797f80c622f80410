//! What must not be called clear: channels that go blank, logs that end, sensors that stop, cuts that would
//! make a false peak, duty of another cycle. Planted in recordings that were read whole, so that the truth
//! beside them is known.

use super::detections::Claim;
use super::{Share, Subject};
use jamjar_core::analysis::{Cycle, Measured, PullInput, SetInput, Settings, measure_sets};
use jamjar_core::channel::Channel;
use jamjar_core::limits::Verdict;
use jamjar_core::log::Recording;
use rayon::prelude::*;
use std::sync::Arc;

/// Where in the pull each is planted, as a share of it.
const FROM: [f64; 3] = [0.2, 0.5, 0.8];
/// Length of a planted cut, s, and what is left of torque in it.
const CUT: (f64, f64) = (0.12, 0.1);

/// A recording, the span of its pull on its own clock and where in it something is planted, s.
struct Plant<'a> {
    log: &'a mut Recording,
    from: f64,
    to: f64,
}

type Edit = fn(&mut Plant<'_>);

/// A day measured whole, with what is edited in it.
struct Day {
    sets: Vec<SetInput>,
    measured: Vec<Vec<Measured>>,
}

fn edit_channel(p: &mut Plant<'_>, stem: &str, f: impl Fn(f64, f64) -> f64) {
    let t = p.log.t.clone();
    let (from, to) = (p.from, p.to);
    for (c, v) in p.log.channels.iter_mut().filter(|(c, _)| c.as_str().starts_with(stem)) {
        let _: &Channel = c;
        let at = t.partition_point(|x| *x < from).min(v.len().saturating_sub(1));
        let stuck = v[at];
        t.iter().zip(v).filter(|(t, _)| **t >= from && **t <= to).for_each(|(t, v)| *v = f(*t, stuck));
    }
}

fn blank(p: &mut Plant<'_>) {
    edit_channel(p, "lambda_1", |_, _| f64::NAN);
}

fn ended(p: &mut Plant<'_>) {
    *p.log = p.log.window(f64::NEG_INFINITY, p.from);
}

fn frozen(p: &mut Plant<'_>) {
    edit_channel(p, "lambda_1", |_, stuck| stuck);
}

fn gate_blank(p: &mut Plant<'_>) {
    edit_channel(p, "throttle", |_, _| f64::NAN);
}

/// Whether a pull's λ limit is neither clear nor close.
fn not_flattered(m: &Measured) -> bool {
    m.limits.iter().any(|l| {
        l.limit == "lean" && !matches!(l.verdict, Verdict::Clear | Verdict::Close | Verdict::NotReached)
    })
}

/// Runs every claim over `days` days.
///
/// # Errors
/// A sentence when the built-in scenario is broken.
pub fn study(days: usize) -> Result<Vec<Claim>, String> {
    let subject = Subject::new("first-light")?;
    let whole: Result<Vec<Day>, String> =
        (0..days as u64).into_par_iter().map(|seed| day(&subject, 7000 + seed)).collect();
    let whole = whole?;
    let mut out = Vec::new();
    for (name, planted, edit) in [
        (
            "λ blank from within the gate to the lift is not called clear",
            "cells blank from 20, 50 or 80 % of the pull on",
            blank as Edit,
        ),
        (
            "a log that ends before the lift is not called clear",
            "the engine computer's log ends at 20, 50 or 80 % of the pull",
            ended,
        ),
        (
            "a λ sensor that stops within the gate is not called clear",
            "one value from 20, 50 or 80 % of the pull on",
            frozen,
        ),
        (
            "a blank gate channel is no shut gate",
            "throttle blank from 20, 50 or 80 % of the pull on",
            gate_blank,
        ),
    ] {
        let found: Vec<f64> = whole.par_iter().map(|d| planted_share(&subject, d, edit)).collect();
        let wrong: Vec<f64> = whole.iter().map(cannot_tell_share).collect();
        out.push(Claim {
            name,
            planted: planted.into(),
            found: Share::clustered(&found),
            false_alarms: Some(Share::clustered(&wrong)),
            when_not: "“can't tell” of a pull whose log is whole",
        });
    }
    let cuts: Vec<(f64, f64)> = whole.par_iter().map(|d| cuts(&subject, d)).collect();
    out.push(Claim {
        name: "a cut splits the curve and makes no false peak",
        planted: format!("torque at {:.0} % for {:.0} ms within the pull", 100.0 * CUT.1, 1000.0 * CUT.0),
        found: Share::clustered(&cuts.iter().map(|c| c.0).collect::<Vec<_>>()),
        false_alarms: Some(Share::clustered(&cuts.iter().map(|c| c.1).collect::<Vec<_>>())),
        when_not: "a cut said of a pull that has none",
    });
    let strokes: Vec<f64> = whole.par_iter().map(|d| two_strokes(&subject, d)).collect();
    out.push(Claim {
        name: "duty of a two-stroke is twice that of a four-stroke",
        planted: "the same pulse widths, another cycle".into(),
        found: Share::clustered(&strokes),
        false_alarms: None,
        when_not: "–",
    });
    Ok(out)
}

fn day(subject: &Subject, seed: u64) -> Result<Day, String> {
    let mut l = subject.loaded.clone();
    l.scenario.day.truncate(1);
    l.scenario.day[0].set.truncate(2);
    let run = l.run(Some(seed), None)?;
    let (sets, measured) = subject.measure(&run.days[0])?;
    Ok(Day { sets, measured })
}

fn cannot_tell_share(d: &Day) -> f64 {
    let all: Vec<&Measured> = d.measured.iter().flatten().collect();
    let said = all
        .iter()
        .filter(|m| m.limits.iter().any(|l| l.limit == "lean" && l.verdict == Verdict::CantTell))
        .count();
    said as f64 / all.len().max(1) as f64
}

fn again(subject: &Subject, set: &SetInput) -> Vec<Measured> {
    measure_sets(std::slice::from_ref(set), &subject.vehicle, &Settings::default(), &subject.limits)
        .map(|mut m| m.remove(0))
        .unwrap_or_default()
}

/// Share of planted pulls that are not flattered, over all places.
fn planted_share(subject: &Subject, d: &Day, edit: Edit) -> f64 {
    let (mut good, mut all) = (0, 0);
    for share in FROM {
        let mut set = d.sets[0].clone();
        for (p, m) in set.pulls.iter_mut().zip(&d.measured[0]) {
            let (Some(span), Some(lag), Some(ecu)) = (m.span, m.alignment.usable_lag(), p.ecu.as_mut())
            else {
                continue;
            };
            let from = span.from_s + lag + share * (span.to_s - span.from_s);
            edit(&mut Plant { log: Arc::make_mut(ecu), from, to: span.to_s + lag + 0.3 });
        }
        let measured = again(subject, &set);
        all += measured.len();
        good += measured.iter().filter(|m| not_flattered(m)).count();
    }
    f64::from(good as u32) / (all.max(1)) as f64
}

/// Cuts found without a false peak, and cuts said where there are none.
fn cuts(subject: &Subject, d: &Day) -> (f64, f64) {
    let said = |m: &Measured| m.flags.iter().any(|f| f.kind() == "power_cut");
    let mut set = d.sets[0].clone();
    for (p, m) in set.pulls.iter_mut().zip(&d.measured[0]) {
        let Some(span) = m.span else { continue };
        plant_cut(p, span.from_s + 0.6 * (span.to_s - span.from_s));
    }
    let measured = again(subject, &set);
    let peak = |m: &Measured| m.grid.curve().figures(None).peak_torque.map_or(0.0, |p| p.value);
    let good = measured
        .iter()
        .zip(&d.measured[0])
        .filter(|(m, was)| said(m) && peak(m) <= 1.003 * peak(was))
        .count();
    let all: Vec<&Measured> = d.measured.iter().flatten().collect();
    (
        good as f64 / measured.len().max(1) as f64,
        all.iter().filter(|m| said(m)).count() as f64 / all.len().max(1) as f64,
    )
}

fn plant_cut(p: &mut PullInput, at: f64) {
    edit_channel(&mut Plant { log: &mut p.dyno, from: at, to: at + CUT.0 }, "hub_torque", |_, before| {
        before * CUT.1
    });
}

/// Share of logs whose duty, computed from the pulse widths behind what the four-stroke logged, is what it
/// logged, and twice that when the engine is a two-stroke.
fn two_strokes(subject: &Subject, d: &Day) -> f64 {
    let mut engine = subject.vehicle.engine.clone();
    let four = engine.injections_per_rev();
    engine.cycle = Cycle::TwoStroke;
    let two = engine.injections_per_rev();
    let logs: Vec<&Recording> = d
        .sets
        .iter()
        .flat_map(|s| &s.pulls)
        .filter_map(|p| p.ecu.as_deref())
        .filter(|e| e.has("injector_duty"))
        .collect();
    let right = |log: &&&Recording| {
        let (Some(duty), Some(rpm)) = (log.column("injector_duty"), log.column("engine_speed")) else {
            return false;
        };
        let widths = duty.iter().zip(rpm).map(|(d, n)| d * 1200.0 / n).collect();
        let mut only = (**log).clone();
        only.channels.retain(|c, _| c.as_str() == "engine_speed");
        only.channels.extend(Channel::new("injector_pulse_width").map(|c| (c, widths)));
        let most = |z| {
            only.clone().with_duty(z).series("injector_duty").map(|s| s.v.iter().copied().fold(0.0, f64::max))
        };
        let logged = duty.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
        most(four)
            .zip(most(two))
            .is_some_and(|(a, b)| (a / logged - 1.0).abs() < 1e-9 && (b / logged - 2.0).abs() < 1e-9)
    };
    logs.iter().filter(right).count() as f64 / logs.len().max(1) as f64
}
