//! How late a probe sees what a cylinder burned: the way of the gas, and the probe itself.

use crate::log::Series;
use serde::{Deserialize, Serialize};

/// Gas constant of exhaust, J/(kg·K), as the domain has it (section 7).
const R_EXHAUST: f64 = 287.0;
/// Delays tried, s, and time constants of the probe, s (our choice: a probe far down a slow exhaust is a second late).
const DELAYS: (f64, f64, usize) = (0.0, 1.2, 121);
const LAGS: [f64; 7] = [0.0, 0.03, 0.06, 0.1, 0.15, 0.25, 0.4];
/// A change of the target of this much λ within [`STEP_S`] is a step that shows the delay (our choice).
const STEP: f64 = 0.02;
const STEP_S: f64 = 0.3;
/// Fewest samples that are compared.
const ENOUGH: usize = 40;
/// The fit must leave less than this share of what the target alone leaves (our choice).
const EXPLAINS: f64 = 0.7;

/// A probe's place: editable, with typical values (our choice: a probe half a metre behind a small turbine).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Path {
    /// Delay that does not go with flow, s: burning, valve, the recorder.
    pub fixed_s: f64,
    /// Volume between valve and probe, L.
    pub volume_l: f64,
    /// Time constant of the probe, s.
    pub lag_s: f64,
}

impl Default for Path {
    fn default() -> Self {
        Self { fixed_s: 0.05, volume_l: 1.5, lag_s: 0.06 }
    }
}

impl Path {
    /// Transport delay.
    ///
    /// # Formula
    /// `τ = τ0 + V·p/(ṁ·287·T)`
    ///
    /// where
    /// - `τ0`: fixed part, s; `V`: volume, m³; `p`: pressure in the exhaust, Pa; `ṁ`: exhaust mass flow, kg/s;
    /// - `T`: exhaust temperature, K (domain, section 7).
    ///
    /// `None` without flow.
    ///
    /// ```
    /// use jamjar_core::fuelling::delay::Path;
    /// let path = Path { fixed_s: 0.05, volume_l: 2.0, lag_s: 0.06 };
    /// let tau = path.delay_s(150.0, 60.0, 800.0).unwrap();
    /// assert!((tau - (0.05 + 0.002 * 150e3 / (0.06 * 287.0 * 1073.15))).abs() < 1e-12);
    /// ```
    pub fn delay_s(&self, pressure_kpa: f64, flow_g_s: f64, temp_c: f64) -> Option<f64> {
        let (p, m, t) = (pressure_kpa * 1e3, flow_g_s * 1e-3, temp_c + 273.15);
        let tau = self.fixed_s + self.volume_l * 1e-3 * p / (m * R_EXHAUST * t);
        (m > 0.0 && t > 0.0 && tau.is_finite() && tau >= 0.0).then_some(tau)
    }
}

/// A delay seen in a recording.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Fitted {
    /// Delay, s.
    pub delay_s: f64,
    /// Time constant of the probe, s.
    pub lag_s: f64,
    /// Delays that fit nearly as well, s: where the residual grows by less than its own scatter.
    pub between_s: [f64; 2],
    /// Steps of the target it rests on.
    pub steps: usize,
}

/// Steps of a target.
fn steps(target: &Series) -> Vec<f64> {
    let mut out: Vec<f64> = Vec::new();
    let mut j = 0;
    for i in 0..target.len() {
        while target.t[i] - target.t[j] > STEP_S {
            j += 1;
        }
        let moved = (target.v[i] - target.v[j]).abs() >= STEP;
        if moved && out.last().is_none_or(|t| target.t[i] - t > 1.0) {
            out.push(target.t[i]);
        }
    }
    out
}

