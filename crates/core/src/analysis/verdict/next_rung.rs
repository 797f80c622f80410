//! The next rung of a ladder: what a margin would be there, from what the rungs below left of it.

use crate::linalg::polyfit;
use crate::stats::distributions::{t_quantile, t_two_sided_p};
use crate::stats::two_sets::{mean, sum_of_squares};
use serde::Serialize;

/// One-sided share that a bound holds (domain, section 9).
const HOLDS: f64 = 0.95;
/// Rungs below which nothing is forecast to be clear, and from which a curve is fitted beside the lines (domain,
/// section 9).
const RUNGS_TO_CLEAR: usize = 3;
const RUNGS_TO_BEND: usize = 4;
/// A step counts as no larger than the last within this share of it (our choice: targets are set in whole numbers).
const SAME_STEP: f64 = 0.02;

/// One rung: where it stands, and how far each pull's worst value lay over the limit, in channel units; below it is
/// negative, whichever side the limit forbids.
#[derive(Debug, Clone, PartialEq)]
pub struct RungSeen {
    /// Boost target, kPa, or any other ordered step.
    pub at: f64,
    /// Worst excess of each of its pulls.
    pub excess: Vec<f64>,
}

/// Why a margin is not forecast.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum NoForecast {
    /// One rung shows no slope.
    OneRung,
    /// No rung was pulled twice, so nobody knows the scatter.
    NoScatter,
    /// It has not moved yet: its onset is a threshold, and nobody knows where.
    NotBegun,
    /// The step is larger than the last one, kPa.
    StepTooLarge {
        /// Asked for.
        step: f64,
        /// The last one.
        last: f64,
    },
    /// It lies at or below a rung that was pulled.
    NotAbove,
}

/// What the next rung would do to a margin.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Would {
    /// The bound is over, and so is the middle of what is expected.
    Cross,
    /// The bound is over: it could.
    PerhapsCross,
    /// The bound lies within the caution band, or too few rungs stand behind it to say more.
    Close,
    /// Margin would be left.
    StayClear,
}

/// A forecast. Excess over the limit, channel units.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Forecast {
    /// The most adverse of the lines and, from four rungs on, the curve.
    pub point: f64,
    /// One-sided 95 % bound.
    pub bound: f64,
    /// Chance of crossing, of one.
    pub p_over: f64,
    /// What that says.
    pub would: Would,
    /// Rungs behind it.
    pub rungs: usize,
}

