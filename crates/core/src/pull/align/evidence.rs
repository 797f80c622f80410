//! What speaks for a fitted lag: residual, its slow structure, the clock rates, the ends.

use super::legs::Reading;
use super::problem::Problem;
use super::{Pair, Ratio};
use crate::linalg::Cholesky;
use crate::signal::median::{median_in_place, median_size};

/// Residuals within this time are taken for one, s.
const BLOCK_S: f64 = 0.3;
/// The ends of a pull are looked at over this, s, in blocks of so many.
const ENDS_S: f64 = 0.3;
const END_BLOCK_S: f64 = 0.12;

/// One fitted lag with its evidence.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Fit {
    pub(super) lag: f64,
    pub(super) sigma_lag: f64,
    pub(super) r: f64,
    pub(super) residual: f64,
    pub(super) structure: f64,
    pub(super) mean_rpm: f64,
    pub(super) end_gap: f64,
    pub(super) coverage: f64,
    pub(super) drift_ppm: Option<f64>,
    /// Clock rate difference and its standard error, as shares.
    pub(super) rate: (f64, f64),
    pub(super) ratio: f64,
    /// Fitted beside the lag: ratio or slip, 0 when neither is.
    pub(super) coefficient: f64,
    /// Standard deviation of the fast part of the residual, rpm.
    pub(super) noise: f64,
    /// Slip at full load, where it was fitted.
    pub(super) slip: Option<f64>,
    pub(super) has_kink: bool,
    pub(super) score: f64,
}

/// The remaining clock rate difference and its standard error, from least squares of the residual on lag,
/// fitted coefficient and rate together: what the first two can take up is no evidence for the third.
/// Residuals that go together over 0.3 s count as one.
pub(super) fn drift_at(p: &Problem<'_>, read: &Reading, misses: &[f64]) -> Option<(f64, f64)> {
    let [points, own] = p.all.within(p.pair(), read);
    if points.len() <= 8 {
        return None;
    }
    let (t, slope) = (&p.all.t[points.clone()], &p.all.slope[points]);
    let (misses, rate) = (&misses[own.clone()], &read.rate[own]);
    // What each of the three would take up: rpm/s, rpm, rpm/s over seconds.
    let row = |i: usize| [rate[i], slope[i], rate[i] * (t[i] - p.mid)];
    let (mut gram, mut b) = ([[0.0; 3]; 3], [0.0; 3]);
    for (i, r) in misses.iter().enumerate() {
        let x = row(i);
        for j in 0..3 {
            b[j] += x[j] * r;
            for k in j..3 {
                gram[j][k] += x[j] * x[k];
            }
        }
    }
    // Scaled, so that the three are of one size.
    let size: [f64; 3] = std::array::from_fn(|j| gram[j][j].sqrt());
    let used: Vec<usize> = (0..3).filter(|&j| size[j] > 0.0).collect();
    let m = used.len();
    if used.last() != Some(&2) {
        return None;
    }
    let pairs = used.iter().flat_map(|i| used.iter().map(move |j| (*i, *j)));
    let a: Vec<f64> = pairs.map(|(i, j)| gram[i.min(j)][i.max(j)] / (size[i] * size[j])).collect();
    let b: Vec<f64> = used.iter().map(|&j| b[j] / size[j]).collect();
    let c = Cholesky::new(&a, m)?;
    let fit = c.solve(&b);
    let mut unit = vec![0.0; m];
    unit[m - 1] = 1.0;
    let inverse = c.solve(&unit)[m - 1];
    let mut takes = [0.0; 3];
    used.iter().zip(&fit).for_each(|(&j, f)| takes[j] = f / size[j]);
    let taken = |x: [f64; 3]| takes[0] * x[0] + takes[1] * x[1] + takes[2] * x[2];
    let left: Vec<f64> = misses.iter().enumerate().map(|(i, r)| r - taken(row(i))).collect();
    let n = left.len() as f64;
    let variance = left.iter().map(|v| v * v).sum::<f64>() / (n - m as f64);
    let slow = averaged(t, &left, BLOCK_S);
    let together = slow.iter().map(|v| v * v).sum::<f64>() / slow.len() as f64 * (n / slow.len() as f64)
        / variance.max(1e-12);
    Some((-takes[2], (variance * inverse * together.max(1.0)).sqrt() / size[2]))
}

/// Whether a rate difference exceeds what the lag's own uncertainty would make of it.
fn is_significant(rate: (f64, f64), sigma_lag: f64, pull_s: f64) -> bool {
    rate.0.abs() > 2.0 * std::f64::consts::SQRT_2 * sigma_lag / pull_s && rate.0.abs() > 3.0 * rate.1
}

