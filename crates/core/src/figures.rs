//! Figures of one corrected curve: peaks, at-rpm values, band mean, area.

use crate::curve::{Curve, Quantity};
use crate::driven::Driven;
use serde::{Deserialize, Serialize};

/// A value and where it was.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Peak {
    /// The value.
    pub value: f64,
    /// Engine speed, rpm; NaN where nobody said.
    #[serde(with = "crate::blank")]
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
    /// Mean torque over the band, N·m, likewise.
    pub band_mean_torque: Option<f64>,
    /// Power at the chosen engine speed, kW.
    pub power_at: Option<f64>,
    /// Torque at the chosen engine speed, N·m.
    pub torque_at: Option<f64>,
    /// Mean power weighted by where it is driven, kW.
    pub driven_power: Option<f64>,
    /// Mean power over the shift window, kW.
    pub shift_power: Option<f64>,
    /// Widest stretch within [`PLATEAU_SHARE`] of the peak, rpm.
    pub plateau_rpm: Option<f64>,
    /// Share of the peak lost [`FALL_OFF_RPM`] after it, %; `None` when the curve ends before.
    pub fall_off_pct: Option<f64>,
}

/// What to look at beside the peaks.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Looks {
    /// Band for the mean, rpm.
    pub band_rpm: Option<[f64; 2]>,
    /// Engine speed to read power and torque at, rpm.
    pub at_rpm: Option<f64>,
    /// Where it is driven.
    pub driven: Option<Driven>,
    /// Engine speeds passed through between two full-throttle upshifts, rpm.
    pub shift_rpm: Option<[f64; 2]>,
}

/// A plateau is what stays within this share of the peak (our choice, stated beside the figure).
pub const PLATEAU_SHARE: f64 = 0.05;
/// Fall-off is read this far after the peak, rpm (our choice: about what an upshift is held beyond it).
pub const FALL_OFF_RPM: f64 = 300.0;

impl Curve {
    fn peak(&self, values: &[f64]) -> Option<Peak> {
        let best = (0..self.rpm.len())
            .filter(|&i| !self.edge.get(i).copied().unwrap_or(false) && values[i].is_finite());
        best.max_by(|&a, &b| values[a].total_cmp(&values[b]))
            .map(|i| Peak { value: values[i], rpm: self.rpm[i] })
    }

    /// All figures.
    pub fn figures(&self, band: Option<[f64; 2]>) -> Figures {
        Figures {
            peak_power: self.peak(&self.power_kw),
            peak_torque: self.peak(&self.torque_nm),
            band_mean_power: band.and_then(|b| self.band_mean(b)),
            band_mean_torque: band.and_then(|b| self.mean_over(Quantity::Torque, b)),
            ..Figures::default()
        }
    }

    /// All figures, with what else is looked at.
    pub fn looked_at(&self, l: &Looks) -> Figures {
        let plain = self.figures(l.band_rpm);
        let peak = plain.peak_power;
        Figures {
            power_at: l.at_rpm.and_then(|r| self.power_at(r)),
            torque_at: l.at_rpm.and_then(|r| self.at(Quantity::Torque, r)),
            driven_power: l.driven.and_then(|d| d.mean(self)),
            shift_power: l.shift_rpm.and_then(|b| self.band_mean(b)),
            plateau_rpm: peak.map(|p| self.plateau(p)).map(|s| s[1] - s[0]),
            fall_off_pct: peak
                .and_then(|p| Some(100.0 * (1.0 - self.power_at(p.rpm + FALL_OFF_RPM)? / p.value))),
            ..plain
        }
    }

