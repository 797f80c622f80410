//! Dips in a curve, and what moved at the same moment.

use crate::channel::Channel;
use crate::log::{Recording, Series};
use serde::{Deserialize, Serialize};

/// A dip is judged against the lower of the highest points within this reach on either side, rpm (our choice: a wider hollow is
/// the shape of the engine, not an event).
const REACH_RPM: f64 = 800.0;
/// A dip must be this deep against its own level (our choice: about twice what neighbouring grid points differ by).
const MIN_DEPTH: f64 = 0.02;
/// And this many times deeper than the curve's own roughness.
const OVER_ROUGHNESS: f64 = 5.0;
/// What moves within this time of a dip counts as coincident, s.
const BESIDE_S: f64 = 0.12;

/// A hollow in the torque curve.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Dip {
    /// Deepest point, rpm.
    pub rpm: f64,
    /// Where it is half as deep, rpm.
    pub from_rpm: f64,
    /// Where it is half as deep again, rpm.
    pub to_rpm: f64,
    /// Depth as a share of the level around it.
    pub depth: f64,
    /// Time on the dyno clock where it is half as deep, s.
    pub from_s: f64,
    /// And again, s.
    pub to_s: f64,
    /// What moved with it, in words, the most certain first; empty when nothing that was recorded did.
    pub causes: Vec<String>,
}

/// Recordings beside a curve, on the dyno clock.
#[derive(Debug, Clone, Copy)]
pub struct Beside<'a> {
    /// Dyno recording.
    pub dyno: &'a Recording,
    /// Engine-computer log with its lag, when aligned.
    pub ecu: Option<(&'a Recording, f64)>,
}

impl Beside<'_> {
    /// A channel on the dyno clock: the engine computer's where both have it.
    pub fn series(&self, name: &str) -> Option<Series> {
        let from_ecu = self.ecu.and_then(|(log, lag)| {
            let mut s = log.series(name)?;
            s.t.iter_mut().for_each(|t| *t -= lag);
            Some(s)
        });
        from_ecu.or_else(|| self.dyno.series(name))
    }

    /// Every channel of one kind: λ 1, λ 2.
    pub fn of_kind(&self, kind: &str) -> Vec<(Channel, Series)> {
        let mut names: Vec<&Channel> = self.dyno.channels.keys().chain(self.ecu.iter().flat_map(|e| e.0.channels.keys())).collect();
        names.sort();
        names.dedup();
        names.into_iter().filter(|c| c.kind().is_some_and(|k| k.name == kind)).filter_map(|c| Some((c.clone(), self.series(c.as_str())?))).collect()
    }
}

/// Finds dips in torque over rpm. `time_s` is the time at each grid speed; points marked `edge` are not looked at.
pub fn find_dips(rpm: &[f64], torque_nm: &[f64], edge: &[bool], time_s: &[f64], beside: &Beside<'_>) -> Vec<Dip> {
    let keep: Vec<usize> = (0..rpm.len()).filter(|&i| !edge.get(i).copied().unwrap_or(false) && torque_nm[i].is_finite()).collect();
    if keep.len() < 7 {
        return Vec::new();
    }
    let v: Vec<f64> = keep.iter().map(|&i| torque_nm[i]).collect();
    let x: Vec<f64> = keep.iter().map(|&i| rpm[i]).collect();
    let depth = depths(&x, &v);
    let mut rough: Vec<f64> = v.windows(3).map(|w| (w[1] - 0.5 * (w[0] + w[2])).abs()).collect();
    let roughness = crate::signal::hygiene::median_in_place(&mut rough);
    let floor = |i: usize| (MIN_DEPTH * v[i].abs()).max(OVER_ROUGHNESS * roughness);
    let mut out = Vec::new();
    let mut i = 0;
    while i < v.len() {
        if depth[i] <= floor(i) {
            i += 1;
            continue;
        }
        let end = (i..v.len()).find(|&k| depth[k] <= 1e-12).unwrap_or(v.len());
        let low = (i..end).max_by(|&a, &b| depth[a].total_cmp(&depth[b])).unwrap_or(i);
        let half = 0.5 * depth[low];
        let a = (0..=low).rev().find(|&k| depth[k] < half).map_or(0, |k| k + 1);
        let b = (low..v.len()).find(|&k| depth[k] < half).map_or(v.len() - 1, |k| k - 1);
        let (from_s, to_s) = (time_s[keep[a]], time_s[keep[b]]);
        out.push(Dip {
            rpm: x[low],
            from_rpm: x[a],
            to_rpm: x[b],
            depth: depth[low] / (v[low] + depth[low]),
            from_s: from_s.min(to_s),
            to_s: from_s.max(to_s),
            causes: causes(beside, from_s.min(to_s), from_s.max(to_s)),
        });
        i = end.max(i + 1);
    }
    out
}

