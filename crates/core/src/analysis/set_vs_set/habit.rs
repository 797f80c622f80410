//! The cell's habit, gathered from the sets of its earlier days.

use super::second_looks::relative_between;
use crate::analysis::set::{Figure, SetResult};
use crate::pull::span::PullKind;
use crate::stats::gains::LEAST_BETWEEN_DF;
use crate::stats::habit::{Habit, HabitBetween, gathered};

/// What earlier days of a cell say of the scatter of peak power, each day with its sets: those of one kind of pull,
/// without copies. `None` where no set has two pulls; whether it is enough, [`Habit::holds`] says.
///
/// Scatter between mountings counts from three degrees of freedom (domain, section 4).
pub fn habit_of(days: &[Vec<SetResult>], kinds: &[PullKind]) -> Option<Habit> {
    let fits = |s: &&SetResult| s.n() > 0 && s.kinds == kinds && !s.has_copies();
    let days: Vec<Vec<&SetResult>> = days.iter().map(|d| d.iter().filter(fits).collect()).collect();
    let values: Vec<&[f64]> =
        days.iter().flatten().map(|s| s.figure(Figure::PeakPower).values.as_slice()).collect();
    let found = gathered(&values)?;
    let slices: Vec<&[&SetResult]> = days.iter().map(Vec::as_slice).collect();
    let between = relative_between(&slices).filter(|(_, df)| *df >= LEAST_BETWEEN_DF);
    Some(Habit { between: between.map(|(relative_sd, dof)| HabitBetween { relative_sd, dof }), ..found })
}
