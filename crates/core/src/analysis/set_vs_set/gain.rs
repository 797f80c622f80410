//! The gain of one set over another along an axis.

use crate::analysis::set::SetResult;
use crate::curve::{Curve, Quantity, index_of};
use crate::stats::band::significant_spans;

/// Which of a set's curves are meant: those of engine speed or those along another axis.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::analysis) enum Curves {
    /// Those at engine speed, on which everything is judged.
    AtEngineSpeed,
    /// Those along the axis that was asked for.
    AlongOther,
    /// Those at equal speed of the dyno's shaft.
    AtShaftSpeed,
}

impl Curves {
    pub(in crate::analysis) fn mean(self, s: &SetResult) -> &Curve {
        match self {
            Self::AtEngineSpeed => &s.mean_curve,
            Self::AlongOther => s.drawn(),
            Self::AtShaftSpeed => s.at_shaft.as_ref().map_or(&s.mean_curve, |o| &o.mean),
        }
    }

    /// Curves of the included pulls.
    pub(in crate::analysis) fn curves(self, s: &SetResult) -> Vec<&Curve> {
        let axis = match self {
            Self::AtEngineSpeed => None,
            Self::AlongOther => s.other.as_ref(),
            Self::AtShaftSpeed => s.at_shaft.as_ref(),
        };
        axis.map_or_else(
            || s.included_curves().collect(),
            |o| o.pulls.iter().zip(&s.included).filter(|p| *p.1).map(|p| p.0).collect(),
        )
    }
}

/// Gain along an axis with its simultaneous band, in kW, or in N·m for torque.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct GainCurve {
    /// Engine speed, rpm, or the place on another axis.
    pub rpm: Vec<f64>,
    /// Candidate − base.
    pub gain: Vec<f64>,
    /// Half-width of the band; empty when there is no band.
    pub half: Vec<f64>,
}

/// The largest gain anywhere; large by chance among many looks, so it is judged by the band.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LargestGain {
    /// kW, or N·m for torque.
    pub difference: f64,
    /// rpm.
    pub rpm: f64,
    /// Half-width of the band there.
    pub half: Option<f64>,
    /// Whether the band excludes zero there; `None` without a band.
    pub significant: Option<bool>,
}

impl GainCurve {
    /// The largest gain between two places.
    pub fn largest_within(&self, [from, to]: [f64; 2]) -> Option<LargestGain> {
        let inside = |i: &usize| (from..=to).contains(&self.rpm[*i]) && self.gain[*i].is_finite();
        let best =
            (0..self.rpm.len()).filter(inside).max_by(|&i, &j| self.gain[i].total_cmp(&self.gain[j]))?;
        let half = self.half.get(best).copied().filter(|h| h.is_finite());
        Some(LargestGain {
            difference: self.gain[best],
            rpm: self.rpm[best],
            half,
            significant: self.half.get(best).map(|h| self.gain[best].abs() > *h),
        })
    }

    pub(in crate::analysis) fn largest(&self) -> Option<LargestGain> {
        self.largest_within([f64::NEG_INFINITY, f64::INFINITY])
    }

    /// Stretches where the band excludes zero; none without a band.
    pub(in crate::analysis) fn significant(&self) -> Vec<[f64; 2]> {
        if self.half.is_empty() { Vec::new() } else { significant_spans(&self.rpm, &self.gain, &self.half) }
    }
}

/// The gain of one set over another in one quantity.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Gains {
    /// Along engine speed.
    pub curve: GainCurve,
    /// The same along the axis that was asked for, when it is not engine speed.
    pub other: Option<GainCurve>,
    /// Largest gain.
    pub largest: Option<LargestGain>,
    /// Spans where the band excludes zero, rpm.
    pub significant_rpm: Vec<[f64; 2]>,
}

impl Gains {
    pub(in crate::analysis) fn new(curve: GainCurve, other: Option<GainCurve>) -> Self {
        let (largest, significant_rpm) = (curve.largest(), curve.significant());
        Self { curve, other, largest, significant_rpm }
    }

    /// Along the axis that was asked for.
    pub fn drawn(&self) -> &GainCurve {
        self.other.as_ref().unwrap_or(&self.curve)
    }
}

/// Difference of two mean curves where both have a value, without a band.
pub(in crate::analysis) fn gain_curve(
    a: &SetResult,
    b: &SetResult,
    which: Curves,
    quantity: Quantity,
) -> GainCurve {
    let (a, b) = (which.mean(a), which.mean(b));
    let mut out = GainCurve::default();
    for (rpm, base) in a.rpm.iter().zip(a.values(quantity)) {
        if let Some(candidate) = index_of(&b.rpm, *rpm).and_then(|j| b.values(quantity).get(j)) {
            out.rpm.push(*rpm);
            out.gain.push(candidate - base);
        }
    }
    out
}
