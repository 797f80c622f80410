//! Where a vehicle is driven: a band of engine speed, or a histogram of time at load, and the power that
//! counts there.

use crate::curve::Curve;
use crate::log::Recording;
use crate::units::typed;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use thiserror::Error;

/// Width of a bin, rpm.
pub const BIN_RPM: f64 = 250.0;
/// Bins kept: up to 16 000 rpm.
const BINS: usize = 64;
/// Width over which the weight rises from nothing at the ends of a band, rpm (our choice).
pub const FADE_RPM: f64 = 500.0;
/// Time at the ends of a histogram that is left out, as a share of the whole at either end: nobody pulls down
/// to idle (our choice).
const TAIL: f64 = 0.025;
/// From this much throttle on, a moment counts, %; it counts by how far it is open beyond (our choice).
const COUNTS_FROM: f64 = 50.0;

/// Where a vehicle is driven.
#[allow(clippy::large_enum_variant, reason = "copied with the settings; a box could not be")]
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
pub enum Driven {
    /// Full weight inside, rising from nothing over [`FADE_RPM`] at both ends.
    Band([f64; 2]),
    /// Weights of bins.
    Histogram(Histogram),
}

/// Weight of each bin of [`BIN_RPM`], adding up to 1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Histogram([f32; BINS]);

/// What cannot be a place where something is driven.
#[derive(Debug, Clone, PartialEq, Error)]
#[error(
    "where it is driven: {0}; write a band as 2500-6500, or pairs of rpm and share as 2000 5, 2500 12, 3000 20"
)]
pub struct BadDriven(String);

#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Written {
    Band([f64; 2]),
    Pairs(Vec<[f64; 2]>),
}

impl TryFrom<Written> for Driven {
    type Error = BadDriven;
    fn try_from(w: Written) -> Result<Self, BadDriven> {
        match w {
            Written::Band([a, b]) if a >= 0.0 && b > a && b <= BIN_RPM * BINS as f64 => {
                Ok(Self::Band([a, b]))
            }
            Written::Band([a, b]) => Err(BadDriven(format!("{a} to {b} is not a band of engine speed"))),
            Written::Pairs(pairs) => Histogram::new(&pairs).map(Self::Histogram),
        }
    }
}

impl From<Driven> for Written {
    fn from(d: Driven) -> Self {
        match d {
            Driven::Band(b) => Self::Band(b),
            Driven::Histogram(h) => Self::Pairs(h.pairs().collect()),
        }
    }
}

impl Histogram {
    /// From pairs of engine speed (in the bin) and share, in any common measure.
    ///
    /// # Errors
    /// [`BadDriven`] when a speed lies outside 0 to 16 000 rpm, a share is negative, or nothing has a share.
    pub fn new(pairs: &[[f64; 2]]) -> Result<Self, BadDriven> {
        let mut w = [0.0; BINS];
        for [rpm, share] in pairs {
            if !(0.0..BIN_RPM * BINS as f64).contains(rpm) || !(0.0..f64::INFINITY).contains(share) {
                return Err(BadDriven(format!("{rpm} rpm with a share of {share} makes no sense")));
            }
            w[(rpm / BIN_RPM) as usize] += share;
        }
        let total: f64 = w.iter().sum();
        if total <= 0.0 {
            return Err(BadDriven("nothing has a share".into()));
        }
        Ok(Self(w.map(|v| (v / total) as f32)))
    }

    /// From a recording made while driving: time at each engine speed, counted by how far the throttle is
    /// open beyond half.
    ///
    /// # Errors
    /// [`BadDriven`] without engine speed, without throttle or pedal, or when the throttle was never open.
    pub fn of_recording(log: &Recording) -> Result<Self, BadDriven> {
        let speed = log
            .series("engine_speed")
            .ok_or_else(|| BadDriven("the recording has no engine speed".into()))?;
        let throttle = log.series("throttle").or_else(|| log.series("pedal"));
        let throttle =
            throttle.ok_or_else(|| BadDriven("the recording has neither throttle nor pedal".into()))?;
        let mut open = throttle.reader();
        let mut pairs = Vec::new();
        for (i, rpm) in speed.v.iter().enumerate().skip(1) {
            let lasts = (speed.t[i] - speed.t[i - 1]).min(1.0);
            let share = open
                .at(speed.t[i])
                .map_or(0.0, |v| ((v - COUNTS_FROM) / (100.0 - COUNTS_FROM)).clamp(0.0, 1.0));
            if share > 0.0 && (0.0..BIN_RPM * BINS as f64).contains(rpm) {
                pairs.push([*rpm, share * lasts]);
            }
        }
        Self::new(&pairs).map_err(|_| BadDriven("the throttle was never open beyond half".into()))
    }

