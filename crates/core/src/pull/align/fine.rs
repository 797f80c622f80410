//! The fine lag: least squares of `n_ecu(t·(1+δ) + lag) − k·n_dyno(t)` on the level, with Huber weights.
//!
//! Where tyres, clutch or converter may slip, the level is `k·n_dyno·(1 + s·load)`: on a slow ramp a slip of
//! 1 % would otherwise be read as a lag of a third of a second.

use super::closed::by_the_lift;
use super::evidence::{Fit, drift_at, judge};
use super::kinks;
use super::legs::Reading;
use super::problem::{Points, Problem};
use super::{Alignment, FIT_DRIFT_PPM, MAX_DRIFT_PPM, Ratio};
use crate::log::Series;
use crate::signal::median::median_size;

const MAX_ITERATIONS: usize = 40;
/// A step smaller than this ends the fit, s: a thousandth of what a lag is known to.
const SETTLED_S: f64 = 1e-6;
/// Slip beyond this share is not believed while aligning: it is another gear or another pull (our choice).
const MAX_SLIP: f64 = 0.15;

/// A candidate lag fitted on few points.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Sketch {
    pub(super) lag: f64,
    /// RMS over the pull, rpm.
    pub(super) residual: f64,
    /// How badly it fits, comparable with [`Fit::score`].
    pub(super) score: f64,
}

impl Problem<'_> {
    /// Engine ÷ dyno speed of a fit, slip aside.
    pub(super) fn ratio(&self, f: &Fit) -> f64 {
        match self.pair().ratio {
            Ratio::Known(k) => k,
            Ratio::Free => f.coefficient,
        }
    }

    /// The pair by its lift, when its level is that of a converter.
    pub(super) fn behind_a_converter(&self, noise: f64) -> Option<Alignment> {
        (!self.pair().rigid).then(|| by_the_lift(self.pair(), &self.legs, &self.ecu_rate, noise)).flatten()
    }

    /// Difference of the distance between tip-in and lift in the two recordings at a fitted lag, s, and its
    /// tolerance.
    pub(super) fn kink_gap(&self, f: &Fit) -> Option<(f64, f64)> {
        let p = &self.all;
        let levels = Series {
            t: p.t.clone(),
            v: p.base.iter().zip(&p.slope).map(|(b, s)| b + f.coefficient * s).collect(),
        };
        kinks::gap(self.pair(), &levels, &self.legs, f.lag, f.rate.0, f.noise)
    }

    /// Refines a coarse lag on few points.
    pub(super) fn sketch(&self, start: f64) -> Option<Sketch> {
        let points = &self.few;
        let (lag, k) = solve(self, points, start, 0.0)?;
        let (mut read, mut misses) = (Reading::default(), Vec::new());
        self.read(points, lag, 0.0, &mut read);
        points.misses(&read, k, &mut misses);
        let [_, own] = points.within(self.pair(), &read);
        if own.is_empty() {
            return None;
        }
        let (n, inside) = (own.len() as f64, points.inside(self.pair()).len() as f64);
        let residual = (misses[own.clone()].iter().map(|r| r * r).sum::<f64>() / n).sqrt();
        let mean = read.speed[own].iter().sum::<f64>() / n;
        Some(Sketch { lag, residual, score: residual / mean + (1.0 - n / inside) })
    }

    /// Refines a coarse lag; `None` when the traces hardly overlap there.
    pub(super) fn fit(&self, start: f64) -> Option<Fit> {
        let (p, all) = (self, &self.all);
        let (lag, k) = solve(p, all, start, 0.0)?;
        let mut out = judge(p, lag, k, 0.0)?;
        // Where slip is fitted, what its model leaves over would be taken for a clock.
        if let Some(delta) = out.drift_ppm.map(|ppm| ppm * 1e-6).filter(|_| p.pair().load.is_none())
            && (delta * 1e6).abs() > FIT_DRIFT_PPM
            && delta.abs() * 1e6 < MAX_DRIFT_PPM
        {
            let mut total = delta;
            let (mut lag, mut k) = solve(p, all, lag, total)?;
            let (mut read, mut misses) = (Reading::default(), Vec::new());
            for _ in 0..3 {
                p.read(all, lag, total, &mut read);
                all.misses(&read, k, &mut misses);
                let Some((more, _)) = drift_at(p, &read, &misses) else { break };
                total += more;
                (lag, k) = solve(p, all, lag, total)?;
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
        let mut read = Reading::default();
        self.read(&self.all, lag, 0.0, &mut read);
        let k = first_coefficient(self, &self.all, &read)?;
        judge(self, lag, k, 0.0)
    }
}

/// The coefficient at a given lag by plain least squares; 0 when there is none.
fn first_coefficient(p: &Problem<'_>, points: &Points, read: &Reading) -> Option<f64> {
    if !p.has_coefficient() {
        return Some(0.0);
    }
    let (mut rd, mut dd) = (0.0, 0.0);
    let (base, slope) = (&points.base[read.covered()], &points.slope[read.covered()]);
    for ((e, b), s) in read.speed.iter().zip(base).zip(slope) {
        rd += (e - b) * s;
        dd += s * s;
    }
    (dd > 0.0).then(|| believable(p, rd / dd))
}

fn believable(p: &Problem<'_>, k: f64) -> f64 {
    if p.pair().ratio == Ratio::Free { k } else { k.clamp(-0.02, MAX_SLIP) }
}

/// Gauss–Newton with Huber weights.
fn solve(p: &Problem<'_>, points: &Points, start: f64, delta: f64) -> Option<(f64, f64)> {
    let (mut lag, mut read) = (start, Reading::default());
    p.read(points, lag, delta, &mut read);
    let mut k = first_coefficient(p, points, &read)?;
    let (mut misses, mut sizes) = (Vec::with_capacity(read.len()), Vec::with_capacity(read.len()));
    for _ in 0..MAX_ITERATIONS {
        if read.len() < 8 {
            return None;
        }
        points.misses(&read, k, &mut misses);
        let huber = (2.5 * 1.4826 * median_size(&misses, &mut sizes)).max(1.0);
        let (mut gg, mut gd, mut dd, mut gr, mut dr) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for ((r, slope), d) in misses.iter().zip(&read.rate).zip(&points.slope[read.covered()]) {
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
        p.read(points, lag, delta, &mut read);
    }
    Some((lag, k))
}
