//! Boost against its target, once the charger has spooled.

use super::beside::Beside;
use super::happened::Happened;
use super::runs::runs;

/// Share of the target gauge pressure at which the charger has spooled (domain, section 9).
pub(in crate::analysis) const SPOOLED: f64 = 0.9;

/// A difference counts from this, kPa, or this share of the gauge target, whichever is more (our choice:
/// beyond what control hunts by).
pub(in crate::analysis) const MIN_OFF_KPA: f64 = 6.0;
pub(in crate::analysis) const MIN_OFF_SHARE: f64 = 0.06;
/// For at least so long, s (our choice).
const LASTS_S: f64 = 0.3;
/// Gauge targets below this are no boost, kPa.
pub(in crate::analysis) const BOOST_FROM_KPA: f64 = 10.0;
/// A gate driven so far, %, has no more to give (our choice).
pub(in crate::analysis) const DUTY_MOST: f64 = 90.0;

/// Stretches where manifold pressure stays above or below its target from `spooled` on, s each, with what the
/// gate did meanwhile. `ambient_kpa` turns targets into gauge.
pub(super) fn against_target(
    beside: &Beside<'_>,
    spooled: f64,
    to: f64,
    ambient_kpa: f64,
) -> Vec<([f64; 2], Happened)> {
    let (Some(map), Some(target)) = (beside.series("manifold_pressure"), beside.series("boost_target"))
    else {
        return Vec::new();
    };
    let duty = beside.series("wastegate_duty");
    let mut off = map.between(spooled, to);
    off.v
        .iter_mut()
        .zip(&off.t)
        .for_each(|(p, t)| *p = target.at(*t).map_or(0.0, |want| off_target(*p, want, ambient_kpa)));
    let mut out = Vec::new();
    for side in [1.0, -1.0] {
        for (a, b) in runs(&off, |v| side * v > 0.0).into_iter().filter(|(a, b)| b - a >= LASTS_S) {
            let most = off.between(a, b).v.into_iter().fold(0.0, |most: f64, v| most.max(side * v));
            let gate = duty.as_ref().and_then(|d| d.mean_between(a, b));
            let spent = side < 0.0 && gate.is_some_and(|d| d >= DUTY_MOST);
            out.push((
                [a, b],
                Happened::OffBoostTarget {
                    over: side > 0.0,
                    kpa: most,
                    to_rpm: None,
                    gate_pct: gate,
                    gate_spent: spent,
                },
            ));
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;
    use crate::log::Recording;

    /// Ten seconds; boost follows its target of 150 kPa but for what `off` adds.
    fn found(off: impl Fn(f64) -> f64, duty: f64) -> Vec<([f64; 2], Happened)> {
        let t: Vec<f64> = (0..500).map(|i| f64::from(i) * 0.02).collect();
        let channel = |name: &str, v: Vec<f64>| (Channel::new(name).unwrap(), v);
        let channels = [
            channel("manifold_pressure", t.iter().map(|t| 150.0 + off(*t)).collect()),
            channel("boost_target", vec![150.0; t.len()]),
            channel("wastegate_duty", vec![duty; t.len()]),
        ];
        let both = Recording { t, channels: channels.into(), ..Recording::default() };
        let beside = Beside { dyno: &both, ecu: None };
        against_target(&beside, 1.0, 9.9, 100.0)
    }

    #[test]
    fn what_lasts_is_said_with_the_gate_and_hunting_is_not() {
        assert!(found(|t| 5.0 * (9.0 * t).sin(), 40.0).is_empty());
        assert!(
            found(|t| if (4.0..4.2).contains(&t) { 20.0 } else { 0.0 }, 40.0).is_empty(),
            "a fifth of a second"
        );
        assert!(
            found(|t| if t < 1.0 { -40.0 } else { 0.0 }, 40.0).is_empty(),
            "before the charger has spooled"
        );
        let over = found(|t| if (2.0..3.0).contains(&t) { 14.0 } else { 0.0 }, 20.0);
        let [
            (
                [from, to],
                Happened::OffBoostTarget { over: true, kpa, gate_pct: Some(gate), gate_spent: false, .. },
            ),
        ] = over[..]
        else {
            panic!("{over:?}")
        };
        assert!(
            (from - 2.0).abs() < 0.01
                && (to - 2.98).abs() < 0.01
                && (kpa - 14.0).abs() < 1e-9
                && (gate - 20.0).abs() < 1e-9
        );
        let short = found(|t| if t > 6.0 { 3.0 * (6.0 - t) } else { 0.0 }, 96.0);
        let [(_, Happened::OffBoostTarget { over: false, kpa, gate_spent: true, .. })] = short[..] else {
            panic!("{short:?}")
        };
        assert!((kpa - 11.7).abs() < 0.1, "{kpa}");
    }
}