/// Forecasts the excess at the next rung.
///
/// # Formula
/// `point = max(line over all rungs, line through the last two, quadratic from four rungs on)`;
/// `bound = point + t(0.95, N − k)·s·√(1/N + (x − x̄)²/Sxx)`; `P(over) = F_t(point / (s·√(…)))`
///
/// where
/// - `x`: the next rung, kPa; `x̄`, `Sxx`: of all pulls; `N` pulls on `k` rungs;
/// - `s`: scatter of a pull about its rung's mean, pooled (domain, section 9).
///
/// # Errors
/// [`NoForecast`] where too little is known, or the step is larger than the last.
///
/// ```
/// use jamjar_core::analysis::{RungSeen, Would, next_rung};
/// let rung = |at: f64, v: [f64; 2]| RungSeen { at, excess: v.to_vec() };
/// let seen = [rung(60.0, [-120.0, -118.0]), rung(80.0, [-91.0, -89.0]), rung(100.0, [-61.0, -59.0])];
/// let f = next_rung(&seen, 120.0, 25.0).unwrap();
/// assert!((f.point + 30.0).abs() < 1.0 && f.would == Would::StayClear);
/// ```
pub fn next_rung(seen: &[RungSeen], next: f64, caution: f64) -> Result<Forecast, NoForecast> {
    let mut rungs: Vec<&RungSeen> = seen.iter().filter(|r| !r.excess.is_empty()).collect();
    rungs.sort_by(|a, b| a.at.total_cmp(&b.at));
    let [.., before, last] = rungs.as_slice() else { return Err(NoForecast::OneRung) };
    if next <= last.at {
        return Err(NoForecast::NotAbove);
    }
    let (step, taken) = (next - last.at, last.at - before.at);
    if step > taken * (1.0 + SAME_STEP) {
        return Err(NoForecast::StepTooLarge { step, last: taken });
    }
    let pulls = || rungs.iter().flat_map(|r| r.excess.iter().map(|e| (r.at, *e)));
    let (n, k) = (pulls().count() as f64, rungs.len());
    let df = n - k as f64;
    if df < 1.0 {
        return Err(NoForecast::NoScatter);
    }
    let means: Vec<f64> = rungs.iter().map(|r| mean(&r.excess)).collect();
    let s = (rungs.iter().map(|r| sum_of_squares(&r.excess)).sum::<f64>() / df).sqrt();
    if s <= 0.0 && means.windows(2).all(|w| (w[0] - w[1]).abs() <= 0.0) {
        return Err(NoForecast::NotBegun);
    }
    let centre = pulls().map(|p| p.0).sum::<f64>() / n;
    let (x, y): (Vec<f64>, Vec<f64>) = pulls().map(|(x, y)| (x - centre, y)).unzip();
    let sxx: f64 = x.iter().map(|x| x * x).sum();
    let ahead = next - centre;
    let fitted = |degree| {
        let c = polyfit(&x, &y, degree)?;
        Some(c.iter().rev().fold(0.0, |sum, c| sum * ahead + c))
    };
    let (y0, y1) = (means[k - 2], means[k - 1]);
    let by_last_two = y1 + (y1 - y0) / taken * step;
    let bent = if k >= RUNGS_TO_BEND { fitted(2) } else { None };
    let point = [fitted(1), bent].into_iter().flatten().fold(by_last_two, f64::max);
    let se = s * (1.0 / n + ahead * ahead / sxx).sqrt();
    let bound = point + t_quantile(HOLDS, df) * se;
    let beyond = |t: f64| t_two_sided_p(t.abs(), df) / 2.0;
    let p_over = match point / se {
        t if se <= 0.0 || t.is_nan() => f64::from(u8::from(point > 0.0)),
        t if t > 0.0 => 1.0 - beyond(t),
        t => beyond(t),
    };
    let would = match bound {
        b if b > 0.0 && p_over >= 0.5 => Would::Cross,
        b if b > 0.0 => Would::PerhapsCross,
        b if b > -caution || k < RUNGS_TO_CLEAR => Would::Close,
        _ => Would::StayClear,
    };
    Ok(Forecast { point, bound, p_over, would, rungs: k })
}

#[cfg(test)]
#[allow(clippy::float_cmp)]
mod tests {
    use super::*;
    use rand_chacha::ChaCha8Rng;
    use rand_chacha::rand_core::SeedableRng;
    use rand_distr::{Distribution, StandardNormal, Uniform};

    fn ladder(at: &[f64], f: impl Fn(f64) -> f64, wobble: f64) -> Vec<RungSeen> {
        at.iter().map(|x| RungSeen { at: *x, excess: vec![f(*x) - wobble, f(*x), f(*x) + wobble] }).collect()
    }

    #[test]
    fn it_says_would_from_even_chances_and_could_below() {
        let straight = |x: f64| -100.0 + x;
        let seen = ladder(&[60.0, 75.0, 90.0], straight, 2.0);
        let over = next_rung(&seen, 104.0, 5.0).unwrap();
        assert_eq!(over.would, Would::Cross);
        assert!((over.point - 4.0).abs() < 1e-9 && over.p_over > 0.9, "{over:?}");
        let near = next_rung(&seen, 99.5, 5.0).unwrap();
        assert_eq!(near.would, Would::PerhapsCross);
        assert!(near.p_over < 0.5 && near.bound > 0.0, "{near:?}");
        assert_eq!(
            next_rung(&ladder(&[30.0, 50.0, 70.0], straight, 1.0), 90.0, 10.0).unwrap().would,
            Would::Close
        );
        assert_eq!(
            next_rung(&ladder(&[10.0, 30.0, 50.0], straight, 1.0), 70.0, 5.0).unwrap().would,
            Would::StayClear
        );
    }

