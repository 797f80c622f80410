//! A line-up: sets of one vehicle against a baseline, from cached measurements.

use crate::band::usual_band;
use crate::error::{WorkflowError, blocking};
use crate::input::input_of;
use crate::remeasure::measured;
use jamjar_core::analysis::{
    Comparison, Figure, Measured, SetInput, SetResult, Settings, analyse_sets, compare_all, note_pulls,
    set_verdicts,
};
use jamjar_core::calculators::shift::shift_points;
use jamjar_core::limits::LimitOutcome;
use jamjar_core::pull::span::EndedBy;
use jamjar_store::{SetWithPulls, Store, VehicleRecord};
use std::sync::Arc;

mod channels;
mod concluded;
mod habit;
mod several;

pub use channels::{Channels, RATIO, channels};
pub use concluded::CanShow;
pub use several::{by_vehicle, several};

/// Most sets in one line-up.
pub const MAX_SETS: usize = 16;

/// Everything a line-up shows.
#[derive(Debug, Clone)]
pub struct LineUp {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// Sets with pulls, in the order asked for. Their notes are left out: those change without a line-up.
    pub sets: Vec<SetWithPulls>,
    /// Measured pulls of each set.
    pub measured: Vec<Vec<Arc<Measured>>>,
    /// Results of each set.
    pub results: Vec<SetResult>,
    /// Results of the other sets of their days, which lend their scatter.
    pub lenders: Vec<SetResult>,
    /// The shift window of each set's own curve, then of each lender's; `None` where the sheet names no gears or the
    /// curve shows no shift.
    pub windows: Vec<Option<[f64; 2]>>,
    /// Earlier days of the cell whose habit stands in where this one has no scatter of its own.
    pub habit_days: Vec<i64>,
    /// Index of the baseline.
    pub base: usize,
    /// Comparisons with it.
    pub comparisons: Vec<Comparison>,
    /// Verdict of each limit over each set.
    pub verdicts: Vec<Vec<LimitOutcome>>,
    /// Whether a person chose the band of the mean.
    pub band_asked: bool,
    /// Settings behind it, with what the vehicle's sheet adds.
    pub settings: Settings,
}

/// Engine speeds passed through between two full-throttle upshifts of a set: from the lowest speed after a shift
/// to the highest before one. `None` when the sheet names no gears, or the curve shows no shift. `limiter` is
/// where its own map cuts, when its pulls ran into it.
fn shift_window(of: &SetResult, v: &VehicleRecord, limiter: Option<f64>) -> Option<[f64; 2]> {
    let curve = &of.mean_curve;
    let limit = limiter.or(v.vehicle.engine.rev_limit_rpm).or_else(|| curve.rpm.last().copied())?;
    let shifts = shift_points(&curve.rpm, &curve.torque_nm, &v.sheet.gears, limit).ok()?;
    let low = shifts.iter().map(|s| s.after_rpm).reduce(f64::min)?;
    let high = shifts.iter().map(|s| s.upshift_rpm).reduce(f64::max)?;
    Some([low, high])
}

/// Highest engine speed of pulls that all ran into the rev limiter, rpm.
fn limiter_of(pulls: &[Arc<Measured>]) -> Option<f64> {
    let counted = pulls.iter().filter(|m| m.excluded.is_none());
    let ends: Option<Vec<f64>> = counted
        .map(|m| m.span.filter(|s| s.ended_by == EndedBy::RevLimiter).and(m.grid.rpm.last().copied()))
        .collect();
    ends?.into_iter().reduce(f64::min)
}

/// Sets of one vehicle with the other sets of their days, read and measured, before anything is concluded of them.
#[derive(Debug, Clone)]
pub struct Gathered {
    vehicle: VehicleRecord,
    /// The sets asked for, then the others.
    sets: Vec<SetWithPulls>,
    shown: usize,
    base: usize,
    measured: Vec<Vec<Arc<Measured>>>,
}

/// Analyses sets under some settings. `base` is a set id; the first set when absent.
///
/// # Errors
/// [`WorkflowError`] when there is no set, there are too many, or they belong to different vehicles.
pub async fn line_up(
    store: &Store,
    ids: &[i64],
    base: Option<i64>,
    settings: &Settings,
) -> Result<LineUp, WorkflowError> {
    Gathered::of(store, ids, base, settings).await?.judged(store, settings).await
}

impl Gathered {
    /// Reads sets, and measures them where what is kept of them no longer fits.
    ///
    /// # Errors
    /// As [`line_up`].
    pub async fn of(
        store: &Store,
        ids: &[i64],
        base: Option<i64>,
        settings: &Settings,
    ) -> Result<Self, WorkflowError> {
        if ids.len() > MAX_SETS {
            return Err(WorkflowError::Bad(format!(
                "{} sets are too many to read in one line-up; {MAX_SETS} fit",
                ids.len()
            )));
        }
        let sets = store.sets_by_id(ids).await?;
        let Some(first) = sets.first() else {
            return Err(WorkflowError::Bad("none of these sets exists".into()));
        };
        if sets.iter().any(|s| s.set.vehicle_id != first.set.vehicle_id) {
            return Err(WorkflowError::Bad(
                "these sets belong to different vehicles; a line-up compares sets of one".into(),
            ));
        }
        let vehicle = store.vehicle(first.set.vehicle_id).await?;
        let base = base.and_then(|id| sets.iter().position(|s| s.set.id == id)).unwrap_or(0);
        let (sets, shown) = with_context(store, sets).await?;
        let measured = measured(store, &sets, &vehicle, settings).await?;
        Ok(Self { vehicle, sets, shown, base, measured })
    }

