//! The same curves along another axis than engine speed: dyno-shaft speed, road speed, or time from tip-in.
//!
//! Figures, verdicts and words stay at engine speed; only what is drawn, with its band, moves to the other
//! axis.

use super::curves::mean_curve;
use crate::analysis::given::Along;
use crate::analysis::measured::Measured;
use crate::curve::{Curve, index_of};
use crate::pull::span::PullKind;
use crate::signal::interp::linear;
use crate::signal::median::median_in_place;
use crate::stats::two_sets::mean;

/// Points on the way from one gridded sample to the next may be filled in; over more than so many usual gaps
/// they may not.
const HOLE: f64 = 2.5;

/// Where each grid speed of a pull lies on the axis; `None` when it was not measured, or the pull held its
/// speeds: then there is nothing between the steps to read.
fn places(along: Along, m: &Measured) -> Option<Vec<f64>> {
    let span = m.span.filter(|s| s.kind != PullKind::HeldSteps)?;
    match along {
        Along::EngineSpeed => Some(m.grid.rpm.clone()),
        Along::ShaftSpeed => {
            Some(m.grid.shaft_rpm.clone().unwrap_or_else(|| m.grid.rpm.iter().map(|r| r / m.ratio).collect()))
        }
        Along::RoadSpeed => m.grid.road_kmh.clone(),
        Along::Time => Some(m.grid.time_s.iter().map(|t| t - span.from_s).collect()),
    }
}

/// The curves of a set's pulls along another axis; in each [`Curve`] `rpm` is the place on it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct OtherAxis {
    /// One for each pull; empty where the axis was not measured.
    pub pulls: Vec<Curve>,
    /// Mean over the included pulls.
    pub mean: Curve,
    /// Engine speeds of the set's mean curve that have a place on the axis, rpm, and their mean places.
    pub places: [Vec<f64>; 2],
}

impl OtherAxis {
    /// The place of an engine speed, between those known.
    pub fn place(&self, rpm: f64) -> Option<f64> {
        linear(&self.places[0], &self.places[1], rpm)
    }
}

/// Reads corrected curves of a set along another axis; `rpm` are the engine speeds of its mean curve.
pub(super) fn other_axis(
    along: Along,
    measured: &[&Measured],
    curves: &[&Curve],
    included: &[bool],
    rpm: &[f64],
) -> OtherAxis {
    let places: Vec<Option<Vec<f64>>> = measured.iter().map(|m| places(along, m)).collect();
    let pulls: Vec<Curve> = places
        .iter()
        .zip(curves)
        .map(|(p, c)| p.as_ref().map_or_else(Curve::default, |x| again(x, c, along.step())))
        .collect();
    let counted: Vec<&Curve> = pulls.iter().zip(included).filter(|p| *p.1).map(|p| p.0).collect();
    let placed: Vec<(&&Measured, &Vec<f64>)> = measured
        .iter()
        .zip(&places)
        .zip(included)
        .filter(|p| *p.1)
        .filter_map(|((m, x), _)| Some((m, x.as_ref()?)))
        .collect();
    let mean_place = |rpm: &f64| {
        let at: Vec<f64> = placed.iter().filter_map(|(m, x)| Some(x[index_of(&m.grid.rpm, *rpm)?])).collect();
        (!at.is_empty()).then(|| (*rpm, mean(&at)))
    };
    let (known, at) = rpm.iter().filter_map(mean_place).unzip();
    OtherAxis { mean: mean_curve(&counted), places: [known, at], pulls }
}

/// More points than this are no axis anybody reads.
const MOST_POINTS: f64 = 100_000.0;

/// A curve at multiples of `step` of its places, between neighbours that are no hole apart.
fn again(x: &[f64], c: &Curve, step: f64) -> Curve {
    let mut order: Vec<usize> = (0..x.len().min(c.rpm.len())).filter(|&i| x[i].is_finite()).collect();
    order.sort_by(|&a, &b| x[a].total_cmp(&x[b]));
    let at: Vec<f64> = order.iter().map(|&i| x[i]).collect();
    let mut gaps: Vec<f64> = at.windows(2).map(|w| w[1] - w[0]).collect();
    let (Some(first), Some(last)) = (at.first(), at.last().filter(|_| !gaps.is_empty())) else {
        return Curve::default();
    };
    let points = (last - first) / step;
    if points.is_nan() || points > MOST_POINTS || first.abs().max(last.abs()) > 1e9 * step {
        return Curve::default();
    }
    let hole = HOLE * median_in_place(&mut gaps).max(step);
    let pick = |v: &[f64]| order.iter().map(|&i| v[i]).collect::<Vec<_>>();
    let (power, torque) = (pick(&c.power_kw), pick(&c.torque_nm));
    let mut out = Curve::default();
    for k in (first / step).ceil() as i64..=(last / step).floor() as i64 {
        let place = k as f64 * step;
        let above = at.partition_point(|v| *v < place);
        let below = above.saturating_sub(1);
        if at[above] - at[below] > hole {
            continue;
        }
        if let (Some(p), Some(t)) = (linear(&at, &power, place), linear(&at, &torque, place)) {
            out.rpm.push(place);
            out.power_kw.push(p);
            out.torque_nm.push(t);
            out.edge.push([below, above].iter().any(|&i| c.edge.get(order[i]).copied().unwrap_or(false)));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_curve_is_read_at_multiples_of_the_step_and_not_across_a_hole() {
        let rpm: Vec<f64> = (40..=80).map(|k| f64::from(k) * 50.0).collect();
        let c = Curve {
            power_kw: rpm.iter().map(|r| r / 50.0).collect(),
            torque_nm: vec![100.0; rpm.len()],
            edge: vec![false; rpm.len()],
            rpm,
            ..Curve::default()
        };
        let road: Vec<f64> = c.rpm.iter().map(|r| r / 40.0).collect();
        let a = again(&road, &c, 1.0);
        assert_eq!((a.rpm[0], *a.rpm.last().unwrap()), (50.0, 100.0));
        assert!(a.rpm.iter().zip(&a.power_kw).all(|(v, p)| (v * 40.0 / 50.0 - p).abs() < 1e-9));
        let down: Vec<f64> = road.iter().rev().copied().collect();
        assert_eq!(
            again(&down, &c, 1.0).rpm,
            a.rpm,
            "a lug-down's places fall with engine speed: they are put in order"
        );
        let mut holed = road.clone();
        holed[20..].iter_mut().for_each(|v| *v += 20.0);
        let h = again(&holed, &c, 1.0);
        assert!(h.rpm.iter().all(|v| *v <= road[19] || *v >= holed[20]), "{:?}", h.rpm);
        assert_eq!(again(&[], &Curve::default(), 1.0), Curve::default());
        assert_eq!(again(&road[..1], &c, 1.0), Curve::default(), "one point is no curve");
    }
}