/// Delay and lag of a measured mixture behind its target, from the steps of the target; `None` where it makes none,
/// or where no delay explains the measured one.
///
/// # Formula
/// minimise over `τ`, `T`: `Σ_s (λ_s − a − b·y(t_s − τ))²` with `T·dy/dt = λ_target − y`, a and b by least squares
///
/// where
/// - `λ_s`: measured mixture; `y`: the target behind a first-order lag of time constant `T`, s; `τ`: delay, s;
/// - only times from 0.5 s before a step to 2 s after it count. Grid of 10 ms (our choice).
pub fn fit(target: &Series, measured: &Series) -> Option<Fitted> {
    let at = steps(target);
    if at.is_empty() {
        return None;
    }
    let near = |t: f64| at.iter().any(|s| (-0.5..=2.0).contains(&(t - s)));
    let points: Vec<(f64, f64)> =
        measured.t.iter().zip(&measured.v).filter(|(t, _)| near(**t)).map(|(t, v)| (*t, *v)).collect();
    if points.len() < ENOUGH {
        return None;
    }
    let (from, to, n) = DELAYS;
    let delay = |i: usize| from + (to - from) * i as f64 / (n - 1) as f64;
    let mut best: Option<(f64, usize, f64)> = None;
    let mut by_delay = vec![f64::INFINITY; n];
    for lag in LAGS {
        let y = lagged(target, lag);
        for (i, least) in by_delay.iter_mut().enumerate() {
            let Some(rss) = residual(&points, &y, delay(i)) else { continue };
            *least = least.min(rss);
            if best.is_none_or(|b| rss < b.0) {
                best = Some((rss, i, lag));
            }
        }
    }
    let (rss, i, lag_s) = best?;
    let mean = points.iter().map(|p| p.1).sum::<f64>() / points.len() as f64;
    let alone: f64 = points.iter().map(|p| (p.1 - mean).powi(2)).sum();
    // At the edge of what was tried nothing was found.
    if rss > EXPLAINS * alone || i + 1 == n {
        return None;
    }
    let nearly = |k: &usize| by_delay[*k] <= rss * (1.0 + 4.0 / (points.len() as f64 / 5.0));
    let low = (0..=i).rev().take_while(nearly).last().unwrap_or(i);
    let high = (i..n).take_while(nearly).last().unwrap_or(i);
    Some(Fitted { delay_s: delay(i), lag_s, between_s: [delay(low), delay(high)], steps: at.len() })
}

/// A series behind a first-order lag.
pub fn lagged(s: &Series, time_constant_s: f64) -> Series {
    if time_constant_s <= 0.0 || s.is_empty() {
        return s.clone();
    }
    let mut v = Vec::with_capacity(s.len());
    let mut y = s.v[0];
    v.push(y);
    for i in 1..s.len() {
        let share = 1.0 - (-(s.t[i] - s.t[i - 1]) / time_constant_s).exp();
        y += share * (s.v[i] - y);
        v.push(y);
    }
    Series { t: s.t.clone(), v }
}

/// What is left of the points beside a line through a delayed series.
fn residual(points: &[(f64, f64)], y: &Series, delay: f64) -> Option<f64> {
    let mut at = y.reader();
    let pairs: Vec<(f64, f64)> = points.iter().filter_map(|(t, v)| Some((at.at(t - delay)?, *v))).collect();
    if pairs.len() * 10 < points.len() * 9 {
        return None;
    }
    let n = pairs.len() as f64;
    let (mx, my) = (pairs.iter().map(|p| p.0).sum::<f64>() / n, pairs.iter().map(|p| p.1).sum::<f64>() / n);
    let (mut sxx, mut sxy, mut syy) = (0.0, 0.0, 0.0);
    for (x, v) in &pairs {
        sxx += (x - mx).powi(2);
        sxy += (x - mx) * (v - my);
        syy += (v - my).powi(2);
    }
    (sxx > 0.0 && sxy > 0.0).then(|| (syy - sxy * sxy / sxx).max(0.0) * points.len() as f64 / n)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn target() -> Series {
        let t: Vec<f64> = (0..600).map(|i| f64::from(i) * 0.02).collect();
        let v = t.iter().map(|t| if (4.0..8.0).contains(t) { 0.82 } else { 1.0 }).collect();
        Series { t, v }
    }

    #[test]
    fn a_planted_delay_and_lag_are_found() {
        for (delay, lag) in [(0.12, 0.06), (0.45, 0.15), (0.0, 0.0)] {
            let y = lagged(&target(), lag);
            let noise = |i: usize| ((i as f64 * 12.9898).sin() * 43_758.545).fract() * 0.004;
            let at = |t: f64| y.at((t - delay).max(0.0)).unwrap();
            let v = y.t.iter().enumerate().map(|(i, t)| at(*t) + 0.01 + noise(i)).collect();
            let f = fit(&target(), &Series { t: y.t.clone(), v }).unwrap();
            assert!((f.delay_s - delay).abs() <= 0.021 && (f.lag_s - lag).abs() <= 0.04, "{f:?}");
            assert!(f.between_s[0] <= f.delay_s && f.delay_s <= f.between_s[1] && f.steps == 2);
        }
    }

    #[test]
    fn without_a_step_or_an_answer_nothing_is_fitted() {
        let flat = Series { t: target().t, v: vec![0.9; 600] };
        assert_eq!(fit(&flat, &target()), None, "a target that never moves shows no delay");
        let noise = (0..600).map(|i| ((f64::from(i) * 78.233).sin() * 43_758.5).fract()).collect();
        assert_eq!(fit(&target(), &Series { t: target().t, v: noise }), None, "a probe that follows nothing");
        assert_eq!(Path::default().delay_s(150.0, 0.0, 800.0), None);
    }
}
