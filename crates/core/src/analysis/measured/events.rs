//! What happened during one pull, in order.

use super::beside::Beside;
use super::boost::{SPOOLED, against_target};
use super::dips::find_dips;
use super::happened::{Cut, Event, Happened};
use super::result::Measured;
use super::runs::runs;
use crate::curve::index_of;
use crate::pull::held::HeldStep;
use crate::pull::span::PullKind;
use crate::signal::interp::linear_clamped;

/// Retard below this is the knock control's own breathing, degrees (our choice).
const MIN_RETARD: f64 = 1.0;
/// Left to the charger to come from there to its target, s (our choice).
const SETTLES_S: f64 = 0.3;

/// Events of a pull in order of time, from its measurement and its recordings. `ambient_kpa` turns manifold
/// pressure into gauge.
pub fn events(m: &Measured, beside: &Beside<'_>, ambient_kpa: Option<f64>) -> Vec<Event> {
    let Some(span) = m.span else { return Vec::new() };
    let (from, to) = (span.from_s, span.to_s);
    let g = &m.grid;
    let mut pairs: Vec<(f64, f64)> = g.time_s.iter().copied().zip(g.rpm.iter().copied()).collect();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (times, speeds): (Vec<f64>, Vec<f64>) = pairs.into_iter().unzip();
    let rpm_at = |t: f64| linear_clamped(&times, &speeds, t);
    let end = |shaft: f64, t: f64| if m.speed_from.is_shaft() { Some(shaft * m.ratio) } else { rpm_at(t) };
    let at = |at_s: f64, what: Happened| Event { what, at_s, rpm: rpm_at(at_s) };
    let near = |rpm: f64| index_of(&g.rpm, rpm).map_or(from, |i| g.time_s[i]);
    let place = |rpm: f64, what: Happened| Event { what, at_s: near(rpm), rpm: Some(rpm) };
    let held = span.kind == PullKind::HeldSteps;
    let mut out = Vec::new();
    if held {
        out.extend(m.steps.iter().map(step_event));
    } else {
        out.push(Event { what: Happened::TipIn, at_s: from, rpm: end(span.from_rpm, from) });
        let spooled = spool_end(beside, from, to, ambient_kpa);
        if let Some(((spooled_s, _), ambient)) = spooled.as_ref().zip(ambient_kpa) {
            for ([a, b], what) in against_target(beside, spooled_s + SETTLES_S, to, ambient) {
                out.push(at(a, up_to(what, rpm_at(b))));
            }
        }
        out.extend(spooled.map(|(t, what)| at(t, what)));
    }
    let f = g.curve().figures(None);
    out.extend(f.peak_torque.map(|p| place(p.rpm, Happened::PeakTorque)));
    out.extend(f.peak_power.map(|p| place(p.rpm, Happened::PeakPower)));
    if !held {
        let dips = find_dips(&g.rpm, &g.torque_nm, &g.edge, &g.time_s, beside).into_iter();
        out.extend(dips.map(|d| {
            place(d.rpm, Happened::Dip { share: d.depth, width_rpm: d.to_rpm - d.from_rpm, causes: d.causes })
        }));
    }
    for (channel, s) in beside.of_kind("knock_retard") {
        let s = s.between(from, to);
        for (a, b) in runs(&s, |v| v >= MIN_RETARD) {
            let most_deg = s.between(a, b).v.iter().copied().fold(0.0, f64::max);
            out.push(at(a, Happened::Knock { channel: channel.clone(), most_deg, to_rpm: rpm_at(b) }));
        }
    }
    for what in [Cut::Fuel, Cut::Spark] {
        if let Some(s) = beside.series(what.channel()) {
            let found = runs(&s.between(from, to), |v| v > 0.5).into_iter();
            out.extend(found.map(|(a, b)| at(a, Happened::Cut { what, for_s: b - a })));
        }
    }
    out.push(Event { what: Happened::End { by: span.ended_by }, at_s: to, rpm: end(span.to_rpm, to) });
    out.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
    out
}

fn up_to(what: Happened, rpm: Option<f64>) -> Happened {
    match what {
        Happened::OffBoostTarget { over, kpa, gate_pct, gate_spent, .. } => {
            Happened::OffBoostTarget { over, kpa, to_rpm: rpm, gate_pct, gate_spent }
        }
        other => other,
    }
}

fn step_event(s: &HeldStep) -> Event {
    let what = Happened::Held { counted_s: s.to_s - s.from_s, moving: s.is_moving().then_some(s.moved) };
    Event { what, at_s: s.from_s, rpm: Some(s.rpm) }
}

/// When gauge pressure first reaches 90 % of its target, s (domain: spool); without a target on record, of
/// the highest it reached.
fn spool_end(beside: &Beside<'_>, from: f64, to: f64, ambient: Option<f64>) -> Option<(f64, Happened)> {
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
    Some((t, Happened::SpoolEnd { of_target: target.is_some(), after_s: (reached > 0).then_some(t - from) }))
}
