//! What happened during one pull, in words and in order.

use super::boost::against_target;
use super::dips::{Beside, Dip, find_dips};
use super::measure::Measured;
use crate::log::Series;
use crate::pull::detect::PullKind;
use crate::pull::held::HeldStep;
use serde::{Deserialize, Serialize};

/// Retard below this is the knock control's own breathing, degrees (our choice).
const MIN_RETARD: f64 = 1.0;
/// Share of the target gauge pressure at which the charger has spooled.
const SPOOLED: f64 = 0.9;
/// Left to the charger to come from there to its target, s (our choice).
const SETTLES_S: f64 = 0.3;

/// Kind of an event.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum EventKind {
    TipIn,
    Held,
    SpoolEnd,
    Boost,
    PeakTorque,
    PeakPower,
    Dip,
    Knock,
    Cut,
    End,
}

/// One event.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Event {
    /// Kind.
    pub kind: EventKind,
    /// Time on the dyno clock, s.
    pub at_s: f64,
    /// Engine speed there, rpm, when it lies on the curve.
    pub rpm: Option<f64>,
    /// Two or three words for the chart.
    pub short: String,
    /// The sentence.
    pub text: String,
}

/// Events of a pull in order of time, from its measurement and its recordings. `ambient_kpa` turns manifold pressure into gauge.
pub fn events(m: &Measured, beside: &Beside<'_>, ambient_kpa: Option<f64>) -> Vec<Event> {
    let Some(span) = m.span else { return Vec::new() };
    let (from, to) = (span.from_s, span.to_s);
    let g = &m.grid;
    let mut pairs: Vec<(f64, f64)> = g.time_s.iter().copied().zip(g.rpm.iter().copied()).collect();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (times, speeds): (Vec<f64>, Vec<f64>) = pairs.into_iter().unzip();
    let rpm_at = |t: f64| crate::signal::interp::linear_clamped(&times, &speeds, t);
    let near = |rpm: f64| super::sets::index_of(&g.rpm, rpm).map_or(from, |i| g.time_s[i]);
    let held = span.kind == PullKind::HeldSteps;
    let mut out = Vec::new();
    if held {
        out.extend(m.steps.iter().map(step_event));
    } else {
        let rpm = span.from_rpm * m.ratio;
        out.push(Event {
            kind: EventKind::TipIn,
            at_s: from,
            rpm: Some(rpm),
            short: "tip-in".into(),
            text: format!("tip-in settled at {rpm:.0} rpm"),
        });
        let spooled = spool_end(beside, from, to, ambient_kpa, rpm_at);
        if let Some((e, ambient)) = spooled.as_ref().zip(ambient_kpa) {
            out.extend(against_target(beside, e.at_s + SETTLES_S, to, ambient, &rpm_at));
        }
        out.extend(spooled);
    }
    let f = g.curve().figures(None);
    for (kind, peak, words) in [(EventKind::PeakTorque, f.peak_torque, "peak torque"), (EventKind::PeakPower, f.peak_power, "peak power")] {
        if let Some(p) = peak {
            out.push(Event { kind, at_s: near(p.rpm), rpm: Some(p.rpm), short: words.into(), text: format!("{words} at {:.0} rpm", p.rpm) });
        }
    }
    if !held {
        out.extend(find_dips(&g.rpm, &g.torque_nm, &g.edge, &g.time_s, beside).iter().map(|d| dip_event(d, near(d.rpm))));
    }
    out.extend(knock(beside, from, to, &rpm_at));
    for (name, words) in [("fuel_cut", "fuel cut"), ("spark_cut", "spark cut")] {
        if let Some(s) = beside.series(name) {
            for (a, b) in runs(&s.between(from, to), |v| v > 0.5) {
                let rpm = rpm_at(a);
                out.push(Event { kind: EventKind::Cut, at_s: a, rpm, short: words.into(), text: format!("{words}{} for {:.2} s", at(rpm), b - a) });
            }
        }
    }
    let end = span.to_rpm * m.ratio;
    let words = span.ended_by.label();
    let beyond = if span.ended_by.is_limiter() { ": no peak beyond it is known" } else { "" };
    out.push(Event {
        kind: EventKind::End,
        at_s: to,
        rpm: Some(end),
        short: words.into(),
        text: format!("ended at {end:.0} rpm by {words}{beyond}"),
    });
    out.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
    out
}

