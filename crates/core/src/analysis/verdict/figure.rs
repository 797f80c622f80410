//! One figure compared: whether an interval can be stood behind, and what it says.

use super::difference::Verdict;
use crate::analysis::set::{Figure, SetResult};
use crate::analysis::set_vs_set::{Pool, cross_day_share};
use crate::pull::span::PullKind;
use crate::stats::family::dunnett_quantile;
use crate::stats::plan::smallest_detectable;
use crate::stats::pooled::{Interval, difference};

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

/// Whether the scatter of a pair is not its own: one recording stands for two pulls.
pub(super) fn copied(a: &SetResult, b: &SetResult) -> bool {
    a.has_copies() || b.has_copies() || a.shares_with(b)
}

/// Whether a finished curve stands alone on a side: it knows no scatter, and borrows none.
pub(super) fn one_curve(a: &SetResult, b: &SetResult) -> bool {
    let finished =
        |s: &SetResult| s.kinds.iter().any(|k| matches!(k, PullKind::CurveOnly | PullKind::PeaksOnly));
    finished(a) && finished(b) && (a.n() < 2 || b.n() < 2)
}

/// The sets of a line-up and whom they are held against.
#[derive(Clone, Copy)]
pub(super) struct Asked<'a> {
    pub(super) sets: &'a [SetResult],
    pub(super) base: usize,
    pub(super) candidates: &'a [usize],
    /// Whether intervals are wanted over the family of candidates too.
    pub(super) family: bool,
}

/// Compares one figure of candidate `c`; `refused` says that the two sets cannot be compared at all.
pub(super) fn compare_figure(
    asked: Asked<'_>,
    f: Figure,
    c: usize,
    pool: &Pool<'_>,
    refused: bool,
) -> FigureComparison {
    let Asked { sets, base, candidates, family } = asked;
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
    // Rounding of the last digit alone scatters by less than a millionth; what is below is one number said
    // twice.
    let nothing = 1e-9 * x.mean.unwrap_or(0.0).abs();
    if refused
        || one_curve(&sets[base], &sets[c])
        || w.sd <= pool.floor(f).max(nothing)
        || copied(&sets[base], &sets[c])
    {
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
    if candidates.len() > 1 && family {
        let counts: Vec<usize> =
            candidates.iter().map(|&k| sets[k].figure(f).values.len()).filter(|n| *n > 0).collect();
        out.ci95_family =
            dunnett_quantile(n1, &counts, i.df).map(|q| [d - q * i.se - extra, d + q * i.se + extra]);
    }
    out
}
