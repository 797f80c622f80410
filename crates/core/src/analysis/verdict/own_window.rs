//! What each map makes of its own gearbox: mean power between where an upshift lands and where it is made.

use super::comparable::not_comparable;
use super::difference::Verdict;
use super::figure::{copied, one_curve};
use crate::analysis::set::SetResult;
use crate::analysis::set_vs_set::{Alike, Scatter};
use crate::curve::Quantity;
use crate::stats::pooled::Interval;
use crate::stats::two_sets::mean;

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
    let over = |s: &SetResult| -> Vec<f64> {
        let Some(w) = window_of(s) else { return Vec::new() };
        let each: Vec<Option<f64>> = s.included_curves().map(|c| c.band_mean(w)).collect();
        if each.iter().any(Option::is_none) { Vec::new() } else { each.into_iter().flatten().collect() }
    };
    let a = &sets[base];
    let level = Some(over(a)).filter(|v| !v.is_empty()).map(|v| mean(&v));
    let one = |(i, b): (usize, &SetResult)| {
        let (window, values) = (window_of(b), over(b));
        let entry: Option<Vec<f64>> =
            window.and_then(|w| b.included_curves().map(|c| c.at(Quantity::Power, w[0])).collect());
        let mean_kw = (!values.is_empty()).then(|| mean(&values));
        let mut out = OwnWindow {
            window,
            entry_kw: entry.filter(|e| !e.is_empty()).map(|e| mean(&e)),
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
        if not_comparable(a, b, across_gears).is_some() || one_curve(a, b) || copied(a, b) {
            return out;
        }
        let lenders = Alike::new(a, b, across_gears).lenders(all.iter().copied());
        if let Some(s) = Scatter::of(&lenders, over).filter(|s| s.is_carried(x)) {
            let i = s.interval(y - x, [a, b], [a.n(), b.n()], x);
            out.verdict = Verdict::of(i.ci95());
            out.difference = Some(i);
        }
        out
    };
    sets.iter().enumerate().map(one).collect()
}
