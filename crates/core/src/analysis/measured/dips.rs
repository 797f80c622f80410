//! Dips in a curve, and what moved at the same moment.

use super::beside::Beside;
use super::causes::causes;
use super::happened::Cause;
use serde::{Deserialize, Serialize};

/// A dip is judged against the lower of the highest points within this reach on either side, rpm (our choice:
/// a wider hollow is the shape of the engine, not an event).
const REACH_RPM: f64 = 800.0;
/// A dip must be this deep against its own level (our choice: about twice what neighbouring grid points
/// differ by).
const MIN_DEPTH: f64 = 0.02;
/// And this many times deeper than the curve's own roughness.
const OVER_ROUGHNESS: f64 = 5.0;
/// Fewer points have no shape.
const FEWEST: usize = 7;

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
    /// What moved with it, the most certain first; empty when nothing that was recorded did.
    pub causes: Vec<Cause>,
}

/// Finds dips in torque over rpm. `time_s` is the time at each grid speed; points marked `edge` are not
/// looked at.
///
/// # Formula
/// `depth_i = min(max T left, max T right) − T_i`, a dip where `depth > max(0.02·T_i, 5·rough)`;
/// `rough = median |T_i − (T_(i−1) + T_(i+1))/2|`
///
/// where
/// - `T`: torque, N·m, on the grid; left and right: up to 800 rpm to either side;
/// - the depth given is a share of the level around it; its ends are where it is half as deep (domain, section 3;
///   reach and thresholds are our choice).
pub fn find_dips(
    rpm: &[f64],
    torque_nm: &[f64],
    edge: &[bool],
    time_s: &[f64],
    beside: &Beside<'_>,
) -> Vec<Dip> {
    let keep: Vec<usize> = (0..rpm.len())
        .filter(|&i| !edge.get(i).copied().unwrap_or(false) && torque_nm[i].is_finite())
        .collect();
    let v: Vec<f64> = keep.iter().map(|&i| torque_nm[i]).collect();
    let x: Vec<f64> = keep.iter().map(|&i| rpm[i]).collect();
    let found = hollows(&x, &v, MIN_DEPTH).into_iter().map(|h| {
        let (from_s, to_s) = (time_s[keep[h.from]], time_s[keep[h.to]]);
        Dip {
            rpm: x[h.low],
            from_rpm: x[h.from],
            to_rpm: x[h.to],
            depth: h.depth / (v[h.low] + h.depth),
            from_s: from_s.min(to_s),
            to_s: from_s.max(to_s),
            causes: causes(beside, from_s.min(to_s), from_s.max(to_s)),
        }
    });
    found.collect()
}

/// A hollow in a curve, by the indices of its points.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(in crate::analysis) struct Hollow {
    /// Its deepest point.
    pub(in crate::analysis) low: usize,
    /// Where it is half as deep, on either side.
    pub(in crate::analysis) from: usize,
    pub(in crate::analysis) to: usize,
    /// Its shoulders: the nearest points on either side as high as the lower of the highest around.
    pub(in crate::analysis) left: usize,
    pub(in crate::analysis) right: usize,
    /// Depth, in the curve's unit.
    pub(in crate::analysis) depth: f64,
}

/// Hollows deeper than a share of their level and than the curve's roughness allows; see [`find_dips`].
pub(in crate::analysis) fn hollows(x: &[f64], v: &[f64], least: f64) -> Vec<Hollow> {
    if v.len() < FEWEST {
        return Vec::new();
    }
    let depth = depths(x, v);
    let mut rough: Vec<f64> = v.windows(3).map(|w| (w[1] - 0.5 * (w[0] + w[2])).abs()).collect();
    let roughness = crate::signal::median::median_in_place(&mut rough);
    let floor = |i: usize| (least * v[i].abs()).max(OVER_ROUGHNESS * roughness);
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
        let level = v[low] + depth[low] - 1e-9;
        out.push(Hollow {
            low,
            from: (0..=low).rev().find(|&k| depth[k] < half).map_or(0, |k| k + 1),
            to: (low..v.len()).find(|&k| depth[k] < half).map_or(v.len() - 1, |k| k - 1),
            left: (0..low).rev().find(|&k| v[k] >= level).unwrap_or(0),
            right: (low..v.len()).find(|&k| v[k] >= level).unwrap_or(v.len() - 1),
            depth: depth[low],
        });
        i = end.max(i + 1);
    }
    out
}

/// How far each point lies below the lower of the highest points on either side.
fn depths(x: &[f64], v: &[f64]) -> Vec<f64> {
    (0..v.len())
        .map(|i| {
            let highest = |r: std::ops::Range<usize>| {
                r.filter(|&k| (x[k] - x[i]).abs() <= REACH_RPM).map(|k| v[k]).fold(v[i], f64::max)
            };
            (highest(0..i).min(highest(i + 1..v.len())) - v[i]).max(0.0)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::log::Recording;

    /// Torque rising then falling, hollowed at 4000 rpm; one sample each 50 rpm, 600 rpm/s.
    fn curve(depth: f64, width: f64) -> (Vec<f64>, Vec<f64>, Vec<bool>, Vec<f64>) {
        let rpm: Vec<f64> = (40..=130).map(|k| f64::from(k) * 50.0).collect();
        let v = rpm
            .iter()
            .map(|r| {
                200.0
                    - ((r - 4200.0) / 400.0).powi(2)
                    - 200.0 * depth * (-((r - 4000.0) / width).powi(2)).exp()
            })
            .collect();
        let t = rpm.iter().map(|r| (r - 2000.0) / 600.0).collect();
        let edge = vec![false; rpm.len()];
        (rpm, v, edge, t)
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
        assert!(
            find_dips(&rpm, &v, &edge, &t, &beside).is_empty(),
            "half a per cent is the curve's own roughness"
        );
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
}
