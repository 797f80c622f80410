//! The fine lag: least squares of `n_ecu(t·(1+δ) + lag) − k·n_dyno(t)` on the level, with Huber weights.
//!
//! Where tyres, clutch or converter may slip, the level is `k·n_dyno·(1 + s·load)`: on a slow ramp a slip of
//! 1 % would otherwise be read as a lag of a third of a second.

use super::closed::by_the_lift;
use super::kinks;
use super::{Alignment, FIT_DRIFT_PPM, MAX_DRIFT_PPM, Pair, Ratio};
use crate::linalg::Cholesky;
use crate::log::Series;
use crate::signal::interp::{Walk, between};
use crate::signal::median::median_in_place;
use crate::signal::savgol::{WindowPlan, median_step};

/// Points used at most; a denser dyno trace is thinned evenly.
const MAX_POINTS: usize = 3000;
/// Points on which candidates are told apart before the best are fitted on all (our choice).
const FEW_POINTS: usize = 300;
const MAX_ITERATIONS: usize = 40;
/// Residuals within this time are taken for one, s.
const BLOCK_S: f64 = 0.3;
/// A step smaller than this ends the fit, s: a thousandth of what a lag is known to.
const SETTLED_S: f64 = 1e-6;
/// Record kept around the pull, s: tip-in and the first moments of the lift carry the kinks.
const BEFORE_S: f64 = 1.0;
const AFTER_S: f64 = 0.3;
/// Slip beyond this share is not believed while aligning: it is another gear or another pull (our choice).
const MAX_SLIP: f64 = 0.15;

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

/// A candidate lag fitted on few points.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Sketch {
    pub(super) lag: f64,
    /// RMS over the pull, rpm.
    pub(super) residual: f64,
    /// How badly it fits, comparable with [`Fit::score`].
    pub(super) score: f64,
}

/// A pair prepared once for every candidate lag.
pub(super) struct Problem<'a> {
    pair: &'a Pair<'a>,
    t: Vec<f64>,
    d: Vec<f64>,
    /// Part of the level that is known: `k·n_dyno`, or nothing when the ratio is to be fitted.
    base: Vec<f64>,
    /// What the fitted coefficient multiplies: `n_dyno` for a free ratio, `k·n_dyno·load` for slip, nothing
    /// on a rigid coupling.
    slope: Vec<f64>,
    /// Rate of the engine computer's speed, rpm/s.
    ecu_rate: Vec<f64>,
    mid: f64,
}

impl<'a> Problem<'a> {
    pub(super) fn new(pair: &'a Pair<'a>) -> Self {
        let part = pair.dyno.between(pair.pull.from_s - BEFORE_S, pair.pull.to_s + AFTER_S);
        let every = part.len().div_ceil(MAX_POINTS).max(1);
        let t: Vec<f64> = part.t.iter().copied().step_by(every).collect();
        let d: Vec<f64> = part.v.iter().copied().step_by(every).collect();
        let load = |i: usize| pair.load.and_then(|l| l.at(t[i])).unwrap_or(0.0);
        let (base, slope) = match (pair.ratio, pair.load) {
            (Ratio::Free, _) => (vec![0.0; d.len()], d.clone()),
            (Ratio::Known(k), None) => (d.iter().map(|d| k * d).collect(), vec![0.0; d.len()]),
            (Ratio::Known(k), Some(_)) => (
                d.iter().map(|d| k * d).collect(),
                d.iter().enumerate().map(|(i, d)| k * d * load(i)).collect(),
            ),
        };
        let step = median_step(&pair.ecu.t).unwrap_or(0.05);
        let ecu_rate = WindowPlan::new(&pair.ecu.t, (7.2 * step).max(0.12)).rates(&pair.ecu.v);
        Self { pair, t, d, base, slope, ecu_rate, mid: 0.5 * (pair.pull.from_s + pair.pull.to_s) }
    }

    pub(super) fn pair(&self) -> &'a Pair<'a> {
        self.pair
    }

    /// Engine ÷ dyno speed of a fit, slip aside.
    pub(super) fn ratio(&self, f: &Fit) -> f64 {
        match self.pair.ratio {
            Ratio::Known(k) => k,
            Ratio::Free => f.coefficient,
        }
    }

    /// Whether a coefficient is fitted beside the lag.
    fn has_coefficient(&self) -> bool {
        self.pair.ratio == Ratio::Free || self.pair.load.is_some()
    }

    /// Engine speed that the dyno trace and the coefficient say.
    fn level(&self, i: usize, k: f64) -> f64 {
        self.base[i] + k * self.slope[i]
    }

