//! Seeded draws of curves that wander along the axis as the residual curves do, and the quantile of their
//! largest deviation.
//!
//! The biased autocorrelation of finite curves, laid out on a circle at least twice as long, has the sum of
//! their periodograms as its spectrum: never negative. So a drawn curve is a Fourier transform of scaled
//! standard normals (circulant embedding, Davies & Harte 1987), exact, and cheaper by far than a product with
//! a matrix root. One complex transform gives two independent curves.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{ChiSquared, Distribution, StandardNormal};
use rayon::prelude::*;
use rustfft::num_complex::Complex;
use rustfft::{Fft, FftPlanner};
use std::borrow::Cow;
use std::sync::{Arc, OnceLock};

/// Draws behind the quantile.
const DRAWS: usize = 4000;
const SEED: u64 = 0x6A61_6D6A;
/// Transforms made together, in one task.
const BATCH: usize = 64;
/// Lengths whose standard normals are kept once drawn; others are drawn each time. Two thousand pairs of 512
/// are 8 MB.
const KEPT: [usize; 3] = [128, 256, 512];

/// 95 % quantile of `max|Z|/√(χ²_ν/ν)`, with `Z` correlated along the grid as the standardised residual
/// curves (zero where a pull has no value) are. `None` when the curves are flat or ν is not positive.
pub(super) fn quantile(curves: &[Vec<f64>], nu: f64) -> Option<f64> {
    let m = curves.iter().map(Vec::len).max()?;
    let n = (2 * m).next_power_of_two();
    let root = root_spectrum(curves, n, FftPlanner::new().plan_fft_forward(n).as_ref())?;
    let chi = ChiSquared::new(nu).ok()?;
    let mut rng = ChaCha8Rng::seed_from_u64(SEED ^ 1);
    let mut maxima = largest_deviations(&root, m);
    maxima.iter_mut().for_each(|h| *h /= (chi.sample(&mut rng) / nu).sqrt());
    let at = (0.95 * DRAWS as f64).ceil() as usize - 1;
    Some(*maxima.select_nth_unstable_by(at, f64::total_cmp).1)
}

/// `√(λ_k/n)`: square root of the spectrum of the pooled autocorrelation, 1 at lag nought, on a circle of
/// `n`.
fn root_spectrum(curves: &[Vec<f64>], n: usize, fft: &dyn Fft<f64>) -> Option<Vec<f64>> {
    let (mut power, mut total) = (vec![0.0; n], 0.0);
    for c in curves {
        let mut z = vec![Complex::default(); n];
        z.iter_mut().zip(c).for_each(|(z, v)| z.re = *v);
        fft.process(&mut z);
        power.iter_mut().zip(&z).for_each(|(p, z)| *p += z.norm_sqr());
        total += c.iter().map(|v| v * v).sum::<f64>();
    }
    (total > 0.0).then(|| power.into_iter().map(|p| (p / total / n as f64).sqrt()).collect())
}

/// Largest absolute value over the first `m` points of each drawn curve. Drawn in single precision: its rounding is
/// nothing beside what 4000 draws leave open.
fn largest_deviations(root: &[f64], m: usize) -> Vec<f64> {
    let n = root.len();
    let fft: Arc<dyn Fft<f32>> = FftPlanner::new().plan_fft_forward(n);
    let root: Vec<f32> = root.iter().map(|r| *r as f32).collect();
    let one = |(z, scratch): &mut (Vec<Complex<f32>>, Vec<Complex<f32>>), batch: &[[f32; 2]]| -> Vec<f64> {
        z.clear();
        for draw in batch.chunks_exact(n) {
            z.extend(draw.iter().zip(&root).map(|([re, im], r)| Complex::new(re * r, im * r)));
        }
        fft.process_with_scratch(z, scratch);
        z.chunks_exact(n).flat_map(|curves| largest(&curves[..m])).map(f64::from).collect()
    };
    let room = || (Vec::with_capacity(BATCH * n), vec![Complex::default(); fft.get_inplace_scratch_len()]);
    normals(n).par_chunks(BATCH * n).map_init(room, one).flatten_iter().collect()
}

/// Largest absolute values of two curves. Eight points are looked at at once.
fn largest(curves: &[Complex<f32>]) -> [f32; 2] {
    let higher = |a: f32, b: f32| if b > a { b } else { a };
    let (eights, rest) = curves.as_chunks::<8>();
    let mut tops = [[0.0_f32; 2]; 8];
    for eight in eights {
        for (top, z) in tops.iter_mut().zip(eight) {
            *top = [higher(top[0], z.re.abs()), higher(top[1], z.im.abs())];
        }
    }
    let rest = rest.iter().map(|z| [z.re.abs(), z.im.abs()]);
    tops.into_iter().chain(rest).fold([0.0; 2], |[a, b], [re, im]| [higher(a, re), higher(b, im)])
}

