//! The lag behind a converter: from the lift, where it has closed, and from nothing on the level below.
//!
//! A converter that is open lets the engine run ahead of the shaft, so the level contradicts the ratio over
//! most of the pull. Where it has closed the ratio holds again, and the lift bends both speeds at one moment.

use super::kinks::local;
use super::legs::Legs;
use super::{Alignment, MAX_RESIDUAL_SHARE, MIN_COVERAGE, Pair, Ratio, SAME_LAG_S, Status, zone_difference};
use crate::log::Series;
use crate::signal::median::{median_in_place, running_median};
use crate::signal::savgol::WindowPlan;

/// The ratio is looked at as its median over this, s (domain, section 2).
const MEDIAN_S: f64 = 0.3;
/// Share of the speeds of the pull, from the top, over which it must be closed (our choice).
const CLOSED_TOP: f64 = 0.2;
/// There the ratio is the geometry's within this share, and as steady as half of it.
const CLOSED: f64 = 0.01;
/// Below, the engine runs ahead by this share at least: less is a tyre that creeps, or another ramp (our
/// choice).
const OPEN: f64 = 0.03;
/// The two speeds begin to rise within this of each other, s: an engine flares before its shaft follows, and a
/// log of another pull began at another moment (our choice).
const BEGINS_S: f64 = 0.3;
/// What a converter that unloads does to the moment of the lift, s (our choice).
const UNLOADS_S: f64 = 0.01;

/// Aligns a pair whose level fits nowhere, when it is that of a converter; `None` when it is not, or when two
/// lifts of the log would do.
///
/// # Formula
/// Lag and offset by least squares around the lift alone; then `d(t) = n_e(t + lag)/(k·n_d(t)) − 1`, its median
/// over 0.3 s, is nothing (± 0.01, steady within 0.005) over the upper fifth of the speeds and 0.03 or more
/// somewhere below; the residual is judged against the smoothed ratio, never against `k` (domain, section 2).
pub(super) fn by_the_lift(pair: &Pair<'_>, legs: &Legs, rates: &[f64], noise: f64) -> Option<Alignment> {
    let Ratio::Known(k) = pair.ratio else { return None };
    let p = pair.pull;
    let around = pair.dyno.between(p.from_s - 2.0, p.to_s + 0.5);
    let levels = Series { v: around.v.iter().map(|v| k * v).collect(), t: around.t };
    let ramp = p.rate * k;
    let mut found: Vec<Alignment> = Vec::new();
    for t in lifts(pair.ecu, rates, ramp) {
        let window = [p.to_s - 0.6, p.to_s + 0.3];
        let Some(l) = local(pair, &levels, legs, window, t - p.to_s, noise) else { continue };
        if found.iter().any(|a| a.lag_s.is_some_and(|f| (f - l.lag).abs() < SAME_LAG_S)) {
            continue;
        }
        found.extend(judged(pair, &levels, rates, ramp, l.lag, l.sigma.hypot(UNLOADS_S)));
    }
    match <[Alignment; 1]>::try_from(found) {
        Ok([one]) => Some(one),
        Err(_) => None,
    }
}

/// Moments at which the engine's speed turns from rising to falling, on its own clock, s.
fn lifts(ecu: &Series, rates: &[f64], ramp: f64) -> Vec<f64> {
    let mut out = Vec::new();
    let mut rose: Option<f64> = None;
    for (t, r) in ecu.t.iter().zip(rates) {
        if *r > 0.3 * ramp {
            rose = Some(*t);
        } else if *r < 0.0 {
            out.extend(rose.take().filter(|since| t - since < 0.6));
        }
    }
    out
}

/// When a speed begins to rise: the last moment before a quarter of the ramp's rate is kept, s.
fn begins(t: &[f64], rates: &[f64], ramp: f64, [from, to]: [f64; 2]) -> Option<f64> {
    let still = |i: &usize| t[*i] >= from && t[*i] <= to && rates[*i] < 0.25 * ramp;
    (0..t.len()).rev().find(still).map(|i| t[i])
}

fn judged(
    pair: &Pair<'_>,
    levels: &Series,
    rates: &[f64],
    ramp: f64,
    lag: f64,
    sigma: f64,
) -> Option<Alignment> {
    let p = pair.pull;
    let inside = levels.between(p.from_s, p.to_s);
    let mut engine = pair.ecu.reader();
    let (mut t, mut level, mut off) = (Vec::new(), Vec::new(), Vec::new());
    for (ti, n) in inside.t.iter().zip(&inside.v) {
        if let Some(e) = engine.at(ti + lag) {
            t.push(*ti);
            level.push(*n);
            off.push(e / n - 1.0);
        }
    }
    if (t.len() as f64) < MIN_COVERAGE * inside.len() as f64 || t.len() < 20 {
        return None;
    }
    let smooth = running_median(&t, &off, MEDIAN_S);
    let (low, high) = (level[0], level[level.len() - 1]);
    let place = |n: f64| (n - low) / (high - low);
    let top: Vec<f64> =
        smooth.iter().zip(&level).filter(|(_, n)| place(**n) > 1.0 - CLOSED_TOP).map(|d| *d.0).collect();
    let middle = median_in_place(&mut top.clone());
    let closed = middle.abs() <= CLOSED && top.iter().all(|d| (d - middle).abs() <= 0.5 * CLOSED);
    let open = smooth.iter().copied().fold(0.0, f64::max);
    if high <= low || top.len() < 10 || !closed || open < OPEN || smooth.iter().any(|d| *d < -CLOSED) {
        return None;
    }
    let clocks = (lag - zone_difference(lag)).abs();
    if pair.clocks_of_day && clocks > super::MAX_CLOCK_GAP_S {
        return None;
    }
    let window = [p.from_s - 2.0, p.from_s + 1.0];
    let turning = WindowPlan::new(&levels.t, MEDIAN_S).rates(&levels.v);
    let own = begins(&levels.t, &turning, ramp, window)?;
    let theirs = begins(&pair.ecu.t, rates, ramp, window.map(|t| t + lag))?;
    if (theirs - lag - own).abs() > BEGINS_S {
        return None;
    }
    let n = t.len() as f64;
    let residual =
        (off.iter().zip(&smooth).zip(&level).map(|((d, s), n)| ((d - s) * n).powi(2)).sum::<f64>() / n)
            .sqrt();
    let mean = level.iter().sum::<f64>() / n;
    if residual / mean > MAX_RESIDUAL_SHARE {
        return None;
    }
    let Ratio::Known(k) = pair.ratio else { return None };
    Some(Alignment {
        lag_s: Some(lag),
        sigma_lag_s: Some(sigma),
        residual_rpm: Some(residual),
        measured_ratio: Some(k * (1.0 + middle)),
        ..Alignment::empty(Status::Aligned, None)
    })
}
