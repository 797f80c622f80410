//! Tip-in and lift must be as far apart in both recordings: the evidence that a ramp's level cannot give.
//!
//! Around each kink the lag is fitted together with a free offset, so that neither the ratio nor a constant
//! filter delay matters. A log of another pull may match the ramp in between; it was lifted at another
//! moment.

use super::Pair;
use super::legs::{Legs, Reading};
use crate::log::{Series, View};

/// Tolerated difference of the two local lags, s, beside noise and sampling (our choice).
const TOLERANCE_S: f64 = 0.015;
const MAX_ITERATIONS: usize = 25;

pub(super) struct Local {
    pub(super) lag: f64,
    pub(super) sigma: f64,
}

/// How much further apart the kinks are in one recording than in the other, s, with the tolerance for it.
/// `levels` is engine speed as the dyno says it, on the dyno clock. `None` when either kink cannot be fitted
/// well.
///
/// # Formula
/// `gap = (lag_lift − lag_tip) − δ·(t_lift − t_tip)`, refused beyond `0.015 s + 5·√(σ_tip² + σ_lift²) +
/// step/4`
///
/// where
/// - `lag_tip`, `lag_lift`: lags fitted at tip-in and at the lift alone, each beside a free offset, s; `σ` their
///   standard errors;
/// - `δ`: difference of the clock rates; `t`: on the dyno's clock, s; `step`: spacing of the engine computer's
///   samples, s (domain, section 2; the tolerance is our choice).
pub(super) fn gap(
    pair: &Pair<'_>,
    levels: &Series,
    legs: &Legs,
    lag: f64,
    delta: f64,
    noise: f64,
) -> Option<(f64, f64)> {
    let p = pair.pull;
    let tip = local(pair, levels, legs, [p.from_s - 0.9, p.from_s + 0.5], lag, noise)?;
    let lift = local(pair, levels, legs, [p.to_s - 0.6, p.to_s + 0.3], lag, noise)?;
    let expected = delta * (p.to_s - p.from_s);
    let step = crate::signal::savgol::median_step(&pair.ecu.t).unwrap_or(0.05);
    let tolerance =
        TOLERANCE_S + 5.0 * (tip.sigma * tip.sigma + lift.sigma * lift.sigma).sqrt() + 0.25 * step;
    let plain = lift.lag - tip.lag;
    // A small error of the ratio looks like a clock rate on the level; the kinks themselves know nothing of
    // it.
    let gap = if (plain - expected).abs() < plain.abs() { plain - expected } else { plain };
    Some((gap, tolerance))
}

/// Least squares of lag and offset in a window; `None` without a kink in it or when the two shapes differ.
pub(super) fn local(
    pair: &Pair<'_>,
    levels: &Series,
    legs: &Legs,
    window: [f64; 2],
    start: f64,
    noise: f64,
) -> Option<Local> {
    let part: View<'_> = levels.view().between(window[0], window[1]);
    if part.len() < 12 || part.t[part.len() - 1] - part.t[0] < 0.7 * (window[1] - window[0]) {
        return None;
    }
    let (mut lag, mut sigma, mut rms) = (start, f64::INFINITY, f64::INFINITY);
    let mut read = Reading::default();
    for _ in 0..MAX_ITERATIONS {
        legs.read(part.t, |t| t + lag, &mut read);
        if read.len() < part.len() {
            return None;
        }
        let n = part.len() as f64;
        let rows = || read.speed.iter().zip(part.v).map(|(e, d)| e - d).zip(&read.rate);
        let (mr, mg) = (rows().map(|r| r.0).sum::<f64>() / n, read.rate.iter().sum::<f64>() / n);
        let (mut gg, mut gr, mut rr) = (0.0, 0.0, 0.0);
        for (r, g) in rows() {
            gg += (g - mg) * (g - mg);
            gr += (g - mg) * (r - mr);
            rr += (r - mr) * (r - mr);
        }
        if (gg / n).sqrt() < 120.0 {
            return None;
        }
        let step = (-gr / gg).clamp(-0.1, 0.1);
        rms = (rr / n).sqrt();
        // The engine computer's own samples are fewer than the dyno's: they bound what is independent.
        let seen = pair.ecu.view().between(part.t[0] + lag, part.t[part.len() - 1] + lag);
        let samples = seen.len().min(part.len()) as f64;
        sigma = rms / (gg / n).sqrt() / samples.max(1.0).sqrt();
        lag += step;
        if step.abs() < 1e-6 {
            break;
        }
    }
    (rms <= 3.0 * noise.max(2.0) && (lag - start).abs() < 0.5).then_some(Local { lag, sigma })
}
