//! One pull read closely: its samples, its curve, what happened, and its neighbours of the day.

use crate::error::{WorkflowError, blocking};
use crate::lineup::day_sets;
use jamjar_core::analysis::{
    Beside, Corrected, Coupling, Event, Measured, PullInput, Settings, belt, corrected, coupling, events,
    retrace,
};
use jamjar_core::log::Recording;
use jamjar_core::pull::power::PowerTrace;
use jamjar_store::{Day, Pull, Set, Store, VehicleRecord};
use std::sync::Arc;

/// Everything a pull's page shows but the notes on it, which change without it.
#[derive(Debug, Clone)]
pub struct Reading {
    /// The vehicle.
    pub vehicle: VehicleRecord,
    /// The day.
    pub day: Day,
    /// The set.
    pub set: Set,
    /// The pull.
    pub pull: Pull,
    /// Previous and next pull of the day.
    pub neighbours: [Option<i64>; 2],
    /// Measurement, with the curve under the chosen smoothing.
    pub measured: Measured,
    /// Its corrected curve.
    pub corrected: Corrected,
    /// Power sample by sample, filtered; `None` when there is no pull in the recording.
    pub trace: Option<PowerTrace>,
    /// The same without a filter.
    pub raw: Option<PowerTrace>,
    /// Dyno recording.
    pub dyno: Recording,
    /// Engine-computer log.
    pub ecu: Option<Arc<Recording>>,
    /// What happened, in order.
    pub events: Vec<Event>,
    /// Engine against dyno shaft.
    pub coupling: Option<Coupling>,
    /// Blower against engine.
    pub belt: Option<Coupling>,
}

impl Reading {
    /// Bytes it takes in memory, about.
    pub fn weight(&self) -> usize {
        let of = |r: &Recording| r.t.len() * (r.channels.len() + 1);
        8 * (of(&self.dyno) + self.ecu.as_deref().map_or(0, of)) + (128 << 10)
    }

    /// The recordings on the dyno clock.
    pub fn beside(&self) -> Beside<'_> {
        Beside { dyno: &self.dyno, ecu: self.ecu.as_deref().zip(self.measured.alignment.usable_lag()) }
    }
}

/// Reads a pull under some settings.
///
/// # Errors
/// [`WorkflowError`] when there is no such pull or its samples can no longer be measured.
pub async fn read_pull(store: &Store, pull_id: i64, settings: &Settings) -> Result<Reading, WorkflowError> {
    let mut set = store.set(store.set_of_pull(pull_id).await?).await?;
    let (vehicle, mut day) = (store.vehicle(set.vehicle_id).await?, store.day(set.day_id).await?);
    let sets = day_sets(store, day.id, &vehicle).await?;
    let order: Vec<i64> = sets.iter().flat_map(|s| s.pulls.iter().map(|p| p.0.id)).collect();
    let at = order.iter().position(|id| *id == pull_id);
    let neighbours =
        [at.and_then(|i| i.checked_sub(1)).map(|i| order[i]), at.and_then(|i| order.get(i + 1).copied())];
    let found = sets.into_iter().flat_map(|s| s.pulls).find(|(p, _)| p.id == pull_id);
    let (mut pull, summary) = found
        .ok_or_else(|| WorkflowError::Bad(format!("pull {pull_id} is not among the pulls of its day")))?;
    pull.note.clear();
    set.config.note.clear();
    day.note.clear();
    let (dyno, ecu) = store.samples(pull_id).await?;
    let settings = *settings;
    blocking(move || {
        let per_rev = vehicle.vehicle.engine.injections_per_rev();
        let (dyno, ecu) = (dyno.with_duty(per_rev), ecu.map(|e| Arc::new(e.with_duty(per_rev))));
        let input = PullInput { id: summary.measured.id.clone(), dyno, ecu, ..PullInput::default() };
        let kept = |e: jamjar_core::pull::power::PowerError| {
            WorkflowError::Bad(format!("this pull can no longer be measured: {e}"))
        };
        let shown = retrace(&summary.measured, &input, &vehicle.vehicle, &settings).map_err(kept)?;
        let raw = Settings { smoothing_s: 0.0, ..settings };
        let raw = retrace(&summary.measured, &input, &vehicle.vehicle, &raw).map_err(kept)?.map(|r| r.0);
        let (trace, measured) = shown.map_or((None, summary.measured), |(t, m)| (Some(t), m));
        let mut out = Reading {
            corrected: corrected(&measured, &vehicle.vehicle.engine, settings.correction),
            vehicle,
            day,
            set,
            pull,
            neighbours,
            measured,
            trace,
            raw,
            dyno: input.dyno,
            ecu: input.ecu,
            events: Vec::new(),
            coupling: None,
            belt: None,
        };
        if let Some(span) = out.measured.span {
            let beside = out.beside();
            let events = events(&out.measured, &beside, out.measured.air.map(|a| a.pressure_hpa / 10.0));
            let geometry = out.vehicle.vehicle.dyno.overall_ratio;
            let (c, b) =
                (coupling(&beside, span.from_s, span.to_s, geometry), belt(&beside, span.from_s, span.to_s));
            (out.events, out.coupling, out.belt) = (events, c, b);
        }
        Ok(out)
    })
    .await?
}
