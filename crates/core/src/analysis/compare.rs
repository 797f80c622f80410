//! Sets against a baseline: differences with intervals, the gain curve with its simultaneous band, and what may be concluded.

use super::Verdict;
use super::input::{Headline, Settings, Vehicle};
use super::notes;
use super::second_looks::{self, SecondLooks};
use super::sets::{Figure, SetResult, index_of};
use super::split::{Split, splits};
use crate::factors::{Confounding, Factors, Known, confounding};
use crate::log::Flag;
use crate::stats::band::{CurveScatter, SetCurves, scatter, significant_spans};
use crate::stats::family::dunnett_quantile;
use crate::stats::plan::smallest_detectable;
use crate::stats::pooled::{Between, Interval, Within, between, difference, within};

/// Half-width added per unit of correction-factor difference between days, as a share of power (our choice, stated in the notes).
pub(super) const CROSS_DAY_SHARE: f64 = 0.25;

/// One figure compared.
#[derive(Debug, Clone, PartialEq)]
pub struct FigureComparison {
    /// Which.
    pub figure: Figure,
    /// Difference of the headlines; `None` when a set has none.
    pub difference: Option<f64>,
    /// Difference of the means, to which interval and verdict belong.
    pub mean_difference: Option<f64>,
    /// The mean difference with everything behind its interval.
    pub interval: Option<Interval>,
    /// 95 % interval of the mean difference.
    pub ci95: Option<[f64; 2]>,
    /// Family-wise 95 % interval over all candidates.
    pub ci95_family: Option<[f64; 2]>,
    /// Verdict on the mean difference.
    pub verdict: Verdict,
    /// Smallest difference these sets could show at 80 % power.
    pub smallest_detectable: Option<f64>,
    /// Standard deviation of one pull behind the interval.
    pub pull_sd: Option<f64>,
}

/// Gain along the axis with its simultaneous band.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct GainCurve {
    /// Engine speed, rpm.
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

/// A candidate set against the baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct Comparison {
    /// Index of the base set.
    pub base: usize,
    /// Index of the candidate set.
    pub candidate: usize,
    /// What differs and what would separate it.
    pub confounding: Confounding,
    /// Figures.
    pub figures: Vec<FigureComparison>,
    /// Gain along rpm.
    pub curve: GainCurve,
    /// Largest gain.
    pub largest: Option<LargestGain>,
    /// Spans where the band excludes zero, rpm.
    pub significant_rpm: Vec<[f64; 2]>,
    /// Caveats in words, most important first.
    pub notes: Vec<Flag>,
    /// Figures split by factor, where more than one changed and what was run allows it.
    pub splits: Vec<Split>,
    /// Second looks at the difference at peak.
    pub second: SecondLooks,
}

impl Comparison {
    /// One figure.
    pub fn figure(&self, f: Figure) -> Option<&FigureComparison> {
        self.figures.iter().find(|c| c.figure == f)
    }
}

/// Scatter pooled over the sets that belong with a pair: same gear, on either day.
pub(super) struct Pool<'a> {
    sets: Vec<&'a SetResult>,
    band: Option<CurveScatter>,
}

/// Compares candidates with the baseline. Sets that are neither lend their scatter when they share day and gear.
pub fn compare_all(sets: &[SetResult], base: usize, candidates: &[usize], vehicle: &Vehicle, settings: &Settings) -> Vec<Comparison> {
    let mut pools: Vec<(Vec<String>, Vec<Option<String>>, Pool<'_>)> = Vec::new();
    let mut out = Vec::new();
    let table = Table { sets, base, candidates, vehicle, settings };
    for &c in candidates {
        let mut days = vec![sets[base].day.clone(), sets[c].day.clone()];
        days.sort();
        days.dedup();
        let mut gears = vec![sets[base].factors.get("gear").cloned()];
        if settings.across_gears {
            gears.push(sets[c].factors.get("gear").cloned());
        }
        let at = pools.iter().position(|p| p.0 == days && p.1 == gears).unwrap_or_else(|| {
            pools.push((days.clone(), gears.clone(), pool(sets, &days, &gears)));
            pools.len() - 1
        });
        out.push(compare(&table, c, &pools[at].2));
    }
    out
}

fn pool<'a>(sets: &'a [SetResult], days: &[String], gears: &[Option<String>]) -> Pool<'a> {
    let members: Vec<&SetResult> =
        sets.iter().filter(|s| days.contains(&s.day) && gears.contains(&s.factors.get("gear").cloned()) && s.n() > 0).collect();
    let mut grid: Vec<f64> = members.iter().flat_map(|s| s.mean_curve.rpm.iter().copied()).collect();
    grid.sort_by(f64::total_cmp);
    grid.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
    let curves: Vec<SetCurves> = members
        .iter()
        .map(|s| s.included_curves().map(|c| grid.iter().map(|r| index_of(&c.rpm, *r).map_or(f64::NAN, |i| c.power_kw[i])).collect()).collect())
        .collect();
    let band = scatter(&grid, &curves);
    Pool { sets: members, band }
}

impl Pool<'_> {
    pub(super) fn within(&self, f: Figure) -> Option<Within> {
        within(&self.sets.iter().map(|s| s.figure(f).values.as_slice()).collect::<Vec<_>>())
    }

    pub(super) fn between(&self, f: Figure, w: &Within) -> Option<Between> {
        let mut groups: Vec<(&Factors, Vec<&[f64]>)> = Vec::new();
        for s in &self.sets {
            let values = s.figure(f).values.as_slice();
            match groups.iter_mut().find(|g| *g.0 == s.factors) {
                Some(g) => g.1.push(values),
                None => groups.push((&s.factors, vec![values])),
            }
        }
        between(&groups.into_iter().map(|g| g.1).collect::<Vec<_>>(), w)
    }
}

