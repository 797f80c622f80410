//! The same change in several rows: gears, switch positions, fuels, days. Does it act in each, and alike?

use super::difference::Verdict;
use super::pair::Pair;
use crate::analysis::set::{Figure, SetResult};
use crate::factors::{Factors, differing};
use crate::stats::rows::{Row, RowsApart, rows_apart};

/// One row: the change under one state of everything else.
#[derive(Debug, Clone, PartialEq)]
pub struct EffectRow {
    /// Ids of its two sets.
    pub sets: [String; 2],
    /// Day of the second.
    pub day: String,
    /// Everything that both share.
    pub rest: Factors,
    /// Difference at peak power, per cent of the first.
    pub percent: f64,
    /// Half of its 95 % interval, per cent; `None` where no scatter is known or the two cannot be compared.
    pub half: Option<f64>,
    /// Of the difference against nothing.
    pub verdict: Verdict,
}

/// One change in several rows.
#[derive(Debug, Clone, PartialEq)]
pub struct EffectMatrix {
    /// Names of the factors that are changed.
    pub change: Vec<String>,
    /// Names of the factors in which the rows differ; with none of them they differ by day.
    pub across: Vec<String>,
    /// The rows, in the order in which their first sets were given.
    pub rows: Vec<EffectRow>,
    /// Whether the rows differ from each other; `None` where fewer than two have an interval.
    pub apart: Option<RowsApart>,
    /// Scatter between mountings is in it, or cancels.
    pub mountings_known: bool,
}

/// Below this probability rows are called different.
pub const APART_P: f64 = 0.05;

/// The change from a base to a candidate, wherever else it was made; `None` when it was made once only. Rows'
/// absolute power is never compared (domain, section 4).
///
/// # Formula
/// `d = (P₂/P₁ − 1)`, `v = (P₂/P₁)²·(s_w/P)²·(1/n₁ + 1/n₂) + 2·(s_b/P)²`; rows compared by Welch's F
///
/// where
/// - `P`: mean peak power of a set, kW; `n`: its pulls; `s_w`: scatter of pulls of the row's own gear and days;
/// - `s_b`: scatter between mountings where the sets stood in mountings of their own: none where a row's two share
///   one, or all rows share the same two.
pub fn effect_matrix(all: &[&SetResult], [base, candidate]: [&SetResult; 2]) -> Option<EffectMatrix> {
    let change = differing(&base.factors, &candidate.factors);
    if change.is_empty() {
        return None;
    }
    let pairs = pairs(all, base, candidate, &change);
    if pairs.len() < 2 {
        return None;
    }
    let one =
        |i: usize| pairs.iter().all(|p| p[i].shares_mounting(pairs[0][i]) || std::ptr::eq(p[i], pairs[0][i]));
    let cancels = one(0) && one(1);
    let mut mountings_known = true;
    let (mut rows, mut known) = (Vec::new(), Vec::new());
    for [a, b] in &pairs {
        let mean = |s: &SetResult| s.figure(Figure::PeakPower).mean.filter(|m| *m > 0.0);
        let (Some(x), Some(y)) = (mean(a), mean(b)) else { continue };
        let percent = 100.0 * (y / x - 1.0);
        let pair = Pair::new([a, b], all.iter().copied(), false);
        let scatter = pair.scatter(|s| s.figure(Figure::PeakPower).values.clone());
        let interval = scatter.filter(|s| s.is_carried(x)).map(|s| (pair.interval(&s, y - x, x), s));
        if let Some((i, s)) = &interval {
            let between = s.between_of(a, b).map_or(0.0, |b| 2.0 * b.variance);
            mountings_known &= cancels || a.shares_mounting(b) || s.between.is_some();
            let pulls = (s.within.sd * y / x).powi(2) * (1.0 / a.n() as f64 + 1.0 / b.n() as f64);
            let variance = (pulls + if cancels { 0.0 } else { between }) * (100.0 / x).powi(2);
            known.push(Row { difference: percent, variance, df: i.df });
        }
        rows.push(EffectRow {
            sets: [a.id.clone(), b.id.clone()],
            day: b.day.clone(),
            rest: rest_of(a, &change),
            percent,
            half: interval.as_ref().map(|(i, _)| 100.0 * i.half_width / x),
            verdict: interval.map_or(Verdict::CantTell, |(i, _)| Verdict::of(i.ci95())),
        });
    }
    let mut across: Vec<String> = Vec::new();
    for name in rows.iter().skip(1).flat_map(|r| differing(&rows[0].rest, &r.rest)) {
        if !across.contains(&name) {
            across.push(name);
        }
    }
    (rows.len() > 1).then(|| EffectMatrix {
        change,
        across,
        rows,
        apart: rows_apart(&known),
        mountings_known,
    })
}

/// What a set shares with its twin: everything but the change.
fn rest_of(s: &SetResult, change: &[String]) -> Factors {
    s.factors.iter().filter(|(k, _)| !change.contains(k)).map(|(k, v)| (k.clone(), v.clone())).collect()
}

/// Sets of one state each, before and after the change, on one day; first the two that were asked about.
fn pairs<'a>(
    all: &[&'a SetResult],
    base: &'a SetResult,
    candidate: &'a SetResult,
    change: &[String],
) -> Vec<[&'a SetResult; 2]> {
    let is = |s: &SetResult, like: &SetResult| change.iter().all(|k| s.factors.get(k) == like.factors.get(k));
    let mut out: Vec<[&SetResult; 2]> = vec![[base, candidate]];
    for a in all.iter().filter(|s| s.n() > 0 && is(s, base)) {
        let twin = |b: &&&SetResult| {
            b.n() > 0 && b.day == a.day && is(b, candidate) && differing(&a.factors, &b.factors) == change
        };
        let known = out.iter().any(|p| p[1].day == a.day && rest_of(p[0], change) == rest_of(a, change));
        if let Some(b) = all.iter().find(twin).filter(|_| !known) {
            out.push([a, b]);
        }
    }
    out
}
