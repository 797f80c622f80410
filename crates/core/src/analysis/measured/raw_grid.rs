//! The uncorrected curve of a pull on the grid: read along a sweep, or at each held speed.

use crate::air::AirState;
use crate::curve::Curve;
use crate::findings::Finding;
use crate::log::{Recording, Series};
use crate::pull::align::Alignment;
use crate::pull::cuts::from_channel;
use crate::pull::engine_speed::SpeedFrom;
use crate::pull::held::{HeldStep, on_grid, steps};
use crate::pull::span::{PullKind, PullSpan};
use crate::pull::trace::PowerTrace;
use crate::signal::grid::{Gridded, to_grid};
use crate::units::RAD_S_PER_RPM;
use serde::{Deserialize, Serialize};

/// The uncorrected curve on the grid, with what the diesel correction needs.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct RawGrid {
    pub rpm: Vec<f64>,
    pub power_kw: Vec<f64>,
    #[serde(with = "crate::blank::list")]
    pub torque_nm: Vec<f64>,
    pub edge: Vec<bool>,
    /// Time on the dyno clock at each grid speed, s.
    #[serde(with = "crate::blank::list")]
    pub time_s: Vec<f64>,
    pub fuel_g_s: Option<Vec<f64>>,
    /// Road speed at each grid speed, where it was logged.
    #[serde(default)]
    pub road_kmh: Option<Vec<f64>>,
    pub charge_ratio: Option<Vec<f64>>,
    /// Speed of the dyno's shaft at each grid speed, rpm, where engine speed was measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shaft_rpm: Option<Vec<f64>>,
    /// Engine speeds over which power was cut: nothing is read there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub cuts: Vec<[f64; 2]>,
}

impl RawGrid {
    /// As an uncorrected curve.
    pub fn curve(&self) -> Curve {
        Curve {
            rpm: self.rpm.clone(),
            power_kw: self.power_kw.clone(),
            torque_nm: self.torque_nm.clone(),
            edge: self.edge.clone(),
            cuts: self.cuts.clone(),
        }
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
    pub(super) speed_from: SpeedFrom,
}

/// Engine speeds around each cut: from the last sample before it to the first after it.
fn cut_speeds(p: &PowerTrace) -> Vec<[f64; 2]> {
    let around = |c: &[f64; 2]| {
        let after = p.t.partition_point(|t| *t < c[1] - 1e-9);
        let before = p.t.partition_point(|t| *t <= c[0] + 1e-9).checked_sub(1);
        let (a, b) = (before.and_then(|i| p.rpm.get(i)), p.rpm.get(after));
        let (a, b) = (*a.or(b)?, *b.or(a)?);
        Some([a.min(b), a.max(b)])
    };
    p.cuts.iter().filter_map(around).collect()
}

/// The grid read segment by segment, so that no point rests on samples of two; where segments overlap, the
/// one further from its ends is taken. The third series is the share of an end.
fn by_segment(x: &[f64], series: &[&[f64]; 5], starts: &[usize], step: f64) -> Gridded {
    let mut points: Vec<(f64, [f64; 5])> = Vec::new();
    for (k, &a) in starts.iter().enumerate() {
        let b = starts.get(k + 1).copied().unwrap_or(x.len());
        let own = series.map(|s| &s[a..b]);
        let g = to_grid(&x[a..b], &own, &vec![true; b - a], step);
        points.extend((0..g.x.len()).map(|i| (g.x[i], std::array::from_fn(|s| g.y[s][i]))));
    }
    points.sort_by(|p, q| p.0.total_cmp(&q.0).then(p.1[2].total_cmp(&q.1[2])));
    points.dedup_by(|p, q| (p.0 - q.0).abs() < 1e-6);
    Gridded {
        x: points.iter().map(|p| p.0).collect(),
        y: (0..5).map(|s| points.iter().map(|p| p.1[s]).collect()).collect(),
    }
}

/// Cuts known from channels of either log, on the dyno's clock.
pub(super) fn said_cuts(dyno: &Recording, ecu: Option<&Recording>, alignment: &Alignment) -> Vec<[f64; 2]> {
    let mut out = Vec::new();
    for name in ["fuel_cut", "spark_cut"] {
        out.extend(dyno.series(name).iter().flat_map(from_channel));
        if let Some((s, lag)) = ecu.and_then(|e| e.series(name)).zip(alignment.usable_lag()) {
            out.extend(from_channel(&s.shifted(-lag)));
        }
    }
    out
}

impl Read<'_> {
    /// The curve at multiples of `step` rpm, and the steps it was read from where speeds were held.
    pub(super) fn grid(&self, step: f64, flags: &mut Vec<Finding>) -> (RawGrid, Vec<HeldStep>) {
        if self.span.kind == PullKind::HeldSteps {
            self.held(step, flags)
        } else {
            (self.swept(step), Vec::new())
        }
    }

