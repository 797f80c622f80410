//! Whose engine speed a pull has: that of the shaft times the ratio, or the one that was measured.
//!
//! Where nothing slips the two are equal and the shaft's is the quieter one. Behind a converter, a slipping
//! clutch or a tyre that creeps they part, and torque referred to a speed the engine never had is wrong.

use super::dyno::DynoKind;
use crate::log::{Recording, Series};
use crate::signal::median::{median_in_place, running_median};
use crate::signal::savgol::WindowPlan;
use serde::{Deserialize, Serialize};

/// The ratio of the two speeds is taken as its median over this, s (domain, section 2).
const MEDIAN_S: f64 = 0.3;
/// They have parted when they differ by more than this share …
const PARTED: f64 = 0.005;
/// … for longer than this, s (domain, section 2).
const FOR_S: f64 = 0.5;
/// A departure that stays within this share of its own median is a wrong ratio (our choice: what counts as
/// agreement).
const STEADY: f64 = 0.005;
/// The measured speed may be missing for this long at either end of the pull, or between, s (our choice: the
/// window of the median).
const HOLE_S: f64 = 0.3;
/// Fewest samples of the measured speed.
const FEWEST: usize = 10;

/// Where the engine speed of a pull comes from: its axis, its torque and its labels.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SpeedFrom {
    /// Measured at the engine.
    Measured,
    /// Shaft speed times the ratio.
    #[default]
    Shaft,
}

impl SpeedFrom {
    /// Whether it is the shaft's.
    pub fn is_shaft(&self) -> bool {
        *self == Self::Shaft
    }
}

/// Engine speed as it was measured, on the dyno's clock: a tachometer of the dyno needs no lag, the engine
/// computer's speed has one where its log is aligned.
pub fn measured_speed(dyno: &Recording, ecu: Option<(&Recording, f64)>) -> Option<Series> {
    dyno.series("engine_speed")
        .or_else(|| ecu.and_then(|(log, lag)| Some(log.series("engine_speed")?.shifted(-lag))))
}

/// Decides whose speed a pull has.
///
/// # Formula
/// `d(t) = n_measured / (n_shaft·k) − 1`, its running median over 0.3 s; measured speed is used for the whole
/// pull when `|d| > 0.005` for more than 0.5 s on end and `d` is not steady (domain, section 2).
///
/// where
/// - `n_measured`: engine speed by a tachometer or the engine computer, rpm; `n_shaft`: speed of the dyno's shaft,
///   rpm; `k`: engine rpm per rpm of the shaft; steady: all of it within 0.005 of its own median, which is a wrong
///   ratio rather than slip.
///
/// What the standard uncertainty of the lag can make of a ramp, `2·σ_lag·|dn/dt|/n`, is added to 0.005 (our
/// choice: a lag out by 20 ms on a fast ramp looks like slip). An engine dyno has no ratio that could slip. A measured speed with a hole, or one that does not reach from
/// one end of the pull to the other, decides nothing.
///
/// ```
/// use jamjar_core::log::Series;
/// use jamjar_core::pull::engine_speed::{SpeedFrom, whose};
/// use jamjar_core::pull::dyno::DynoKind;
///
/// let t: Vec<f64> = (0..600).map(|i| 0.01 * f64::from(i)).collect();
/// let shaft = Series { v: t.iter().map(|t| 500.0 + 150.0 * t).collect(), t: t.clone() };
/// let engine = |slip: f64| {
///     let v = shaft.v.iter().zip(&t).map(|(s, t)| 4.0 * s * (1.0 + slip * (-t / 1.5).exp())).collect();
///     Series { t: t.clone(), v }
/// };
/// let from = |e: &Series| whose(e, &shaft, [0.0, 5.9], 4.0, DynoKind::RollerBrake, 0.002);
/// assert_eq!((from(&engine(0.2)), from(&engine(0.002))), (SpeedFrom::Measured, SpeedFrom::Shaft));
/// ```
pub fn whose(
    engine: &Series,
    shaft: &Series,
    span: [f64; 2],
    ratio: f64,
    kind: DynoKind,
    sigma_lag_s: f64,
) -> SpeedFrom {
    let [from, to] = span;
    let known = engine.between(from - HOLE_S, to + HOLE_S);
    if kind == DynoKind::Engine || known.len() < FEWEST || holed(&known, from, to) {
        return SpeedFrom::Shaft;
    }
    let inside = shaft.between(from, to);
    let mut at = known.reader();
    let room = || Vec::with_capacity(inside.len());
    let (mut which, mut t, mut off) = (Vec::with_capacity(inside.len()), room(), room());
    for (i, (ti, s)) in inside.t.iter().zip(&inside.v).enumerate().filter(|(_, (_, s))| **s > 1.0) {
        if let Some(n) = at.at(*ti) {
            which.push(i);
            t.push(*ti);
            off.push(n / (s * ratio) - 1.0);
        }
    }
    if !could_part(&t, &off) {
        return SpeedFrom::Shaft;
    }
    let rate = WindowPlan::new(&inside.t, MEDIAN_S).rates(&inside.v);
    let doubt: Vec<f64> =
        which.iter().map(|&i| PARTED + 2.0 * sigma_lag_s * (rate[i] / inside.v[i]).abs()).collect();
    let off = running_median(&t, &off, MEDIAN_S);
    let mut all = off.clone();
    if all.is_empty() {
        return SpeedFrom::Shaft;
    }
    let middle = median_in_place(&mut all);
    let steady = off.iter().all(|d| (d - middle).abs() <= STEADY);
    if !steady && longest_apart(&t, &off, &doubt) > FOR_S { SpeedFrom::Measured } else { SpeedFrom::Shaft }
}

