//! Quantiles and tail probabilities used by the intervals. Central forms come from `statrs`; the noncentral t
//! is integrated here.

use statrs::distribution::{ContinuousCDF, FisherSnedecor, Normal, StudentsT};

fn student(df: f64) -> Option<StudentsT> {
    StudentsT::new(0.0, 1.0, df).ok()
}

/// Quantile of Student's t with `df` degrees of freedom; NaN when `df` is not positive.
///
/// The library quantile is polished by two Newton steps on its own cdf, so that it holds to about 1e-12.
///
/// # Formula
/// `x` with `P(T ≤ x) = p`; polished by `x ← x − (F(x) − p)/f(x)`
///
/// where
/// - `T`: Student's t with `df` degrees of freedom (need not be whole: Satterthwaite gives any);
/// - `F`, `f`: its distribution and density.
///
/// ```
/// use jamjar_core::stats::distributions::t_quantile;
/// assert!((t_quantile(0.975, 4.0) - 2.776_445).abs() < 1e-6);
/// ```
pub fn t_quantile(p: f64, df: f64) -> f64 {
    use statrs::distribution::Continuous;
    let Some(d) = student(df) else { return f64::NAN };
    let mut x = d.inverse_cdf(p);
    for _ in 0..2 {
        let slope = d.pdf(x);
        if slope > 1e-300 && x.is_finite() {
            x -= (d.cdf(x) - p) / slope;
        }
    }
    x
}

/// Two-sided p value of a t statistic; NaN when `df` is not positive.
pub fn t_two_sided_p(t: f64, df: f64) -> f64 {
    student(df).map_or(f64::NAN, |d| 2.0 * d.cdf(-t.abs()))
}

/// Upper-tail probability of an F statistic; NaN for bad degrees of freedom.
pub fn f_upper_p(f: f64, df1: f64, df2: f64) -> f64 {
    FisherSnedecor::new(df1, df2).map_or(f64::NAN, |d| d.sf(f))
}

fn phi(x: f64) -> f64 {
    Normal::standard().cdf(x)
}

/// Cumulative distribution of the noncentral t.
///
/// # Formula
/// `P(T ≤ t) = ∫ Φ(t·u − δ)·f(u) du`, u = √(χ²_ν/ν); by Simpson's rule over the mass of u (1200 panels, error
/// below 1e-9 for ν ≥ 1 in the range the planning uses).
///
/// where
/// - `δ`: noncentrality, the true difference ÷ its standard error; `ν`: degrees of freedom;
/// - `f`: density of u; `Φ`: the standard normal distribution.
///
/// ```
/// use jamjar_core::stats::distributions::{noncentral_t_cdf, t_quantile};
/// assert!((noncentral_t_cdf(t_quantile(0.9, 7.0), 7.0, 0.0) - 0.9).abs() < 1e-8, "with δ = 0 it is Student's");
/// ```
pub fn noncentral_t_cdf(t: f64, df: f64, delta: f64) -> f64 {
    let log_norm =
        std::f64::consts::LN_2 + 0.5 * df * (0.5 * df).ln() - statrs::function::gamma::ln_gamma(0.5 * df);
    let density = |u: f64| {
        if u <= 0.0 {
            if df <= 1.0 { log_norm.exp() } else { 0.0 }
        } else {
            (log_norm + (df - 1.0) * u.ln() - 0.5 * df * u * u).exp()
        }
    };
    let spread = 9.0 / (2.0 * df).sqrt();
    let (low, high) = ((1.0 - spread).max(0.0), 1.0 + spread);
    let panels = 1200;
    let h = (high - low) / f64::from(panels);
    let mut sum = 0.0;
    for i in 0..=panels {
        let u = low + h * f64::from(i);
        let w = if i == 0 || i == panels {
            1.0
        } else if i % 2 == 1 {
            4.0
        } else {
            2.0
        };
        sum += w * phi(t * u - delta) * density(u);
    }
    (sum * h / 3.0).clamp(0.0, 1.0)
}

/// Power of the two-sided two-sample t test at level `alpha` when the true difference is `delta` standard
/// errors.
///
/// # Formula
/// `1 − F(t; ν, δ) + F(−t; ν, δ)`, `t = t(1 − α/2, ν)`
///
/// where
/// - `F(·; ν, δ)`: noncentral t with ν = `df` degrees of freedom and noncentrality δ;
/// - `δ`: true difference ÷ its standard error; `α`: two-sided level.
///
/// ```
/// use jamjar_core::stats::distributions::t_test_power;
/// assert!((t_test_power(10.0, 0.0, 0.05) - 0.05).abs() < 1e-6, "with no difference it finds one in twenty");
/// assert!(t_test_power(10.0, 3.0, 0.05) > 0.75);
/// ```
pub fn t_test_power(df: f64, delta: f64, alpha: f64) -> f64 {
    let crit = t_quantile(1.0 - alpha / 2.0, df);
    1.0 - noncentral_t_cdf(crit, df, delta) + noncentral_t_cdf(-crit, df, delta)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tabulated_t_quantiles() {
        for (df, want) in
            [(1.0, 12.706_204_736), (2.0, 4.302_652_730), (4.0, 2.776_445_105), (30.0, 2.042_272_456)]
        {
            assert!((t_quantile(0.975, df) - want).abs() < 1e-7, "{df}: {}", t_quantile(0.975, df));
        }
    }

    #[test]
    fn without_offset_the_noncentral_t_is_student() {
        for df in [1.0, 2.0, 4.0, 10.0, 60.0] {
            for t in [-2.0, -0.5, 0.0, 1.0, 3.0] {
                let want = student(df).unwrap().cdf(t);
                assert!((noncentral_t_cdf(t, df, 0.0) - want).abs() < 1e-6, "{df} {t}");
            }
        }
    }

    #[test]
    fn power_at_no_difference_is_the_level() {
        for df in [2.0, 4.0, 20.0] {
            assert!((t_test_power(df, 0.0, 0.05) - 0.05).abs() < 1e-6);
        }
    }
}
