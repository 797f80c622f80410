//! How engine and dyno, or engine and blower, turned against each other over the pull, and what to call it.

use super::beside::Beside;
use crate::signal::interp::{Walk, between};
use crate::signal::median::median_in_place;
use crate::signal::savgol::WindowPlan;
use serde::{Deserialize, Serialize};

/// Agreement better than this is said to follow the geometry (our choice: twice what speed sensors usually
/// differ by).
const FOLLOWS: f64 = 0.005;
/// A steady difference this large is another ratio, not slip.
const OTHER_RATIO: f64 = 0.08;
/// A belt this far behind its ratio slips (our choice: three times what two speeds of one log usually
/// disagree by).
const BELT_SLIPS: f64 = 0.01;
/// Window of the rate of speed, s.
const RATE_WINDOW_S: f64 = 0.3;
/// Record looked at on either side of a pull, s.
const AROUND_S: f64 = 4.0;
/// Rate ÷ speed must vary by this much for a lag to be told, 1/s.
const MOVES: f64 = 0.03;
/// An engine slower than this does not turn by itself, rpm.
const TURNS: f64 = 100.0;
/// Points per stretch that a median is taken of.
const STEP_RPM: f64 = 100.0;

/// What the ratio of two speeds says.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum CouplingKind {
    /// The ratio stays at its reference.
    Follows,
    /// Well above the geometry at low speed, closing as speed rises.
    Converter { closed_rpm: f64 },
    /// Grows under load: tyre or clutch.
    Slip,
    /// Steady and far from the geometry.
    OtherRatio { ratio: f64 },
    /// The driven side falls behind where speed is high.
    BeltSlip { from_rpm: f64, to_rpm: f64 },
}

/// What a measured ratio is held against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Against {
    /// The geometry of gears and roller, or where a converter has closed.
    Geometry,
    /// A belt's ratio while nothing loads it.
    WithoutLoad,
    /// A belt's ratio in the lower half of the pull.
    LowerHalf,
}

/// Ratio over engine speed, with its verdict.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Coupling {
    /// Verdict.
    pub kind: CouplingKind,
    /// Engine speed, rpm.
    pub rpm: Vec<f64>,
    /// Measured ratio.
    pub ratio: Vec<f64>,
    /// What it is measured against.
    pub reference: f64,
    /// What that is.
    pub against: Against,
    /// Largest share above the reference (below it for a belt).
    pub worst: f64,
    /// Where, rpm.
    pub worst_rpm: f64,
}

/// Engine speed ÷ shaft speed over the pull against the geometry; `None` when the two speeds are not both
/// measured. `geometry` absent: against the median of the upper half, where a converter has closed.
pub fn coupling(beside: &Beside<'_>, from: f64, to: f64, geometry: Option<f64>) -> Option<Coupling> {
    let shaft = beside.dyno.series("roller_speed")?.between(from, to);
    let engine = match beside.ecu {
        Some(_) => beside.series("engine_speed")?,
        None => beside.dyno.series("engine_speed")?,
    };
    let turning = shaft.t.iter().zip(&shaft.v).filter(|(_, s)| **s > 1.0);
    let mut engine = engine.reader();
    let (rpm, ratio) = binned(turning.filter_map(|(t, s)| engine.at(*t).map(|e| (e, e / s))))?;
    let mut upper = ratio[ratio.len() / 2..].to_vec();
    let reference = geometry.unwrap_or_else(|| median_in_place(&mut upper));
    let excess: Vec<f64> = ratio.iter().map(|r| r / reference - 1.0).collect();
    let (at, worst) = excess.iter().copied().enumerate().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))?;
    let mut all = excess.clone();
    let middle = median_in_place(&mut all);
    let (third, last) = (excess.len().div_ceil(3), excess[excess.len() - 1]);
    let spread = excess.iter().fold(0.0_f64, |m, e| m.max((e - middle).abs()));
    let kind = if middle.abs() > OTHER_RATIO && spread < 0.5 * middle.abs() {
        CouplingKind::OtherRatio { ratio: reference * (1.0 + middle) }
    } else if worst.abs() <= FOLLOWS {
        CouplingKind::Follows
    } else if at < third && worst > 0.03 && last < 0.4 * worst {
        CouplingKind::Converter {
            closed_rpm: excess.iter().rposition(|e| *e > 0.4 * worst).map_or(rpm[0], |i| rpm[i]),
        }
    } else {
        CouplingKind::Slip
    };
    Some(Coupling { kind, worst_rpm: rpm[at], rpm, ratio, reference, against: Against::Geometry, worst })
}

