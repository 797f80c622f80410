//! What power a wanted time over 402 m takes: the estimate run backwards.

use super::strip::{StripError, StripInput, strip_in_steps};
use super::traction::Unsure;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use rand_distr::{Distribution, StandardNormal};
use rayon::prelude::*;

/// Step of a run, s: half a second of a strip's time is searched for in hundreds of runs.
const STEP_S: f64 = 1e-3;
/// Sets of inputs that are drawn (our choice: their outer fortieths stand on three each).
const DRAWS: usize = 120;
/// The curve is scaled between these.
const SCALES: [f64; 2] = [0.2, 5.0];
/// A time is met within this, s.
const MET_S: f64 = 2e-3;

/// What a wanted time takes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wanted {
    /// The whole measured curve times this.
    pub factor: f64,
    /// 95 % of what the inputs leave open.
    pub ci95: [f64; 2],
    /// Share of the drawn inputs with which no power does it.
    pub never: f64,
}

/// Why a time cannot be had by power.
#[derive(Debug, Clone, PartialEq)]
pub enum NotByPower {
    /// The tyres hold it up: no power does it, with the inputs as they are or with half of those drawn.
    Traction,
    /// It would be met with next to no power.
    Slower,
    /// No run comes of the inputs.
    NoRun(StripError),
}

fn scaled(i: &StripInput, by: f64) -> StripInput {
    StripInput { torque_nm: i.torque_nm.iter().map(|t| t * by).collect(), ..i.clone() }
}

/// The scale with which a run takes a time; `Ok(None)` where none does.
fn scale_for(i: &StripInput, wanted_s: f64) -> Result<Option<f64>, StripError> {
    let time = |k: f64| match strip_in_steps(&scaled(i, k), STEP_S) {
        Ok(r) => Ok(r.t_402m_s),
        Err(StripError::NeverArrives) => Ok(f64::INFINITY),
        Err(e) => Err(e),
    };
    let [mut low, mut high] = SCALES;
    if time(high)? > wanted_s || time(low)? < wanted_s {
        return Ok(None);
    }
    // More power is never slower: halving on the logarithm finds it.
    for _ in 0..40 {
        let middle = (low * high).sqrt();
        let t = time(middle)?;
        if (t - wanted_s).abs() < MET_S {
            return Ok(Some(middle));
        }
        if t > wanted_s { low = middle } else { high = middle }
    }
    Ok(Some((low * high).sqrt()))
}

/// The power a wanted time over 402 m takes, as a factor on the whole measured curve.
///
/// # Formula
/// `k: t₄₀₂(k·T; m, μ, n₀) = t_wanted`, found again for every drawn mass, grip, launch and scatter of the curve;
/// interval = 2.5 to 97.5 % of those found
///
/// where
/// - `T`: measured torque, N·m; `m`: mass, kg; `μ`: grip; `n₀`: launch, rpm, each drawn from a normal distribution
///   (domain, section 12).
///
/// # Errors
/// [`NotByPower`] where no power does it, or next to none would.
pub fn power_for(i: &StripInput, s: &Unsure, wanted_s: f64, seed: u64) -> Result<Wanted, NotByPower> {
    let slowest = strip_in_steps(&scaled(i, SCALES[0]), STEP_S);
    if slowest.is_ok_and(|r| r.t_402m_s < wanted_s) {
        return Err(NotByPower::Slower);
    }
    let factor = scale_for(i, wanted_s).map_err(NotByPower::NoRun)?.ok_or(NotByPower::Traction)?;
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let mut draw = |sd: f64| {
        let z: f64 = StandardNormal.sample(&mut random);
        sd * z
    };
    let drawn: Vec<StripInput> = (0..DRAWS)
        .map(|_| {
            let own = StripInput {
                mass_kg: i.mass_kg * (1.0 + draw(s.mass)).max(0.1),
                tyre_friction: (i.tyre_friction + draw(s.grip)).max(0.05),
                launch_rpm: (i.launch_rpm + draw(s.launch_rpm)).max(0.0),
                ..i.clone()
            };
            scaled(&own, 1.0 + draw(s.torque))
        })
        .collect();
    let found: Vec<Option<f64>> = drawn.par_iter().map(|d| scale_for(d, wanted_s).ok().flatten()).collect();
    let mut with: Vec<f64> = found.into_iter().flatten().collect();
    let never = 1.0 - with.len() as f64 / DRAWS as f64;
    if never > 0.5 {
        return Err(NotByPower::Traction);
    }
    with.sort_by(f64::total_cmp);
    let at = |share: f64| with[((with.len() - 1) as f64 * share).round() as usize];
    Ok(Wanted { factor, ci95: [at(0.025), at(0.975)], never })
}

#[cfg(test)]
mod tests {
    use super::super::strip::{car, strip};
    use super::*;

    const UNSURE: Unsure = Unsure { mass: 0.02, grip: 0.08, launch_rpm: 300.0, torque: 0.005 };

    #[test]
    fn the_time_of_a_stronger_curve_takes_that_curve() {
        let wanted = strip(&car(260.0 * 1.25, 1.1)).unwrap().t_402m_s;
        let w = power_for(&car(260.0, 1.1), &UNSURE, wanted, 7).unwrap();
        assert!((w.factor - 1.25).abs() < 0.01, "{w:?}");
        assert!(w.ci95[0] < w.factor && w.factor < w.ci95[1] && w.never < 0.1, "{w:?}");
        assert!(w.ci95[1] - w.ci95[0] > 0.04, "a mass known to 2 % leaves power as unsure: {w:?}");
        assert_eq!(
            w,
            power_for(&car(260.0, 1.1), &UNSURE, wanted, 7).unwrap(),
            "the same seed, the same answer"
        );
    }

    #[test]
    fn what_tyres_hold_up_is_not_had_by_power() {
        assert_eq!(power_for(&car(260.0, 0.5), &UNSURE, 11.0, 7), Err(NotByPower::Traction));
        assert_eq!(power_for(&car(260.0, 1.1), &UNSURE, 200.0, 7), Err(NotByPower::Slower));
        let broken = StripInput { mass_kg: -1.0, ..car(260.0, 1.1) };
        assert!(matches!(power_for(&broken, &UNSURE, 13.0, 7), Err(NotByPower::NoRun(_))));
    }
}