    /// Lower edge and weight of each bin that has one.
    pub fn pairs(&self) -> impl Iterator<Item = [f64; 2]> + '_ {
        // Rounded to what a person would write; shares of a millionth are nothing.
        self.0
            .iter()
            .enumerate()
            .filter(|w| *w.1 > 1e-6)
            .map(|(i, w)| [i as f64 * BIN_RPM, (f64::from(*w) * 1e6).round() / 1e6])
    }

    /// Bins between the tails, as lower edge and weight.
    fn body(&self) -> Vec<[f64; 2]> {
        let mut below = 0.0;
        let inside = |[rpm, w]: [f64; 2]| {
            let from = below;
            below += w;
            (below > TAIL && from < 1.0 - TAIL).then_some([rpm, w])
        };
        self.pairs().filter_map(inside).collect()
    }
}

impl Driven {
    /// Engine speeds it reaches over, rpm; of a histogram without its tails.
    pub fn span(&self) -> [f64; 2] {
        match self {
            Self::Band(b) => *b,
            Self::Histogram(h) => {
                let body = h.body();
                [body.first().map_or(0.0, |b| b[0]), body.last().map_or(0.0, |b| b[0] + BIN_RPM)]
            }
        }
    }

    /// Mean power weighted by where it is driven, kW; `None` unless the whole span is covered.
    ///
    /// # Formula
    /// `P̄ = Σ w_b·P̄_b / Σ w_b`
    ///
    /// where
    /// - `w_b`: time driven in bin b of 250 rpm, any unit; tails outside the body left out;
    /// - `P̄_b`: [`Curve::band_mean`] over that bin, kW. A band alone is one bin (domain, section 3: weighted by where
    ///   it is driven).
    ///
    /// ```
    /// use jamjar_core::curve::Curve;
    /// use jamjar_core::driven::Driven;
    /// let rpm: Vec<f64> = (0..=40).map(|i| 3000.0 + 50.0 * f64::from(i)).collect();
    /// let curve = Curve { power_kw: rpm.iter().map(|n| n / 100.0).collect(), rpm, ..Curve::default() };
    /// assert_eq!(Driven::Band([3500.0, 4500.0]).mean(&curve), Some(40.0));
    /// assert_eq!(Driven::Band([2500.0, 4500.0]).mean(&curve), None, "not measured down there");
    /// ```
    pub fn mean(&self, curve: &Curve) -> Option<f64> {
        match self {
            Self::Band(b) => band_mean(curve, *b),
            Self::Histogram(h) => {
                let body = h.body();
                let mut sum = 0.0;
                for [rpm, w] in &body {
                    sum += w * curve.band_mean([*rpm, rpm + BIN_RPM])?;
                }
                let total: f64 = body.iter().map(|b| b[1]).sum();
                (total > 0.0).then(|| sum / total)
            }
        }
    }
}

fn band_mean(curve: &Curve, [a, b]: [f64; 2]) -> Option<f64> {
    if b <= a {
        return None;
    }
    let fade = FADE_RPM.min((b - a) / 2.0);
    let weight = |r: f64| ((r - a).min(b - r) / fade).clamp(0.0, 1.0);
    let power_kw: Vec<f64> = curve.rpm.iter().zip(&curve.power_kw).map(|(r, p)| weight(*r) * p).collect();
    let weighted = Curve { rpm: curve.rpm.clone(), power_kw, cuts: curve.cuts.clone(), ..Curve::default() };
    weighted.area(a, b).map(|s| s / (b - a - fade))
}

impl fmt::Display for Driven {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Band([a, b]) => write!(f, "{a}-{b}"),
            Self::Histogram(h) => {
                let words: Vec<String> =
                    h.pairs().map(|[rpm, w]| format!("{rpm} {:.4}", 100.0 * w)).collect();
                f.write_str(&words.join(", "))
            }
        }
    }
}

