//! Savitzky–Golay smoothing and derivative (Savitzky & Golay 1964), on uniform or real timestamps.

use super::median::size_at;
use crate::linalg::{Cholesky, solve_moments};
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Timestamps whose spacing varies by more than this share are fitted as they are.
pub const JITTER_LIMIT: f64 = 0.01;
/// Fewer samples than this in the window: the series is left unfiltered, and said.
pub const MIN_SAMPLES: usize = 7;

/// Smoothed values and their derivative per second, same length as the input.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Smoothed {
    /// Smoothed values, unit of the input.
    pub smoothed: Vec<f64>,
    /// First derivative, unit of the input per second.
    pub derivative: Vec<f64>,
}

/// Why a window cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[allow(missing_docs)]
pub enum SavgolError {
    #[error("window must be an odd count, got {window}")]
    EvenWindow { window: usize },
    #[error("order {order} needs a window longer than {order} samples, got {window}")]
    OrderTooHigh { window: usize, order: usize },
    #[error("{samples} samples are fewer than the window of {window}")]
    TooShort { samples: usize, window: usize },
    #[error("dt must be positive")]
    BadStep,
}

fn validate(len: usize, window: usize, order: usize) -> Result<(), SavgolError> {
    if window.is_multiple_of(2) {
        return Err(SavgolError::EvenWindow { window });
    }
    if order >= window || order > 5 {
        return Err(SavgolError::OrderTooHigh { window, order });
    }
    if len < window {
        return Err(SavgolError::TooShort { samples: len, window });
    }
    Ok(())
}

/// Smooths a uniformly sampled series; ends take the polynomial of the last full window.
///
/// # Formula
/// `ŷ_i = Σ_j h_j·y_(i+j)`, `ẏ_i = Σ_j h'_j·y_(i+j)/Δt`: value and slope at the middle of the polynomial
/// fitted to the window by least squares
///
/// where
/// - `y`: the series, `ŷ` in its unit, `ẏ` in its unit per second;
/// - `h`, `h'`: rows 0 and 1 of `(AᵀA)⁻¹Aᵀ`, `A_jk = j^k`, `j = −m … m`, `k = 0 … order`;
/// - `2m + 1`: samples in the window; `Δt`: spacing, s (Savitzky & Golay 1964, Anal. Chem. 36, p. 1627; the ends
///   as in the domain, section 2).
///
/// ```
/// use jamjar_core::signal::savgol::smooth_uniform;
/// let y: Vec<f64> = (0..20).map(|i| 3.0 + 0.5 * f64::from(i)).collect();
/// let s = smooth_uniform(&y, 7, 2, 0.1)?;
/// assert!(s.smoothed.iter().zip(&y).all(|(a, b)| (a - b).abs() < 1e-9), "a line stays what it is");
/// assert!(s.derivative.iter().all(|d| (d - 5.0).abs() < 1e-9));
/// # Ok::<(), jamjar_core::signal::savgol::SavgolError>(())
/// ```
///
/// # Errors
/// [`SavgolError`] when window, order, length or step do not fit together.
pub fn smooth_uniform(y: &[f64], window: usize, order: usize, dt_s: f64) -> Result<Smoothed, SavgolError> {
    uniform(y, window, order, dt_s, [true, true])
}

/// Values, rates or both; what is not wanted comes back as zeros.
fn uniform(
    y: &[f64],
    window: usize,
    order: usize,
    dt_s: f64,
    [values, rates]: [bool; 2],
) -> Result<Smoothed, SavgolError> {
    validate(y.len(), window, order)?;
    if dt_s.is_nan() || dt_s <= 0.0 {
        return Err(SavgolError::BadStep);
    }
    let half = window / 2;
    let n = y.len();
    let fit = WindowFit::new(window, order);
    let mut out = Smoothed { smoothed: vec![0.0; n], derivative: vec![0.0; n] };
    let (value, slope) = fit.centre();
    if values {
        convolve(y, &value, &mut out.smoothed[half..n - half]);
    }
    if rates {
        convolve(y, &slope, &mut out.derivative[half..n - half]);
    }
    for (start, ends) in [(0, 0..half), (n - window, n - half..n)] {
        let c = fit.polynomial(&y[start..start + window]);
        for i in ends {
            (out.smoothed[i], out.derivative[i]) = fit.evaluate(&c, i - start);
        }
    }
    out.derivative.iter_mut().for_each(|d| *d /= dt_s);
    Ok(out)
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x * y).sum()
}