    /// The stretch around a peak in which power stays within [`PLATEAU_SHARE`] of it, rpm.
    ///
    /// # Formula
    /// The widest `[n1, n2]` around the peak with `P(n) ≥ (1 − x)·P_peak` at every grid speed
    ///
    /// where
    /// - `P`: power, kW; `n`: engine speed, rpm; `x`: [`PLATEAU_SHARE`] (domain, section 3).
    ///
    /// ```
    /// use jamjar_core::curve::Curve;
    /// use jamjar_core::figures::Peak;
    /// let rpm: Vec<f64> = (0..=40).map(|i| 4000.0 + 50.0 * f64::from(i)).collect();
    /// let power_kw: Vec<f64> = rpm.iter().map(|n| 100.0 - (n - 5000.0).abs() / 100.0).collect();
    /// let [low, high] = Curve { rpm, power_kw, ..Curve::default() }.plateau(Peak { value: 100.0, rpm: 5000.0 });
    /// assert_eq!(5000.0 - low, high - 5000.0);
    /// ```
    pub fn plateau(&self, peak: Peak) -> [f64; 2] {
        let holds = |i: &usize| self.power_kw[*i] >= peak.value * (1.0 - PLATEAU_SHARE);
        let at = self.rpm.partition_point(|r| *r < peak.rpm).min(self.rpm.len() - 1);
        let low = (0..=at).rev().take_while(holds).last().unwrap_or(at);
        let high = (at..self.rpm.len()).take_while(holds).last().unwrap_or(at);
        [self.rpm[low], self.rpm[high]]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ramp() -> Curve {
        let rpm: Vec<f64> = (40..=120).map(|k| f64::from(k) * 50.0).collect();
        let power_kw: Vec<f64> = rpm.iter().map(|r| 100.0 - ((r - 5000.0) / 100.0).powi(2) * 0.1).collect();
        Curve { torque_nm: power_kw.clone(), edge: vec![false; rpm.len()], power_kw, rpm, ..Curve::default() }
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
    fn what_is_looked_at_is_read_off_the_curve() {
        let c = ramp();
        let looks = Looks {
            band_rpm: None,
            at_rpm: Some(4500.0),
            driven: Some(Driven::Band([3000.0, 5000.0])),
            shift_rpm: Some([4500.0, 5500.0]),
        };
        let f = c.looked_at(&looks);
        assert!((f.power_at.unwrap() - 97.5).abs() < 1e-9);
        // 5 % under 100 kW is reached 707 rpm away: 14 grid steps on either side.
        assert_eq!(f.plateau_rpm, Some(1400.0));
        assert!((f.fall_off_pct.unwrap() - 0.9).abs() < 1e-9);
        assert!((c.shifted_mean() - f.shift_power.unwrap()).abs() < 0.02);
        assert_eq!(
            c.looked_at(&Looks { driven: Some(Driven::Band([1900.0, 5000.0])), ..looks }).driven_power,
            None,
            "the band is not covered"
        );
        assert!(f.driven_power.unwrap() > c.band_mean([3000.0, 5000.0]).unwrap() - 5.0);
        let flat = Curve { power_kw: vec![50.0; c.rpm.len()], ..c };
        assert!(
            (Driven::Band([3000.0, 5000.0]).mean(&flat).unwrap() - 50.0).abs() < 1e-6,
            "a flat curve has its own value"
        );
        let ends = Curve {
            rpm: vec![4000.0, 4050.0],
            power_kw: vec![90.0, 100.0],
            torque_nm: vec![0.0; 2],
            edge: vec![false; 2],
            ..Curve::default()
        };
        assert_eq!(ends.looked_at(&looks).fall_off_pct, None, "nothing is known beyond the end");
    }

    impl Curve {
        /// Mean of 100 − (x/100)²/10 over ±500 rpm: 100 − 25/30.
        fn shifted_mean(&self) -> f64 {
            100.0 - 2.5 / 3.0
        }
    }

    #[test]
    fn a_hole_is_not_read_across_and_held_steps_give_a_mean_but_no_value_in_between() {
        let c = ramp();
        let keep: Vec<usize> = (0..c.rpm.len()).filter(|&i| !(3550.0..4000.0).contains(&c.rpm[i])).collect();
        let pick = |v: &[f64]| keep.iter().map(|&i| v[i]).collect::<Vec<_>>();
        let holed = Curve {
            rpm: pick(&c.rpm),
            power_kw: pick(&c.power_kw),
            torque_nm: pick(&c.torque_nm),
            edge: vec![false; keep.len()],
            ..Curve::default()
        };
        assert_eq!((holed.power_at(3700.0), holed.band_mean([3000.0, 4500.0])), (None, None));
        assert!(
            holed.power_at(3500.0).is_some()
                && holed.power_at(4000.0).is_some()
                && holed.band_mean([4000.0, 5000.0]).is_some()
        );
        let held = Curve {
            rpm: vec![3000.0, 3500.0, 4000.0, 5000.0],
            power_kw: vec![60.0, 70.0, 80.0, 100.0],
            ..Curve::default()
        };
        assert_eq!((held.power_at(3500.0), held.power_at(3600.0)), (Some(70.0), None));
        assert!((held.band_mean([3000.0, 5000.0]).unwrap() - 80.0).abs() < 1e-9);
    }

    #[test]
    fn nothing_is_read_in_a_cut_and_a_band_that_is_mostly_whole_has_a_mean() {
        let c = Curve { cuts: vec![[3960.0, 4040.0]], ..ramp() };
        assert_eq!(c.power_at(4000.0), None);
        assert!(c.power_at(4100.0).is_some());
        assert!(c.band_mean([3000.0, 6000.0]).is_some(), "80 of 3000 rpm");
        assert_eq!(c.band_mean([3500.0, 4500.0]), None, "80 of 1000 rpm");
    }

    #[test]
    fn a_constant_curve_has_its_value_as_band_mean() {
        let c = ramp().scaled(|_| 0.0);
        assert_eq!(c.band_mean([3000.0, 6000.0]), Some(0.0));
    }
}