    fn swept(&self, step: f64) -> RawGrid {
        let p = self.trace;
        let edge: Vec<f64> = p.edge.iter().map(|e| f64::from(u8::from(*e))).collect();
        let g = by_segment(&p.rpm, &[&p.power_kw, &p.torque_nm, &edge, &p.t, &p.shaft_rpm], &p.starts, step);
        let beside = |name: &str| -> Option<Vec<f64>> {
            let (s, lag) = self.series(name)?;
            let mut s = s.reader();
            g.y[3].iter().map(|t| s.at(t + lag)).collect()
        };
        RawGrid {
            fuel_g_s: beside("fuel_flow"),
            road_kmh: beside("road_speed"),
            charge_ratio: self.charge(beside),
            shaft_rpm: (!self.speed_from.is_shaft()).then(|| g.y[4].clone()),
            cuts: cut_speeds(p),
            edge: g.y[2].iter().map(|v| *v > 1e-9).collect(),
            rpm: g.x.clone(),
            power_kw: g.y[0].clone(),
            torque_nm: g.y[1].clone(),
            time_s: g.y[3].clone(),
        }
    }

    /// A step's mean torque is taken for the grid speed next to it, and its power follows from that.
    fn held(&self, step: f64, flags: &mut Vec<Finding>) -> (RawGrid, Vec<HeldStep>) {
        let throttle =
            self.series("throttle").or_else(|| self.series("pedal")).map(|(s, lag)| s.shifted(-lag));
        if throttle.is_none() {
            flags.push(Finding::LoadUnknown);
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
            shaft_rpm: None,
            edge: vec![false; read.len()],
            cuts: Vec::new(),
            rpm: read.iter().map(|r| r.0).collect(),
            power_kw: read.iter().map(|(rpm, h)| h.torque_nm * rpm * RAD_S_PER_RPM / 1000.0).collect(),
            torque_nm: read.iter().map(|r| r.1.torque_nm).collect(),
            time_s: read.iter().map(|r| 0.5 * (r.1.from_s + r.1.to_s)).collect(),
        };
        (grid, all)
    }

    /// A channel of either log and how far its clock is ahead of the dyno's, s.
    fn series(&self, name: &str) -> Option<(Series, f64)> {
        self.dyno
            .series(name)
            .map(|s| (s, 0.0))
            .or_else(|| Some((self.ecu?.series(name)?, self.alignment.usable_lag()?)))
    }

    /// Manifold ÷ ambient pressure along the grid.
    fn charge(&self, beside: impl Fn(&str) -> Option<Vec<f64>>) -> Option<Vec<f64>> {
        let ambient = self.air.map(|a| a.pressure_hpa / 10.0);
        let m = beside("manifold_pressure")?;
        let around = beside("ambient_pressure");
        (0..m.len()).map(|i| around.as_ref().map(|a| a[i]).or(ambient).map(|a| m[i] / a)).collect()
    }
}
