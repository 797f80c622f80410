//! The uncorrected curve of a pull on the grid: read along a sweep, or at each held speed.

use crate::air::AirState;
use crate::figures::Curve;
use crate::log::{Flag, Recording, Series};
use crate::pull::align::Alignment;
use crate::pull::detect::{PullKind, PullSpan};
use crate::pull::held::{HeldStep, on_grid, steps};
use crate::pull::power::PowerTrace;
use crate::signal::grid::to_grid;
use crate::units::RAD_S_PER_RPM;
use serde::{Deserialize, Serialize};

/// The uncorrected curve on the grid, with what the diesel correction needs.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct RawGrid {
    pub rpm: Vec<f64>,
    pub power_kw: Vec<f64>,
    pub torque_nm: Vec<f64>,
    pub edge: Vec<bool>,
    /// Time on the dyno clock at each grid speed, s.
    pub time_s: Vec<f64>,
    pub fuel_g_s: Option<Vec<f64>>,
    /// Road speed at each grid speed, where it was logged.
    #[serde(default)]
    pub road_kmh: Option<Vec<f64>>,
    pub charge_ratio: Option<Vec<f64>>,
}

impl RawGrid {
    /// As an uncorrected curve.
    pub fn curve(&self) -> Curve {
        Curve { rpm: self.rpm.clone(), power_kw: self.power_kw.clone(), torque_nm: self.torque_nm.clone(), edge: self.edge.clone() }
    }
}

/// What a curve is read from.
pub(super) struct Read<'a> {
    pub(super) trace: &'a PowerTrace,
    pub(super) span: &'a PullSpan,
    pub(super) dyno: &'a Recording,
    pub(super) ecu: Option<&'a Recording>,
    pub(super) alignment: &'a Alignment,
    pub(super) air: Option<AirState>,
}

impl Read<'_> {
    /// The curve at multiples of `step` rpm, and the steps it was read from where speeds were held.
    pub(super) fn grid(&self, step: f64, flags: &mut Vec<Flag>) -> (RawGrid, Vec<HeldStep>) {
        if self.span.kind == PullKind::HeldSteps { self.held(step, flags) } else { (self.swept(step), Vec::new()) }
    }

    fn swept(&self, step: f64) -> RawGrid {
        let p = self.trace;
        let edge: Vec<f64> = p.edge.iter().map(|e| f64::from(u8::from(*e))).collect();
        let all = vec![true; p.rpm.len()];
        let g = to_grid(&p.rpm, &[&p.power_kw, &p.torque_nm, &edge, &p.t], &all, step);
        let beside = |name: &str| -> Option<Vec<f64>> {
            let (s, lag) = self.series(name)?;
            let mut s = s.reader();
            g.y[3].iter().map(|t| s.at(t + lag)).collect()
        };
        RawGrid {
            fuel_g_s: beside("fuel_flow"),
            road_kmh: beside("road_speed"),
            charge_ratio: self.charge(beside),
            edge: g.y[2].iter().map(|v| *v > 1e-9).collect(),
            rpm: g.x.clone(),
            power_kw: g.y[0].clone(),
            torque_nm: g.y[1].clone(),
            time_s: g.y[3].clone(),
        }
    }

    /// A step's mean torque is taken for the grid speed next to it, and its power follows from that.
    fn held(&self, step: f64, flags: &mut Vec<Flag>) -> (RawGrid, Vec<HeldStep>) {
        let throttle = self.series("throttle").or_else(|| self.series("pedal")).map(|(s, lag)| s.shifted(-lag));
        if throttle.is_none() {
            flags.push(Flag::new("load_unknown", "no throttle or pedal on the dyno's clock: whether the held speeds were at full load is not known"));
        }
        let all = steps(self.trace, throttle.as_ref());
        let read = on_grid(&all, step, flags);
        let beside = |name: &str| -> Option<Vec<f64>> {
            let (s, lag) = self.series(name)?;
            read.iter().map(|(_, h)| s.mean_between(h.from_s + lag, h.to_s + lag)).collect()
        };
        let grid = RawGrid {
            fuel_g_s: beside("fuel_flow"),
            road_kmh: beside("road_speed"),
            charge_ratio: self.charge(beside),
            edge: vec![false; read.len()],
            rpm: read.iter().map(|r| r.0).collect(),
            power_kw: read.iter().map(|(rpm, h)| h.torque_nm * rpm * RAD_S_PER_RPM / 1000.0).collect(),
            torque_nm: read.iter().map(|r| r.1.torque_nm).collect(),
            time_s: read.iter().map(|r| 0.5 * (r.1.from_s + r.1.to_s)).collect(),
        };
        (grid, all)
    }

    /// A channel of either log and how far its clock is ahead of the dyno's, s.
    fn series(&self, name: &str) -> Option<(Series, f64)> {
        self.dyno.series(name).map(|s| (s, 0.0)).or_else(|| Some((self.ecu?.series(name)?, self.alignment.usable_lag()?)))
    }

    /// Manifold ÷ ambient pressure along the grid.
    fn charge(&self, beside: impl Fn(&str) -> Option<Vec<f64>>) -> Option<Vec<f64>> {
        let ambient = self.air.map(|a| a.pressure_hpa / 10.0);
        let m = beside("manifold_pressure")?;
        let around = beside("ambient_pressure");
        (0..m.len()).map(|i| around.as_ref().map(|a| a[i]).or(ambient).map(|a| m[i] / a)).collect()
    }
}