    #[test]
    fn what_bends_upward_is_followed_and_two_rungs_never_clear() {
        let bent = |x: f64| -100.0 + 0.012 * x * x;
        let seen = ladder(&[40.0, 55.0, 70.0, 85.0], bent, 0.5);
        let f = next_rung(&seen, 100.0, 5.0).unwrap();
        assert!(f.point >= bent(100.0) - 0.2, "{f:?} for {}", bent(100.0));
        assert_eq!(
            next_rung(&ladder(&[10.0, 30.0], |x| -500.0 + x, 1.0), 50.0, 5.0).unwrap().would,
            Would::Close
        );
    }

    #[test]
    fn nothing_is_forecast_of_one_rung_a_leap_or_a_channel_that_has_not_begun() {
        let seen = ladder(&[60.0, 80.0, 100.0], |x| -200.0 + x, 1.0);
        assert_eq!(next_rung(&seen[..1], 80.0, 5.0), Err(NoForecast::OneRung));
        assert_eq!(next_rung(&seen, 130.0, 5.0), Err(NoForecast::StepTooLarge { step: 30.0, last: 20.0 }));
        assert_eq!(next_rung(&seen, 100.0, 5.0), Err(NoForecast::NotAbove));
        let silent = ladder(&[60.0, 80.0, 100.0], |_| -4.0, 0.0);
        assert_eq!(next_rung(&silent, 120.0, 1.0), Err(NoForecast::NotBegun), "knock at nothing");
        let single: Vec<RungSeen> =
            [60.0, 80.0].iter().map(|x| RungSeen { at: *x, excess: vec![-200.0 + x] }).collect();
        assert_eq!(next_rung(&single, 100.0, 5.0), Err(NoForecast::NoScatter));
    }

    /// Planted ladders: three to six rungs, straight or bending either way, three pulls each.
    #[test]
    fn the_bound_holds_as_often_as_it_says() {
        let mut rng = ChaCha8Rng::seed_from_u64(41);
        let even = |rng: &mut ChaCha8Rng, a: f64, b: f64| Uniform::new(a, b).unwrap().sample(rng);
        let (mut held, mut missed, n) = (0, 0, 1000);
        for i in 0..n {
            let k = 3 + i % 4;
            let (b, c) = (even(&mut rng, 0.2, 1.2), even(&mut rng, -0.001, 0.001));
            let truth = |x: f64| -120.0 + b * (x - 50.0) + c * (x - 50.0).powi(2);
            let s = even(&mut rng, 1.0, 4.0);
            let seen: Vec<RungSeen> = (0..k)
                .map(|r| {
                    let at = 60.0 + 20.0 * r as f64;
                    let pull = |rng: &mut ChaCha8Rng| {
                        let z: f64 = StandardNormal.sample(rng);
                        truth(at) + s * z
                    };
                    RungSeen { at, excess: (0..3).map(|_| pull(&mut rng)).collect() }
                })
                .collect();
            let next = 60.0 + 20.0 * k as f64;
            let f = next_rung(&seen, next, 10.0).unwrap();
            held += usize::from(f.bound >= truth(next));
            let clear = matches!(f.would, Would::StayClear | Would::Close);
            missed += usize::from(truth(next) > 10.0 && clear);
        }
        assert!(held as f64 >= 0.94 * f64::from(n as u32), "{held} of {n}");
        assert!(
            missed as f64 <= 0.01 * f64::from(n as u32),
            "{missed} crossings of more than the band missed"
        );
    }
}
