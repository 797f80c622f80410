//! Drift over the day: a linear trend fitted beside the configurations, as a sensitivity that is shown and
//! never silently applied; and the baseline as it stood when a set between its two runs was pulled.

use super::distributions::t_two_sided_p;
use super::pooled::{Between, Interval, Within};
use crate::linalg::Cholesky;
use serde::Serialize;

/// One pull for the fit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Observation {
    /// Index of its configuration: sets run again share one.
    pub configuration: usize,
    /// Order or clock time of its set.
    pub order: f64,
    /// Position within its set, 0 for the first pull.
    pub position: f64,
    /// The figure.
    pub value: f64,
}

/// A slope with its uncertainty.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Slope {
    /// Change of the figure for each unit of order or position.
    pub slope: f64,
    /// Standard error.
    pub se: f64,
    /// Two-sided p value of "no drift".
    pub p: f64,
}

/// Configurations and drift fitted together.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Drift {
    /// Trend over the order of sets; `None` when no configuration was run again, for then it cannot be told
    /// from the configurations.
    pub order: Option<Slope>,
    /// Trend within sets; `None` when no set has two pulls.
    pub position: Option<Slope>,
    /// Configuration means at the middle of the day and the first pull's position, same index as given.
    pub adjusted: Vec<f64>,
    /// Standard errors of the differences to configuration 0.
    pub difference_se: Vec<f64>,
    /// Residual standard deviation.
    pub sd: f64,
    /// Residual degrees of freedom.
    pub df: f64,
}

impl Drift {
    /// Adjusted difference of configuration `k` to configuration `base` 0 with its 95 % interval.
    pub fn difference(&self, k: usize) -> Interval {
        Interval::new(self.adjusted[k] - self.adjusted[0], self.difference_se[k], self.df)
    }
}