    /// Engine speed and its rate at a dyno sample; `walk` goes along the engine computer's clock.
    fn ecu_at(&self, walk: &mut Walk<'_>, i: usize, lag: f64, delta: f64) -> Option<(f64, f64)> {
        let place = walk.place(self.t[i] + lag + delta * (self.t[i] - self.mid))?;
        Some((between(&self.pair.ecu.v, place), between(&self.ecu_rate, place)))
    }

    fn walk(&self) -> Walk<'a> {
        Walk::new(&self.pair.ecu.t)
    }

    /// The pair by its lift, when its level is that of a converter.
    pub(super) fn behind_a_converter(&self, noise: f64) -> Option<Alignment> {
        (!self.pair.rigid).then(|| by_the_lift(self.pair, &self.ecu_rate, noise)).flatten()
    }

    /// Difference of the distance between tip-in and lift in the two recordings at a fitted lag, s, and its
    /// tolerance.
    pub(super) fn kink_gap(&self, f: &Fit) -> Option<(f64, f64)> {
        let levels = Series {
            t: self.t.clone(),
            v: (0..self.t.len()).map(|i| self.level(i, f.coefficient)).collect(),
        };
        kinks::gap(self.pair, &levels, &self.ecu_rate, f.lag, f.rate.0, f.noise)
    }

    /// Refines a coarse lag on few points.
    pub(super) fn sketch(&self, start: f64) -> Option<Sketch> {
        let p = self;
        let every = p.t.len().div_ceil(FEW_POINTS).max(1);
        let (lag, k) = solve(p, start, 0.0, every)?;
        let (mut inside, mut n, mut rr, mut sum, mut walk) = (0.0, 0.0, 0.0, 0.0, p.walk());
        for i in (0..p.t.len())
            .step_by(every)
            .filter(|&i| p.t[i] >= p.pair.pull.from_s && p.t[i] <= p.pair.pull.to_s)
        {
            inside += 1.0;
            if let Some((e, _)) = p.ecu_at(&mut walk, i, lag, 0.0) {
                n += 1.0;
                rr += (e - p.level(i, k)).powi(2);
                sum += e;
            }
        }
        let residual = (rr / n).sqrt();
        (n > 0.0).then(|| Sketch { lag, residual, score: residual / (sum / n) + (1.0 - n / inside) })
    }

    /// Refines a coarse lag; `None` when the traces hardly overlap there.
    pub(super) fn fit(&self, start: f64) -> Option<Fit> {
        let p = self;
        let (lag, k) = solve(p, start, 0.0, 1)?;
        let mut out = judge(p, lag, k, 0.0)?;
        // Where slip is fitted, what its model leaves over would be taken for a clock.
        if let Some(delta) = out.drift_ppm.map(|ppm| ppm * 1e-6).filter(|_| p.pair.load.is_none())
            && (delta * 1e6).abs() > FIT_DRIFT_PPM
            && delta.abs() * 1e6 < MAX_DRIFT_PPM
        {
            let mut total = delta;
            let (mut lag, mut k) = solve(p, lag, total, 1)?;
            for _ in 0..3 {
                let Some((more, _)) = drift_at(p, lag, k, total) else { break };
                total += more;
                (lag, k) = solve(p, lag, total, 1)?;
            }
            let scaled = judge(p, lag, k, total)?;
            if scaled.residual < out.residual {
                out = Fit { drift_ppm: Some(total * 1e6), ..scaled };
            }
        }
        Some(out)
    }

    /// Evidence at a lag that is given, not fitted.
    pub(super) fn evaluate(&self, lag: f64) -> Option<Fit> {
        let p = self;
        let k = first_coefficient(p, lag, 0.0, 1)?;
        judge(p, lag, k, 0.0)
    }
}

/// The coefficient at a given lag by plain least squares; 0 when there is none.
fn first_coefficient(p: &Problem<'_>, lag: f64, delta: f64, every: usize) -> Option<f64> {
    if !p.has_coefficient() {
        return Some(0.0);
    }
    let (mut rd, mut dd, mut walk) = (0.0, 0.0, p.walk());
    for i in (0..p.t.len()).step_by(every) {
        if let Some((e, _)) = p.ecu_at(&mut walk, i, lag, delta) {
            rd += (e - p.base[i]) * p.slope[i];
            dd += p.slope[i] * p.slope[i];
        }
    }
    (dd > 0.0).then(|| believable(p, rd / dd))
}

fn believable(p: &Problem<'_>, k: f64) -> f64 {
    if p.pair.ratio == Ratio::Free { k } else { k.clamp(-0.02, MAX_SLIP) }
}