/// Outputs worked on together: their sums stay in registers while the taps pass over them.
const LANES: usize = 8;

/// `out[i] = Σ kernel[j]·y[i + j]`, neighbouring sums side by side: the compiler may not reorder one sum.
fn convolve(y: &[f64], kernel: &[f64], out: &mut [f64]) {
    let (blocks, rest) = out.as_chunks_mut::<LANES>();
    let done = blocks.len() * LANES;
    for (b, block) in blocks.iter_mut().enumerate() {
        let mut sums = [0.0; LANES];
        for (k, w) in kernel.iter().enumerate() {
            let from = b * LANES + k;
            let near: &[f64; LANES] = y[from..from + LANES].try_into().expect("as many");
            for (s, x) in sums.iter_mut().zip(near) {
                *s += w * x;
            }
        }
        *block = sums;
    }
    for (i, o) in rest.iter_mut().enumerate() {
        *o = dot(kernel, &y[done + i..]);
    }
}

/// The least-squares polynomial of one window of evenly spaced samples, in `u` from −1 to 1.
struct WindowFit {
    order: usize,
    u: Vec<f64>,
    factor: Cholesky,
}

impl WindowFit {
    fn new(window: usize, order: usize) -> Self {
        let half = (window / 2) as f64;
        let m = order + 1;
        let u: Vec<f64> = (0..window).map(|i| (i as f64 - half) / half).collect();
        let moments: Vec<f64> = (0..2 * m as i32).map(|p| u.iter().map(|x| x.powi(p)).sum()).collect();
        let a: Vec<f64> = (0..m * m).map(|k| moments[k / m + k % m]).collect();
        let factor = Cholesky::new(&a, m).expect("distinct abscissae make a definite matrix");
        Self { order, u, factor }
    }

    fn half(&self) -> f64 {
        (self.u.len() / 2) as f64
    }

    /// Coefficients through a window's samples.
    fn polynomial(&self, y: &[f64]) -> Vec<f64> {
        let b: Vec<f64> =
            (0..=self.order as i32).map(|p| self.u.iter().zip(y).map(|(u, y)| u.powi(p) * y).sum()).collect();
        self.factor.solve(&b)
    }

    /// Value and slope per sample of a polynomial at a position of the window.
    fn evaluate(&self, c: &[f64], position: usize) -> (f64, f64) {
        let u = self.u[position];
        let (mut value, mut slope) = (0.0, 0.0);
        for ck in c.iter().rev() {
            slope = slope * u + value;
            value = value * u + ck;
        }
        (value, slope / self.half())
    }

    /// Weights of the samples in value and slope per sample at the centre.
    fn centre(&self) -> (Vec<f64>, Vec<f64>) {
        let unit = |k: usize| {
            self.factor.solve(&(0..=self.order).map(|i| f64::from(u8::from(i == k))).collect::<Vec<_>>())
        };
        let weights = |c: &[f64], scale: f64| {
            let at =
                |u: &f64| scale * dot(c, &(0..=self.order as i32).map(|p| u.powi(p)).collect::<Vec<_>>());
            self.u.iter().map(at).collect::<Vec<_>>()
        };
        let slope =
            if self.order == 0 { vec![0.0; self.u.len()] } else { weights(&unit(1), 1.0 / self.half()) };
        (weights(&unit(0), 1.0), slope)
    }
}