/// Whether a series misses more than may be missing at an end or in between.
fn holed(s: &Series, from: f64, to: f64) -> bool {
    let (first, last) = (s.t[0], s.t[s.len() - 1]);
    first > from + HOLE_S || last < to - HOLE_S || s.t.windows(2).any(|w| w[1] - w[0] > HOLE_S)
}

/// Whether medians of a window could lie apart for long enough: for one to do so half of what it is taken of must. It
/// is counted in a single pass, and settles nearly every pull.
fn could_part(t: &[f64], off: &[f64]) -> bool {
    let (mut a, mut b, mut apart) = (0, 0, 0_usize);
    let is_apart = |i: usize| usize::from(off[i].abs() > PARTED || off[i].is_nan());
    let mut since = None;
    for ti in t {
        while b < t.len() && t[b] <= ti + MEDIAN_S / 2.0 {
            apart += is_apart(b);
            b += 1;
        }
        while t[a] < ti - MEDIAN_S / 2.0 {
            apart -= is_apart(a);
            a += 1;
        }
        if 2 * apart < b - a {
            since = None;
        } else if ti - *since.get_or_insert(*ti) > FOR_S {
            return true;
        }
    }
    false
}

/// Longest time on end that the two differ, s.
fn longest_apart(t: &[f64], off: &[f64], within: &[f64]) -> f64 {
    let (mut longest, mut since) = (0.0_f64, None);
    for ((ti, d), w) in t.iter().zip(off).zip(within) {
        if d.abs() <= *w {
            since = None;
            continue;
        }
        longest = longest.max(ti - *since.get_or_insert(*ti));
    }
    longest
}

#[cfg(test)]
mod tests {
    use super::*;

    const SPAN: [f64; 2] = [0.0, 5.9];

    fn shaft() -> Series {
        let t: Vec<f64> = (0..600).map(|i| 0.01 * f64::from(i)).collect();
        Series { v: t.iter().map(|t| 500.0 + 150.0 * t).collect(), t }
    }

    /// Engine speed at 20 Hz that departs from four times the shaft's by a share, rounded to 10 rpm.
    fn engine(off: impl Fn(f64) -> f64) -> Series {
        let t: Vec<f64> = (0..120).map(|i| 0.05 * f64::from(i)).collect();
        let v =
            t.iter().map(|t| (4.0 * (500.0 + 150.0 * t) * (1.0 + off(*t)) / 10.0).round() * 10.0).collect();
        Series { t, v }
    }

    fn from(off: impl Fn(f64) -> f64) -> SpeedFrom {
        whose(&engine(off), &shaft(), SPAN, 4.0, DynoKind::RollerBrake, 0.002)
    }

    #[test]
    fn a_converter_and_a_slipping_clutch_part_the_speeds_and_a_wrong_ratio_does_not() {
        assert_eq!(from(|t| 0.3 * (-t / 1.2).exp()), SpeedFrom::Measured);
        assert_eq!(from(|t| if (3.0..3.8).contains(&t) { 0.02 } else { 0.0 }), SpeedFrom::Measured);
        assert_eq!(from(|_| 0.0), SpeedFrom::Shaft);
        assert_eq!(from(|_| 0.04), SpeedFrom::Shaft, "steady: another ratio");
        assert_eq!(from(|t| if (3.0..3.3).contains(&t) { 0.02 } else { 0.0 }), SpeedFrom::Shaft, "too short");
    }

    proptest::proptest! {
        /// What is counted beforehand never settles a pull otherwise than the medians would.
        #[test]
        fn what_could_not_part_has_not_parted(
            steps in proptest::collection::vec(0.005..0.03_f64, 20..120),
            off in proptest::collection::vec(-0.012..0.012_f64, 120),
            least in 0.0..0.004_f64,
        ) {
            let t: Vec<f64> = steps.iter().scan(0.0, |t, s| { *t += s; Some(*t) }).collect();
            // Runs on one side, so that some of them are long.
            let off: Vec<f64> = off.iter().enumerate().map(|(i, d)| d + if i % 80 < 60 { 0.004 } else { -0.004 }).take(t.len()).collect();
            let medians = running_median(&t, &off, MEDIAN_S);
            let within = vec![PARTED + least; t.len()];
            if longest_apart(&t, &medians, &within) > FOR_S {
                proptest::prop_assert!(could_part(&t, &off));
            }
        }
    }

    #[test]
    fn a_measured_speed_that_does_not_cover_the_pull_decides_nothing() {
        let slips = engine(|t| 0.3 * (-t / 1.2).exp());
        let said = |e: &Series, kind| whose(e, &shaft(), SPAN, 4.0, kind, 0.0);
        assert_eq!(said(&slips, DynoKind::Hub), SpeedFrom::Measured, "a converter slips on hubs too");
        assert_eq!(said(&slips, DynoKind::Engine), SpeedFrom::Shaft);
        assert_eq!(said(&slips.between(0.0, 4.0), DynoKind::RollerBrake), SpeedFrom::Shaft);
        let keep = |t: f64| !(2.0..2.5).contains(&t);
        let (t, v) = slips.t.iter().zip(&slips.v).filter(|(t, _)| keep(**t)).map(|(t, v)| (*t, *v)).unzip();
        assert_eq!(said(&Series { t, v }, DynoKind::RollerBrake), SpeedFrom::Shaft);
    }
}