/// Gauss–Newton with Huber weights on every so many points.
fn solve(p: &Problem<'_>, start: f64, delta: f64, every: usize) -> Option<(f64, f64)> {
    let mut lag = start;
    let mut k = first_coefficient(p, lag, delta, every)?;
    let (mut rows, mut size) =
        (Vec::with_capacity(p.t.len() / every + 1), Vec::with_capacity(p.t.len() / every + 1));
    for _ in 0..MAX_ITERATIONS {
        rows.clear();
        let mut walk = p.walk();
        rows.extend((0..p.t.len()).step_by(every).filter_map(|i| {
            p.ecu_at(&mut walk, i, lag, delta).map(|(e, slope)| (e - p.level(i, k), slope, p.slope[i]))
        }));
        if rows.len() < 8 {
            return None;
        }
        size.clear();
        size.extend(rows.iter().map(|r: &(f64, f64, f64)| r.0.abs()));
        let huber = (2.5 * 1.4826 * median_in_place(&mut size)).max(1.0);
        let (mut gg, mut gd, mut dd, mut gr, mut dr) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for (r, slope, d) in &rows {
            let w = if r.abs() > huber { huber / r.abs() } else { 1.0 };
            gg += w * slope * slope;
            gd += w * slope * d;
            dd += w * d * d;
            gr += w * slope * r;
            dr += w * d * r;
        }
        if gg <= 0.0 {
            return None;
        }
        let det = gg * dd - gd * gd;
        let (step_lag, step_k) = if det <= 1e-9 * gg * dd {
            (-gr / gg, 0.0)
        } else {
            ((-dd * gr + gd * dr) / det, (gg * dr - gd * gr) / det)
        };
        lag += step_lag.clamp(-0.5, 0.5);
        k = believable(p, k + step_k);
        if step_lag.abs() < SETTLED_S {
            break;
        }
    }
    Some((lag, k))
}

/// The remaining clock rate difference and its standard error, from least squares of the residual on lag,
/// fitted coefficient and rate together: what the first two can take up is no evidence for the third.
/// Residuals that go together over 0.3 s count as one.
fn drift_at(p: &Problem<'_>, lag: f64, k: f64, delta: f64) -> Option<(f64, f64)> {
    let (mut a, mut b, mut walk) = ([0.0; 9], [0.0; 3], p.walk());
    let (mut rows, mut times) = (Vec::with_capacity(p.t.len()), Vec::with_capacity(p.t.len()));
    for i in 0..p.t.len() {
        if p.t[i] < p.pair.pull.from_s || p.t[i] > p.pair.pull.to_s {
            continue;
        }
        if let Some((e, slope)) = p.ecu_at(&mut walk, i, lag, delta) {
            // Scaled, so that the three are of one size: rpm/s, rpm, rpm/s over seconds.
            rows.push(([slope, p.slope[i], slope * (p.t[i] - p.mid)], e - p.level(i, k)));
            times.push(p.t[i]);
        }
    }
    if rows.len() <= 8 {
        return None;
    }
    let size: [f64; 3] = std::array::from_fn(|j| rows.iter().map(|r| r.0[j] * r.0[j]).sum::<f64>().sqrt());
    let used: Vec<usize> = (0..3).filter(|&j| size[j] > 0.0).collect();
    let m = used.len();
    if used.last() != Some(&2) {
        return None;
    }
    for (x, r) in &rows {
        for (i, &ci) in used.iter().enumerate() {
            b[i] += x[ci] / size[ci] * r;
            for (j, &cj) in used.iter().enumerate() {
                a[i * m + j] += x[ci] / size[ci] * x[cj] / size[cj];
            }
        }
    }
    let c = Cholesky::new(&a[..m * m], m)?;
    let fit = c.solve(&b[..m]);
    let mut unit = vec![0.0; m];
    unit[m - 1] = 1.0;
    let inverse = c.solve(&unit)[m - 1];
    let left: Vec<f64> = rows
        .iter()
        .map(|(x, r)| r - used.iter().enumerate().map(|(i, &ci)| fit[i] * x[ci] / size[ci]).sum::<f64>())
        .collect();
    let n = left.len() as f64;
    let variance = left.iter().map(|v| v * v).sum::<f64>() / (n - m as f64);
    let slow = averaged(&times, &left, BLOCK_S);
    let together = slow.iter().map(|v| v * v).sum::<f64>() / slow.len() as f64 * (n / slow.len() as f64)
        / variance.max(1e-12);
    Some((-fit[m - 1] / size[2], (variance * inverse * together.max(1.0)).sqrt() / size[2]))
}

