//! The cell's habit: what earlier days on the same dyno say of the scatter of pulls, for a day that has none of its
//! own. It makes an interval that is provisional, and never counts as measured (domain, section 4).

use super::distributions::t_quantile;
use super::family::dunnett_quantile;
use super::pooled::{Interval, within};
use super::two_sets::{mean, sample_sd};
use serde::{Deserialize, Serialize};

/// Scatter between mountings, relative.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct HabitBetween {
    /// Standard deviation of a mounting, share of the mean.
    pub relative_sd: f64,
    /// Degrees of freedom.
    pub dof: f64,
}

/// Scatter of a cell's earlier sets.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Habit {
    /// Standard deviation of one pull, share of the mean.
    pub relative_sd: f64,
    /// Degrees of freedom.
    pub dof: f64,
    /// Sets behind it.
    pub sets: u32,
    /// Between mountings, where it is known.
    #[serde(default)]
    pub between: Option<HabitBetween>,
    /// Least and largest scatter of its sets, where they are known.
    #[serde(default)]
    pub spread: Option<[f64; 2]>,
}

/// The habit that sets of earlier days show; `None` where none has two pulls.
///
/// # Formula
/// `s² = Σ_sets Σ_i (x_i/x̄ − 1)² / Σ_sets (n − 1)`, `K` sets of two pulls and more
///
/// where
/// - `x`: a figure of single pulls, `x̄` its mean over a set of `n` (domain, section 4).
///
/// ```
/// use jamjar_core::stats::habit::gathered;
/// let h = gathered(&[&[99.0, 101.0], &[198.0, 202.0], &[150.0]]).unwrap();
/// assert!((h.relative_sd - 0.01 * 2.0_f64.sqrt()).abs() < 1e-12 && (h.dof, h.sets) == (2.0, 2));
/// ```
pub fn gathered(sets: &[&[f64]]) -> Option<Habit> {
    let shares: Vec<Vec<f64>> = sets
        .iter()
        .filter(|s| s.len() > 1)
        .map(|s| {
            let level = mean(s);
            s.iter().map(|x| x / level).collect()
        })
        .collect();
    let w = within(&shares.iter().map(Vec::as_slice).collect::<Vec<_>>())?;
    let each = shares.iter().filter_map(|s| sample_sd(s));
    let spread = each.fold([f64::INFINITY, 0.0], |[low, high], s| [s.min(low), s.max(high)]);
    Some(Habit {
        relative_sd: w.sd,
        dof: w.df,
        sets: u32::try_from(shares.len()).unwrap_or(u32::MAX),
        between: None,
        spread: Some(spread),
    })
}

/// With fewer degrees of freedom, or fewer sets, a habit is none.
pub const LEAST_DOF: f64 = 10.0;
/// See [`LEAST_DOF`].
pub const LEAST_SETS: u32 = 5;

impl Habit {
    /// Whether there is enough of it to give an interval.
    pub fn holds(&self) -> bool {
        self.dof >= LEAST_DOF && self.sets >= LEAST_SETS && self.relative_sd > 0.0
    }

    fn t_dof(&self) -> f64 {
        self.dof.min(f64::from(self.sets) - 1.0)
    }

    /// The interval of a difference of two means of `n` pulls each stood for by its own; `None` where the habit
    /// does not hold.
    ///
    /// # Formula
    /// `h = t(0.975, min(ν, K − 1))·√(P₁²(s²/n₁ + s_b²) + P₂²(s²/n₂ + s_b²))`
    ///
    /// where
    /// - `P`: means; `s`, `s_b`: relative scatter of pulls and of mountings; `ν`: degrees of freedom; `K`: sets
    ///   (domain, section 4, the cell's habit). Without `s_b` it is taken as none.
    ///
    /// ```
    /// use jamjar_core::stats::habit::Habit;
    /// let h = Habit { relative_sd: 0.006, dof: 18.0, sets: 9, between: None, spread: None };
    /// let i = h.difference([(100.0, 1), (110.0, 1)]).unwrap();
    /// let wanted = 2.306_004 * 0.006 * (100.0f64.powi(2) + 110.0f64.powi(2)).sqrt();
    /// assert!((i.half_width - wanted).abs() < 1e-4 && i.difference == 10.0);
    /// ```
    pub fn difference(&self, [(p1, n1), (p2, n2)]: [(f64, usize); 2]) -> Option<Interval> {
        if !self.holds() || n1 == 0 || n2 == 0 {
            return None;
        }
        let (s2, b2) = (self.relative_sd.powi(2), self.between.map_or(0.0, |b| b.relative_sd.powi(2)));
        let of = |p: f64, n: usize| p * p * (s2 / n as f64 + b2);
        Some(Interval::new(p2 - p1, (of(p1, n1) + of(p2, n2)).sqrt(), self.t_dof()))
    }

    /// The interval that holds for all candidates of a family together; `counts` are their pulls.
    pub fn family(&self, i: &Interval, n1: usize, counts: &[usize]) -> Option<[f64; 2]> {
        let q = dunnett_quantile(n1, counts, i.df)?.max(t_quantile(0.975, i.df));
        Some([i.difference - q * i.se, i.difference + q * i.se])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn little_history_is_no_habit_and_mountings_widen_it() {
        let h = Habit { relative_sd: 0.006, dof: 18.0, sets: 9, between: None, spread: None };
        let pulls = [(100.0, 1), (104.0, 1)];
        for short in [Habit { dof: 9.0, ..h }, Habit { sets: 4, ..h }, Habit { relative_sd: 0.0, ..h }] {
            assert_eq!(short.difference(pulls), None);
        }
        let plain = h.difference(pulls).unwrap();
        let wide = Habit { between: Some(HabitBetween { relative_sd: 0.004, dof: 4.0 }), ..h };
        let wide = wide.difference(pulls).unwrap();
        assert!(((wide.se / plain.se).powi(2) - (1.0 + 16.0 / 36.0)).abs() < 1e-9);
        let few = Habit { dof: 200.0, sets: 6, ..h }.difference(pulls).unwrap();
        assert!((few.df - 5.0).abs() < 1e-9, "sets limit it, not pulls");
        let more = h.difference([(100.0, 4), (104.0, 4)]).unwrap();
        assert!((more.se * 2.0 - plain.se).abs() < 1e-9);
        let all = h.family(&plain, 1, &[1, 1, 1]).unwrap();
        assert!(all[1] - all[0] > 2.0 * plain.half_width);
    }
}
