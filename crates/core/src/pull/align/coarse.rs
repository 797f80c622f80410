//! Candidate lags from whole records: normalised correlation per overlap and level agreement, on a 0.1 s
//! lattice.

use super::{Pair, Ratio};
use crate::log::Series;
use std::ops::Range;

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

/// A uniform trace with its squares; nothing where it is blank.
struct Lattice {
    v: Vec<f64>,
    vv: Vec<f64>,
    /// 1 where there is a value, 0 where there is none.
    there: Vec<f64>,
    whole: bool,
    /// Sums of values and squares before each place.
    before: Vec<[f64; 2]>,
}

impl Lattice {
    fn of(mut v: Vec<f64>) -> Self {
        let there: Vec<f64> = v.iter().map(|x| f64::from(u8::from(x.is_finite()))).collect();
        v.iter_mut().filter(|x| !x.is_finite()).for_each(|x| *x = 0.0);
        let mut sums = [0.0; 2];
        let added = v.iter().map(|x| {
            sums = [sums[0] + x, sums[1] + x * x];
            sums
        });
        let before = std::iter::once([0.0; 2]).chain(added).collect();
        let whole = there.iter().all(|x| *x > 0.0);
        Self { vv: v.iter().map(|x| x * x).collect(), before, v, there, whole }
    }

    fn len(&self) -> usize {
        self.v.len()
    }

    /// Sums of values and squares over the places where the other has a value too.
    fn sums(&self, own: &Range<usize>, other: &Self, theirs: &Range<usize>) -> [f64; 2] {
        if other.whole {
            let (from, to) = (self.before[own.start], self.before[own.end]);
            return [to[0] - from[0], to[1] - from[1]];
        }
        let there = &other.there[theirs.clone()];
        [dot(there, &self.v[own.clone()]), dot(there, &self.vv[own.clone()])]
    }
}

/// `Σ a·b`, four sums side by side.
fn dot(a: &[f64], b: &[f64]) -> f64 {
    let ((a, a_rest), (b, b_rest)) = (a.as_chunks::<4>(), b.as_chunks::<4>());
    let mut sums = [0.0; 4];
    for (x, y) in a.iter().zip(b) {
        for k in 0..4 {
            sums[k] += x[k] * y[k];
        }
    }
    let rest: f64 = a_rest.iter().zip(b_rest).map(|(x, y)| x * y).sum();
    (sums[0] + sums[1]) + (sums[2] + sums[3]) + rest
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
    let (d, e) = (Lattice::of(d), Lattice::of(e));
    let mut scores = Vec::new();
    for shift in -(d.len() as i64)..e.len() as i64 {
        let start = (-shift).max(0) as usize;
        let end = d.len().min((e.len() as i64 - shift).max(0) as usize).max(start);
        let beside = (start as i64 + shift) as usize;
        let (a, b) = (start..end, beside..beside + end - start);
        let n =
            if d.whole && e.whole { a.len() as f64 } else { dot(&d.there[a.clone()], &e.there[b.clone()]) };
        if n < need.max(5) as f64 {
            continue;
        }
        let ([se, see], [sd, sdd]) = (e.sums(&b, &d, &a), d.sums(&a, &e, &b));
        let sed = dot(&d.v[a], &e.v[b]);
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn trace() -> impl Strategy<Value = Vec<f64>> {
        let value = prop_oneof![9 => 500.0..7000.0_f64, 1 => Just(f64::NAN)];
        prop_oneof![prop::collection::vec(value, 3..40), prop::collection::vec(500.0..7000.0_f64, 3..40)]
    }

    proptest! {
        /// Whether blanks are among them or not, sums are those of the places where both have a value.
        #[test]
        fn sums_are_of_the_places_where_both_have_a_value(a in trace(), b in trace(), at in 0_usize..40) {
            let n = a.len().min(b.len());
            let (from, to) = (at.min(n), n);
            let (x, y) = (Lattice::of(a.clone()), Lattice::of(b.clone()));
            let got = x.sums(&(from..to), &y, &(from..to));
            let mut want = [0.0; 2];
            for (a, _) in a[from..to].iter().zip(&b[from..to]).filter(|(a, b)| a.is_finite() && b.is_finite()) {
                want = [want[0] + a, want[1] + a * a];
            }
            for (got, want) in got.iter().zip(want) {
                prop_assert!((got - want).abs() <= 1e-9 * want.max(1.0), "{} is not {}", got, want);
            }
        }
    }
}