/// Smooths on the real timestamps: each window is fitted by least squares where its samples really are.
///
/// Also the slow oracle of [`smooth_uniform`].
///
/// # Formula
/// For every sample the polynomial `Σ c_k·u^k` that fits its window best by least squares, `u = (t − t_i)/H`;
/// `ŷ_i = c_0`, `ẏ_i = c_1/H`
///
/// where
/// - `t`: timestamps as recorded, s, ascending;
/// - `H`: half the time the window spans, s (it keeps the normal equations well conditioned);
/// - `c`: from the moments `Σ u^(j+k)` and `Σ u^k·y` (domain, section 2: above 1 % of jitter).
///
/// ```
/// use jamjar_core::signal::savgol::smooth_irregular;
/// let t: Vec<f64> = (0..30).map(|i| 0.1 * f64::from(i) + if i % 3 == 0 { 0.02 } else { 0.0 }).collect();
/// let y: Vec<f64> = t.iter().map(|t| t * t).collect();
/// let s = smooth_irregular(&t, &y, 9, 2)?;
/// assert!((s.derivative[15] - 2.0 * t[15]).abs() < 1e-9);
/// # Ok::<(), jamjar_core::signal::savgol::SavgolError>(())
/// ```
///
/// # Errors
/// [`SavgolError`] when window, order and length do not fit together.
pub fn smooth_irregular(t: &[f64], y: &[f64], window: usize, order: usize) -> Result<Smoothed, SavgolError> {
    let n = t.len().min(y.len());
    validate(n, window, order)?;
    match order {
        0 => irregular::<1>(t, y, n, window),
        1 => irregular::<2>(t, y, n, window),
        2 => irregular::<3>(t, y, n, window),
        3 => irregular::<4>(t, y, n, window),
        4 => irregular::<5>(t, y, n, window),
        _ => irregular::<6>(t, y, n, window),
    }
}

/// With `M` coefficients, known while compiling: this is the inner loop of every jittered recording.
fn irregular<const M: usize>(t: &[f64], y: &[f64], n: usize, window: usize) -> Result<Smoothed, SavgolError> {
    let half = window / 2;
    let mut out = Smoothed { smoothed: vec![0.0; n], derivative: vec![0.0; n] };
    for i in 0..n {
        let start = i.saturating_sub(half).min(n - window);
        let scale = (t[start + window - 1] - t[start]) / 2.0;
        if scale.is_nan() || scale <= 0.0 {
            return Err(SavgolError::BadStep);
        }
        let (mut low, mut high, mut b) = ([0.0; M], [0.0; M], [0.0; M]);
        for (at, y) in t[start..start + window].iter().zip(&y[start..start + window]) {
            let u = (at - t[i]) / scale;
            let mut power = 1.0;
            for k in 0..M {
                low[k] += power;
                b[k] += power * y;
                power *= u;
            }
            for h in &mut high {
                *h += power;
                power *= u;
            }
        }
        let c = solve_moments(&low, &high, b).ok_or(SavgolError::BadStep)?;
        out.smoothed[i] = c[0];
        out.derivative[i] = c.get(1).map_or(0.0, |v| v / scale);
    }
    Ok(out)
}

/// Which filter a curve went through; recorded with the result.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct FilterRecord {
    /// Window asked for, s.
    pub window_s: f64,
    /// Samples in the window; 0 when unfiltered.
    pub samples: usize,
    /// True when fitted on the real timestamps.
    pub real_timestamps: bool,
}

/// Median spacing of ascending timestamps, s; `None` below two samples.
pub fn median_step(t: &[f64]) -> Option<f64> {
    if t.len() < 2 {
        return None;
    }
    let steps = t.iter().zip(&t[1..]).map(|(a, b)| b - a);
    Some(size_at(steps, &mut Vec::with_capacity(t.len()), (t.len() - 1) / 2))
}

/// Smooths with a window in seconds: nearest odd count ≥ 5, order 2, real timestamps when jitter exceeds 1 %.
/// Below [`MIN_SAMPLES`] in the window the series comes back unfiltered, with derivative by central
/// differences.
pub fn smooth_seconds(t: &[f64], y: &[f64], window_s: f64) -> (Smoothed, FilterRecord) {
    let n = t.len().min(y.len());
    let plan = WindowPlan::new(&t[..n], window_s);
    (plan.smooth(y), plan.record)
}

/// A window in seconds laid on one time base, for all series over it.
#[derive(Debug, Clone)]
pub struct WindowPlan<'a> {
    t: &'a [f64],
    /// How series come out of it.
    pub record: FilterRecord,
}

impl<'a> WindowPlan<'a> {
    /// Chooses the count of samples, see [`smooth_seconds`].
    pub fn new(t: &'a [f64], window_s: f64) -> Self {
        let n = t.len();
        let step = median_step(t).unwrap_or(0.0);
        let window = if step > 0.0 && window_s > 0.0 { nearest_odd(window_s / step).max(5) } else { 0 };
        let samples = if window < MIN_SAMPLES || n < window { 0 } else { window };
        let jitter = || t.windows(2).map(|w| (w[1] - w[0] - step).abs()).fold(0.0, f64::max) / step;
        Self {
            t,
            record: FilterRecord {
                window_s,
                samples,
                real_timestamps: samples == 0 || jitter() > JITTER_LIMIT,
            },
        }
    }

