//! The simultaneous 95 % band along a gain curve, built to work with two to five pulls a set.

use super::draws;
use super::pooled::Between;
use crate::signal::median::median_in_place;

/// Variances are smoothed over this span of engine speed.
pub const SMOOTH_RPM: f64 = 500.0;
/// But over so many points at least, where speeds were held (our choice).
const SMOOTH_POINTS: f64 = 5.0;

/// What the day's residual curves say about scatter along the axis.
#[derive(Debug, Clone, PartialEq)]
pub struct CurveScatter {
    /// Grid, ascending.
    pub x: Vec<f64>,
    /// Standard deviation of one pull at each grid point.
    pub s: Vec<f64>,
    /// Pooled degrees of freedom Σ(n − 1).
    pub nu: f64,
    /// 95 % quantile of the largest standardised deviation.
    pub q: f64,
}

/// One set's pulls on the common grid: `curves[pull][grid]`, NaN where a pull has no value.
pub type SetCurves = Vec<Vec<f64>>;

/// Pools residual curves over the day's sets and draws the simultaneous quantile.
///
/// # Formula
/// `s²(x)` = ΣSS(x)/ν(x), smoothed over `smooth` of the axis (about 500 rpm); correlation from the pooled
/// autocorrelation of standardised residuals (biased estimator, hence never indefinite); `q` = 95 % quantile
/// of `max|Z|/√(χ²_ν/ν)` over 4000 seeded draws (our choice of the number, from the domain notes). `None`
/// when ν < 2 or the grid has fewer than three points.
///
/// where
/// - `SS(x)`, `ν(x)`: squares about each set's mean curve, and Σ(n − 1), at a place of the axis; `s` in the unit
///   of the curve;
/// - `Z`: normal draws with that correlation over the whole axis; `ν` without a place is Σ(n − 1) of the day.
///
/// ```
/// use jamjar_core::stats::band::scatter;
/// let x: Vec<f64> = (0..40).map(|i| 3000.0 + 50.0 * f64::from(i)).collect();
/// let curve = |up: f64| x.iter().map(|n| 0.03 * n + up * (1.0 + 0.2 * (n / 400.0).sin())).collect::<Vec<f64>>();
/// let day = [vec![curve(0.0), curve(1.0), curve(-0.8)], vec![curve(9.0), curve(9.7), curve(8.6)]];
/// let s = scatter(&x, &day, 500.0).unwrap();
/// assert!(s.q > 2.776, "looking everywhere costs more than looking once: {}", s.q);
/// assert_eq!(s.half_widths(3, 3, None).len(), x.len());
/// ```
pub fn scatter(x: &[f64], sets: &[SetCurves], smooth: f64) -> Option<CurveScatter> {
    let m = x.len();
    if m < 3 {
        return None;
    }
    let (mut ss, mut dof) = (vec![0.0; m], vec![0.0; m]);
    let mut residuals: Vec<Vec<f64>> = Vec::new();
    let mut nu = 0.0;
    for set in sets.iter().filter(|s| s.len() > 1) {
        nu += (set.len() - 1) as f64;
        let start = residuals.len();
        residuals.extend(set.iter().map(|_| vec![f64::NAN; m]));
        for i in 0..m {
            let have: Vec<usize> = (0..set.len()).filter(|&k| set[k][i].is_finite()).collect();
            if have.len() < 2 {
                continue;
            }
            let mean = have.iter().map(|&k| set[k][i]).sum::<f64>() / have.len() as f64;
            let leverage = ((have.len() as f64) / (have.len() - 1) as f64).sqrt();
            for k in &have {
                let r = set[*k][i] - mean;
                ss[i] += r * r;
                residuals[start + k][i] = r * leverage;
            }
            dof[i] += (have.len() - 1) as f64;
        }
    }
    if nu < 2.0 || dof.iter().all(|d| *d < 1.0) {
        return None;
    }
    let s = smoothed_sd(x, &ss, &dof, smooth)?;
    let standardised: Vec<Vec<f64>> = residuals
        .iter()
        .map(|r| r.iter().zip(&s).map(|(v, s)| if v.is_finite() { v / s } else { 0.0 }).collect())
        .collect();
    let q = draws::quantile(&standardised, nu)?;
    Some(CurveScatter { x: x.to_vec(), s, nu, q })
}

fn smoothed_sd(x: &[f64], ss: &[f64], dof: &[f64], smooth: f64) -> Option<Vec<f64>> {
    let mut gaps: Vec<f64> = x.windows(2).map(|w| w[1] - w[0]).collect();
    let half = 0.5 * smooth.max((SMOOTH_POINTS - 1.0) * median_in_place(&mut gaps)) + 1e-6;
    let out: Vec<f64> = x
        .iter()
        .map(|at| {
            let (mut a, mut b) = (0.0, 0.0);
            for ((xi, si), di) in x.iter().zip(ss).zip(dof) {
                if (xi - at).abs() <= half {
                    a += si;
                    b += di;
                }
            }
            if b > 0.0 { (a / b).sqrt() } else { f64::NAN }
        })
        .collect();
    let widest = out.iter().copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
    (widest > 0.0)
        .then(|| out.into_iter().map(|v| if v.is_finite() { v.max(widest * 1e-6) } else { widest }).collect())
}

