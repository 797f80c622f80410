//! Small dense systems: Cholesky for normal equations.

/// A symmetric positive definite matrix in row-major order, factored as `L·Lᵀ`.
#[derive(Debug, Clone)]
pub(crate) struct Cholesky {
    n: usize,
    l: Vec<f64>,
}

impl Cholesky {
    /// Factors `a` (row-major, `n × n`); `None` when it is not positive definite.
    pub(crate) fn new(a: &[f64], n: usize) -> Option<Self> {
        let mut l = vec![0.0; n * n];
        for i in 0..n {
            for j in 0..=i {
                let dot: f64 = l[i * n..i * n + j].iter().zip(&l[j * n..j * n + j]).map(|(x, y)| x * y).sum();
                let rest = a[i * n + j] - dot;
                if i == j {
                    if rest <= 0.0 || !rest.is_finite() {
                        return None;
                    }
                    l[i * n + i] = rest.sqrt();
                } else {
                    l[i * n + j] = rest / l[j * n + j];
                }
            }
        }
        Some(Self { n, l })
    }

    /// Solves `A·x = b`.
    pub(crate) fn solve(&self, b: &[f64]) -> Vec<f64> {
        let n = self.n;
        let mut x = b.to_vec();
        for i in 0..n {
            let dot: f64 = (0..i).map(|k| self.l[i * n + k] * x[k]).sum();
            x[i] = (x[i] - dot) / self.l[i * n + i];
        }
        for i in (0..n).rev() {
            let dot: f64 = (i + 1..n).map(|k| self.l[k * n + i] * x[k]).sum();
            x[i] = (x[i] - dot) / self.l[i * n + i];
        }
        x
    }
}

/// Solves the normal equations of a polynomial fit with `M` coefficients from its moments `Σu^k`: the first
/// `M` in `low`, the next in `high`. Nothing is allocated; `None` when the points do not determine it.
pub(crate) fn solve_moments<const M: usize>(
    low: &[f64; M],
    high: &[f64; M],
    mut x: [f64; M],
) -> Option<[f64; M]> {
    let moment = |k: usize| if k < M { low[k] } else { high[k - M] };
    let mut l = [[0.0; M]; M];
    for i in 0..M {
        for j in 0..=i {
            let rest = moment(i + j) - (0..j).map(|k| l[i][k] * l[j][k]).sum::<f64>();
            if i != j {
                l[i][j] = rest / l[j][j];
            } else if rest > 0.0 && rest.is_finite() {
                l[i][i] = rest.sqrt();
            } else {
                return None;
            }
        }
    }
    for i in 0..M {
        x[i] = (x[i] - (0..i).map(|k| l[i][k] * x[k]).sum::<f64>()) / l[i][i];
    }
    for i in (0..M).rev() {
        x[i] = (x[i] - (i + 1..M).map(|k| l[k][i] * x[k]).sum::<f64>()) / l[i][i];
    }
    Some(x)
}

/// Least-squares polynomial `Σ c_k·x^k` of the given order; `None` when the points do not determine it.
///
/// `x` is centred and scaled internally so that orders up to about 5 stay well conditioned.
pub(crate) fn polyfit(x: &[f64], y: &[f64], order: usize) -> Option<Vec<f64>> {
    let n = x.len().min(y.len());
    if n <= order {
        return None;
    }
    let centre = x[..n].iter().sum::<f64>() / n as f64;
    let scale = x[..n].iter().map(|v| (v - centre).abs()).fold(0.0, f64::max);
    if scale <= 0.0 || !scale.is_finite() {
        return None;
    }
    let m = order + 1;
    let (mut a, mut b) = (vec![0.0; m * m], vec![0.0; m]);
    let mut p = vec![1.0; 2 * m];
    for (xi, yi) in x[..n].iter().zip(y) {
        let u = (xi - centre) / scale;
        for k in 1..2 * m {
            p[k] = p[k - 1] * u;
        }
        for i in 0..m {
            b[i] += p[i] * yi;
            for j in 0..m {
                a[i * m + j] += p[i + j];
            }
        }
    }
    let c = Cholesky::new(&a, m)?.solve(&b);
    Some(shift_polynomial(&c, centre, scale))
}

/// Rewrites `Σ c_k·((x − centre)/scale)^k` in powers of `x`.
fn shift_polynomial(c: &[f64], centre: f64, scale: f64) -> Vec<f64> {
    let mut out = vec![0.0; c.len()];
    for (k, ck) in c.iter().enumerate() {
        let factor = ck / scale.powi(k as i32);
        let mut binomial = 1.0;
        for (j, o) in out.iter_mut().enumerate().take(k + 1) {
            *o += factor * binomial * (-centre).powi((k - j) as i32);
            binomial = binomial * (k - j) as f64 / (j + 1) as f64;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_quadratic_through_its_own_points_is_recovered() {
        let x: Vec<f64> = (0..9).map(|i| 100.0 + f64::from(i)).collect();
        let y: Vec<f64> = x.iter().map(|v| 2.0 - 3.0 * v + 0.5 * v * v).collect();
        let c = polyfit(&x, &y, 2).unwrap();
        for (got, want) in c.iter().zip([2.0, -3.0, 0.5]) {
            assert!((got - want).abs() < 1e-6, "{c:?}");
        }
    }

    #[test]
    fn too_few_points_or_one_place_determine_nothing() {
        assert!(polyfit(&[1.0, 2.0], &[1.0, 2.0], 2).is_none());
        assert!(polyfit(&[3.0, 3.0, 3.0], &[1.0, 2.0, 3.0], 1).is_none());
    }

    #[test]
    fn an_indefinite_matrix_is_refused() {
        assert!(Cholesky::new(&[1.0, 2.0, 2.0, 1.0], 2).is_none());
    }
}