    /// The line-up of them under settings that change no measurement: band, speeds, level, correction.
    ///
    /// # Errors
    /// [`WorkflowError`] when the habit of the cell is wanted and cannot be read.
    pub async fn judged(self, store: &Store, settings: &Settings) -> Result<LineUp, WorkflowError> {
        let settings = *settings;
        let l = blocking(move || self.line_up(settings)).await?;
        if l.settings.habit.is_none() && habit::is_wanted(&l.comparisons, &l.results) {
            return with_habit(store, l).await;
        }
        Ok(l)
    }

    fn line_up(self, mut settings: Settings) -> LineUp {
        let Self { vehicle, mut sets, shown, base, mut measured } = self;
        let inputs: Vec<SetInput> = sets.iter().map(input_of).collect();
        let (band_asked, engine) = (settings.band_rpm.is_some(), &vehicle.vehicle.engine);
        settings.driven = settings.driven.or(vehicle.sheet.driven);
        // Where to look at all of them depends on the baseline's own curve.
        if let Some(first) =
            analyse_sets(&inputs[base..=base], &measured[base..=base], engine, &settings).first()
        {
            settings.at_rpm = settings.at_rpm.or(first.figure(Figure::PeakTorque).rpm);
            settings.shift_rpm = settings.shift_rpm.or_else(|| shift_window(first, &vehicle, None));
            settings.band_rpm = settings.band_rpm.or_else(|| Some(usual_band(first, settings.driven)));
        }
        let mut results = analyse_sets(&inputs, &measured, engine, &settings);
        let candidates: Vec<usize> = (0..shown).filter(|i| *i != base).collect();
        let mut comparisons = compare_all(&results, base, &candidates, &vehicle.vehicle, &settings);
        note_pulls(&mut comparisons, &results, &measured);
        let own = |(r, m): (&SetResult, &Vec<Arc<Measured>>)| shift_window(r, &vehicle, limiter_of(m));
        let windows = results.iter().zip(&measured).map(own).collect();
        sets.truncate(shown);
        measured.truncate(shown);
        let lenders = results.split_off(shown);
        for s in &mut sets {
            s.set.config.note.clear();
            s.pulls.iter_mut().for_each(|(p, _)| p.note.clear());
        }
        let verdicts = measured.iter().map(|m| set_verdicts(m)).collect();
        LineUp {
            vehicle,
            sets,
            measured,
            results,
            lenders,
            windows,
            habit_days: Vec::new(),
            base,
            comparisons,
            verdicts,
            band_asked,
            settings,
        }
    }
}

impl LineUp {
    /// Sets against others, whichever the baseline is: from and to of each pair.
    pub fn between(&self, pairs: &[(usize, usize)]) -> Vec<Option<Comparison>> {
        let all: Vec<SetResult> = self.results.iter().chain(&self.lenders).cloned().collect();
        let one = |(from, to): &(usize, usize)| {
            let mut found = compare_all(&all, *from, &[*to], &self.vehicle.vehicle, &self.settings);
            note_pulls(&mut found, &self.results, &self.measured);
            found.pop()
        };
        pairs.iter().map(one).collect()
    }
}

/// The same with the habit of the cell behind comparisons that have no scatter of their own.
async fn with_habit(store: &Store, mut l: LineUp) -> Result<LineUp, WorkflowError> {
    let (of, like) = (&l.sets[l.base].set, &l.results[l.base]);
    let found = habit::gather(store, of, (&l.vehicle, like), &l.settings).await?;
    if found.habit.is_none() {
        return Ok(l);
    }
    blocking(move || {
        (l.settings.habit, l.habit_days) = (found.habit, found.days);
        let all: Vec<SetResult> = l.results.iter().chain(&l.lenders).cloned().collect();
        let candidates: Vec<usize> = (0..l.sets.len()).filter(|i| *i != l.base).collect();
        l.comparisons = compare_all(&all, l.base, &candidates, &l.vehicle.vehicle, &l.settings);
        note_pulls(&mut l.comparisons, &l.results, &l.measured);
        l
    })
    .await
}

/// The chosen sets first, then the other sets of their days: those lend their scatter. Also how many were
/// chosen.
async fn with_context(
    store: &Store,
    mut sets: Vec<SetWithPulls>,
) -> Result<(Vec<SetWithPulls>, usize), WorkflowError> {
    let shown = sets.len();
    let mut days: Vec<i64> = sets.iter().map(|s| s.set.day_id).collect();
    days.sort_unstable();
    days.dedup();
    for day in days {
        for s in store.sets_of_day(day).await? {
            if sets.iter().all(|known| known.set.id != s.set.id) {
                sets.push(s);
            }
        }
    }
    Ok((sets, shown))
}