/// Whether a rate difference exceeds what the lag's own uncertainty would make of it.
fn is_significant(rate: (f64, f64), sigma_lag: f64, pull_s: f64) -> bool {
    rate.0.abs() > 2.0 * std::f64::consts::SQRT_2 * sigma_lag / pull_s && rate.0.abs() > 3.0 * rate.1
}

fn judge(p: &Problem<'_>, lag: f64, k: f64, delta: f64) -> Option<Fit> {
    let pair = p.pair;
    let room = || Vec::with_capacity(p.t.len());
    let (mut r, mut slopes, mut ratios, mut es, mut ds) = (room(), 0.0, room(), room(), room());
    let (mut inside, mut times, mut end_points, mut walk) = (0usize, room(), Vec::new(), p.walk());
    for i in 0..p.t.len() {
        let in_pull = p.t[i] >= pair.pull.from_s && p.t[i] <= pair.pull.to_s;
        inside += usize::from(in_pull);
        let Some((e, slope)) = p.ecu_at(&mut walk, i, lag, delta) else { continue };
        let miss = e - p.level(i, k);
        // Where slip is fitted, it goes with the load within the load's own smoothing: the moments of tip-in
        // and lift are not the pull's ends.
        if (p.t[i] < pair.pull.from_s + 0.3 || p.t[i] > pair.pull.to_s - 0.3)
            && (in_pull || pair.load.is_none())
        {
            end_points.push((p.t[i], miss));
        }
        if in_pull {
            r.push(miss);
            times.push(p.t[i]);
            slopes += slope * slope;
            if p.d[i].abs() > 1.0 {
                ratios.push(e / p.d[i]);
            }
            es.push(e);
            ds.push(p.d[i]);
        }
    }
    if r.len() < 8 || ratios.is_empty() {
        return None;
    }
    let n = r.len() as f64;
    let residual = (r.iter().map(|v| v * v).sum::<f64>() / n).sqrt();
    let slope = (slopes / n).sqrt().max(1e-9);
    let smooth = averaged(&times, &r, BLOCK_S);
    let structure = (smooth.iter().map(|v| v * v).sum::<f64>() / smooth.len() as f64).sqrt();
    let rho = lag_one(&r);
    let n_eff = (n * (1.0 - rho) / (1.0 + rho)).max(2.0);
    let slip = structure / slope / (smooth.len() as f64).sqrt();
    let sigma_lag = ((residual / (slope * n_eff.sqrt())).powi(2) + slip * slip).sqrt();
    let coverage = r.len() as f64 / inside.max(1) as f64;
    let end_gap = averaged(
        &end_points.iter().map(|e| e.0).collect::<Vec<_>>(),
        &end_points.iter().map(|e| e.1).collect::<Vec<_>>(),
        0.12,
    )
    .iter()
    .fold(0.0_f64, |a, v| a.max(v.abs()));
    let mean_rpm = es.iter().sum::<f64>() / n;
    let (left, left_se) = drift_at(p, lag, k, delta).unwrap_or((0.0, 0.0));
    let rate = (delta + left, left_se);
    let drift_ppm =
        is_significant(rate, sigma_lag, pair.pull.to_s - pair.pull.from_s).then_some(rate.0 * 1e6);
    Some(Fit {
        lag,
        sigma_lag,
        r: correlation(&es, &ds),
        residual,
        structure,
        mean_rpm,
        end_gap,
        coverage,
        drift_ppm,
        rate,
        coefficient: k,
        noise: high_pass_noise(&r),
        ratio: median_in_place(&mut ratios),
        slip: (p.pair.ratio != Ratio::Free && p.pair.load.is_some()).then_some(k),
        has_kink: has_kink(pair),
        score: residual / mean_rpm + (1.0 - coverage),
    })
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
    let mut d: Vec<f64> = r.windows(2).map(|w| (w[1] - w[0]).abs()).collect();
    if d.is_empty() { 0.0 } else { 1.4826 * median_in_place(&mut d) / std::f64::consts::SQRT_2 }
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
        let s = pair.dyno.between(from, to);
        s.len() >= 3 && s.t[s.len() - 1] - s.t[0] >= 0.2 && {
            let slope = (s.v[s.len() - 1] - s.v[0]) / (s.t[s.len() - 1] - s.t[0]);
            slope < 0.5 * p.rate
        }
    };
    outside(p.from_s - 1.0, p.from_s - 0.2) || outside(p.to_s + 0.1, p.to_s + 1.0)
}
