//! What was recorded: pulls and the sets they were made in.

use super::finished::Finished;
use crate::air::AirState;
use crate::factors::Factors;
use crate::log::Recording;
use crate::pull::coast::CoastDown;
use std::collections::BTreeSet;
use std::sync::Arc;

/// One pull's logs and circumstances.
#[derive(Debug, Clone, Default)]
pub struct PullInput {
    /// Id, unique in its set.
    pub id: String,
    /// Dyno recording.
    pub dyno: Recording,
    /// Engine-computer log; pulls of one recording share it.
    pub ecu: Option<Arc<Recording>>,
    /// Air of the cell.
    pub air: Option<AirState>,
    /// Lag set by a person.
    pub lag_s: Option<f64>,
    /// Reason for exclusion from figures, given by a person.
    pub excluded: Option<String>,
    /// Loss of the dyno or driveline.
    pub coast_down: Option<CoastDown>,
    /// Which pull of a file that holds several, from 0.
    pub pull_index: Option<usize>,
    /// What it is when it is not two recordings.
    pub finished: Option<Finished>,
    /// Engine rpm ÷ dyno-shaft rpm of the gear it was made in, when the vehicle's gears say it.
    pub overall_ratio: Option<f64>,
}

/// Repeats under one configuration, mounted once.
#[derive(Debug, Clone, Default)]
pub struct SetInput {
    /// Id.
    pub id: String,
    /// Calendar day in the shop's zone, `YYYY-MM-DD`.
    pub day: String,
    /// Configuration.
    pub factors: Factors,
    /// Those of them that time has set: software of a unit, the calibration of the cell.
    pub in_time: BTreeSet<String>,
    /// Fuels its map is meant for, several separated by commas; `None` when nobody said.
    pub map_fuels: Option<String>,
    /// Name of the mounting it was pulled in, shared by sets that stood in one; `None`: one of its own.
    pub mounting: Option<String>,
    /// Clock time of its first pull, h, when known.
    pub at_h: Option<f64>,
    /// Place in the order of running.
    pub order: f64,
    /// Its pulls in order of running.
    pub pulls: Vec<PullInput>,
}
