//! The sets that lend a pair their scatter, and the band along the gain that comes of it.

use super::days::cross_day_share;
use super::drift::DayDrift;
use super::gain::{Curves, GainCurve, gain_curve};
use super::scatter::{Alike, Scatter, run_again};
use crate::analysis::given::Along;
use crate::analysis::set::{Figure, SetResult};
use crate::curve::{Curve, Quantity, index_of};
use crate::stats::band::{CurveScatter, SMOOTH_RPM, SetCurves, scatter};
use crate::units::RAD_S_PER_RPM;
use std::sync::OnceLock;

/// Scatter pooled over the sets that belong with a pair, same gear and kind of pull, on either day: for all pairs of
/// one base that have the same.
pub(in crate::analysis) struct Pool<'a> {
    alike: Alike<'a>,
    sets: Vec<&'a SetResult>,
    band: Option<CurveScatter>,
    other: Option<CurveScatter>,
    other_torque: Option<CurveScatter>,
    at_shaft: Option<CurveScatter>,
    scatters: [OnceLock<Option<Scatter>>; Figure::ALL.len()],
    run_again: OnceLock<usize>,
    drift: OnceLock<Option<DayDrift>>,
    base_runs: OnceLock<Vec<&'a SetResult>>,
}

impl<'a> Pool<'a> {
    /// `along` is the other axis asked for, if any.
    pub(in crate::analysis) fn new(sets: &'a [SetResult], alike: Alike<'a>, along: Along) -> Self {
        let members = alike.lenders(sets.iter());
        let along_other = |quantity| {
            (along != Along::EngineSpeed)
                .then(|| band_of(&members, Curves::AlongOther, along.smooth(), quantity))
                .flatten()
        };
        let (other, other_torque) = (along_other(Quantity::Power), along_other(Quantity::Torque));
        let at_shaft = members
            .iter()
            .any(|s| s.at_shaft.is_some())
            .then(|| band_of(&members, Curves::AtShaftSpeed, Along::ShaftSpeed.smooth(), Quantity::Power))
            .flatten();
        let band = band_of(&members, Curves::AtEngineSpeed, SMOOTH_RPM, Quantity::Power);
        Self {
            alike,
            band,
            other,
            other_torque,
            at_shaft,
            sets: members,
            scatters: Default::default(),
            run_again: OnceLock::new(),
            drift: OnceLock::new(),
            base_runs: OnceLock::new(),
        }
    }

    pub(in crate::analysis) fn is(&self, alike: &Alike<'_>) -> bool {
        self.alike == *alike
    }

    /// Scatter of a figure; what the recordings can carry says nothing of a width or a share.
    pub(in crate::analysis) fn scatter(&self, f: Figure) -> Option<Scatter> {
        let known = Figure::ALL.iter().position(|x| *x == f).and_then(|i| self.scatters.get(i))?;
        let carried = !matches!(f, Figure::PlateauRpm | Figure::FallOffPct);
        *known.get_or_init(|| {
            let all = Scatter::of(&self.sets, |s| s.figure(f).values.clone())?;
            Some(if carried { all } else { Scatter { floor: 0.0, ..all } })
        })
    }

    /// How many mountings were of configurations that had been mounted before on their day.
    pub(in crate::analysis) fn run_again(&self) -> usize {
        *self.run_again.get_or_init(|| {
            let groups = run_again(&self.sets, |s| s.figure(Figure::PeakPower).values.clone());
            groups.iter().map(|g| g.len() - 1).sum()
        })
    }

    /// Drift of the base's day, fitted once for all that are held against it.
    pub(super) fn drift(&self, fit: impl FnOnce() -> Option<DayDrift>) -> Option<&DayDrift> {
        self.drift.get_or_init(fit).as_ref()
    }

    /// The sets of the base's own configuration, found once for all that are held against it.
    pub(super) fn base_runs(&self, find: impl FnOnce() -> Vec<&'a SetResult>) -> &[&'a SetResult] {
        self.base_runs.get_or_init(find)
    }

    /// The gain of one set over another along an axis with its simultaneous band, where there is one.
    ///
    /// # Formula
    /// At engine speed torque is power over speed, so its band is that of power over speed at every place:
    /// `h_T(n) = h_P(n)/ω(n)`
    ///
    /// where
    /// - `h`: half-width, kW and N·m; `ω = n·π/30`, rad/s. What is marked as gained in power is marked in torque.
    ///
    /// Along another axis torque has a scatter of its own.
    pub(in crate::analysis) fn judged(
        &self,
        a: &SetResult,
        b: &SetResult,
        which: Curves,
        quantity: Quantity,
    ) -> GainCurve {
        let mut out = gain_curve(a, b, which, quantity);
        let from_power = which != Curves::AlongOther && quantity == Quantity::Torque;
        let (band, read) = match (which, quantity) {
            (Curves::AtEngineSpeed, _) => (&self.band, Quantity::Power),
            (Curves::AtShaftSpeed, _) => (&self.at_shaft, Quantity::Power),
            (Curves::AlongOther, Quantity::Power) => (&self.other, Quantity::Power),
            (Curves::AlongOther, Quantity::Torque) => (&self.other_torque, Quantity::Torque),
        };
        let Some(band) = band.as_ref().filter(|_| a.n() > 0 && b.n() > 0) else { return out };
        let peak = self.scatter(Figure::PeakPower);
        let between = peak.as_ref().and_then(|s| Some((s.between_of(a, b)?, s.within.sd)));
        let half = band.half_widths(a.n(), b.n(), between);
        let (extra, base) = (cross_day_share(a, b), which.mean(a));
        let at = |x: f64| index_of(&base.rpm, x).map_or(0.0, |i| base.values(read)[i].abs());
        let per = |x: f64| if from_power { 1000.0 / (x * RAD_S_PER_RPM) } else { 1.0 };
        out.half = out
            .rpm
            .iter()
            .map(|x| per(*x) * (index_of(&band.x, *x).map_or(f64::INFINITY, |i| half[i]) + extra * at(*x)))
            .collect();
        out
    }
}

fn band_of(sets: &[&SetResult], which: Curves, smooth: f64, quantity: Quantity) -> Option<CurveScatter> {
    let mut grid: Vec<f64> = sets.iter().flat_map(|s| which.mean(s).rpm.iter().copied()).collect();
    grid.sort_by(f64::total_cmp);
    grid.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
    let on_grid = |s: &&SetResult| -> SetCurves {
        let read = |c: &Curve| {
            grid.iter().map(|r| index_of(&c.rpm, *r).map_or(f64::NAN, |i| c.values(quantity)[i])).collect()
        };
        which.curves(s).into_iter().map(read).collect()
    };
    scatter(&grid, &sets.iter().map(on_grid).collect::<Vec<_>>(), smooth)
}
