//! Pulls a vehicle has, as a limit that is being thought about would judge them.

use crate::error::{WorkflowError, blocking};
use crate::input::input_of;
use crate::samples::each_pull;
use crate::sets::day_sets;
use jamjar_core::analysis::{JudgedAgain, PullInput, judge_again};
use jamjar_core::limits::{Limit, Verdict};
use jamjar_core::log::Recording;
use jamjar_store::{Set, Store, VehicleRecord};
use std::sync::Arc;

/// Most pulls that are looked at: the newest (our choice: what a person waits half a second for).
pub const MOST: usize = 48;

/// A pull under the limit.
#[derive(Debug, Clone)]
pub struct PullUnder {
    /// The pull.
    pub pull_id: i64,
    /// Its place in its set, from 1.
    pub position: usize,
    /// Its set, by number among [`UnderLimit::sets`].
    pub set: usize,
    /// What the limit says.
    pub judged: JudgedAgain,
}

/// What a limit would say.
#[derive(Debug, Clone, Default)]
pub struct UnderLimit {
    /// Sets looked at, newest day first, in the order of running.
    pub sets: Vec<Set>,
    /// Their pulls.
    pub pulls: Vec<PullUnder>,
    /// Pulls that have samples, in the days that were looked through.
    pub of: usize,
    /// Pulls of configurations the limit is not for.
    pub not_for: usize,
}

impl UnderLimit {
    /// Pulls with a verdict.
    pub fn with(&self, v: Verdict) -> impl Iterator<Item = &PullUnder> {
        self.pulls.iter().filter(move |p| p.judged.outcome.verdict == v)
    }
}

/// Days looked through for pulls, newest first.
const DAYS: i64 = 12;

/// Judges the newest pulls of a vehicle by a limit.
///
/// # Errors
/// [`WorkflowError`] when the store refuses or samples cannot be read.
pub async fn under_limit(
    store: &Store,
    vehicle: &VehicleRecord,
    limit: &Limit,
) -> Result<UnderLimit, WorkflowError> {
    let mut out = UnderLimit::default();
    let (v, l) = (Arc::new(vehicle.vehicle.clone()), Arc::new(limit.clone()));
    let mut asked = Vec::new();
    for day in store.days_of_vehicle(vehicle.id, DAYS).await? {
        for s in day_sets(store, day.id, vehicle).await? {
            let applies = limit.applies(&input_of(&s).factors);
            for (i, (p, summary)) in s.pulls.iter().enumerate() {
                if summary.measured.printed.is_some() || p.shares.is_some() {
                    continue;
                }
                out.of += 1;
                if !applies {
                    out.not_for += 1;
                    continue;
                }
                if asked.len() >= MOST {
                    continue;
                }
                if out.sets.last().is_none_or(|known| known.id != s.set.id) {
                    out.sets.push(s.set.clone());
                }
                let (v, l, m) = (v.clone(), l.clone(), summary.measured.clone());
                let read = move |dyno: Recording, ecu: Option<Recording>| {
                    let input = PullInput { dyno, ecu: ecu.map(Arc::new), ..PullInput::default() };
                    judge_again(&m, &input, &v, &l)
                };
                asked.push(((asked.len(), out.sets.len() - 1, i + 1, p.id), p.id, read));
            }
        }
        if asked.len() >= MOST {
            break;
        }
    }
    let per_rev = vehicle.vehicle.engine.injections_per_rev();
    let mut judged = each_pull(store, per_rev, asked).await?;
    blocking(move || {
        judged.sort_by_key(|j| j.0.0);
        let one = |((_, set, position, pull_id), judged)| PullUnder { pull_id, position, set, judged };
        out.pulls = judged.into_iter().map(one).collect();
        out
    })
    .await
}
