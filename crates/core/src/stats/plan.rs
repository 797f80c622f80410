//! How many pulls would show a difference, and what the pulls made so far can show.

use super::distributions::t_test_power;
use serde::Serialize;
use std::sync::OnceLock;
use thiserror::Error;

/// Level of the two-sided test behind the planning figures.
pub const ALPHA: f64 = 0.05;
/// Power wanted.
pub const POWER: f64 = 0.8;
/// More pulls than this in a set is not a plan.
pub const MAX_PULLS: u32 = 100_000;

/// Why a plan cannot be made.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum PlanError {
    #[error("{name} must be a positive number, got {value}")]
    NotPositive { name: &'static str, value: f64 },
    #[error("pulls_per_set must be at least 2, got {value}")]
    TooFewPulls { value: u32 },
    #[error("more than {MAX_PULLS} pulls a set would be needed: the difference is far below the scatter")]
    TooMany,
}

/// Pulls per set that reach the wanted power, and the power at that count.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct PullsNeeded {
    /// Pulls in each of the two sets.
    pub pulls_per_set: u32,
    /// Power reached.
    pub power: f64,
}

fn positive(name: &'static str, value: f64) -> Result<f64, PlanError> {
    if value.is_finite() && value > 0.0 { Ok(value) } else { Err(PlanError::NotPositive { name, value }) }
}

fn power_at(n: u32, ratio: f64) -> f64 {
    let n = f64::from(n);
    t_test_power(2.0 * n - 2.0, ratio * (n / 2.0).sqrt(), ALPHA)
}

/// Fewest pulls per set for 80 % power at 5 % (noncentral t), two equal sets.
///
/// # Formula
/// The least n with `P(|T| > t) ≥ 0.80`, T noncentral t with `ν = 2n − 2` and `δ = Δ/s·√(n/2)`
///
/// where
/// - `s`: standard deviation of single pulls, unit of the figure;
/// - `Δ`: the true difference to be found, same unit; its sign does not matter;
/// - `t`: 97.5 % quantile of the central t with ν degrees of freedom (domain, section 4; noncentral t as in
///   [`noncentral_t_cdf`](super::distributions::noncentral_t_cdf)).
///
/// ```
/// use jamjar_core::stats::plan::pulls_needed;
/// let n = pulls_needed(1.5, 3.0)?;
/// assert_eq!(n.pulls_per_set, 6);
/// assert!(n.power >= 0.80);
/// # Ok::<(), jamjar_core::stats::plan::PlanError>(())
/// ```
///
/// # Errors
/// [`PlanError`] for non-positive input, or when the count would be absurd.
pub fn pulls_needed(sd: f64, difference: f64) -> Result<PullsNeeded, PlanError> {
    let ratio = positive("difference", difference.abs())? / positive("sd", sd)?;
    let (mut low, mut high) = (1u32, 2u32);
    while power_at(high, ratio) < POWER {
        low = high;
        high *= 2;
        if high > MAX_PULLS {
            return Err(PlanError::TooMany);
        }
    }
    while high - low > 1 {
        let mid = low + (high - low) / 2;
        if power_at(mid, ratio) < POWER { low = mid } else { high = mid }
    }
    Ok(PullsNeeded { pulls_per_set: high, power: power_at(high, ratio) })
}

/// What a given number of pulls can show.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Detectable {
    /// Smallest difference found with 80 % power, unit of `sd`.
    pub difference: f64,
    /// Repeatability limit `1.96·√2·s` (ISO 5725-6): two single pulls differ by less 95 % of the time.
    pub repeatability_limit: f64,
}

/// Repeatability limit of single pulls (ISO 5725-6), unit of `sd`.
///
/// # Formula
/// `r = 1.96·√2·s`
///
/// where
/// - `s`: standard deviation of single pulls under repeatability conditions, unit of the figure;
/// - `r`: two single pulls differ by less in 95 of 100 cases, same unit (ISO 5725-6:1994, clause 4.1, there
///   rounded to `2.8·s`).
///
/// ```
/// use jamjar_core::stats::plan::repeatability_limit;
/// assert!((repeatability_limit(1.0) - 2.771_859).abs() < 1e-6);
/// ```
pub fn repeatability_limit(sd: f64) -> f64 {
    1.96 * std::f64::consts::SQRT_2 * sd
}

/// Smallest detectable difference of two sets of `pulls_per_set` pulls at 80 % power.
///
/// # Formula
/// The least `Δ` with `P(|T| > t) = 0.80` at the given n: [`pulls_needed`] solved for the difference
///
/// where
/// - `s`: standard deviation of single pulls, unit of the figure, as `Δ`;
/// - `n`: pulls in each of the two sets, `ν = 2n − 2` (domain, section 4).
///
/// ```
/// use jamjar_core::stats::plan::{pulls_needed, smallest_detectable};
/// let shown = smallest_detectable(1.5, 4)?;
/// assert_eq!(pulls_needed(1.5, shown.difference + 1e-6)?.pulls_per_set, 4);
/// assert!(smallest_detectable(1.5, 8)?.difference < shown.difference);
/// # Ok::<(), jamjar_core::stats::plan::PlanError>(())
/// ```
///
/// # Errors
/// [`PlanError`] for a non-positive `sd` or fewer than two pulls.
pub fn smallest_detectable(sd: f64, pulls_per_set: u32) -> Result<Detectable, PlanError> {
    let sd = positive("sd", sd)?;
    if pulls_per_set < 2 {
        return Err(PlanError::TooFewPulls { value: pulls_per_set });
    }
    Ok(Detectable {
        difference: standard_detectable(pulls_per_set) * sd,
        repeatability_limit: repeatability_limit(sd),
    })
}

/// Counts whose answer is kept once found; larger ones are computed each time.
const KEPT: usize = 64;

/// Smallest detectable difference in units of the standard deviation; depends on the count alone, so it is
/// kept.
fn standard_detectable(pulls_per_set: u32) -> f64 {
    static KNOWN: [OnceLock<f64>; KEPT] = [const { OnceLock::new() }; KEPT];
    let find = || {
        let (mut low, mut high) = (0.0, 1.0);
        while power_at(pulls_per_set, high) < POWER {
            high *= 2.0;
        }
        for _ in 0..48 {
            let mid = 0.5 * (low + high);
            if power_at(pulls_per_set, mid) < POWER { low = mid } else { high = mid }
        }
        high
    };
    match KNOWN.get(pulls_per_set as usize) {
        Some(slot) => *slot.get_or_init(find),
        None => find(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_count_is_the_smallest_that_reaches_the_power() {
        let n = pulls_needed(0.8, 1.0).unwrap().pulls_per_set;
        assert!(power_at(n, 1.0 / 0.8) >= POWER && power_at(n - 1, 1.0 / 0.8) < POWER);
    }

    #[test]
    fn nonsense_is_refused_in_words() {
        assert!(pulls_needed(0.0, 1.0).unwrap_err().to_string().contains("sd must be a positive"));
        assert!(smallest_detectable(1.0, 1).unwrap_err().to_string().contains("at least 2"));
        assert_eq!(pulls_needed(1.0, 1e-6).unwrap_err(), PlanError::TooMany);
    }
}
