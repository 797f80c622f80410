//! What moved at the same moment as a dip.

use super::beside::Beside;
use super::happened::{Cause, Cut};
use crate::log::Series;

/// What moves within this time of a dip counts as coincident, s.
const BESIDE_S: f64 = 0.12;

/// Extremes inside a stretch against the chord between what lies before and after it.
fn departure(s: &Series, from: f64, to: f64) -> Option<(f64, f64)> {
    let (a, b) = (from - BESIDE_S, to + BESIDE_S);
    let room = (b - a).max(0.4);
    let level = |x0: f64, x1: f64| {
        let part = s.between(x0, x1);
        (!part.is_empty()).then(|| {
            (part.t.iter().sum::<f64>() / part.len() as f64, part.v.iter().sum::<f64>() / part.len() as f64)
        })
    };
    let (before, after) = (level(a - room, a - 1e-9)?, level(b + 1e-9, b + room)?);
    let inside = s.between(a, b);
    if inside.is_empty() {
        return None;
    }
    let chord = |t: f64| before.1 + (after.1 - before.1) * (t - before.0) / (after.0 - before.0);
    Some(inside.t.iter().zip(&inside.v).fold((0.0_f64, 0.0_f64), |(l, h), (t, v)| {
        let d = v - chord(*t);
        (l.min(d), h.max(d))
    }))
}

/// What moved during a stretch of time, the most certain first. Thresholds are our choice: clearly above each
/// sensor's own noise.
pub(super) fn causes(beside: &Beside<'_>, from: f64, to: f64) -> Vec<Cause> {
    let moved = |name: &str| beside.series(name).and_then(|s| departure(&s, from, to));
    let mut out = Vec::new();
    for what in [Cut::Fuel, Cut::Spark] {
        if beside
            .series(what.channel())
            .is_some_and(|s| s.between(from - BESIDE_S, to + BESIDE_S).v.iter().any(|v| *v > 0.5))
        {
            out.push(Cause::Cut(what));
        }
    }
    if let Some((low, _)) = moved("throttle").filter(|d| d.0 < -4.0) {
        out.push(Cause::ThrottleClosed { by_pct: -low });
    }
    if let Some((low, _)) = moved("boost_target").filter(|d| d.0 < -5.0) {
        out.push(Cause::TargetFell { by_kpa: -low });
    }
    let retards =
        beside.of_kind("knock_retard").into_iter().filter_map(|(c, s)| Some((c, departure(&s, from, to)?.1)));
    if let Some((c, d)) = retards.max_by(|a, b| a.1.total_cmp(&b.1)).filter(|r| r.1 >= 1.0) {
        out.push(Cause::Retard { channel: c, by_deg: d });
    }
    for (c, s) in beside.of_kind("lambda") {
        match departure(&s, from, to) {
            Some((_, high)) if high >= 0.03 => out.push(Cause::Lean { channel: c, by: high }),
            Some((low, _)) if low <= -0.03 => out.push(Cause::Rich { channel: c, by: -low }),
            _ => {}
        }
    }
    if let Some(s) = beside.series("manifold_pressure")
        && let Some((low, _)) = departure(&s, from, to)
        && low < -(0.03 * s.at(from).unwrap_or(100.0)).max(4.0)
    {
        out.push(Cause::PressureFell { by_kpa: -low });
    }
    out.extend(slipped(beside, [from, to], "blower_speed", -0.015).map(|share| Cause::BeltSlipped { share }));
    out.extend(
        slipped(beside, [from, to], "roller_speed", -0.008).map(|share| Cause::DriveSlipped { share }),
    );
    out
}

/// By what share `driven` ÷ engine speed lies below its chord, when by more than `share`.
fn slipped(beside: &Beside<'_>, [from, to]: [f64; 2], driven: &str, share: f64) -> Option<f64> {
    let (d, e) = (beside.series(driven)?, beside.series("engine_speed")?);
    let (mut k, mut e) = (Series::default(), e.reader());
    for (t, v) in d.t.iter().zip(&d.v) {
        if let Some(n) = e.at(*t).filter(|n| *n > 100.0) {
            k.t.push(*t);
            k.v.push(v / n);
        }
    }
    let level = k.at(0.5 * (from + to))?.abs();
    let (low, _) = departure(&k, from, to)?;
    (level > 0.0 && low / level < share).then(|| -low / level)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;
    use crate::log::Recording;

    /// A second and a half either side of a quarter of a second in which a channel jumps.
    fn logged(name: &str, base: f64, at_dip: f64) -> Recording {
        let mut r = Recording { t: (0..800).map(|i| f64::from(i) * 0.01).collect(), ..Recording::default() };
        let v = r.t.iter().map(|t| base + if (t - 3.33).abs() < 0.15 { at_dip } else { 0.0 }).collect();
        r.channels.insert(Channel::new(name).unwrap(), v);
        r
    }

    const DIP: [f64; 2] = [3.18, 3.48];

    #[test]
    fn what_moved_with_it_is_named_and_what_did_not_is_not() {
        let dyno = Recording::default();
        let channel = |name: &str| Channel::new(name).unwrap();
        for (name, base, jump, want) in [
            ("fuel_cut", 0.0, 1.0, Cause::Cut(Cut::Fuel)),
            ("knock_retard_2", 0.5, 3.0, Cause::Retard { channel: channel("knock_retard_2"), by_deg: 3.0 }),
            ("lambda_1", 0.86, 0.08, Cause::Lean { channel: channel("lambda_1"), by: 0.08 }),
            ("lambda_1", 0.86, -0.08, Cause::Rich { channel: channel("lambda_1"), by: 0.08 }),
            ("manifold_pressure", 220.0, -30.0, Cause::PressureFell { by_kpa: 30.0 }),
            ("throttle", 99.0, -20.0, Cause::ThrottleClosed { by_pct: 20.0 }),
        ] {
            let mut ecu = logged(name, base, jump);
            ecu.t.iter_mut().for_each(|t| *t += 7.5);
            let found = causes(&Beside { dyno: &dyno, ecu: Some((&ecu, 7.5)) }, DIP[0], DIP[1]);
            assert_eq!(format!("{found:.6?}"), format!("{:.6?}", [want]), "{name}");
            let still = logged(name, base, 0.0);
            assert_eq!(
                causes(&Beside { dyno: &dyno, ecu: Some((&still, 0.0)) }, DIP[0], DIP[1]),
                [],
                "{name}"
            );
        }
    }

    #[test]
    fn a_slipping_belt_is_told_from_the_ratio_of_two_speeds() {
        let mut rec = logged("blower_speed", 0.0, 0.0);
        let e: Vec<f64> = rec.t.iter().map(|t| 2000.0 + 600.0 * t).collect();
        let b = rec
            .t
            .iter()
            .zip(&e)
            .map(|(t, e)| e * if (t - 3.33).abs() < 0.15 { 1.85 } else { 1.95 })
            .collect();
        rec.channels.insert(Channel::new("engine_speed").unwrap(), e);
        rec.channels.insert(Channel::new("blower_speed").unwrap(), b);
        let found = causes(&Beside { ecu: None, dyno: &rec }, DIP[0], DIP[1]);
        let [Cause::BeltSlipped { share }] = found[..] else { panic!("{found:?}") };
        assert!((share - 0.0513).abs() < 0.003, "{share}");
    }
}
