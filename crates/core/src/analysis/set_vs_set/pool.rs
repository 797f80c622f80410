//! The sets that lend a pair their scatter, and the band along the gain that comes of it.

use super::days::cross_day_share;
use super::gain::{Curves, GainCurve, gain_curve};
use crate::analysis::given::Along;
use crate::analysis::set::{Figure, SetResult};
use crate::curve::{Curve, Quantity, index_of};
use crate::factors::Factors;
use crate::pull::span::PullKind;
use crate::stats::band::{CurveScatter, SMOOTH_RPM, SetCurves, scatter};
use crate::stats::pooled::{Between, Within, between, within};
use crate::units::RAD_S_PER_RPM;

/// What sets must share to lend a pair their scatter: its days, its gear, its kind of pull.
#[derive(Debug, PartialEq)]
pub(in crate::analysis) struct Alike<'a> {
    days: [&'a str; 2],
    gears: [Option<&'a String>; 2],
    kinds: &'a [PullKind],
}

impl<'a> Alike<'a> {
    pub(in crate::analysis) fn new(a: &'a SetResult, b: &'a SetResult, across_gears: bool) -> Self {
        let mut days = [a.day.as_str(), b.day.as_str()];
        days.sort_unstable();
        let gear = |s: &'a SetResult| s.factors.get("gear");
        Self { days, gears: [gear(a), gear(if across_gears { b } else { a })], kinds: &a.kinds }
    }

    fn holds(&self, s: &SetResult) -> bool {
        self.days.contains(&s.day.as_str())
            && self.gears.contains(&s.factors.get("gear"))
            && s.kinds == self.kinds
    }
}

/// Scatter of any value of single pulls over the sets that are alike with a pair: within sets, and between
/// mountings where that is known.
pub(in crate::analysis) fn scatter_of(
    sets: &[SetResult],
    alike: &Alike<'_>,
    values: impl Fn(&SetResult) -> Vec<f64>,
) -> Option<(Within, Option<Between>)> {
    let members: Vec<&SetResult> =
        sets.iter().filter(|s| s.n() > 0 && alike.holds(s) && !s.has_copies()).collect();
    let all: Vec<Vec<f64>> = members.iter().map(|s| values(s)).collect();
    let w = within(&all.iter().map(Vec::as_slice).collect::<Vec<_>>())?;
    let groups = run_again(&members, values);
    let slices: Vec<Vec<&[f64]>> = groups.iter().map(|g| g.iter().map(Vec::as_slice).collect()).collect();
    Some((w, between(&slices, &w)))
}

/// Scatter pooled over the sets that belong with a pair: same gear and kind of pull, on either day.
pub(in crate::analysis) struct Pool<'a> {
    alike: Alike<'a>,
    sets: Vec<&'a SetResult>,
    band: Option<CurveScatter>,
    other: Option<CurveScatter>,
    other_torque: Option<CurveScatter>,
    at_shaft: Option<CurveScatter>,
}

impl<'a> Pool<'a> {
    /// `along` is the other axis asked for, if any.
    pub(in crate::analysis) fn new(sets: &'a [SetResult], alike: Alike<'a>, along: Along) -> Self {
        let members: Vec<&SetResult> =
            sets.iter().filter(|s| s.n() > 0 && alike.holds(s) && !s.has_copies()).collect();
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
        Self { alike, band, other, other_torque, at_shaft, sets: members }
    }

    pub(in crate::analysis) fn is(&self, alike: &Alike<'_>) -> bool {
        self.alike == *alike
    }

    pub(in crate::analysis) fn within(&self, f: Figure) -> Option<Within> {
        within(&self.sets.iter().map(|s| s.figure(f).values.as_slice()).collect::<Vec<_>>())
    }

    /// Smallest scatter of a figure that the recordings can carry: their coarsest step as rounding leaves it.
    pub(in crate::analysis) fn floor(&self, f: Figure) -> f64 {
        if matches!(f, Figure::PlateauRpm | Figure::FallOffPct) {
            return 0.0;
        }
        self.sets.iter().filter_map(|s| Some(s.step_share * s.figure(f).mean?.abs())).fold(0.0, f64::max)
            / 12.0_f64.sqrt()
    }

    pub(in crate::analysis) fn between(&self, f: Figure, w: &Within) -> Option<Between> {
        let groups = run_again(&self.sets, |s| s.figure(f).values.clone());
        let slices: Vec<Vec<&[f64]>> = groups.iter().map(|g| g.iter().map(Vec::as_slice).collect()).collect();
        between(&slices, w)
    }

    /// The same for a pair; none where both stood in one mounting, whose effect cancels.
    pub(in crate::analysis) fn between_of(
        &self,
        f: Figure,
        w: &Within,
        [a, b]: [&SetResult; 2],
    ) -> Option<Between> {
        if a.shares_mounting(b) { None } else { self.between(f, w) }
    }

    /// How many mountings were of configurations that had been mounted before on their day.
    pub(in crate::analysis) fn run_again(&self) -> usize {
        run_again(&self.sets, |s| s.figure(Figure::PeakPower).values.clone())
            .iter()
            .map(|g| g.len() - 1)
            .sum()
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
        let w = self.within(Figure::PeakPower);
        let s_b = w.as_ref().and_then(|w| self.between_of(Figure::PeakPower, w, [a, b]));
        let half = band.half_widths(a.n(), b.n(), s_b.as_ref().zip(w.map(|w| w.sd)));
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

/// Values of the mountings of each configuration and day: mounted again on one day they know the scatter between
/// mountings; sets of one mounting are one. Another day is no mounting; it is weather, calibration and fuel
/// besides (domain, section 4).
pub(in crate::analysis) fn run_again<'a>(
    sets: &[&'a SetResult],
    values: impl Fn(&'a SetResult) -> Vec<f64>,
) -> Vec<Vec<Vec<f64>>> {
    type Group<'a> = ((&'a Factors, &'a str), Vec<(&'a SetResult, Vec<f64>)>);
    let mut groups: Vec<Group<'a>> = Vec::new();
    for s in sets {
        let key = (&s.factors, s.day.as_str());
        let at = groups.iter().position(|g| g.0 == key).unwrap_or_else(|| {
            groups.push((key, Vec::new()));
            groups.len() - 1
        });
        match groups[at].1.iter_mut().find(|m| m.0.shares_mounting(s)) {
            Some((_, known)) => known.extend(values(s)),
            None => groups[at].1.push((s, values(s))),
        }
    }
    groups.into_iter().map(|(_, mountings)| mountings.into_iter().map(|m| m.1).collect()).collect()
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
