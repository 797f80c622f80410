//! Boost against its target, once the charger has spooled.

use super::dips::Beside;
use super::events::{Event, EventKind, runs};
use crate::log::Series;

/// A difference counts from this, kPa, or this share of the gauge target, whichever is more (our choice: beyond what control hunts by).
const MIN_OFF_KPA: f64 = 6.0;
const MIN_OFF_SHARE: f64 = 0.06;
/// For at least so long, s (our choice).
const LASTS_S: f64 = 0.3;
/// Gauge targets below this are no boost, kPa.
const BOOST_FROM_KPA: f64 = 10.0;
/// A gate driven so far, %, has no more to give (our choice).
const DUTY_MOST: f64 = 90.0;

/// Stretches where manifold pressure stays above or below its target from `spooled` on, in words, with what the gate did meanwhile.
/// `ambient_kpa` turns targets into gauge.
pub(super) fn against_target(beside: &Beside<'_>, spooled: f64, to: f64, ambient_kpa: f64, rpm_at: &impl Fn(f64) -> Option<f64>) -> Vec<Event> {
    let (Some(map), Some(target)) = (beside.series("manifold_pressure"), beside.series("boost_target")) else { return Vec::new() };
    let duty = beside.series("wastegate_duty");
    let mut off = map.between(spooled, to);
    off.v.iter_mut().zip(&off.t).for_each(|(p, t)| *p = target.at(*t).map_or(0.0, |want| off_target(*p, want, ambient_kpa)));
    let mut out = Vec::new();
    for side in [1.0, -1.0] {
        for (a, b) in runs(&off, |v| side * v > 0.0).into_iter().filter(|(a, b)| b - a >= LASTS_S) {
            let most = off.between(a, b).v.into_iter().fold(0.0, |most: f64, v| most.max(side * v));
            out.push(event(side * most, [a, b], duty.as_ref(), rpm_at));
        }
    }
    out
}

/// Kilopascals off a target; nothing where they do not count.
fn off_target(p: f64, target: f64, ambient: f64) -> f64 {
    let gauge = target - ambient;
    let off = p - target;
    if gauge >= BOOST_FROM_KPA && off.abs() >= MIN_OFF_KPA.max(MIN_OFF_SHARE * gauge) { off } else { 0.0 }
}

fn event(most: f64, [from, to]: [f64; 2], duty: Option<&Series>, rpm_at: &impl Fn(f64) -> Option<f64>) -> Event {
    let (over, most, rpm, end) = (most > 0.0, most.abs(), rpm_at(from), rpm_at(to));
    let place = match (rpm, end) {
        (Some(a), Some(b)) => format!(" from {a:.0} to {b:.0} rpm"),
        _ => String::new(),
    };
    let gate = duty.and_then(|d| d.mean_between(from, to));
    let why = match gate {
        Some(d) if !over && d >= DUTY_MOST => format!("; wastegate duty {d:.0} %: no more to give (out of turbo, or a leak)"),
        Some(d) => format!("; wastegate duty {d:.0} %"),
        None => String::new(),
    };
    let text = match over {
        true => format!("boost up to {most:.0} kPa over its target{place}{why}"),
        false => format!("boost up to {most:.0} kPa short of its target{place}{why}"),
    };
    Event { kind: EventKind::Boost, at_s: from, rpm, short: if over { "boost over" } else { "boost short" }.into(), text }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;
    use crate::log::Recording;

    /// Ten seconds from 2000 rpm up; boost follows its target of 150 kPa but for what `off` adds.
    fn found(off: impl Fn(f64) -> f64, duty: f64) -> Vec<String> {
        let t: Vec<f64> = (0..500).map(|i| f64::from(i) * 0.02).collect();
        let channel = |name: &str, v: Vec<f64>| (Channel::new(name).unwrap(), v);
        let channels = [
            channel("manifold_pressure", t.iter().map(|t| 150.0 + off(*t)).collect()),
            channel("boost_target", vec![150.0; t.len()]),
            channel("wastegate_duty", vec![duty; t.len()]),
        ];
        let both = Recording { t, channels: channels.into(), ..Recording::default() };
        let beside = Beside { dyno: &both, ecu: None };
        against_target(&beside, 1.0, 9.9, 100.0, &|t| Some(2000.0 + 450.0 * t)).into_iter().map(|e| e.text).collect()
    }

    #[test]
    fn what_lasts_is_said_with_the_gate_and_hunting_is_not() {
        assert!(found(|t| 5.0 * (9.0 * t).sin(), 40.0).is_empty());
        assert!(found(|t| if (4.0..4.2).contains(&t) { 20.0 } else { 0.0 }, 40.0).is_empty(), "a fifth of a second");
        assert!(found(|t| if t < 1.0 { -40.0 } else { 0.0 }, 40.0).is_empty(), "before the charger has spooled");
        let over = found(|t| if (2.0..3.0).contains(&t) { 14.0 } else { 0.0 }, 20.0);
        assert_eq!(over, ["boost up to 14 kPa over its target from 2900 to 3341 rpm; wastegate duty 20 %"]);
        let short = found(|t| if t > 6.0 { 3.0 * (6.0 - t) } else { 0.0 }, 96.0);
        assert!(short.len() == 1 && short[0].contains("12 kPa short") && short[0].contains("no more to give"), "{short:?}");
    }
}
