//! One pull read closely: its samples, its curve, what happened, and its neighbours of the day.

use crate::error::{WorkflowError, blocking};
use crate::sets::{baseline_of, fresh_sets};
use jamjar_core::analysis::{
    Beside, Corrected, Coupling, Event, Measured, PullInput, Settings, belt, corrected, coupling, events,
    figures_of, retrace,
};
use jamjar_core::computed::with_computed_owned;
use jamjar_core::correction::Correction;
use jamjar_core::figures::{Figures, Looks};
use jamjar_core::log::Recording;
use jamjar_core::pull::trace::PowerTrace;
use jamjar_store::{Day, Pull, Set, SetWithPulls, Store, StoreError, Summary, VehicleRecord};
use rayon::prelude::*;
use std::sync::Arc;

mod clocks;
mod lines;

pub use clocks::Clocks;
pub use lines::{CurveKind, CurveLine, Lines};

/// A correction family with the curve it makes.
#[derive(Debug, Clone)]
pub struct Family {
    /// The family.
    pub family: Correction,
    /// The curve and its factor.
    pub corrected: Corrected,
    /// Its figures.
    pub figures: Figures,
}

/// Area under a curve.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Area {
    /// From here to there, rpm.
    pub span_rpm: [f64; 2],
    /// kW·rpm.
    pub area: f64,
    /// Mean power over it, kW.
    pub mean_kw: f64,
}

/// Another pull of the day, which may be laid beside.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DayPull {
    /// Its id.
    pub id: i64,
    /// Map and fuel of the set.
    pub name: String,
    /// Its place in the set, from 1.
    pub position: i32,
    /// Whether it counts in figures.
    pub included: bool,
}

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
    /// Every pull of the day, in the order of running.
    pub day_pulls: Vec<DayPull>,
    /// Measurement, with the curve under the chosen smoothing.
    pub measured: Arc<Measured>,
    /// Its corrected curve.
    pub corrected: Corrected,
    /// Figures of that curve.
    pub figures: Figures,
    /// Area under it; `None` across a hole.
    pub area: Option<Area>,
    /// The curve under every family.
    pub families: Vec<Family>,
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
    /// Both speeds on one clock; `None` unless both were recorded.
    pub clocks: Option<Clocks>,
}

impl Reading {
    /// Bytes it takes in memory, about.
    pub fn weight(&self) -> usize {
        let of = |r: &Recording| r.t.len() * (r.channels.len() + 1);
        8 * (of(&self.dyno) + self.ecu.as_deref().map_or(0, of)) + (128 << 10)
    }

    /// The recordings on the dyno clock; the engine computer's own where that stands alone.
    pub fn beside(&self) -> Beside<'_> {
        self.measured.beside(&self.dyno, self.ecu.as_deref())
    }
}

/// The day of a pull with what its pulls measured: read once for those of them that are looked at together.
#[derive(Debug, Clone)]
pub struct OnDay {
    vehicle: VehicleRecord,
    day: Day,
    sets: Vec<SetWithPulls>,
}

impl OnDay {
    /// The day a pull was made on.
    ///
    /// # Errors
    /// [`WorkflowError`] when there is no such pull or its day can no longer be measured.
    pub async fn of(store: &Store, pull_id: i64) -> Result<Self, WorkflowError> {
        let id = store.day_of_pull(pull_id).await?;
        let of_vehicle = async {
            let day = store.day(id).await?;
            Ok((store.vehicle(day.vehicle_id).await?, day))
        };
        let ((vehicle, mut day), sets) = tokio::try_join!(of_vehicle, store.sets_of_day(id))?;
        let sets = fresh_sets(store, sets, &vehicle).await?;
        day.note.clear();
        Ok(Self { vehicle, day, sets })
    }

    /// The vehicle it is of.
    pub fn vehicle_id(&self) -> i64 {
        self.vehicle.id
    }

    /// The set of a pull; none of one that is archived or of another day.
    fn set_of(&self, pull_id: i64) -> Option<&SetWithPulls> {
        self.sets.iter().find(|s| s.pulls.iter().any(|p| p.0.id == pull_id))
    }

    /// Whether a pull is one of the day's.
    pub fn holds(&self, pull_id: i64) -> bool {
        self.set_of(pull_id).is_some()
    }

    /// The pull that is laid beside another unless somebody says otherwise: the middle one of the day's first baseline
    /// set in the same gear; none for a pull of that set. Known before either is read, so that both can be read at the
    /// same time.
    pub fn usual_beside(&self, pull_id: i64) -> Option<i64> {
        let set = &self.set_of(pull_id)?.set;
        let first = baseline_of(&self.sets, &set.config.gear).filter(|b| b.set.id != set.id)?;
        let counts = |p: &&(Pull, Summary)| p.1.measured.excluded.is_none();
        let counted: Vec<i64> = first.pulls.iter().filter(counts).map(|p| p.0.id).collect();
        counted.get(counted.len() / 2).copied()
    }
}

