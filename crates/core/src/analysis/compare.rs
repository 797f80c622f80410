//! Sets against a baseline: differences with intervals, the gain curve with its simultaneous band, and what may be concluded.

use super::Verdict;
use super::gain::{Axis, GainCurve, LargestGain, gain_curve};
use super::input::{Headline, Settings, Vehicle};
use super::notes;
use super::pool::{Alike, Pool};
use super::second_looks::{self, SecondLooks};
use super::sets::{Figure, SetResult};
use super::split::{Split, splits};
use crate::factors::{Confounding, Known, confounding};
use crate::log::Flag;
use crate::stats::band::significant_spans;
use crate::stats::family::dunnett_quantile;
use crate::stats::plan::smallest_detectable;
use crate::stats::pooled::{Interval, difference};

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
    /// The same along the axis that was asked for, when it is not engine speed.
    pub other: Option<GainCurve>,
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
    /// The gain along the axis that was asked for.
    pub fn drawn(&self) -> &GainCurve {
        self.other.as_ref().unwrap_or(&self.curve)
    }

    /// One figure.
    pub fn figure(&self, f: Figure) -> Option<&FigureComparison> {
        self.figures.iter().find(|c| c.figure == f)
    }
}

/// Compares candidates with the baseline. Sets that are neither lend their scatter when they share day and gear.
pub fn compare_all(sets: &[SetResult], base: usize, candidates: &[usize], vehicle: &Vehicle, settings: &Settings) -> Vec<Comparison> {
    let mut pools: Vec<Pool<'_>> = Vec::new();
    let mut out = Vec::new();
    let table = Table { sets, base, candidates, vehicle, settings };
    for &c in candidates {
        let alike = Alike::new(&sets[base], &sets[c], settings.across_gears);
        let at = pools.iter().position(|p| p.is(&alike)).unwrap_or_else(|| {
            pools.push(Pool::new(sets, alike, settings.along));
            pools.len() - 1
        });
        out.push(compare(&table, c, &pools[at]));
    }
    out
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
    let known: Vec<Known<'_>> = sets.iter().filter(|s| s.n() > 0 && s.kinds == a.kinds).map(SetResult::known).collect();
    let confounding = confounding(&a.factors, &b.factors, &known);
    let refused = notes::reason_not_comparable(a, b, settings.across_gears);
    let figures: Vec<FigureComparison> = Figure::ALL.into_iter().map(|f| compare_figure(table, f, c, pool, refused.is_some())).collect();
    let no_scatter = figures.iter().any(|f| f.figure == Figure::PeakPower && f.ci95.is_none());
    let judged = |axis| match refused {
        None if !no_scatter => pool.judged(a, b, axis),
        _ => gain_curve(a, b, axis),
    };
    let curve = judged(Axis::EngineSpeed);
    let other = a.other.is_some().then(|| judged(Axis::Other));
    let largest = curve.largest();
    let significant_rpm = if curve.half_kw.is_empty() { Vec::new() } else { significant_spans(&curve.rpm, &curve.gain_kw, &curve.half_kw) };
    let splits: Vec<Split> = match refused {
        Some(_) => Vec::new(),
        None => splits(sets, base, c, &confounding, pool),
    };
    let notes = notes::compose(a, b, &confounding, splits.first(), &figures, refused, pool.run_again(), vehicle, settings);
    let plain = figures.iter().find(|f| f.figure == Figure::PeakPower).and_then(|f| f.interval);
    let second = SecondLooks::default();
    let mut out = Comparison { base, candidate: c, confounding, figures, curve, other, largest, significant_rpm, notes, splits, second };
    second_looks::take(sets, pool, &mut out, plain.as_ref(), settings);
    out
}

/// Share of power added to half-widths when the two sets stand on different days.
pub(super) fn cross_day_share(a: &SetResult, b: &SetResult) -> f64 {
    if a.day == b.day { 0.0 } else { CROSS_DAY_SHARE * (a.factor - b.factor).abs() }
}

/// Whether the scatter of a pair is not its own: one recording stands for two pulls.
pub(super) fn copied(a: &SetResult, b: &SetResult) -> bool {
    a.has_copies() || b.has_copies() || a.shares_with(b)
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
    // Rounding of the last digit alone scatters by less than a millionth; what is below is one number said twice.
    let nothing = 1e-9 * x.mean.unwrap_or(0.0).abs();
    if refused || w.sd <= pool.floor(f).max(nothing) || copied(&sets[base], &sets[c]) {
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