/// Fits `value = configuration + a·order + b·position` by least squares (analysis of covariance);
/// configurations are numbered from 0 without gaps. `None` with too few pulls, or when what is left has no
/// degree of freedom.
///
/// # Formula
/// `y = c_j + a·order + b·position + ε`, by least squares: `(a, b) = S⁻¹·Σ x̃·ỹ`, `c_j = ȳ_j − (a, b)·x̄_j`,
/// `se(c_j − c_0)² = s²·(1/n_j + 1/n_0 + dᵀS⁻¹d)`
///
/// where
/// - `x̃`, `ỹ`: order, position and figure less their means within the configuration; `S = Σ x̃·x̃ᵀ`; `d = x̄_j − x̄_0`;
/// - `n_j`: pulls of a configuration;
/// - `y`: figure of one pull; `c_j`: level of its configuration, same unit;
/// - `a`: drift per step of order over the day; `b`: drift per pull within a set (heat), known apart from `a`
///   only because configurations were run again;
/// - `s`: residual standard deviation with `N − parameters` degrees of freedom (domain, section 4: a sensitivity
///   that is shown, never applied by itself).
///
/// ```
/// use jamjar_core::stats::drift::{Observation, ancova};
/// let pull = |configuration, order, position, noise| Observation {
///     configuration, order, position, value: 200.0 + 10.0 * configuration as f64 - 1.5 * order + noise,
/// };
/// let day = [(0, 0.0), (1, 1.0), (0, 2.0)];
/// let pulls: Vec<_> = day
///     .iter()
///     .flat_map(|(c, o)| [pull(*c, *o, 0.0, 0.1), pull(*c, *o, 1.0, -0.1), pull(*c, *o, 2.0, 0.1)])
///     .collect();
/// let fitted = ancova(&pulls).unwrap();
/// assert!((fitted.order.unwrap().slope + 1.5).abs() < 0.05);
/// assert!((fitted.difference(1).difference - 10.0).abs() < 0.05, "not the 8.5 that the drift would leave");
/// ```
pub fn ancova(pulls: &[Observation]) -> Option<Drift> {
    let k = pulls.iter().map(|p| p.configuration).max()? + 1;
    let levels = Levels::of(pulls, k)?;
    // Levels of configurations are taken out first: what is left is a line in one or two directions.
    let directions: Vec<usize> = (0..2).filter(|d| levels.varies[*d]).collect();
    let m = directions.len();
    if pulls.len() <= k + m {
        return None;
    }
    let own = |p: &Observation| [p.order - levels.centre, p.position];
    let about = |p: &Observation| {
        let (x, l) = (own(p), &levels.each[p.configuration]);
        (directions.iter().map(|d| x[*d] - l.x[*d]).collect::<Vec<f64>>(), p.value - l.y)
    };
    let (mut a, mut b) = (vec![0.0; m * m], vec![0.0; m]);
    for p in pulls {
        let (x, y) = about(p);
        for i in 0..m {
            b[i] += x[i] * y;
            (0..m).for_each(|j| a[i * m + j] += x[i] * x[j]);
        }
    }
    let factor = Cholesky::new(&a, m)?;
    let slopes = factor.solve(&b);
    let along = |x: &[f64]| x.iter().zip(&slopes).map(|(x, s)| x * s).sum::<f64>();
    let rss: f64 = pulls
        .iter()
        .map(|p| {
            let (x, y) = about(p);
            (y - along(&x)).powi(2)
        })
        .sum();
    let df = (pulls.len() - k - m) as f64;
    let sd = (rss / df).sqrt();
    let spread = |c: &[f64]| factor.solve(c).iter().zip(c).map(|(x, y)| x * y).sum::<f64>();
    let slope = |direction: usize| {
        let i = directions.iter().position(|d| *d == direction)?;
        let unit: Vec<f64> = (0..m).map(|j| if j == i { 1.0 } else { 0.0 }).collect();
        let se = sd * spread(&unit).max(0.0).sqrt();
        let p = if se > 0.0 { t_two_sided_p(slopes[i] / se, df) } else { f64::NAN };
        Some(Slope { slope: slopes[i], se, p })
    };
    let middle = |l: &Level| directions.iter().map(|d| l.x[*d]).collect::<Vec<f64>>();
    let first = &levels.each[0];
    let difference_se = levels.each.iter().enumerate().map(|(c, l)| {
        let apart: Vec<f64> = middle(l).iter().zip(middle(first)).map(|(a, b)| a - b).collect();
        let of_means = if c == 0 { 0.0 } else { 1.0 / l.n + 1.0 / first.n };
        sd * (of_means + spread(&apart)).max(0.0).sqrt()
    });
    Some(Drift {
        order: slope(0),
        position: slope(1),
        adjusted: levels.each.iter().map(|l| l.y - along(&middle(l))).collect(),
        difference_se: difference_se.collect(),
        sd,
        df,
    })
}

/// Means of the pulls of one configuration.
#[derive(Debug, Clone, Copy, Default)]
struct Level {
    n: f64,
    /// Order from the middle of the day, and position.
    x: [f64; 2],
    y: f64,
}

/// The configurations of a day.
struct Levels {
    each: Vec<Level>,
    /// Mean order of all pulls.
    centre: f64,
    /// Whether order and position differ within a configuration.
    varies: [bool; 2],
}

impl Levels {
    /// `None` where a configuration has no pull.
    fn of(pulls: &[Observation], k: usize) -> Option<Self> {
        let centre = pulls.iter().map(|p| p.order).sum::<f64>() / pulls.len() as f64;
        let mut each = vec![Level::default(); k];
        let mut first: Vec<Option<[f64; 2]>> = vec![None; k];
        let mut varies = [false; 2];
        for p in pulls {
            let (l, x) = (&mut each[p.configuration], [p.order - centre, p.position]);
            l.n += 1.0;
            l.y += p.value;
            (0..2).for_each(|d| l.x[d] += x[d]);
            let f = first[p.configuration].get_or_insert(x);
            (0..2).for_each(|d| varies[d] |= (x[d] - f[d]).abs() > 1e-9);
        }
        for l in &mut each {
            l.y /= l.n;
            l.x = l.x.map(|x| x / l.n);
        }
        each.iter().all(|l| l.n > 0.0).then_some(Self { each, centre, varies })
    }
}

