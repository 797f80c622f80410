//! The gain of one set over another along an axis.

use crate::analysis::set::SetResult;
use crate::curve::{Curve, index_of};

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

/// Gain along an axis with its simultaneous band.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct GainCurve {
    /// Engine speed, rpm, or the place on another axis.
    pub rpm: Vec<f64>,
    /// Candidate − base, kW.
    pub gain_kw: Vec<f64>,
    /// Half-width of the band, kW; empty when there is no band.
    pub half_kw: Vec<f64>,
}

/// The largest gain anywhere; large by chance among many looks, so it is judged by the band.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LargestGain {
    /// kW.
    pub difference: f64,
    /// rpm.
    pub rpm: f64,
    /// Whether the band excludes zero there; `None` without a band.
    pub significant: Option<bool>,
}

impl GainCurve {
    pub(in crate::analysis) fn largest(&self) -> Option<LargestGain> {
        (0..self.rpm.len()).max_by(|&i, &j| self.gain_kw[i].total_cmp(&self.gain_kw[j])).map(|i| {
            LargestGain {
                difference: self.gain_kw[i],
                rpm: self.rpm[i],
                significant: self.half_kw.get(i).map(|h| self.gain_kw[i].abs() > *h),
            }
        })
    }
}

/// Difference of two mean curves where both have a value, without a band.
pub(in crate::analysis) fn gain_curve(a: &SetResult, b: &SetResult, which: Curves) -> GainCurve {
    let (a, b) = (which.mean(a), which.mean(b));
    let mut out = GainCurve::default();
    for (i, rpm) in a.rpm.iter().enumerate() {
        if let Some(j) = index_of(&b.rpm, *rpm) {
            out.rpm.push(*rpm);
            out.gain_kw.push(b.power_kw[j] - a.power_kw[i]);
        }
    }
    out
}
