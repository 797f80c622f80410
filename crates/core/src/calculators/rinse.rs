//! Changing from one fuel to another: what stays behind after draining, and how often it takes to rinse it out.

use crate::bounds::{Bound, ETHANOL, OutOfRange};
use serde::Serialize;
use thiserror::Error;

/// Litres that draining leaves behind, and that are poured to rinse.
const LITRES: Bound = Bound::new("litres to rinse with", "L", 0.01, 100_000.0);
const LEFT: Bound = Bound::new("litres left after draining", "L", 0.0, 100_000.0);
const WITHIN: Bound = Bound::new("distance allowed", "", 1e-4, 1.0);
/// Nobody rinses more often than this (our choice).
const MOST: u32 = 40;

/// Rinses of a tank.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Rinses {
    /// How often.
    pub times: u32,
    /// Fuel it takes in all, L.
    pub litres: f64,
    /// Share of the old fuel in what is in the tank then.
    pub old_share: f64,
    /// Ethanol in the tank then, share of volume.
    pub ethanol: f64,
}

/// Why there is no number of rinses.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
#[allow(missing_docs)]
pub enum RinseError {
    #[error(transparent)]
    Range(#[from] OutOfRange),
    #[error(
        "with {left} L left after every draining it takes more than {MOST} rinses of {rinse} L: drain it further, or rinse with more"
    )]
    TooMany { left: f64, rinse: f64 },
}

/// How often to fill, run through and drain until the ethanol is within some distance of the new fuel's.
///
/// # Formula
/// `e_k = e1 + (e0 − e1)·(d/(V + d))^k`, the least `k` with `|e_k − e1| ≤ within`
///
/// where
/// - `d`: what draining leaves behind, L; `V`: what is poured each time, L;
/// - `e0`, `e1`: ethanol in the old and the new fuel, shares of volume (domain, section 6).
///
/// ```
/// use jamjar_core::calculators::rinse::rinses;
/// let r = rinses(2.0, 8.0, [0.85, 0.05], 0.01)?;
/// assert_eq!(r.times, 3);
/// assert!((r.ethanol - (0.05 + 0.8 * 0.2f64.powi(3))).abs() < 1e-12);
/// # Ok::<(), jamjar_core::calculators::rinse::RinseError>(())
/// ```
///
/// # Errors
/// [`RinseError`] for a bad input, or where it takes more rinses than anybody does.
pub fn rinses(left: f64, rinse: f64, [from, to]: [f64; 2], within: f64) -> Result<Rinses, RinseError> {
    let (left, rinse, within) = (LEFT.check(left)?, LITRES.check(rinse)?, WITHIN.check(within)?);
    for e in [from, to] {
        ETHANOL.check(e)?;
    }
    let keeps = left / (rinse + left);
    let share = |k: u32| keeps.powi(k as i32);
    let near = |k: &u32| (from - to).abs() * share(*k) <= within;
    // Something is poured in any case: the tank was drained.
    let times = (1..=MOST).find(near).ok_or(RinseError::TooMany { left, rinse })?;
    Ok(Rinses {
        times,
        litres: f64::from(times) * rinse,
        old_share: share(times),
        ethanol: to + (from - to) * share(times),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn an_empty_tank_takes_one_and_a_full_one_none_that_helps() {
        assert_eq!(rinses(0.0, 5.0, [0.85, 0.05], 0.01).unwrap().times, 1);
        assert!(matches!(rinses(50.0, 1.0, [0.85, 0.05], 0.01), Err(RinseError::TooMany { .. })));
        assert!(rinses(2.0, 0.0, [0.85, 0.05], 0.01).is_err());
        assert!(rinses(2.0, 5.0, [85.0, 0.05], 0.01).is_err());
    }

    proptest! {
        /// Poured and drained step by step, the tank holds what the formula says, and once less would not do.
        #[test]
        fn rinsing_step_by_step_comes_out_the_same(left in 0.1..5.0f64, rinse in 2.0..20.0f64, e0 in 0.0..1.0f64, e1 in 0.0..1.0f64) {
            let Ok(r) = rinses(left, rinse, [e0, e1], 0.01) else { return Ok(()) };
            let mut e = e0;
            let mut before = e0;
            for _ in 0..r.times {
                before = e;
                e = (left * e + rinse * e1) / (left + rinse);
            }
            prop_assert!((e - r.ethanol).abs() < 1e-12 && (e - e1).abs() <= 0.01 + 1e-12);
            prop_assert!(r.times == 1 || (before - e1).abs() > 0.01 - 1e-12);
        }
    }
}
