//! One figure compared: whether an interval can be stood behind, and what it says.

use super::difference::Verdict;
use crate::analysis::set::{Figure, SetResult};
use crate::analysis::set_vs_set::{Pool, cross_day_share};
use crate::pull::span::PullKind;
use crate::stats::family::dunnett_quantile;
use crate::stats::habit::Habit;
use crate::stats::plan::smallest_detectable;
use crate::stats::pooled::Interval;

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
    /// The interval is that of the cell's habit, not of this day's pulls.
    pub provisional: bool,
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
    /// The cell's habit, where somebody gave it.
    pub(super) habit: Option<Habit>,
}

/// Compares one figure of candidate `c`; `refused` says that the two sets cannot be compared at all.
pub(super) fn compare_figure(
    asked: Asked<'_>,
    f: Figure,
    c: usize,
    pool: &Pool<'_>,
    refused: bool,
) -> FigureComparison {
    let Asked { sets, base, candidates, family, habit } = asked;
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
        provisional: false,
    };
    let Some(d) = mean_difference else { return out };
    let Some(scatter) = pool.scatter(f) else {
        // What was measured wins; only a day without any scatter falls back on habit.
        if let Some(h) = habit.filter(|_| !refused && by_habit(f, &sets[base], &sets[c])) {
            provisional(&mut out, asked, f, c, &h);
        }
        return out;
    };
    let (pair, level) = ([&sets[base], &sets[c]], x.mean.unwrap_or(0.0));
    if refused || one_curve(pair[0], pair[1]) || !scatter.is_carried(level) || copied(pair[0], pair[1]) {
        return out;
    }
    let (n1, n2) = (x.values.len(), y.values.len());
    let i = scatter.interval(d, pair, [n1, n2], level);
    let sd = scatter.within.sd;
    out.pull_sd = Some(sd);
    out.smallest_detectable = smallest_detectable(sd, n1.min(n2) as u32).ok().map(|s| s.difference);
    out.interval = Some(i);
    out.ci95 = Some(i.ci95());
    out.verdict = Verdict::of(i.ci95());
    if candidates.len() > 1 && family {
        let counts: Vec<usize> =
            candidates.iter().map(|&k| sets[k].figure(f).values.len()).filter(|n| *n > 0).collect();
        let extra = cross_day_share(pair[0], pair[1]) * level.abs();
        out.ci95_family =
            dunnett_quantile(n1, &counts, i.df).map(|q| [d - q * i.se - extra, d + q * i.se + extra]);
    }
    out
}

/// Whether the cell's habit may stand for the scatter of two sets: recorded pulls, and a figure it is a share of.
fn by_habit(f: Figure, a: &SetResult, b: &SetResult) -> bool {
    let finished = |s: &SetResult| {
        s.kinds.iter().any(|k| matches!(k, PullKind::CurveOnly | PullKind::PeaksOnly | PullKind::LogOnly))
    };
    !matches!(f, Figure::PlateauRpm | Figure::FallOffPct) && !finished(a) && !finished(b) && !copied(a, b)
}

/// The interval of the cell's habit. Without its scatter between mountings it is within one mounting only, and no
/// verdict; of several candidates the interval over all of them gives it.
fn provisional(out: &mut FigureComparison, asked: Asked<'_>, f: Figure, c: usize, h: &Habit) {
    let Asked { sets, base, candidates, .. } = asked;
    let (x, y) = (sets[base].figure(f), sets[c].figure(f));
    let (Some(p1), Some(p2)) = (x.mean, y.mean) else { return };
    let (n1, n2) = (x.values.len(), y.values.len());
    let Some(i) = h.difference([(p1, n1), (p2, n2)]) else { return };
    let i = i.widened(cross_day_share(&sets[base], &sets[c]) * p1.abs());
    let counts: Vec<usize> =
        candidates.iter().map(|&k| sets[k].figure(f).values.len()).filter(|n| *n > 0).collect();
    let family = (counts.len() > 1).then(|| h.family(&i, n1, &counts)).flatten();
    (out.interval, out.ci95, out.ci95_family, out.provisional) = (Some(i), Some(i.ci95()), family, true);
    if h.between.is_some() {
        out.verdict = Verdict::provisional(family.unwrap_or(i.ci95()));
    }
}
