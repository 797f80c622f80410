//! Candidate lags from whole records: normalised correlation per overlap and level agreement, on a 0.1 s
//! lattice.

use super::{Pair, Ratio};
use crate::log::Series;

const STEP_S: f64 = 0.1;
/// Record kept around the pull so that tip-in and lift take part, s.
const CONTEXT_S: f64 = 1.0;
/// Candidates handed on.
const MAX_CANDIDATES: usize = 8;

/// Uniform resampling; NaN across gaps above 1 s.
fn uniform(s: &Series, from: f64, to: f64) -> Vec<f64> {
    let n = ((to - from) / STEP_S).floor() as usize + 1;
    let mut k = 0;
    (0..n)
        .map(|i| {
            let t = from + i as f64 * STEP_S;
            while k + 1 < s.len() && s.t[k + 1] < t {
                k += 1;
            }
            if k + 1 >= s.len() || t < s.t[k] || s.t[k + 1] - s.t[k] > 1.0 {
                return f64::NAN;
            }
            s.v[k] + (s.v[k + 1] - s.v[k]) * (t - s.t[k]) / (s.t[k + 1] - s.t[k])
        })
        .collect()
}

#[derive(Clone, Copy)]
struct Score {
    lag: f64,
    /// Relative RMS level residual.
    level: f64,
    /// Correlation.
    r: f64,
}

/// Lags worth a fine fit, best first.
pub(super) fn candidates(pair: &Pair<'_>) -> Vec<f64> {
    let (Some(first), Some(last)) = (pair.ecu.t.first(), pair.ecu.t.last()) else { return Vec::new() };
    let from = (pair.pull.from_s - CONTEXT_S).max(pair.dyno.t[0]);
    let to = (pair.pull.to_s + CONTEXT_S).min(pair.dyno.t[pair.dyno.len() - 1]);
    let d = uniform(pair.dyno, from, to);
    let e = uniform(pair.ecu, *first, *last);
    let need = ((pair.pull.to_s - pair.pull.from_s) * 0.5 / STEP_S) as usize;
    let mut scores = Vec::new();
    for shift in -(d.len() as i64)..e.len() as i64 {
        let (mut m, mut se, mut sd, mut see, mut sdd, mut sed) = (0usize, 0.0, 0.0, 0.0, 0.0, 0.0);
        let start = (-shift).max(0) as usize;
        let end = d.len().min((e.len() as i64 - shift).max(0) as usize);
        for (i, x) in d.iter().enumerate().take(end).skip(start) {
            let y = e[(i as i64 + shift) as usize];
            if x.is_finite() && y.is_finite() {
                m += 1;
                se += y;
                sd += x;
                see += y * y;
                sdd += x * x;
                sed += x * y;
            }
        }
        if m < need.max(5) {
            continue;
        }
        let n = m as f64;
        let k = match pair.ratio {
            Ratio::Known(k) => k,
            Ratio::Free => sed / sdd,
        };
        let sse = (see - 2.0 * k * sed + k * k * sdd).max(0.0);
        let (cov, ve, vd) = (sed - se * sd / n, see - se * se / n, sdd - sd * sd / n);
        let r = if ve > 0.0 && vd > 0.0 { cov / (ve * vd).sqrt() } else { 0.0 };
        scores.push(Score {
            lag: first + shift as f64 * STEP_S - from,
            level: (sse / n).sqrt() / (se / n).max(1.0),
            r,
        });
    }
    let mut by_level = local_best(&scores, |s| s.level);
    let by_shape = local_best(&scores, |s| -s.r);
    for lag in by_shape.into_iter().take(3) {
        if by_level.iter().all(|l| (l - lag).abs() > 0.3) {
            by_level.truncate(MAX_CANDIDATES - 3);
            by_level.push(lag);
        }
    }
    by_level.truncate(MAX_CANDIDATES);
    by_level
}

fn local_best(scores: &[Score], key: impl Fn(&Score) -> f64) -> Vec<f64> {
    let mut best: Vec<&Score> = (0..scores.len())
        .filter(|&i| {
            (i == 0 || key(&scores[i]) <= key(&scores[i - 1]))
                && (i + 1 == scores.len() || key(&scores[i]) < key(&scores[i + 1]))
        })
        .map(|i| &scores[i])
        .collect();
    best.sort_by(|a, b| key(a).total_cmp(&key(b)));
    best.truncate(MAX_CANDIDATES);
    best.iter().map(|s| s.lag).collect()
}
