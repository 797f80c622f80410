//! What a sheet that leaves the shop is made from: line-ups, and what people wrote down around them.

use crate::error::WorkflowError;
use crate::job::{Told, told};
use crate::lineage::{Lineage, read_lineage};
use crate::lineup::LineUp;
use jamjar_core::analysis::Figure;
use jamjar_store::{LeftOut, Pour, SignOff, Store};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::sync::Arc;

/// One vehicle on a sheet.
#[derive(Debug, Clone)]
pub struct Part {
    /// Its sets against their baseline.
    pub line_up: Arc<LineUp>,
    /// Its maps, and what is in the unit.
    pub lineage: Lineage,
    /// What was poured into its tank, oldest first.
    pub poured: Vec<Pour>,
    /// What was driven of its maps, newest first.
    pub sign_offs: Vec<SignOff>,
    /// Why and by whom pulls of its sets were left out, by the pull.
    pub left_out: HashMap<i64, LeftOut>,
}

/// Reads what stands around a line-up.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn part(store: &Store, line_up: Arc<LineUp>) -> Result<Part, WorkflowError> {
    let v = &line_up.vehicle;
    let lineage = read_lineage(store, v, Figure::PeakPower, &line_up.settings).await?;
    let poured = store.poured(v.id).await?;
    let sets: Vec<i64> = line_up.sets.iter().map(|s| s.set.id).collect();
    let left_out = store.left_out(&sets).await?.into_iter().map(|l| (l.pull_id, l)).collect();
    let sign_offs = store.sign_offs(v.id).await?;
    Ok(Part { line_up, lineage, poured, sign_offs, left_out })
}

/// A comparison as documented JSON: what a job with the same recordings prints.
pub fn comparison_json(l: &LineUp) -> Value {
    told(&Told {
        settings: &l.settings,
        place: l.vehicle.vehicle.dyno.kind.place(),
        sets: &l.results,
        measured: &l.measured,
        comparisons: &l.comparisons,
        gain_of_gains: None,
        across_gears: None,
    })
}

/// A report's own copy of limits and figures.
pub fn figures_json(parts: &[Part]) -> Value {
    let of = |p: &Part| {
        let v = &p.line_up.vehicle;
        json!({
            "vehicle": v.vehicle.name,
            "limits": v.limits,
            "comparison": comparison_json(&p.line_up),
        })
    };
    json!({"jamjar_report": 1, "parts": parts.iter().map(of).collect::<Vec<_>>()})
}