impl FromStr for Driven {
    type Err = BadDriven;
    fn from_str(s: &str) -> Result<Self, BadDriven> {
        let text = s.replace('–', "-");
        let number = |v: &str| typed(v).ok_or_else(|| BadDriven(format!("“{}” is not a number", v.trim())));
        if let Some((a, b)) = text.split_once('-') {
            return Self::try_from(Written::Band([number(a)?, number(b)?]));
        }
        let separator = if text.contains(';') { ';' } else { ',' };
        let pair = |p: &str| {
            let (rpm, share) = p
                .trim()
                .split_once([' ', ':'])
                .ok_or_else(|| BadDriven(format!("“{}” is neither a band nor a pair", p.trim())))?;
            Ok([number(rpm)?, number(share)?])
        };
        let pairs = text
            .split(separator)
            .filter(|p| !p.trim().is_empty())
            .map(pair)
            .collect::<Result<Vec<_>, BadDriven>>()?;
        Self::try_from(Written::Pairs(pairs))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;
    use proptest::prelude::*;

    fn line() -> Curve {
        let rpm: Vec<f64> = (20..=140).map(|k| f64::from(k) * 50.0).collect();
        Curve {
            power_kw: rpm.iter().map(|r| r / 50.0).collect(),
            torque_nm: vec![0.0; rpm.len()],
            edge: vec![false; rpm.len()],
            rpm,
            ..Curve::default()
        }
    }

    #[test]
    fn a_histogram_weighs_what_a_band_cannot() {
        let d: Driven = "3000 1, 5000 3".parse().unwrap();
        // Bin means of rpm/50 are 62.5 and 102.5.
        assert!((d.mean(&line()).unwrap() - (62.5 + 3.0 * 102.5) / 4.0).abs() < 1e-4);
        assert_eq!(d.span(), [3000.0, 5250.0]);
        let beyond: Driven = "3000 1; 7500 3".parse().unwrap();
        assert_eq!(beyond.mean(&line()), None, "the pulls do not reach where it is driven");
        let idle: Driven = "750 2, 3000 98".parse().unwrap();
        assert_eq!(idle.span(), [3000.0, 3250.0], "two per cent at idle are left out");
    }

    #[test]
    fn a_road_recording_counts_time_at_load() {
        let t: Vec<f64> = (0..101).map(|i| f64::from(i) * 0.1).collect();
        let mut log = Recording { t: t.clone(), ..Recording::default() };
        log.channels.insert(
            Channel::known("engine_speed"),
            t.iter().map(|t| if *t < 5.0 { 3100.0 } else { 5100.0 }).collect(),
        );
        assert!(
            Histogram::of_recording(&log).unwrap_err().to_string().contains("neither throttle nor pedal")
        );
        log.channels.insert(
            Channel::known("throttle"),
            t.iter().map(|t| if *t < 5.0 { 75.0 } else { 100.0 }).collect(),
        );
        let pairs: Vec<[f64; 2]> = Histogram::of_recording(&log).unwrap().pairs().collect();
        assert_eq!((pairs[0][0], pairs[1][0]), (3000.0, 5000.0));
        assert!((pairs[1][1] / pairs[0][1] - 2.0).abs() < 0.1, "{pairs:?}");
        log.channels.insert(Channel::known("throttle"), vec![20.0; 101]);
        assert!(Histogram::of_recording(&log).unwrap_err().to_string().contains("never open"));
    }

    #[test]
    fn nonsense_is_refused_and_says_what_to_write() {
        for bad in ["6500", "6500-2500", "fast", "3000 -1", "3000 0", "20000 1", "3000 x"] {
            let e = bad.parse::<Driven>().unwrap_err().to_string();
            assert!(e.contains("2500-6500"), "{bad}: {e}");
        }
        assert_eq!("2500–6500".parse::<Driven>().unwrap(), Driven::Band([2500.0, 6500.0]));
    }

    #[test]
    fn both_forms_survive_json() {
        for text in ["[2500.0,6500.0]", "[[3000.0,0.25],[5000.0,0.75]]"] {
            let d: Driven = serde_json::from_str(text).unwrap();
            assert_eq!(serde_json::to_string(&d).unwrap(), text);
        }
    }

    proptest! {
        #[test]
        fn a_flat_curve_has_its_own_value(pairs in prop::collection::vec((1000.0..6700.0f64, 0.1..9.0f64), 1..12)) {
            let flat = Curve { power_kw: vec![50.0; line().rpm.len()], ..line() };
            let pairs: Vec<[f64; 2]> = pairs.into_iter().map(|(r, w)| [r, w]).collect();
            let d = Driven::Histogram(Histogram::new(&pairs).unwrap());
            prop_assert!((d.mean(&flat).unwrap() - 50.0).abs() < 1e-6);
            let again: Driven = d.to_string().parse().unwrap();
            prop_assert!((again.mean(&line()).unwrap() - d.mean(&line()).unwrap()).abs() < 0.05);
        }
    }
}
