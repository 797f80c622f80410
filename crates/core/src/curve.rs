//! A curve of power and torque over engine speed, and how it is read.

use crate::signal::interp;
use crate::signal::median::median_in_place;
use serde::{Deserialize, Serialize};

/// What a curve has at each speed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Quantity {
    /// Corrected power, kW.
    #[default]
    Power,
    /// Corrected engine-referred torque, N·m.
    Torque,
}

impl Quantity {
    /// Both.
    pub const ALL: [Self; 2] = [Self::Power, Self::Torque];

    /// The word for it.
    pub fn label(self) -> &'static str {
        match self {
            Self::Power => "power",
            Self::Torque => "torque",
        }
    }
}

/// A corrected curve of one pull on the grid.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Curve {
    /// Engine speed, rpm, ascending grid multiples.
    pub rpm: Vec<f64>,
    /// Corrected power, kW.
    pub power_kw: Vec<f64>,
    /// Corrected engine-referred torque, N·m.
    pub torque_nm: Vec<f64>,
    /// True near the ends of a filtered segment: shown, but barred from peaks.
    pub edge: Vec<bool>,
    /// Engine speeds over which power was cut: nothing is read there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub cuts: Vec<[f64; 2]>,
}

/// Index of a grid speed.
pub fn index_of(rpm: &[f64], at: f64) -> Option<usize> {
    let i = rpm.partition_point(|r| *r < at - 1e-6);
    (i < rpm.len() && (rpm[i] - at).abs() < 1e-6).then_some(i)
}

/// A value is read between two points of the curve that are no further apart, rpm (our choice): beyond lies a
/// hole in the recording, or a speed that nobody held.
const READ_ACROSS_RPM: f64 = 250.0;
/// A mean over a band of which more than this share was cut says nothing (domain, section 2).
const MOST_CUT: f64 = 0.05;
/// A mean may reach across points this many times as far apart as is usual on the curve: held steps are made
/// for that, a hole is not.
const MEAN_ACROSS: f64 = 2.5;

impl Curve {
    /// Its values of a quantity.
    pub fn values(&self, q: Quantity) -> &[f64] {
        match q {
            Quantity::Power => &self.power_kw,
            Quantity::Torque => &self.torque_nm,
        }
    }

    /// A quantity at an engine speed; `None` outside the curve and in a hole of it.
    pub fn at(&self, q: Quantity, rpm: f64) -> Option<f64> {
        self.read(self.values(q), rpm).filter(|v| v.is_finite())
    }

    /// Power at an engine speed, kW; `None` outside the curve and in a hole of it.
    pub fn power_at(&self, rpm: f64) -> Option<f64> {
        self.read(&self.power_kw, rpm)
    }

    /// Torque at an engine speed, N·m; `None` outside the curve and in a hole of it.
    pub fn torque_at(&self, rpm: f64) -> Option<f64> {
        self.read(&self.torque_nm, rpm)
    }

    fn read(&self, values: &[f64], rpm: f64) -> Option<f64> {
        let above = self.rpm.partition_point(|r| *r < rpm - 1e-6);
        let here = self.rpm.get(above).is_some_and(|r| (r - rpm).abs() <= 1e-6);
        let hole =
            |low: usize| self.rpm.get(above).is_some_and(|high| high - self.rpm[low] > READ_ACROSS_RPM);
        if !here && above.checked_sub(1).is_some_and(hole) || self.is_cut(rpm) {
            None
        } else {
            interp::linear(&self.rpm, values, rpm)
        }
    }

    fn is_cut(&self, rpm: f64) -> bool {
        self.cuts.iter().any(|c| rpm > c[0] && rpm < c[1])
    }

    /// Share of a band over which power was cut.
    pub fn cut_share(&self, [from, to]: [f64; 2]) -> f64 {
        let inside = |c: &[f64; 2]| (c[1].min(to) - c[0].max(from)).max(0.0);
        self.cuts.iter().map(inside).sum::<f64>() / (to - from).max(1e-9)
    }

    /// Area under the power curve between two speeds, kW·rpm; `None` unless both are covered and no hole lies
    /// between them.
    ///
    /// # Formula
    /// `A = ∫ P dn`, trapezoids between grid points
    ///
    /// where
    /// - `P`: power, kW; `n`: engine speed, rpm. Over rpm and not over time: a slower ramp would weigh more
    ///   (domain, section 3).
    ///
    /// ```
    /// use jamjar_core::curve::Curve;
    /// let rpm: Vec<f64> = (0..=40).map(|i| 3000.0 + 50.0 * f64::from(i)).collect();
    /// let curve = Curve { power_kw: rpm.iter().map(|n| n / 100.0).collect(), rpm, ..Curve::default() };
    /// assert_eq!(curve.area(3000.0, 5000.0), Some(80_000.0));
    /// assert_eq!(curve.band_mean([3000.0, 5000.0]), Some(40.0));
    /// assert_eq!(curve.band_mean([3000.0, 5600.0]), None, "the curve ends before the band does");
    /// ```
    pub fn area(&self, from: f64, to: f64) -> Option<f64> {
        self.area_of(Quantity::Power, from, to)
    }

    fn area_of(&self, q: Quantity, from: f64, to: f64) -> Option<f64> {
        if self.cut_share([from, to]) > MOST_CUT || self.is_cut(from) || self.is_cut(to) {
            return None;
        }
        let area = interp::integral(&self.rpm, self.values(q), from, to).filter(|a| a.is_finite())?;
        let gap = |w: &[f64]| w[1] - w[0];
        let widest = self.rpm.windows(2).filter(|w| w[1] > from && w[0] < to).map(gap).fold(0.0, f64::max);
        let bridged = widest <= READ_ACROSS_RPM || {
            let mut all: Vec<f64> = self.rpm.windows(2).map(gap).collect();
            widest <= MEAN_ACROSS * median_in_place(&mut all)
        };
        bridged.then_some(area)
    }

    /// Mean power over a band (trapezoid over rpm ÷ width, never over time), kW; `None` unless both ends are
    /// covered.
    ///
    /// # Formula
    /// `P̄ = A/(n2 − n1)`, `A` as in [`area`](Self::area), kW·rpm; `n1`, `n2` the ends of the band, rpm
    /// (domain, section 3).
    pub fn band_mean(&self, band: [f64; 2]) -> Option<f64> {
        self.mean_over(Quantity::Power, band)
    }

    /// Mean of a quantity over a band, as [`band_mean`](Self::band_mean).
    pub fn mean_over(&self, q: Quantity, [from, to]: [f64; 2]) -> Option<f64> {
        if to > from { self.area_of(q, from, to).map(|a| a / (to - from)) } else { None }
    }

    /// First and last grid speed.
    pub fn span_rpm(&self) -> Option<[f64; 2]> {
        Some([*self.rpm.first()?, *self.rpm.last()?])
    }

    /// The curve with power and torque multiplied point by point.
    #[must_use]
    pub fn scaled(&self, factor: impl Fn(usize) -> f64) -> Self {
        let mul = |v: &[f64]| v.iter().enumerate().map(|(i, x)| x * factor(i)).collect();
        Self {
            rpm: self.rpm.clone(),
            power_kw: mul(&self.power_kw),
            torque_nm: mul(&self.torque_nm),
            edge: self.edge.clone(),
            cuts: self.cuts.clone(),
        }
    }
}
