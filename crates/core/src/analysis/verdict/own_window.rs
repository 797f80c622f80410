//! What each map makes of its own gearbox: mean power between where an upshift lands and where it is made.

use super::difference::Verdict;
use super::pair::Pair;
use crate::analysis::set::SetResult;
use crate::curve::Quantity;
use crate::stats::pooled::Interval;
use crate::stats::two_sets::mean_of;

/// A set in its own shift window.
#[derive(Debug, Clone, PartialEq)]
pub struct OwnWindow {
    /// From the lowest speed after a shift to the highest before one, rpm; `None` where its curve shows no shift.
    pub window: Option<[f64; 2]>,
    /// Mean power on entering it, kW.
    pub entry_kw: Option<f64>,
    /// Mean power over it, kW; `None` where a pull does not cover it.
    pub mean_kw: Option<f64>,
    /// Against the baseline in that one's own window; `None` for the baseline and without scatter.
    pub difference: Option<Interval>,
    /// Difference without an interval.
    pub plain: Option<f64>,
    /// Of the difference.
    pub verdict: Verdict,
}

/// Each set against the baseline, each in its own window: its limiter, its shifts (domain, section 12). `windows` goes
/// with `sets` and then `others`, which lend their scatter.
pub fn own_windows(
    sets: &[SetResult],
    others: &[SetResult],
    base: usize,
    windows: &[Option<[f64; 2]>],
    across_gears: bool,
) -> Vec<OwnWindow> {
    let all: Vec<&SetResult> = sets.iter().chain(others).collect();
    let window_of = |s: &SetResult| {
        let at = all.iter().position(|o| std::ptr::eq(*o, s));
        at.and_then(|i| windows.get(i).copied().flatten())
    };
    let over = |s: &SetResult| window_of(s).map_or_else(Vec::new, |w| s.of_pulls(|c| c.band_mean(w)));
    let a = &sets[base];
    let level = mean_of(&over(a));
    let one = |(i, b): (usize, &SetResult)| {
        let (window, mean_kw) = (window_of(b), mean_of(&over(b)));
        let entry = window.map(|w| b.of_pulls(|c| c.at(Quantity::Power, w[0])));
        let mut out = OwnWindow {
            window,
            entry_kw: entry.and_then(|e| mean_of(&e)),
            mean_kw,
            difference: None,
            plain: None,
            verdict: Verdict::CantTell,
        };
        let (Some(x), Some(y)) = (level, mean_kw) else { return out };
        if i == base {
            return out;
        }
        out.plain = Some(y - x);
        let pair = Pair::new([a, b], all.iter().copied(), across_gears);
        if let Some(s) = pair.scatter(over).filter(|s| s.is_carried(x)) {
            let i = pair.interval(&s, y - x, x);
            out.verdict = Verdict::of(i.ci95());
            out.difference = Some(i);
        }
        out
    };
    sets.iter().enumerate().map(one).collect()
}
