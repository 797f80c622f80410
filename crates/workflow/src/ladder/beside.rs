//! Two ladders side by side, rung by rung: two builds, two fuels, two maps.

use super::{BOOST, Ladder, LadderOf, Rung, ladder};
use crate::error::WorkflowError;
use crate::lineup::line_up;
use jamjar_core::analysis::{Figure, FigureComparison, Settings};
use jamjar_store::Store;

/// Two rungs stand beside each other when no further apart than this, in their unit (our choice: names are rounded).
const SAME: f64 = 0.5;

/// One rung of either.
#[derive(Debug, Clone)]
pub struct SideRow {
    /// Of the first ladder, and of the other.
    pub sides: [Option<Rung>; 2],
    /// The other against the first at its peak, as a line-up has it; where both were pulled.
    pub gain: Option<FigureComparison>,
}

/// Two ladders.
#[derive(Debug, Clone)]
pub struct Beside {
    /// The other.
    pub of: LadderOf,
    /// Rungs from the lowest.
    pub rows: Vec<SideRow>,
    /// Days the other was read from.
    pub days: Vec<i64>,
}

/// Reads another ladder beside one; `None` where there is no such ladder, or its rungs are of something else.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples can no longer be measured.
pub async fn beside(
    store: &Store,
    one: &Ladder,
    asked: &LadderOf,
    settings: &Settings,
) -> Result<Option<Beside>, WorkflowError> {
    let other = ladder(store, &one.vehicle, Some(asked), None, settings).await?;
    let same_kind = |of: &LadderOf| one.of.as_ref().is_some_and(|o| o.rungs == of.rungs && o != of);
    let Some(of) = other.of.clone().filter(|of| same_kind(of) && of.meant(asked) && one.unit == other.unit)
    else {
        return Ok(None);
    };
    let mut rows: Vec<SideRow> =
        one.rungs.iter().map(|r| SideRow { sides: [Some(r.clone()), None], gain: None }).collect();
    for r in other.rungs {
        match rows.iter_mut().find(|row| row.sides[0].as_ref().is_some_and(|own| together(own, &r, &of))) {
            Some(row) => row.sides[1] = Some(r),
            None => rows.push(SideRow { sides: [None, Some(r)], gain: None }),
        }
    }
    let at = |row: &SideRow| row.sides.iter().flatten().find_map(|r| r.at).unwrap_or(f64::INFINITY);
    rows.sort_by(|a, b| at(a).total_cmp(&at(b)));
    for row in &mut rows {
        let [Some(a), Some(b)] = &row.sides else { continue };
        let ids = [a.set.stored.set.id, b.set.stored.set.id];
        let l = line_up(store, &ids, Some(ids[0]), settings).await?;
        row.gain = l.comparisons.first().and_then(|c| c.figure(Figure::PeakPower)).cloned();
    }
    Ok(Some(Beside { of, rows, days: other.days }))
}

/// Whether two rungs stand at the same place: by their numbers, else by their names.
fn together(a: &Rung, b: &Rung, of: &LadderOf) -> bool {
    match a.at.zip(b.at) {
        // A boost without a number stands where its target was: two of one name are the same rung.
        Some(_) if of.rungs == BOOST && a.name == b.name => true,
        Some((x, y)) => (x - y).abs() < SAME,
        None => a.name == b.name,
    }
}