/// One run of a configuration: when, how many pulls, their mean.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Run {
    /// Clock time or order.
    pub at: f64,
    /// Pulls.
    pub n: usize,
    /// Mean of the figure.
    pub mean: f64,
}

/// The difference of a set to its baseline as that stood at the set's own time, between the baseline's runs
/// before and after.
///
/// # Formula
/// `d = B − ((1−w)·A1 + w·A2)`, w = position of B between A1 and A2; `Var = s_w²(1/n_B + (1−w)²/n_A1 +
/// w²/n_A2) + s_b²(1 + (1−w)² + w²)`, degrees of freedom by Satterthwaite. `None` unless A1 is before B and B
/// before A2.
///
/// where
/// - `A1`, `B`, `A2`: means of the baseline, of the set and of the baseline run again, unit of the figure;
/// - `w` from 0 to 1, by clock time; `s_w`, `s_b`: scatter within sets and between mountings (domain, section 4).
///
/// ```
/// use jamjar_core::stats::drift::{Run, bracketed};
/// use jamjar_core::stats::pooled::Within;
/// let run = |at, mean| Run { at, mean, n: 3 };
/// let w = Within { sd: 1.0, df: 6.0 };
/// let i = bracketed(run(0.0, 200.0), run(30.0, 210.0), run(60.0, 196.0), &w, None).unwrap();
/// assert_eq!(i.difference, 12.0, "against 198, where the baseline had drifted to by then");
/// ```
pub fn bracketed(before: Run, set: Run, after: Run, w: &Within, b: Option<&Between>) -> Option<Interval> {
    if !(before.at < set.at && set.at < after.at) || before.n * set.n * after.n == 0 {
        return None;
    }
    let place = (set.at - before.at) / (after.at - before.at);
    let d = set.mean - ((1.0 - place) * before.mean + place * after.mean);
    let weights = [(1.0, set.n), ((1.0 - place).powi(2), before.n), (place * place, after.n)];
    let from_w = w.sd * w.sd * weights.iter().map(|(q, n)| q / *n as f64).sum::<f64>();
    let from_b = b.map(|b| (b.variance * weights.iter().map(|x| x.0).sum::<f64>(), b.df));
    Some(Interval::of_components(d, (from_w, w.df), from_b))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(drift: f64, soak: f64, noise: &[f64]) -> Vec<Observation> {
        let mut out = Vec::new();
        for (order, configuration) in [0, 1, 2, 0].into_iter().enumerate() {
            for position in 0..3 {
                let i = order * 3 + position;
                let value = 100.0
                    + 5.0 * configuration as f64
                    + drift * order as f64
                    + soak * position as f64
                    + noise[i % noise.len()];
                out.push(Observation {
                    configuration,
                    order: order as f64,
                    position: position as f64,
                    value,
                });
            }
        }
        out
    }

    #[test]
    fn a_trend_is_separated_from_the_configurations() {
        let d = ancova(&day(-0.8, -0.3, &[0.05, -0.04, 0.02, -0.03])).unwrap();
        assert!((d.order.unwrap().slope + 0.8).abs() < 0.05 && d.order.unwrap().p < 0.001);
        assert!((d.position.unwrap().slope + 0.3).abs() < 0.05);
        for (k, want) in [(1, 5.0), (2, 10.0)] {
            let i = d.difference(k);
            assert!((i.difference - want).abs() < 0.15 && i.ci95()[0] < want && want < i.ci95()[1], "{i:?}");
        }
    }

    /// The same by one matrix with a column for each configuration.
    fn plain(pulls: &[Observation], k: usize) -> (Vec<f64>, Vec<f64>) {
        let m = k + 2;
        let centre = pulls.iter().map(|p| p.order).sum::<f64>() / pulls.len() as f64;
        let row = |p: &Observation| {
            let mut x = vec![0.0; m];
            (x[p.configuration], x[k], x[k + 1]) = (1.0, p.order - centre, p.position);
            x
        };
        let (mut a, mut b) = (vec![0.0; m * m], vec![0.0; m]);
        for p in pulls {
            let x = row(p);
            for i in 0..m {
                b[i] += x[i] * p.value;
                (0..m).for_each(|j| a[i * m + j] += x[i] * x[j]);
            }
        }
        let f = Cholesky::new(&a, m).unwrap();
        let beta = f.solve(&b);
        let left = |p: &Observation| p.value - row(p).iter().zip(&beta).map(|(x, b)| x * b).sum::<f64>();
        let s2 = pulls.iter().map(|p| left(p).powi(2)).sum::<f64>() / (pulls.len() - m) as f64;
        let se = |c: usize| {
            let contrast: Vec<f64> =
                (0..m).map(|j| f64::from(u8::from(j == c)) - f64::from(u8::from(j == 0))).collect();
            (s2 * f.solve(&contrast).iter().zip(&contrast).map(|(x, y)| x * y).sum::<f64>()).max(0.0).sqrt()
        };
        (beta, (0..k).map(se).collect())
    }

    #[test]
    fn taking_the_levels_out_first_is_the_fit_of_all_at_once() {
        let mut pulls = day(-0.8, -0.3, &[0.35, -0.24, 0.02, -0.13, 0.4]);
        pulls.remove(4);
        pulls[7].value += 0.9;
        let (beta, se) = plain(&pulls, 3);
        let d = ancova(&pulls).unwrap();
        let near = |a: f64, b: f64| (a - b).abs() < 1e-9 * (1.0 + b.abs());
        assert!((0..3).all(|c| near(d.adjusted[c], beta[c]) && near(d.difference_se[c], se[c])), "{d:?}");
        assert!(near(d.order.unwrap().slope, beta[3]) && near(d.position.unwrap().slope, beta[4]));
        assert_eq!(d.df, pulls.len() as f64 - 5.0);
    }

    #[test]
    fn without_a_repeat_no_trend_over_the_day_is_claimed() {
        let pulls: Vec<Observation> = day(-0.8, 0.0, &[0.1, -0.1]).into_iter().take(9).collect();
        let d = ancova(&pulls).unwrap();
        assert!(d.order.is_none() && d.position.is_some());
        assert!(ancova(&pulls[..2]).is_none(), "two pulls leave nothing to judge by");
        assert!(ancova(&[]).is_none());
    }

    #[test]
    fn the_baseline_moves_with_the_clock() {
        let w = Within { sd: 0.5, df: 10.0 };
        let run = |at: f64, mean: f64| Run { at, n: 3, mean };
        let i = bracketed(run(0.0, 100.0), run(1.0, 110.0), run(4.0, 96.0), &w, None).unwrap();
        assert!((i.difference - 11.0).abs() < 1e-12);
        assert!((i.se - 0.5 * ((1.0 + 0.5625 + 0.0625) / 3.0_f64).sqrt()).abs() < 1e-12);
        assert!(
            bracketed(run(2.0, 100.0), run(1.0, 110.0), run(4.0, 96.0), &w, None).is_none(),
            "not between them"
        );
        let b = Between { variance: 1.0, ms_between: 3.0, df: 1.0, n: 3.0 };
        assert!(
            bracketed(run(0.0, 100.0), run(1.0, 110.0), run(4.0, 96.0), &w, Some(&b)).unwrap().half_width
                > i.half_width
        );
    }

    proptest! {
        #[test]
        fn a_line_through_both_runs_leaves_no_difference(a in 50.0..150.0f64, slope in -3.0..3.0f64, at in 0.1..3.9f64) {
            let w = Within { sd: 0.5, df: 10.0 };
            let run = |t: f64| Run { at: t, n: 2, mean: a + slope * t };
            let i = bracketed(run(0.0), run(at), run(4.0), &w, None).unwrap();
            prop_assert!(i.difference.abs() < 1e-9);
        }
    }
}
