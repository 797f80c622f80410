//! How engine and dyno, or engine and blower, turned against each other over the pull, and what to call it.

use super::dips::Beside;
use crate::log::Series;
use crate::signal::hygiene::median_in_place;
use serde::{Deserialize, Serialize};

/// Agreement better than this is said to follow the geometry (our choice: twice what speed sensors usually differ by).
const FOLLOWS: f64 = 0.005;
/// A steady difference this large is another ratio, not slip.
const OTHER_RATIO: f64 = 0.08;
/// Points per stretch that a median is taken of.
const STEP_RPM: f64 = 100.0;

/// What the ratio of two speeds says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CouplingKind {
    /// The ratio stays at its reference.
    Follows,
    /// Well above the geometry at low speed, closing as speed rises.
    Converter,
    /// Grows under load: tyre or clutch.
    Slip,
    /// Steady and far from the geometry.
    OtherRatio,
    /// The driven side falls behind where speed is high.
    BeltSlip,
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
    /// Largest share above the reference (below it for a belt).
    pub worst: f64,
    /// Where, rpm.
    pub worst_rpm: f64,
    /// The sentence.
    pub text: String,
}

/// Engine speed ÷ shaft speed over the pull against the geometry; `None` when the two speeds are not both measured.
/// `geometry` absent: against the median of the upper half, where a converter has closed.
pub fn coupling(beside: &Beside<'_>, from: f64, to: f64, geometry: Option<f64>) -> Option<Coupling> {
    let shaft = beside.dyno.series("roller_speed")?.between(from, to);
    let engine = match beside.ecu {
        Some(_) => beside.series("engine_speed")?,
        None => beside.dyno.series("engine_speed")?,
    };
    let (rpm, ratio) = binned(&engine, &shaft, |e, s| e / s)?;
    let mut upper = ratio[ratio.len() / 2..].to_vec();
    let reference = geometry.unwrap_or_else(|| median_in_place(&mut upper));
    let excess: Vec<f64> = ratio.iter().map(|r| r / reference - 1.0).collect();
    let (at, worst) = excess.iter().copied().enumerate().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))?;
    let mut all = excess.clone();
    let middle = median_in_place(&mut all);
    let (third, last) = (excess.len().div_ceil(3), excess[excess.len() - 1]);
    let spread = excess.iter().fold(0.0_f64, |m, e| m.max((e - middle).abs()));
    let (place, pc) = (format!("at {:.0} rpm", rpm[at]), 100.0 * worst);
    let (kind, text) = if middle.abs() > OTHER_RATIO && spread < 0.5 * middle.abs() {
        let k = reference * (1.0 + middle);
        (CouplingKind::OtherRatio, format!("the ratio stays near {k:.3} where the geometry says {reference:.3}: another gear?"))
    } else if worst.abs() <= FOLLOWS {
        (CouplingKind::Follows, format!("the two speeds follow the ratio of {reference:.3} within {:.1} %", 100.0 * worst.abs()))
    } else if at < third && worst > 0.03 && last < 0.4 * worst {
        let closed = excess.iter().rposition(|e| *e > 0.4 * worst).map_or(rpm[0], |i| rpm[i]);
        let text = format!("engine {pc:.0} % faster than the shaft {place}, closing by {closed:.0} rpm: converter multiplication");
        (CouplingKind::Converter, text)
    } else {
        (CouplingKind::Slip, format!("engine up to {pc:.1} % faster than the ratio of {reference:.3} says, {place}: tyre or clutch slip"))
    };
    Some(Coupling { kind, rpm: rpm.clone(), ratio, reference, worst, worst_rpm: rpm[at], text })
}

/// Blower speed ÷ engine speed over the pull against its own level in the lower half; `None` without a blower speed.
pub fn belt(beside: &Beside<'_>, from: f64, to: f64) -> Option<Coupling> {
    let blower = beside.series("blower_speed")?.between(from, to);
    let (rpm, ratio) = binned(&beside.series("engine_speed")?, &blower, |e, b| b / e)?;
    let mut lower = ratio[..ratio.len().div_ceil(2)].to_vec();
    let reference = median_in_place(&mut lower);
    let (at, worst) = ratio.iter().map(|r| 1.0 - r / reference).enumerate().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let (kind, text) = if worst > 0.01 {
        let from = ratio.iter().rposition(|r| 1.0 - r / reference < 0.005).map_or(rpm[0], |i| rpm[(i + 1).min(rpm.len() - 1)]);
        (CouplingKind::BeltSlip, format!("the blower falls {:.1} % behind its belt at {:.0} rpm, from {from:.0} rpm up", 100.0 * worst, rpm[at]))
    } else {
        (CouplingKind::Follows, format!("the blower keeps its ratio of {reference:.3} within {:.1} %", 100.0 * worst.max(0.0)))
    };
    Some(Coupling { kind, worst_rpm: rpm[at], rpm, ratio, reference, worst, text })
}

/// Median of `of(engine, other)` over steps of engine speed, at least five of them.
fn binned(engine: &Series, other: &Series, of: impl Fn(f64, f64) -> f64) -> Option<(Vec<f64>, Vec<f64>)> {
    let mut bins: std::collections::BTreeMap<i64, Vec<f64>> = std::collections::BTreeMap::new();
    for (t, v) in other.t.iter().zip(&other.v) {
        if let Some(e) = engine.at(*t).filter(|e| *e > 100.0 && *v > 1.0) {
            bins.entry((e / STEP_RPM).round() as i64).or_default().push(of(e, *v));
        }
    }
    (bins.len() >= 5).then(|| bins.into_iter().map(|(k, mut v)| (k as f64 * STEP_RPM, median_in_place(&mut v))).unzip())
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
        let o = e.iter().enumerate().map(|(i, e)| other(*e) * (1.0 + 0.0004 * f64::from(i as u8 % 3))).collect();
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
        assert_eq!(kind_of(|e| e / 5.1), CouplingKind::OtherRatio);
        assert_eq!(kind_of(|e| e / (4.0 * (1.0 + 0.5 * (-(e - 2000.0) / 500.0).exp()))), CouplingKind::Converter);
        assert_eq!(kind_of(|e| e / (4.0 * (1.0 + 0.03 * (1.0 - ((e - 4300.0) / 2300.0).powi(2))))), CouplingKind::Slip);
    }

    #[test]
    fn a_belt_is_measured_against_its_own_lower_half() {
        let r = log("blower_speed", |e| e * 1.9 * (1.0 - 0.06 * ((e - 5200.0) / 1000.0).max(0.0)));
        let b = belt(&Beside { dyno: &r, ecu: None }, 0.0, 7.0).unwrap();
        assert_eq!(b.kind, CouplingKind::BeltSlip);
        assert!((b.worst - 0.06).abs() < 0.005 && b.worst_rpm > 6000.0, "{}", b.text);
        assert!(b.text.contains("from 53"), "{}", b.text);
        let r = log("blower_speed", |e| e * 1.9);
        assert_eq!(belt(&Beside { dyno: &r, ecu: None }, 0.0, 7.0).unwrap().kind, CouplingKind::Follows);
    }

    #[test]
    fn without_two_speeds_nothing_is_said() {
        let r = Recording { t: vec![0.0, 1.0], ..Recording::default() };
        assert!(coupling(&Beside { dyno: &r, ecu: None }, 0.0, 1.0, Some(4.0)).is_none());
        assert!(belt(&Beside { dyno: &r, ecu: None }, 0.0, 1.0).is_none());
    }
}
