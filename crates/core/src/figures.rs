//! Figures of one corrected curve: peaks, at-rpm values, band mean, area.

use crate::signal::interp;
use serde::{Deserialize, Serialize};

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
}

/// A value and where it was.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Peak {
    /// The value.
    pub value: f64,
    /// Engine speed, rpm.
    pub rpm: f64,
}

/// Figures of one pull.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Figures {
    /// Highest corrected power, kW.
    pub peak_power: Option<Peak>,
    /// Highest corrected torque, N·m.
    pub peak_torque: Option<Peak>,
    /// Mean power over the band by trapezoid over rpm, kW; `None` unless both ends are covered.
    pub band_mean_power: Option<f64>,
}

impl Curve {
    /// Power at an engine speed, kW; `None` outside the curve.
    pub fn power_at(&self, rpm: f64) -> Option<f64> {
        interp::linear(&self.rpm, &self.power_kw, rpm)
    }

    /// Torque at an engine speed, N·m; `None` outside the curve.
    pub fn torque_at(&self, rpm: f64) -> Option<f64> {
        interp::linear(&self.rpm, &self.torque_nm, rpm)
    }

    /// Area under the power curve between two speeds, kW·rpm; `None` unless both are covered.
    pub fn area(&self, from: f64, to: f64) -> Option<f64> {
        interp::integral(&self.rpm, &self.power_kw, from, to)
    }

    /// Mean power over a band (trapezoid over rpm ÷ width, never over time), kW; `None` unless both ends are covered.
    pub fn band_mean(&self, band: [f64; 2]) -> Option<f64> {
        if band[1] > band[0] { self.area(band[0], band[1]).map(|a| a / (band[1] - band[0])) } else { None }
    }

    fn peak(&self, values: &[f64]) -> Option<Peak> {
        let best = (0..self.rpm.len()).filter(|&i| !self.edge.get(i).copied().unwrap_or(false) && values[i].is_finite());
        best.max_by(|&a, &b| values[a].total_cmp(&values[b])).map(|i| Peak { value: values[i], rpm: self.rpm[i] })
    }

    /// All figures.
    pub fn figures(&self, band: Option<[f64; 2]>) -> Figures {
        Figures {
            peak_power: self.peak(&self.power_kw),
            peak_torque: self.peak(&self.torque_nm),
            band_mean_power: band.and_then(|b| self.band_mean(b)),
        }
    }

    /// First and last grid speed.
    pub fn span_rpm(&self) -> Option<[f64; 2]> {
        Some([*self.rpm.first()?, *self.rpm.last()?])
    }

    /// The curve with power and torque multiplied point by point.
    #[must_use]
    pub fn scaled(&self, factor: impl Fn(usize) -> f64) -> Self {
        let mul = |v: &[f64]| v.iter().enumerate().map(|(i, x)| x * factor(i)).collect();
        Self { rpm: self.rpm.clone(), power_kw: mul(&self.power_kw), torque_nm: mul(&self.torque_nm), edge: self.edge.clone() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ramp() -> Curve {
        let rpm: Vec<f64> = (40..=120).map(|k| f64::from(k) * 50.0).collect();
        let power_kw: Vec<f64> = rpm.iter().map(|r| 100.0 - ((r - 5000.0) / 100.0).powi(2) * 0.1).collect();
        Curve { torque_nm: power_kw.clone(), edge: vec![false; rpm.len()], power_kw, rpm }
    }

    #[test]
    fn an_edge_is_barred_from_the_peak() {
        let mut c = ramp();
        assert_eq!(c.figures(None).peak_power.unwrap(), Peak { value: 100.0, rpm: 5000.0 });
        c.power_kw[80] = 500.0;
        c.edge[80] = true;
        assert_eq!(c.figures(None).peak_power.unwrap().rpm, 5000.0);
    }

    #[test]
    fn a_band_that_is_not_covered_has_no_mean() {
        let c = ramp();
        assert!(c.band_mean([3000.0, 6000.0]).is_some());
        assert_eq!(c.band_mean([1500.0, 6000.0]), None);
        assert_eq!(c.band_mean([3000.0, 6001.0]), None);
        assert_eq!(c.band_mean([3000.0, 3000.0]), None);
    }

    #[test]
    fn a_constant_curve_has_its_value_as_band_mean() {
        let c = ramp().scaled(|_| 0.0);
        assert_eq!(c.band_mean([3000.0, 6000.0]), Some(0.0));
    }
}