/// Everything a lag has for itself, at a coefficient and a clock rate.
pub(super) fn judge(p: &Problem<'_>, lag: f64, k: f64, delta: f64) -> Option<Fit> {
    let (pair, all) = (p.pair(), &p.all);
    let (mut read, mut misses) = (Reading::default(), Vec::new());
    p.read(all, lag, delta, &mut read);
    all.misses(&read, k, &mut misses);
    let [points, own] = all.within(pair, &read);
    let (t, d) = (&all.t[points.clone()], &all.d[points]);
    let (r, es, rates) = (&misses[own.clone()], &read.speed[own.clone()], &read.rate[own]);
    let mut ratios: Vec<f64> = es.iter().zip(d).filter(|(_, d)| d.abs() > 1.0).map(|(e, d)| e / d).collect();
    if r.len() < 8 || ratios.is_empty() {
        return None;
    }
    let n = r.len() as f64;
    let residual = (r.iter().map(|v| v * v).sum::<f64>() / n).sqrt();
    let slope = (rates.iter().map(|v| v * v).sum::<f64>() / n).sqrt().max(1e-9);
    let smooth = averaged(t, r, BLOCK_S);
    let structure = (smooth.iter().map(|v| v * v).sum::<f64>() / smooth.len() as f64).sqrt();
    let rho = lag_one(r);
    let n_eff = (n * (1.0 - rho) / (1.0 + rho)).max(2.0);
    let slip = structure / slope / (smooth.len() as f64).sqrt();
    let sigma_lag = ((residual / (slope * n_eff.sqrt())).powi(2) + slip * slip).sqrt();
    let coverage = n / all.inside(pair).len().max(1) as f64;
    let mean_rpm = es.iter().sum::<f64>() / n;
    let (left, left_se) = drift_at(p, &read, &misses).unwrap_or((0.0, 0.0));
    let rate = (delta + left, left_se);
    let drift_ppm =
        is_significant(rate, sigma_lag, pair.pull.to_s - pair.pull.from_s).then_some(rate.0 * 1e6);
    Some(Fit {
        lag,
        sigma_lag,
        r: correlation(es, d),
        residual,
        structure,
        mean_rpm,
        end_gap: end_gap(pair, &all.t[read.covered()], &misses),
        coverage,
        drift_ppm,
        rate,
        coefficient: k,
        noise: high_pass_noise(r),
        ratio: median_in_place(&mut ratios),
        slip: (pair.ratio != Ratio::Free && pair.load.is_some()).then_some(k),
        has_kink: has_kink(pair),
        score: residual / mean_rpm + (1.0 - coverage),
    })
}

/// How far the two are apart at the ends of the pull, rpm.
fn end_gap(pair: &Pair<'_>, t: &[f64], misses: &[f64]) -> f64 {
    let p = pair.pull;
    // Where slip is fitted, it goes with the load within the load's own smoothing: the moments of tip-in
    // and lift are not the pull's ends.
    let counts = |t: f64| {
        (t < p.from_s + ENDS_S || t > p.to_s - ENDS_S)
            && (pair.load.is_none() || (p.from_s..=p.to_s).contains(&t))
    };
    let (t, misses): (Vec<f64>, Vec<f64>) = t.iter().zip(misses).filter(|(t, _)| counts(**t)).unzip();
    averaged(&t, &misses, END_BLOCK_S).iter().fold(0.0_f64, |a, v| a.max(v.abs()))
}

/// Block averages over `width` seconds.
fn averaged(t: &[f64], v: &[f64], width: f64) -> Vec<f64> {
    let mut out = Vec::new();
    let mut i = 0;
    while i < t.len() {
        let mut j = i;
        while j < t.len() && t[j] - t[i] < width {
            j += 1;
        }
        out.push(v[i..j].iter().sum::<f64>() / (j - i) as f64);
        i = j;
    }
    out
}

/// Standard deviation of the fast part of the residual, from first differences.
fn high_pass_noise(r: &[f64]) -> f64 {
    let d: Vec<f64> = r.iter().zip(r.iter().skip(1)).map(|(a, b)| b - a).collect();
    if d.is_empty() { 0.0 } else { 1.4826 * median_size(&d, &mut Vec::new()) / std::f64::consts::SQRT_2 }
}

fn lag_one(r: &[f64]) -> f64 {
    let m = r.iter().sum::<f64>() / r.len() as f64;
    let var: f64 = r.iter().map(|v| (v - m).powi(2)).sum();
    let cov: f64 = r.windows(2).map(|w| (w[0] - m) * (w[1] - m)).sum();
    if var > 0.0 { (cov / var).clamp(0.0, 0.99) } else { 0.0 }
}

fn correlation(a: &[f64], b: &[f64]) -> f64 {
    let n = a.len() as f64;
    let (ma, mb) = (a.iter().sum::<f64>() / n, b.iter().sum::<f64>() / n);
    let (mut ab, mut aa, mut bb) = (0.0, 0.0, 0.0);
    for (x, y) in a.iter().zip(b) {
        ab += (x - ma) * (y - mb);
        aa += (x - ma) * (x - ma);
        bb += (y - mb) * (y - mb);
    }
    if aa > 0.0 && bb > 0.0 { ab / (aa * bb).sqrt() } else { 0.0 }
}

/// Whether the dyno trace shows tip-in or lift: at least 0.2 s outside the pull where its slope falls under
/// half.
fn has_kink(pair: &Pair<'_>) -> bool {
    let p = pair.pull;
    let outside = |from: f64, to: f64| {
        let s = pair.dyno.view().between(from, to);
        s.len() >= 3 && s.t[s.len() - 1] - s.t[0] >= 0.2 && {
            let slope = (s.v[s.len() - 1] - s.v[0]) / (s.t[s.len() - 1] - s.t[0]);
            slope < 0.5 * p.rate
        }
    };
    outside(p.from_s - 1.0, p.from_s - 0.2) || outside(p.to_s + 0.1, p.to_s + 1.0)
}
