//! A gain of gains: whether one step gained more than another, of other days and other parts.

use super::distributions::t_quantile;

/// Mean of a set and its pulls.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SetMean {
    /// Mean.
    pub mean: f64,
    /// Pulls.
    pub n: usize,
}

/// Scatter with its degrees of freedom, as a share of the mean: standard deviation of pulls.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Relative {
    /// Share of the mean.
    pub sd: f64,
    /// Degrees of freedom.
    pub df: f64,
}

/// A step from one set to another.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct StepOf {
    /// From.
    pub from: SetMean,
    /// To.
    pub to: SetMean,
    /// Scatter of the pulls of its day.
    pub within: Relative,
    /// Both sets share a mounting.
    pub one_mounting: bool,
}

/// The ratio of two gains with its interval.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RatioOfGains {
    /// `(A/A0)/(B/B0)`.
    pub ratio: f64,
    /// 95 % interval; `None` where the scatter between mountings that it needs is not known.
    pub ci95: Option<[f64; 2]>,
    /// Degrees of freedom behind it.
    pub df: f64,
}

/// Scatter between mountings is known from so many degrees of freedom (domain, section 4).
pub const LEAST_BETWEEN_DF: f64 = 3.0;

/// Compares two steps. `one_pool` says that the scatter of both is one estimate, `shared` that they begin at one
/// set, which then cancels; `between` is the relative scatter of mountings.
///
/// # Formula
/// `ln g = ln(A/A0) − ln(B/B0)`, `Var = Σ s²/n` over the means that do not cancel `+ 2·s_b²` for each step between
/// mountings; degrees of freedom by Satterthwaite over the components
///
/// where
/// - `s`, `s_b`: relative scatter of pulls and of mountings; `n`: pulls of a set;
/// - two steps that begin at one set have two mounting effects between them and not four (domain, section 4).
///
/// ```
/// use jamjar_core::stats::gains::{Relative, SetMean, StepOf, ratio_of_gains};
/// let mean = |mean| SetMean { mean, n: 3 };
/// let within = Relative { sd: 0.005, df: 8.0 };
/// let step = |from, to| StepOf { from: mean(from), to: mean(to), within, one_mounting: true };
/// let r = ratio_of_gains(&step(100.0, 110.0), &step(200.0, 210.0), true, false, None);
/// assert!((r.ratio - 1.1 / 1.05).abs() < 1e-12 && r.ci95.is_some(), "within one mounting each");
/// ```
pub fn ratio_of_gains(
    a: &StepOf,
    b: &StepOf,
    one_pool: bool,
    shared: bool,
    between: Option<Relative>,
) -> RatioOfGains {
    let log = (a.to.mean / a.from.mean).ln() - (b.to.mean / b.from.mean).ln();
    let pulls = |s: &StepOf| 1.0 / s.to.n as f64 + if shared { 0.0 } else { 1.0 / s.from.n as f64 };
    let of = |s: &StepOf| s.within.sd.powi(2) * pulls(s);
    let mut parts = if one_pool {
        vec![(of(a) + of(b), a.within.df)]
    } else {
        vec![(of(a), a.within.df), (of(b), b.within.df)]
    };
    let mountings = match (shared, a.one_mounting, b.one_mounting) {
        (true, true, true) => 0.0,
        // The two ends stand in mountings of their own, the start they share in none that counts.
        (true, _, _) => 2.0,
        (false, x, y) => 2.0 * (f64::from(u8::from(!x)) + f64::from(u8::from(!y))),
    };
    let known = between.filter(|b| b.df >= LEAST_BETWEEN_DF);
    if let Some(k) = known.filter(|_| mountings > 0.0) {
        parts.push((mountings * k.sd.powi(2), k.df));
    }
    let variance: f64 = parts.iter().map(|p| p.0).sum();
    let df = variance * variance / parts.iter().map(|(v, d)| v * v / d).sum::<f64>().max(f64::MIN_POSITIVE);
    let told = (mountings == 0.0 || known.is_some()) && variance > 0.0 && log.is_finite();
    let ci95 = told.then(|| {
        let h = t_quantile(0.975, df) * variance.sqrt();
        [(log - h).exp(), (log + h).exp()]
    });
    RatioOfGains { ratio: log.exp(), ci95, df }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn step(from: f64, to: f64, one_mounting: bool) -> StepOf {
        let mean = |mean| SetMean { mean, n: 3 };
        StepOf { from: mean(from), to: mean(to), within: Relative { sd: 0.006, df: 6.0 }, one_mounting }
    }

    #[test]
    fn mountings_must_be_known_unless_they_cancel() {
        let (a, b) = (step(100.0, 112.0, false), step(90.0, 96.0, false));
        assert_eq!(ratio_of_gains(&a, &b, false, false, None).ci95, None);
        let little = Some(Relative { sd: 0.004, df: 2.0 });
        assert_eq!(ratio_of_gains(&a, &b, false, false, little).ci95, None);
        let known = Some(Relative { sd: 0.004, df: 4.0 });
        let wide = ratio_of_gains(&a, &b, false, false, known).ci95.unwrap();
        let inside = |a: &StepOf, b: &StepOf| {
            let ci = ratio_of_gains(a, b, false, false, known).ci95.unwrap();
            ci[1] / ci[0]
        };
        let (x, y) = (StepOf { one_mounting: true, ..a }, StepOf { one_mounting: true, ..b });
        assert!(inside(&x, &b) < wide[1] / wide[0] && inside(&x, &y) < inside(&x, &b));
        assert!(ratio_of_gains(&x, &y, false, false, None).ci95.is_some());
    }

    #[test]
    fn a_shared_start_cancels_with_its_scatter() {
        let (a, b) = (step(100.0, 112.0, true), step(100.0, 106.0, true));
        let own = ratio_of_gains(&a, &b, true, false, None).ci95.unwrap();
        let shared = ratio_of_gains(&a, &b, true, true, None).ci95.unwrap();
        let width = |ci: [f64; 2]| (ci[1] / ci[0]).ln();
        assert!((width(own) / width(shared) - 2f64.sqrt()).abs() < 1e-9);
        assert!(shared[0] < 112.0 / 106.0 && shared[1] > 112.0 / 106.0);
    }

    #[test]
    fn the_interval_holds_the_truth_as_often_as_it_says() {
        use rand_chacha::ChaCha8Rng;
        use rand_distr::{Distribution, StandardNormal};
        let mut rng = <ChaCha8Rng as rand_chacha::rand_core::SeedableRng>::seed_from_u64(11);
        let mut normal = || -> f64 { StandardNormal.sample(&mut rng) };
        let (days, sd, truth) = (4000, 0.006, 1.12_f64 / 1.05);
        let mut held = 0;
        for _ in 0..days {
            // Four sets of three pulls on each of two days, each day with an estimate of its own.
            let mut day = |gain: f64| {
                let mut sets: Vec<Vec<f64>> = Vec::new();
                for level in [100.0, 100.0 * gain] {
                    sets.push((0..3).map(|_| level * (1.0 + sd * normal())).collect());
                }
                let mean = |v: &[f64]| v.iter().sum::<f64>() / 3.0;
                let ss: f64 = sets
                    .iter()
                    .flat_map(|s| s.iter().map(|x| (x / mean(s) - 1.0).powi(2)).collect::<Vec<_>>())
                    .sum();
                let of = |s: &[f64]| SetMean { mean: mean(s), n: 3 };
                let within = Relative { sd: (ss / 4.0).sqrt(), df: 4.0 };
                StepOf { from: of(&sets[0]), to: of(&sets[1]), within, one_mounting: true }
            };
            let (a, b) = (day(1.12), day(1.05));
            let ci = ratio_of_gains(&a, &b, false, false, None).ci95.unwrap();
            held += u32::from(ci[0] <= truth && truth <= ci[1]);
        }
        let share = f64::from(held) / f64::from(days);
        assert!((0.94..=0.965).contains(&share), "{share}");
    }
}