/// Blower speed ÷ engine speed over the pull against what it is where nothing loads the belt: before tip-in
/// and after the lift. There the lag of one speed behind the other is found too, which on a ramp looks like
/// slip (a twentieth of a second is 1.6 % at 3000 rpm and 1000 rpm/s). Without such stretches its own lower
/// half is the reference. `None` without a blower speed.
pub fn belt(beside: &Beside<'_>, from: f64, to: f64) -> Option<Coupling> {
    let (all, engine) = (beside.series("blower_speed")?, beside.series("engine_speed")?);
    let rate = WindowPlan::new(&engine.t, RATE_WINDOW_S).rates(&engine.v);
    // Engine speed, blower ÷ engine, and rate ÷ speed, 1/s.
    let point = |(t, b): (&f64, &f64)| {
        let place = Walk::new(&engine.t).place(*t)?;
        let [e, r] = [&engine.v, &rate].map(|y| between(y, place));
        (e > TURNS && *b > 1.0).then(|| (e, b / e, r / e))
    };
    let outside = |t: f64| (t > from - AROUND_S && t < from - 0.2) || (t > to + 0.3 && t < to + AROUND_S);
    let idle: Vec<(f64, f64)> = all
        .t
        .iter()
        .zip(&all.v)
        .filter(|(t, _)| outside(**t))
        .filter_map(point)
        .map(|(_, k, x)| (k, x))
        .collect();
    let unloaded = line(&idle);
    let late = unloaded.map_or(0.0, |(_, slope)| slope);
    let pull = all.between(from, to);
    let (rpm, ratio) =
        binned(pull.t.iter().zip(&pull.v).filter_map(point).map(|(e, k, x)| (e, k - late * x)))?;
    let mut lower = ratio[..ratio.len().div_ceil(2)].to_vec();
    let (reference, against) = match unloaded {
        Some((k, _)) => (k, Against::WithoutLoad),
        None => (median_in_place(&mut lower), Against::LowerHalf),
    };
    let (at, worst) =
        ratio.iter().map(|r| 1.0 - r / reference).enumerate().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let kind = if worst > BELT_SLIPS {
        let slips = |r: &f64| 1.0 - r / reference > 0.5 * BELT_SLIPS;
        let place = |i: Option<usize>| i.map_or(rpm[0], |i| rpm[i]);
        CouplingKind::BeltSlip {
            from_rpm: place(ratio.iter().position(slips)),
            to_rpm: place(ratio.iter().rposition(slips)),
        }
    } else {
        CouplingKind::Follows
    };
    Some(Coupling { kind, worst_rpm: rpm[at], rpm, ratio, reference, against, worst })
}

/// Ratio at rest and its slope over rate ÷ speed; `None` with fewer than twenty points or no change of speed
/// among them.
fn line(points: &[(f64, f64)]) -> Option<(f64, f64)> {
    if points.len() < 20 {
        return None;
    }
    let mut ratios: Vec<f64> = points.iter().map(|p| p.0).collect();
    let middle = median_in_place(&mut ratios);
    let near: Vec<&(f64, f64)> = points.iter().filter(|p| (p.0 / middle - 1.0).abs() < 0.1).collect();
    let n = near.len() as f64;
    let (my, mx) = (near.iter().map(|p| p.0).sum::<f64>() / n, near.iter().map(|p| p.1).sum::<f64>() / n);
    let (xx, xy) =
        near.iter().fold((0.0, 0.0), |a, p| (a.0 + (p.1 - mx).powi(2), a.1 + (p.1 - mx) * (p.0 - my)));
    (near.len() >= 20 && xx / n > MOVES * MOVES).then(|| (my - xy / xx * mx, xy / xx))
}