/// Pairs of standard normals for [`DRAWS`] curves on a circle of `n`: the same ones every time, for they say
/// nothing of the data.
fn normals(n: usize) -> Cow<'static, [[f32; 2]]> {
    static KNOWN: [OnceLock<Vec<[f32; 2]>>; KEPT.len()] = [const { OnceLock::new() }; KEPT.len()];
    let draw = || {
        let mut rng = ChaCha8Rng::seed_from_u64(SEED);
        (0..DRAWS / 2 * n)
            .map(|_| [StandardNormal.sample(&mut rng), StandardNormal.sample(&mut rng)])
            .collect()
    };
    match KEPT.iter().position(|k| *k == n) {
        Some(i) => Cow::Borrowed(KNOWN[i].get_or_init(draw)),
        None => Cow::Owned(draw()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The slow obvious form: a product with the lower root of the autocorrelation matrix.
    fn oracle(curves: &[Vec<f64>], nu: f64) -> f64 {
        let m = curves[0].len();
        let c: Vec<f64> = (0..m)
            .map(|lag| curves.iter().map(|r| (0..m - lag).map(|i| r[i] * r[i + lag]).sum::<f64>()).sum())
            .collect();
        let mut l = vec![vec![0.0; m]; m];
        for i in 0..m {
            for j in 0..=i {
                let rest = c[i - j] / c[0] + if i == j { 1e-9 } else { 0.0 }
                    - (0..j).map(|k| l[i][k] * l[j][k]).sum::<f64>();
                l[i][j] = if i == j { rest.max(0.0).sqrt() } else { rest / l[j][j] };
            }
        }
        let mut rng = ChaCha8Rng::seed_from_u64(9);
        let chi = ChiSquared::new(nu).unwrap();
        let mut all: Vec<f64> = (0..20_000)
            .map(|_| {
                let z: Vec<f64> = (0..m).map(|_| StandardNormal.sample(&mut rng)).collect();
                let high = l
                    .iter()
                    .map(|row| row.iter().zip(&z).map(|(a, b)| a * b).sum::<f64>().abs())
                    .fold(0.0, f64::max);
                high / (chi.sample(&mut rng) / nu).sqrt()
            })
            .collect();
        all.sort_by(f64::total_cmp);
        all[19_000]
    }

    fn wandering(seed: u64, count: usize, m: usize, memory: f64) -> Vec<Vec<f64>> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        (0..count)
            .map(|_| {
                let mut at = 0.0;
                (0..m)
                    .map(|_| {
                        let step: f64 = StandardNormal.sample(&mut rng);
                        at = memory * at + (1.0 - memory * memory).sqrt() * step;
                        at
                    })
                    .collect()
            })
            .collect()
    }

    #[test]
    fn the_oracle_on_white_noise_knows_the_formula() {
        // m independent normals and a known scale: P(max|Z| < q) = (2Φ(q) − 1)^m.
        let mut white = vec![vec![0.0; 10]; 10];
        (0..10).for_each(|i| white[i][i] = 1.0);
        assert!((oracle(&white, 1e9) - 2.800).abs() < 0.05, "{}", oracle(&white, 1e9));
        assert!((quantile(&white, 1e9).unwrap() - 2.800).abs() < 0.08);
    }

    #[test]
    fn the_fast_form_agrees_with_the_oracle() {
        for (seed, m, memory, nu) in [(1, 12, 0.5, 4.0), (2, 60, 0.9, 6.0), (3, 90, 0.97, 12.0)] {
            let curves = wandering(seed, 8, m, memory);
            let (fast, slow) = (quantile(&curves, nu).unwrap(), oracle(&curves, nu));
            assert!((fast / slow - 1.0).abs() < 0.06, "{m} points, memory {memory}: {fast} against {slow}");
        }
    }

    #[test]
    fn flat_curves_have_no_quantile_and_a_long_grid_is_drawn_afresh() {
        assert_eq!(quantile(&[vec![0.0; 20]], 4.0), None);
        assert_eq!(quantile(&[], 4.0), None);
        let long = wandering(5, 4, 300, 0.9);
        assert_eq!(quantile(&long, 4.0), quantile(&long, 4.0));
        assert!(quantile(&long, 4.0).unwrap() > 3.0);
    }
}
