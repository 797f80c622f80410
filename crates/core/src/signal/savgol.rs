//! Savitzky–Golay smoothing and derivative (Savitzky & Golay 1964), on uniform or real timestamps.

use crate::linalg::Cholesky;
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
/// # Errors
/// [`SavgolError`] when window, order, length or step do not fit together.
pub fn smooth_uniform(y: &[f64], window: usize, order: usize, dt_s: f64) -> Result<Smoothed, SavgolError> {
    validate(y.len(), window, order)?;
    if dt_s.is_nan() || dt_s <= 0.0 {
        return Err(SavgolError::BadStep);
    }
    let half = window / 2;
    let n = y.len();
    let kernels = Kernels::new(window, order);
    let mut out = Smoothed { smoothed: vec![0.0; n], derivative: vec![0.0; n] };
    for i in 0..n {
        let start = i.saturating_sub(half).min(n - window);
        let (value, slope) = kernels.at(i - start);
        let part = &y[start..start + window];
        out.smoothed[i] = dot(value, part);
        out.derivative[i] = dot(slope, part) / dt_s;
    }
    Ok(out)
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x * y).sum()
}

/// Weights for value and slope at every position inside one window.
struct Kernels {
    window: usize,
    value: Vec<f64>,
    slope: Vec<f64>,
}

impl Kernels {
    fn new(window: usize, order: usize) -> Self {
        let half = (window / 2) as f64;
        let m = order + 1;
        let u: Vec<f64> = (0..window).map(|i| (i as f64 - half) / half).collect();
        let mut a = vec![0.0; m * m];
        for x in &u {
            for i in 0..m {
                for j in 0..m {
                    a[i * m + j] += x.powi((i + j) as i32);
                }
            }
        }
        let factor = Cholesky::new(&a, m).expect("distinct abscissae make a definite matrix");
        let (mut value, mut slope) = (Vec::with_capacity(window * window), Vec::with_capacity(window * window));
        for at in &u {
            let v = factor.solve(&(0..m).map(|k| at.powi(k as i32)).collect::<Vec<_>>());
            let d = factor.solve(&(0..m).map(|k| if k == 0 { 0.0 } else { k as f64 * at.powi(k as i32 - 1) / half }).collect::<Vec<_>>());
            for x in &u {
                let powers: Vec<f64> = (0..m).map(|k| x.powi(k as i32)).collect();
                value.push(dot(&v, &powers));
                slope.push(dot(&d, &powers));
            }
        }
        Self { window, value, slope }
    }

    fn at(&self, position: usize) -> (&[f64], &[f64]) {
        let r = position * self.window..(position + 1) * self.window;
        (&self.value[r.clone()], &self.slope[r])
    }
}

/// Smooths on the real timestamps: each window is fitted by least squares where its samples really are.
///
/// Also the slow oracle of [`smooth_uniform`].
///
/// # Errors
/// [`SavgolError`] when window, order and length do not fit together.
pub fn smooth_irregular(t: &[f64], y: &[f64], window: usize, order: usize) -> Result<Smoothed, SavgolError> {
    let n = t.len().min(y.len());
    validate(n, window, order)?;
    let half = window / 2;
    let m = order + 1;
    let mut out = Smoothed { smoothed: vec![0.0; n], derivative: vec![0.0; n] };
    let (mut a, mut b, mut p) = (vec![0.0; m * m], vec![0.0; m], vec![1.0; 2 * m]);
    for i in 0..n {
        let start = i.saturating_sub(half).min(n - window);
        let scale = (t[start + window - 1] - t[start]) / 2.0;
        if scale.is_nan() || scale <= 0.0 {
            return Err(SavgolError::BadStep);
        }
        a.fill(0.0);
        b.fill(0.0);
        for k in start..start + window {
            let u = (t[k] - t[i]) / scale;
            for j in 1..2 * m {
                p[j] = p[j - 1] * u;
            }
            for r in 0..m {
                b[r] += p[r] * y[k];
                for c in 0..m {
                    a[r * m + c] += p[r + c];
                }
            }
        }
        let c = Cholesky::new(&a, m).ok_or(SavgolError::BadStep)?.solve(&b);
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
    let mut d: Vec<f64> = t.windows(2).map(|w| w[1] - w[0]).collect();
    let mid = d.len() / 2;
    let (_, m, _) = d.select_nth_unstable_by(mid, f64::total_cmp);
    Some(*m)
}

/// Smooths with a window in seconds: nearest odd count ≥ 5, order 2, real timestamps when jitter exceeds 1 %.
/// Below [`MIN_SAMPLES`] in the window the series comes back unfiltered, with derivative by central differences.
pub fn smooth_seconds(t: &[f64], y: &[f64], window_s: f64) -> (Smoothed, FilterRecord) {
    let n = t.len().min(y.len());
    let step = median_step(&t[..n]).unwrap_or(0.0);
    let plain = FilterRecord { window_s, samples: 0, real_timestamps: true };
    if step <= 0.0 || window_s <= 0.0 {
        return (unfiltered(&t[..n], &y[..n]), plain);
    }
    let window = nearest_odd(window_s / step).max(5);
    if window < MIN_SAMPLES || n < window {
        return (unfiltered(&t[..n], &y[..n]), plain);
    }
    let jitter = t[..n].windows(2).map(|w| (w[1] - w[0] - step).abs()).fold(0.0, f64::max) / step;
    let real = jitter > JITTER_LIMIT;
    let result = if real { smooth_irregular(t, y, window, 2) } else { smooth_uniform(&y[..n], window, 2, (t[n - 1] - t[0]) / (n - 1) as f64) };
    match result {
        Ok(s) => (s, FilterRecord { window_s, samples: window, real_timestamps: real }),
        Err(_) => (unfiltered(&t[..n], &y[..n]), plain),
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