    /// Smooths a series over the base; unfiltered where the plan says so.
    pub fn smooth(&self, y: &[f64]) -> Smoothed {
        self.wanted(y, [true, true])
    }

    /// The values alone, unit of the input.
    pub fn values(&self, y: &[f64]) -> Vec<f64> {
        self.wanted(y, [true, false]).smoothed
    }

    /// The rate alone, unit of the input per second.
    pub fn rates(&self, y: &[f64]) -> Vec<f64> {
        self.wanted(y, [false, true]).derivative
    }

    fn wanted(&self, y: &[f64], what: [bool; 2]) -> Smoothed {
        let (t, n, window) = (self.t, self.t.len(), self.record.samples);
        let result = match (window, self.record.real_timestamps) {
            (0, _) => return unfiltered(t, &y[..n]),
            (_, true) => smooth_irregular(t, y, window, 2),
            (_, false) => uniform(&y[..n], window, 2, (t[n - 1] - t[0]) / (n - 1) as f64, what),
        };
        result.unwrap_or_else(|_| unfiltered(t, &y[..n]))
    }
}

fn nearest_odd(x: f64) -> usize {
    (2.0 * ((x - 1.0) / 2.0).round() + 1.0).max(1.0) as usize
}

fn unfiltered(t: &[f64], y: &[f64]) -> Smoothed {
    let n = y.len();
    let derivative = (0..n)
        .map(|i| {
            let (a, b) = (i.saturating_sub(1), (i + 1).min(n - 1));
            if t[b] > t[a] { (y[b] - y[a]) / (t[b] - t[a]) } else { 0.0 }
        })
        .collect();
    Smoothed { smoothed: y.to_vec(), derivative }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn window_counts_round_to_the_nearest_odd() {
        for (x, want) in [(25.0, 25), (24.9, 25), (26.2, 27), (12.5, 13), (5.9, 5), (6.1, 7)] {
            assert_eq!(nearest_odd(x), want, "{x}");
        }
    }

    #[test]
    fn a_slow_log_is_left_unfiltered_and_says_so() {
        let t: Vec<f64> = (0..40).map(|i| f64::from(i) * 0.1).collect();
        let (s, record) = smooth_seconds(&t, &t, 0.25);
        assert_eq!(record.samples, 0);
        assert_eq!(s.smoothed, t);
    }

    proptest! {
        #[test]
        fn both_forms_agree_on_even_timestamps(y in prop::collection::vec(-1e3..1e3f64, 30..60), half in 3usize..8, order in 1usize..4) {
            let w = 2 * half + 1;
            let t: Vec<f64> = (0..y.len()).map(|i| i as f64 * 0.02).collect();
            let (a, b) = (smooth_uniform(&y, w, order, 0.02).unwrap(), smooth_irregular(&t, &y, w, order).unwrap());
            for i in 0..y.len() {
                prop_assert!((a.smoothed[i] - b.smoothed[i]).abs() < 1e-6);
                prop_assert!((a.derivative[i] - b.derivative[i]).abs() < 1e-4);
            }
        }

        #[test]
        fn a_parabola_passes_unchanged_on_jittered_timestamps(c0 in -10.0..10.0f64, c1 in -10.0..10.0f64, c2 in -10.0..10.0f64, j in prop::collection::vec(0.0..0.008f64, 50)) {
            let t: Vec<f64> = j.iter().enumerate().map(|(i, d)| i as f64 * 0.01 + d).collect();
            let y: Vec<f64> = t.iter().map(|x| c0 + c1 * x + c2 * x * x).collect();
            let s = smooth_irregular(&t, &y, 11, 2).unwrap();
            for i in 0..t.len() {
                prop_assert!((s.smoothed[i] - y[i]).abs() < 1e-7);
                prop_assert!((s.derivative[i] - (c1 + 2.0 * c2 * t[i])).abs() < 1e-5);
            }
        }
    }
}