impl CurveScatter {
    /// Half-width of the simultaneous band between sets of `n1` and `n2` pulls at each grid point.
    ///
    /// `between`, when known for the headline figure, widens every point by the same share: √(1 +
    /// 2·s_b²/(s_w²·(1/n1+1/n2))).
    pub fn half_widths(&self, n1: usize, n2: usize, between: Option<(&Between, f64)>) -> Vec<f64> {
        let k = 1.0 / n1 as f64 + 1.0 / n2 as f64;
        let widen =
            between.map_or(
                1.0,
                |(b, sw)| if sw > 0.0 { (1.0 + 2.0 * b.variance / (sw * sw * k)).sqrt() } else { 1.0 },
            );
        self.s.iter().map(|s| self.q * s * k.sqrt() * widen).collect()
    }
}

/// Contiguous spans of the grid where `|d| > half`, joined while neighbours are adjacent grid points.
pub fn significant_spans(x: &[f64], d: &[f64], half: &[f64]) -> Vec<[f64; 2]> {
    let mut out: Vec<[f64; 2]> = Vec::new();
    let mut open: Option<(f64, bool)> = None;
    for i in 0..x.len() {
        let hit = (d[i].abs() > half[i]).then_some(d[i] > 0.0);
        match (open, hit) {
            (None, Some(sign)) => open = Some((x[i], sign)),
            (Some((from, was)), Some(sign)) if was != sign => {
                out.push([from, x[i - 1]]);
                open = Some((x[i], sign));
            }
            (Some((from, _)), None) => {
                out.push([from, x[i - 1]]);
                open = None;
            }
            _ => {}
        }
    }
    if let (Some((from, _)), Some(last)) = (open, x.last()) {
        out.push([from, *last]);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand_chacha::ChaCha8Rng;
    use rand_chacha::rand_core::SeedableRng;
    use rand_distr::{Distribution, StandardNormal};

    fn noisy(rng: &mut ChaCha8Rng, m: usize) -> Vec<f64> {
        let mut v = 0.0;
        let offset: f64 = StandardNormal.sample(rng);
        (0..m)
            .map(|_| {
                let e: f64 = StandardNormal.sample(rng);
                v = 0.9 * v + 0.43 * e;
                100.0 + 0.6 * offset + 0.6 * v
            })
            .collect()
    }

    /// Coverage over simulated days of three sets; the band must hold everywhere at once about 95 % of the
    /// time.
    fn coverage(n: usize, days: u64, points: i32, gap: f64) -> f64 {
        let x: Vec<f64> = (0..points).map(|i| 2000.0 + gap * f64::from(i)).collect();
        let mut held = 0u32;
        for day in 0..days {
            let mut rng = ChaCha8Rng::seed_from_u64(day + 1);
            let sets: Vec<SetCurves> =
                (0..3).map(|_| (0..n).map(|_| noisy(&mut rng, x.len())).collect()).collect();
            let sc = scatter(&x, &sets, SMOOTH_RPM).unwrap();
            let half = sc.half_widths(n, n, None);
            let mean = |s: &SetCurves, i: usize| s.iter().map(|c| c[i]).sum::<f64>() / n as f64;
            held += u32::from((0..x.len()).all(|i| (mean(&sets[1], i) - mean(&sets[0], i)).abs() <= half[i]));
        }
        f64::from(held) / days as f64
    }

    #[test]
    fn the_band_holds_everywhere_at_once_about_95_times_in_100() {
        for n in [2, 3, 5] {
            let c = coverage(n, 300, 60, 50.0);
            assert!((0.90..=0.995).contains(&c), "n = {n}: coverage {c}");
        }
    }

    #[test]
    fn it_holds_at_a_few_held_speeds_too() {
        for n in [2, 3] {
            let c = coverage(n, 400, 8, 500.0);
            assert!((0.90..=0.995).contains(&c), "n = {n}: coverage {c}");
        }
    }

    #[test]
    fn one_degree_of_freedom_gives_no_band() {
        let x = [1.0, 2.0, 3.0];
        assert!(scatter(&x, &[vec![vec![1.0; 3], vec![2.0; 3]], vec![vec![1.0; 3]]], SMOOTH_RPM).is_none());
    }

    #[test]
    fn spans_split_where_the_sign_turns() {
        let x = [1.0, 2.0, 3.0, 4.0, 5.0];
        assert_eq!(
            significant_spans(&x, &[2.0, 2.0, -2.0, 0.0, 3.0], &[1.0; 5]),
            vec![[1.0, 2.0], [3.0, 3.0], [5.0, 5.0]]
        );
    }
}