fn at(rpm: Option<f64>) -> String {
    rpm.map_or_else(String::new, |r| format!(" at {r:.0} rpm"))
}

fn step_event(s: &HeldStep) -> Event {
    let moved = if s.is_moving() { format!(", still moving by {:+.1} %", 100.0 * s.moved) } else { String::new() };
    Event {
        kind: EventKind::Held,
        at_s: s.from_s,
        rpm: Some(s.rpm),
        short: format!("{:.0}", s.rpm),
        text: format!("held at {:.0} rpm: {:.1} s counted{moved}", s.rpm, s.to_s - s.from_s),
    }
}

fn dip_event(d: &Dip, at_s: f64) -> Event {
    let why = if d.causes.is_empty() { "nothing that was recorded moved with it".to_owned() } else { format!("with it: {}", d.causes.join("; ")) };
    Event {
        kind: EventKind::Dip,
        at_s,
        rpm: Some(d.rpm),
        short: format!("dip {:.1} %", 100.0 * d.depth),
        text: format!("torque dips by {:.1} % at {:.0} rpm, {:.0} rpm wide; {why}", 100.0 * d.depth, d.rpm, d.to_rpm - d.from_rpm),
    }
}

/// Where gauge pressure first reaches 90 % of its target (domain: spool); without a target on record, of the highest it reached.
fn spool_end(beside: &Beside<'_>, from: f64, to: f64, ambient: Option<f64>, rpm_at: impl Fn(f64) -> Option<f64>) -> Option<Event> {
    let map = beside.series("manifold_pressure")?.between(from, to);
    let target = beside.series("boost_target");
    let highest = map.v.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let around = beside.series("ambient_pressure");
    let ambient_at = |t: f64| around.as_ref().and_then(|a| a.at(t)).or(ambient);
    let reached = map.t.iter().zip(&map.v).position(|(t, p)| {
        let want = target.as_ref().map_or(Some(highest), |s| s.at(*t));
        match (want, ambient_at(*t)) {
            (Some(want), Some(a)) => want - a > 10.0 && p - a >= SPOOLED * (want - a),
            _ => false,
        }
    })?;
    let t = map.t[reached];
    let rpm = rpm_at(t);
    let what = if target.is_some() { "90 % of the boost target" } else { "90 % of the highest boost it reached (no target was logged)" };
    let text = if reached == 0 {
        format!("{what} was there from the start{}", at(rpm))
    } else {
        format!("{what}{}, {:.1} s after tip-in", at(rpm), t - from)
    };
    Some(Event { kind: EventKind::SpoolEnd, at_s: t, rpm, short: "spool end".into(), text })
}

fn knock(beside: &Beside<'_>, from: f64, to: f64, rpm_at: &impl Fn(f64) -> Option<f64>) -> Vec<Event> {
    let mut out = Vec::new();
    for (channel, s) in beside.of_kind("knock_retard") {
        let s = s.between(from, to);
        for (a, b) in runs(&s, |v| v >= MIN_RETARD) {
            let most = s.between(a, b).v.iter().copied().fold(0.0, f64::max);
            let rpm = rpm_at(a);
            let until = rpm_at(b).map_or_else(String::new, |r| format!(" to {r:.0}"));
            let text = format!("{}: up to {most:.1}°{}{until}", channel.label(), at(rpm).replace(" rpm", ""));
            out.push(Event { kind: EventKind::Knock, at_s: a, rpm, short: "knock".into(), text: format!("{text} rpm") });
        }
    }
    out
}

/// Stretches where a condition holds, joined across gaps under 0.3 s.
pub(super) fn runs(s: &Series, holds: impl Fn(f64) -> bool) -> Vec<(f64, f64)> {
    let mut out: Vec<(f64, f64)> = Vec::new();
    for (t, _) in s.t.iter().zip(&s.v).filter(|(_, v)| holds(**v)) {
        match out.last_mut() {
            Some(last) if t - last.1 < 0.3 => last.1 = *t,
            _ => out.push((*t, *t)),
        }
    }
    out
}