/// Median ratio over steps of engine speed, at least five of them, from pairs of engine speed and ratio.
fn binned(points: impl Iterator<Item = (f64, f64)>) -> Option<(Vec<f64>, Vec<f64>)> {
    let mut bins: std::collections::BTreeMap<i64, Vec<f64>> = std::collections::BTreeMap::new();
    for (e, ratio) in points.filter(|p| p.0 > TURNS) {
        bins.entry((e / STEP_RPM).round() as i64).or_default().push(ratio);
    }
    (bins.len() >= 5)
        .then(|| bins.into_iter().map(|(k, mut v)| (k as f64 * STEP_RPM, median_in_place(&mut v))).unzip())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;
    use crate::log::Recording;

    /// Engine swept from 2000 to 6200 rpm in 7 s; the other speed follows `other(engine)`.
    fn log(name: &str, other: impl Fn(f64) -> f64) -> Recording {
        let mut r = Recording { t: (0..700).map(|i| f64::from(i) * 0.01).collect(), ..Recording::default() };
        let e: Vec<f64> = r.t.iter().map(|t| 2000.0 + 600.0 * t).collect();
        let o =
            e.iter().enumerate().map(|(i, e)| other(*e) * (1.0 + 0.0004 * f64::from(i as u8 % 3))).collect();
        r.channels.insert(Channel::new("engine_speed").unwrap(), e);
        r.channels.insert(Channel::new(name).unwrap(), o);
        r
    }

    fn kind_of(other: impl Fn(f64) -> f64) -> CouplingKind {
        let r = log("roller_speed", other);
        coupling(&Beside { dyno: &r, ecu: None }, 0.0, 7.0, Some(4.0)).unwrap().kind
    }

    #[test]
    fn each_way_of_parting_has_its_name() {
        assert_eq!(kind_of(|e| e / 4.0), CouplingKind::Follows);
        assert!(
            matches!(kind_of(|e| e / 5.1), CouplingKind::OtherRatio { ratio } if (ratio - 5.1).abs() < 0.01)
        );
        let converter = kind_of(|e| e / (4.0 * (1.0 + 0.5 * (-(e - 2000.0) / 500.0).exp())));
        assert!(
            matches!(converter, CouplingKind::Converter { closed_rpm } if (2200.0..2700.0).contains(&closed_rpm)),
            "{converter:?}"
        );
        assert_eq!(
            kind_of(|e| e / (4.0 * (1.0 + 0.03 * (1.0 - ((e - 4300.0) / 2300.0).powi(2))))),
            CouplingKind::Slip
        );
    }

    #[test]
    fn a_belt_is_measured_against_its_own_lower_half() {
        let r = log("blower_speed", |e| e * 1.9 * (1.0 - 0.06 * ((e - 5200.0) / 1000.0).max(0.0)));
        let b = belt(&Beside { dyno: &r, ecu: None }, 0.0, 7.0).unwrap();
        assert!(
            matches!(b.kind, CouplingKind::BeltSlip { from_rpm, .. } if (5300.0..5400.0).contains(&from_rpm)),
            "{b:?}"
        );
        assert!((b.worst - 0.06).abs() < 0.005 && b.worst_rpm > 6000.0, "{b:?}");
        assert_eq!(b.against, Against::LowerHalf);
        let r = log("blower_speed", |e| e * 1.9);
        assert_eq!(belt(&Beside { dyno: &r, ecu: None }, 0.0, 7.0).unwrap().kind, CouplingKind::Follows);
    }

    #[test]
    fn a_blower_sensor_that_lags_is_no_slipping_belt() {
        // Steady, a fast ramp from 2500 to 8500 rpm, a lift; the blower's speed is 60 ms late, and slips 3 %
        // above 7000 rpm in the second.
        let speed = |t: f64| {
            if t < 2.0 {
                2500.0
            } else if t < 6.0 {
                2500.0 + 1500.0 * (t - 2.0)
            } else {
                (8500.0 - 1200.0 * (t - 6.0)).max(3000.0)
            }
        };
        let made = |slip: f64| {
            let mut r =
                Recording { t: (0..1000).map(|i| f64::from(i) * 0.01).collect(), ..Recording::default() };
            let e: Vec<f64> = r.t.iter().map(|t| speed(*t)).collect();
            let b =
                r.t.iter()
                    .map(|t| {
                        1.9 * speed(t - 0.06) * if speed(*t) > 7000.0 && *t < 6.0 { 1.0 - slip } else { 1.0 }
                    })
                    .collect();
            r.channels.insert(Channel::new("engine_speed").unwrap(), e);
            r.channels.insert(Channel::new("blower_speed").unwrap(), b);
            belt(&Beside { dyno: &r, ecu: None }, 2.1, 5.9).unwrap()
        };
        let (holds, slips) = (made(0.0), made(0.03));
        assert_eq!((holds.kind, holds.against), (CouplingKind::Follows, Against::WithoutLoad), "{holds:?}");
        assert!(matches!(slips.kind, CouplingKind::BeltSlip { .. }), "{slips:?}");
        assert!((slips.worst - 0.03).abs() < 0.006 && slips.worst_rpm > 7000.0, "{slips:?}");
    }

    #[test]
    fn without_two_speeds_nothing_is_said() {
        let r = Recording { t: vec![0.0, 1.0], ..Recording::default() };
        assert!(coupling(&Beside { dyno: &r, ecu: None }, 0.0, 1.0, Some(4.0)).is_none());
        assert!(belt(&Beside { dyno: &r, ecu: None }, 0.0, 1.0).is_none());
    }
}