fn day_pulls(sets: &[SetWithPulls]) -> Vec<DayPull> {
    let of = |s: &SetWithPulls| {
        let c = &s.set.config;
        let name = format!("{} on {}", c.map, c.fuel);
        let pull = move |(p, m): &(Pull, Summary)| DayPull {
            id: p.id,
            name: name.clone(),
            position: p.position,
            included: m.measured.excluded.is_none(),
        };
        s.pulls.iter().map(pull).collect::<Vec<_>>()
    };
    sets.iter().flat_map(of).collect()
}

fn area_of(c: &Corrected) -> Option<Area> {
    let [from, to] = c.curve.span_rpm().filter(|[a, b]| b > a)?;
    let area = c.curve.area(from, to)?;
    Some(Area { span_rpm: [from, to], area, mean_kw: area / (to - from) })
}

/// Reads a pull of a day under some settings; its samples are asked for beside the day.
///
/// # Errors
/// [`WorkflowError`] when the day has no such pull or its samples can no longer be measured.
pub async fn read_pull(
    on: &OnDay,
    pull_id: i64,
    (dyno, ecu): (Recording, Option<Recording>),
    settings: &Settings,
) -> Result<Reading, WorkflowError> {
    let order: Vec<i64> = on.sets.iter().flat_map(|s| s.pulls.iter().map(|p| p.0.id)).collect();
    let at = order.iter().position(|id| *id == pull_id);
    let neighbours =
        [at.and_then(|i| i.checked_sub(1)).map(|i| order[i]), at.and_then(|i| order.get(i + 1).copied())];
    let day_pulls = day_pulls(&on.sets);
    let found = on.set_of(pull_id).and_then(|s| Some((s, s.pulls.iter().find(|p| p.0.id == pull_id)?)));
    // One that is archived is not among the pulls of its day.
    let (of, (pull, summary)) = found.ok_or(StoreError::NotFound { what: "pull", id: pull_id })?;
    let (mut pull, summary, mut set) = (pull.clone(), summary.clone(), of.set.clone());
    let (vehicle, day) = (on.vehicle.clone(), on.day.clone());
    pull.note.clear();
    set.config.note.clear();
    let settings = *settings;
    blocking(move || {
        let per_rev = vehicle.vehicle.engine.injections_per_rev();
        let (dyno, ecu) = (dyno.with_duty(per_rev), ecu.map(|e| Arc::new(e.with_duty(per_rev))));
        let input = PullInput { id: summary.measured.id.clone(), dyno, ecu, ..PullInput::default() };
        let kept = |e: jamjar_core::pull::shaft::PowerError| {
            WorkflowError::Bad(format!("this pull can no longer be measured: {e}"))
        };
        let under = |settings: &Settings| retrace(&summary.measured, &input, &vehicle.vehicle, settings);
        let unfiltered = Settings { smoothing_s: 0.0, ..settings };
        let (shown, raw) = rayon::join(|| under(&settings), || under(&unfiltered));
        let (shown, raw) = (shown.map_err(kept)?, raw.map_err(kept)?.map(|r| r.0));
        let (trace, measured) = shown.map_or((None, summary.measured), |(t, m)| (Some(t), Arc::new(m)));
        let engine = &vehicle.vehicle.engine;
        let own = corrected(&measured, engine, settings.correction_of(engine));
        let family = |family: Correction| {
            let corrected = corrected(&measured, engine, family);
            Family { family, figures: figures_of(&measured, &corrected, &Looks::default()), corrected }
        };
        let lag = measured.lag();
        let formulas = vehicle.vehicle.formulas();
        let (dyno, ecu) = with_computed_owned(&formulas, input.dyno, input.ecu, lag);
        let mut out = Reading {
            figures: figures_of(&measured, &own, &Looks::default()),
            area: area_of(&own),
            families: Correction::ALL.into_par_iter().map(family).collect(),
            corrected: own,
            vehicle,
            day,
            set,
            pull,
            neighbours,
            day_pulls,
            measured,
            trace,
            raw,
            dyno,
            ecu,
            events: Vec::new(),
            coupling: None,
            belt: None,
            clocks: None,
        };
        let span = out.measured.span;
        let seen = || {
            let (span, beside) = (span?, out.beside());
            let geometry = out.vehicle.vehicle.dyno.overall_ratio;
            let (coupling, belt) =
                (coupling(&beside, span.from_s, span.to_s, geometry), belt(&beside, span.from_s, span.to_s));
            Some((coupling, belt))
        };
        let happened = || {
            let station = out.measured.air.map(|a| a.pressure_hpa / 10.0);
            span.map(|_| events(&out.measured, &out.beside(), station)).unwrap_or_default()
        };
        let ((clocks, seen), happened) = rayon::join(|| (Clocks::of(&out), seen()), happened);
        (out.clocks, out.events) = (clocks, happened);
        (out.coupling, out.belt) = seen.unwrap_or_default();
        Ok(out)
    })
    .await?
}