/// What all comparisons of one line-up share.
struct Table<'a> {
    sets: &'a [SetResult],
    base: usize,
    candidates: &'a [usize],
    vehicle: &'a Vehicle,
    settings: &'a Settings,
}

fn compare(table: &Table<'_>, c: usize, pool: &Pool<'_>) -> Comparison {
    let (sets, base, vehicle, settings) = (table.sets, table.base, table.vehicle, table.settings);
    let (a, b) = (&sets[base], &sets[c]);
    let known: Vec<Known<'_>> = sets.iter().filter(|s| s.n() > 0).map(SetResult::known).collect();
    let confounding = confounding(&a.factors, &b.factors, &known);
    let refused = notes::reason_not_comparable(a, b, settings.across_gears);
    let figures: Vec<FigureComparison> = Figure::ALL.into_iter().map(|f| compare_figure(table, f, c, pool, refused.is_some())).collect();
    let mut curve = gain_curve(a, b);
    let peak = Figure::PeakPower;
    if refused.is_none()
        && let Some(band) = &pool.band
        && a.n() > 0
        && b.n() > 0
    {
        let w = pool.within(peak);
        let s_b = w.as_ref().and_then(|w| pool.between(peak, w));
        let half = band.half_widths(a.n(), b.n(), s_b.as_ref().zip(w.map(|w| w.sd)));
        let extra = cross_day_share(a, b);
        curve.half_kw = curve
            .rpm
            .iter()
            .map(|r| index_of(&band.x, *r).map_or(f64::INFINITY, |i| half[i]) + extra * a.mean_curve.power_at(*r).unwrap_or(0.0).abs())
            .collect();
    }
    let largest = (0..curve.rpm.len()).max_by(|&i, &j| curve.gain_kw[i].total_cmp(&curve.gain_kw[j])).map(|i| LargestGain {
        difference: curve.gain_kw[i],
        rpm: curve.rpm[i],
        significant: curve.half_kw.get(i).map(|h| curve.gain_kw[i].abs() > *h),
    });
    let significant_rpm = if curve.half_kw.is_empty() { Vec::new() } else { significant_spans(&curve.rpm, &curve.gain_kw, &curve.half_kw) };
    let splits: Vec<Split> = match refused {
        Some(_) => Vec::new(),
        None => splits(sets, base, c, &confounding, pool),
    };
    let notes = notes::compose(a, b, &confounding, splits.first(), &figures, refused, pool_has_repeat(pool), vehicle, settings);
    let plain = figures.iter().find(|f| f.figure == Figure::PeakPower).and_then(|f| f.interval);
    let mut out =
        Comparison { base, candidate: c, confounding, figures, curve, largest, significant_rpm, notes, splits, second: SecondLooks::default() };
    second_looks::take(sets, pool, &mut out, plain.as_ref(), settings);
    out
}

fn pool_has_repeat(pool: &Pool<'_>) -> bool {
    pool.sets.iter().enumerate().any(|(i, s)| pool.sets[..i].iter().any(|o| o.factors == s.factors))
}

/// Share of power added to half-widths when the two sets stand on different days.
pub(super) fn cross_day_share(a: &SetResult, b: &SetResult) -> f64 {
    if a.day == b.day { 0.0 } else { CROSS_DAY_SHARE * (a.factor - b.factor).abs() }
}

fn compare_figure(table: &Table<'_>, f: Figure, c: usize, pool: &Pool<'_>, refused: bool) -> FigureComparison {
    let (sets, base, settings) = (table.sets, table.base, table.settings);
    let (x, y) = (sets[base].figure(f), sets[c].figure(f));
    let mean_difference = x.mean.zip(y.mean).map(|(a, b)| b - a);
    let mut out = FigureComparison {
        figure: f,
        difference: x.headline.zip(y.headline).map(|(a, b)| b - a),
        mean_difference,
        interval: None,
        ci95: None,
        ci95_family: None,
        verdict: Verdict::CantTell,
        smallest_detectable: None,
        pull_sd: None,
    };
    let (Some(d), Some(w)) = (mean_difference, pool.within(f)) else { return out };
    if refused || w.sd <= 0.0 {
        return out;
    }
    let s_b = pool.between(f, &w);
    let (n1, n2) = (x.values.len(), y.values.len());
    let extra = cross_day_share(&sets[base], &sets[c]) * x.mean.unwrap_or(0.0).abs();
    let i: Interval = difference(d, n1, n2, &w, s_b.as_ref()).widened(extra);
    out.pull_sd = Some(w.sd);
    out.smallest_detectable = smallest_detectable(w.sd, n1.min(n2) as u32).ok().map(|s| s.difference);
    out.interval = Some(i);
    out.ci95 = Some(i.ci95());
    out.verdict = Verdict::of(i.ci95());
    if table.candidates.len() > 1 && settings.headline == Headline::Mean {
        let counts: Vec<usize> = table.candidates.iter().map(|&k| sets[k].figure(f).values.len()).filter(|n| *n > 0).collect();
        out.ci95_family = dunnett_quantile(n1, &counts, i.df).map(|q| [d - q * i.se - extra, d + q * i.se + extra]);
    }
    out
}

fn gain_curve(a: &SetResult, b: &SetResult) -> GainCurve {
    let mut out = GainCurve::default();
    for (i, rpm) in a.mean_curve.rpm.iter().enumerate() {
        if let Some(j) = index_of(&b.mean_curve.rpm, *rpm) {
            out.rpm.push(*rpm);
            out.gain_kw.push(b.mean_curve.power_kw[j] - a.mean_curve.power_kw[i]);
        }
    }
    out
}