/// How far each point lies below the lower of the highest points on either side.
fn depths(x: &[f64], v: &[f64]) -> Vec<f64> {
    (0..v.len())
        .map(|i| {
            let highest = |r: std::ops::Range<usize>| r.filter(|&k| (x[k] - x[i]).abs() <= REACH_RPM).map(|k| v[k]).fold(v[i], f64::max);
            (highest(0..i).min(highest(i + 1..v.len())) - v[i]).max(0.0)
        })
        .collect()
}

/// Extremes inside a stretch against the chord between what lies before and after it.
fn departure(s: &Series, from: f64, to: f64) -> Option<(f64, f64)> {
    let (a, b) = (from - BESIDE_S, to + BESIDE_S);
    let room = (b - a).max(0.4);
    let level = |x0: f64, x1: f64| {
        let part = s.between(x0, x1);
        (!part.is_empty()).then(|| (part.t.iter().sum::<f64>() / part.len() as f64, part.v.iter().sum::<f64>() / part.len() as f64))
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

/// What moved during a stretch of time, in words. Thresholds are our choice: clearly above each sensor's own noise.
fn causes(beside: &Beside<'_>, from: f64, to: f64) -> Vec<String> {
    let moved = |name: &str| beside.series(name).and_then(|s| departure(&s, from, to));
    let mut out = Vec::new();
    for (name, words) in [("fuel_cut", "fuel cut"), ("spark_cut", "spark cut")] {
        if beside.series(name).is_some_and(|s| s.between(from - BESIDE_S, to + BESIDE_S).v.iter().any(|v| *v > 0.5)) {
            out.push(words.to_owned());
        }
    }
    if let Some((low, _)) = moved("throttle").filter(|d| d.0 < -4.0) {
        out.push(format!("throttle closed by {:.0} %", -low));
    }
    if let Some((low, _)) = moved("boost_target").filter(|d| d.0 < -5.0) {
        out.push(format!("the boost target fell by {:.0} kPa: a protection, or the map", -low));
    }
    let retards = beside.of_kind("knock_retard").into_iter().filter_map(|(c, s)| Some((c, departure(&s, from, to)?.1)));
    if let Some((c, d)) = retards.max_by(|a, b| a.1.total_cmp(&b.1)).filter(|r| r.1 >= 1.0) {
        out.push(format!("{} up by {d:.1}°", c.label()));
    }
    for (c, s) in beside.of_kind("lambda") {
        match departure(&s, from, to) {
            Some((_, high)) if high >= 0.03 => out.push(format!("{} lean by {high:.2}", c.label())),
            Some((low, _)) if low <= -0.03 => out.push(format!("{} rich by {:.2}", c.label(), -low)),
            _ => {}
        }
    }
    if let Some(s) = beside.series("manifold_pressure")
        && let Some((low, _)) = departure(&s, from, to)
        && low < -(0.03 * s.at(from).unwrap_or(100.0)).max(4.0)
    {
        out.push(format!("manifold pressure fell by {:.0} kPa", -low));
    }
    out.extend(slipped(beside, from, to, "blower_speed", "engine_speed", -0.015, "the blower belt slipped"));
    out.extend(slipped(beside, from, to, "roller_speed", "engine_speed", -0.008, "tyre, clutch or converter slipped"));
    out
}

/// `driven ÷ driver` below its chord by more than `share`.
fn slipped(beside: &Beside<'_>, from: f64, to: f64, driven: &str, driver: &str, share: f64, words: &str) -> Option<String> {
    let (d, e) = (beside.series(driven)?, beside.series(driver)?);
    let (mut k, mut e) = (Series::default(), e.reader());
    for (t, v) in d.t.iter().zip(&d.v) {
        if let Some(n) = e.at(*t).filter(|n| *n > 100.0) {
            k.t.push(*t);
            k.v.push(v / n);
        }
    }
    let level = k.at(0.5 * (from + to))?.abs();
    let (low, _) = departure(&k, from, to)?;
    (level > 0.0 && low / level < share).then(|| format!("{words} by {:.1} %", -100.0 * low / level))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Torque rising then falling, hollowed at 4000 rpm; one sample each 50 rpm, 600 rpm/s.
    fn curve(depth: f64, width: f64) -> (Vec<f64>, Vec<f64>, Vec<bool>, Vec<f64>) {
        let rpm: Vec<f64> = (40..=130).map(|k| f64::from(k) * 50.0).collect();
        let v = rpm.iter().map(|r| 200.0 - ((r - 4200.0) / 400.0).powi(2) - 200.0 * depth * (-((r - 4000.0) / width).powi(2)).exp()).collect();
        let t = rpm.iter().map(|r| (r - 2000.0) / 600.0).collect();
        let edge = vec![false; rpm.len()];
        (rpm, v, edge, t)
    }

    fn logged(name: &str, base: f64, at_dip: f64) -> Recording {
        let mut r = Recording { t: (0..800).map(|i| f64::from(i) * 0.01).collect(), ..Recording::default() };
        let v = r.t.iter().map(|t| base + if (t - 3.33).abs() < 0.15 { at_dip } else { 0.0 }).collect();
        r.channels.insert(Channel::new(name).unwrap(), v);
        r
    }

    #[test]
    fn a_hollow_is_found_with_its_place_depth_and_width() {
        let dyno = Recording::default();
        let beside = Beside { dyno: &dyno, ecu: None };
        let (rpm, v, edge, t) = curve(0.05, 120.0);
        let d = find_dips(&rpm, &v, &edge, &t, &beside);
        assert_eq!(d.len(), 1, "{d:?}");
        assert!((d[0].rpm - 4000.0).abs() <= 50.0 && (d[0].depth - 0.05).abs() < 0.01, "{d:?}");
        let width = d[0].to_rpm - d[0].from_rpm;
        assert!((100.0..350.0).contains(&width), "{d:?}");
        assert!(d[0].causes.is_empty(), "nothing else was recorded");
        let (rpm, v, edge, t) = curve(0.005, 120.0);
        assert!(find_dips(&rpm, &v, &edge, &t, &beside).is_empty(), "half a per cent is the curve's own roughness");
        let (rpm, v, edge, t) = curve(0.0, 120.0);
        assert!(find_dips(&rpm, &v, &edge, &t, &beside).is_empty(), "a rise and a fall are no dip");
    }

    #[test]
    fn a_rough_curve_has_no_dips() {
        let (rpm, mut v, edge, t) = curve(0.0, 100.0);
        v.iter_mut().enumerate().for_each(|(i, x)| *x += if i % 2 == 0 { 2.5 } else { -2.5 });
        let dyno = Recording::default();
        assert!(find_dips(&rpm, &v, &edge, &t, &Beside { dyno: &dyno, ecu: None }).is_empty());
    }

    #[test]
    fn what_moved_with_it_is_named_and_what_did_not_is_not() {
        let (rpm, v, edge, t) = curve(0.06, 100.0);
        let dyno = Recording::default();
        for (name, base, jump, words) in [
            ("fuel_cut", 0.0, 1.0, "fuel cut"),
            ("knock_retard_2", 0.5, 3.0, "knock retard 2 up by 3.0°"),
            ("lambda_1", 0.86, 0.08, "λ 1 lean by 0.08"),
            ("lambda_1", 0.86, -0.08, "λ 1 rich by 0.08"),
            ("manifold_pressure", 220.0, -30.0, "manifold pressure fell by 30 kPa"),
            ("throttle", 99.0, -20.0, "throttle closed by 20 %"),
        ] {
            let mut ecu = logged(name, base, jump);
            ecu.t.iter_mut().for_each(|t| *t += 7.5);
            let d = find_dips(&rpm, &v, &edge, &t, &Beside { dyno: &dyno, ecu: Some((&ecu, 7.5)) });
            assert_eq!(d[0].causes, vec![words.to_owned()], "{name}");
            let still = logged(name, base, 0.0);
            assert!(find_dips(&rpm, &v, &edge, &t, &Beside { dyno: &dyno, ecu: Some((&still, 0.0)) })[0].causes.is_empty(), "{name}");
        }
    }

    #[test]
    fn a_slipping_belt_is_told_from_the_ratio_of_two_speeds() {
        let (rpm, v, edge, t) = curve(0.06, 100.0);
        let mut rec = logged("blower_speed", 0.0, 0.0);
        let e: Vec<f64> = rec.t.iter().map(|t| 2000.0 + 600.0 * t).collect();
        let b = rec.t.iter().zip(&e).map(|(t, e)| e * if (t - 3.33).abs() < 0.15 { 1.85 } else { 1.95 }).collect();
        rec.channels.insert(Channel::new("engine_speed").unwrap(), e);
        rec.channels.insert(Channel::new("blower_speed").unwrap(), b);
        let d = find_dips(&rpm, &v, &edge, &t, &Beside { ecu: None, dyno: &rec });
        assert!(d[0].causes.len() == 1 && d[0].causes[0].starts_with("the blower belt slipped by 5."), "{d:?}");
    }
}
