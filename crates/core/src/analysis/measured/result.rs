//! Everything that is read from one pull before correction.

use super::beside::Beside;
use super::printed::Printed;
use super::raw_grid::RawGrid;
use super::tells::Tells;
use crate::air::AirState;
use crate::channel::Channel;
use crate::findings::Finding;
use crate::limits::LimitOutcome;
use crate::log::Recording;
use crate::pull::align::Alignment;
use crate::pull::engine_speed::SpeedFrom;
use crate::pull::held::HeldStep;
use crate::pull::shaft::PowerError;
use crate::pull::span::{PullKind, PullSpan};
use crate::signal::savgol::FilterRecord;
use serde::{Deserialize, Serialize};
use std::borrow::Borrow;
use thiserror::Error;

/// Where the overall ratio came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum RatioSource {
    /// Given.
    Geometry,
    /// Both speeds stand in the dyno recording.
    DynoRecording,
    /// The gear that was measured, by the vehicle's list.
    Gear,
    /// Fitted while aligning with the engine computer.
    Alignment,
    /// Not known: the axis is dyno-shaft speed.
    Unknown,
}

/// Share of margin used along the grid; `None` when it could not be drawn.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Lane {
    /// Id of the limit.
    pub limit: String,
    /// One value for each grid speed.
    pub share: Option<Vec<Option<f64>>>,
}

/// One channel over the pull.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct ChannelSummary {
    pub channel: Channel,
    pub mean: f64,
    pub min: f64,
    pub max: f64,
    pub start: f64,
}

/// Everything read from one pull before correction; the unit that is cached.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Measured {
    pub id: String,
    pub excluded: Option<String>,
    pub span: Option<PullSpan>,
    pub pulls_in_file: usize,
    /// The pull's own part of the dyno and the engine-computer recording, each on its own clock; `None` is
    /// the whole.
    pub own_window: [Option<[f64; 2]>; 2],
    pub alignment: Alignment,
    pub ratio: f64,
    pub ratio_from: RatioSource,
    /// Whose engine speed it goes by.
    #[serde(default, skip_serializing_if = "SpeedFrom::is_shaft")]
    pub speed_from: SpeedFrom,
    pub filter: Option<FilterRecord>,
    pub grid: RawGrid,
    /// The steps the curve was read from, where speeds were held.
    #[serde(default)]
    pub steps: Vec<HeldStep>,
    pub rate_rpm_s: Option<f64>,
    pub estimated: bool,
    pub has_road_speed: bool,
    pub air: Option<AirState>,
    /// Coarsest recorded step behind power, as a share of it; see `carried`.
    #[serde(default)]
    pub step_share: Option<f64>,
    /// Fingerprint of the samples power was made from: two pulls that share it are one.
    #[serde(default)]
    pub print: Option<u64>,
    pub limits: Vec<LimitOutcome>,
    pub lanes: Vec<Lane>,
    pub channels: Vec<ChannelSummary>,
    pub flags: Vec<Finding>,
    /// What it tells of the hardware around the engine.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tells: Option<Tells>,
    /// What it says of itself, when it came finished.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub printed: Option<Printed>,
    /// The engine computer's recording alone: no power.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub log_only: bool,
}

/// Measured pulls by reference: who holds them, and whether he shares them, matters to nobody who reads.
pub(in crate::analysis) fn refs<M: Borrow<Measured>>(pulls: &[M]) -> Vec<&Measured> {
    pulls.iter().map(Borrow::borrow).collect()
}

impl Measured {
    /// What kind of pull it is; `None` when none was found.
    pub fn kind(&self) -> Option<PullKind> {
        match &self.printed {
            Some(p) => Some(p.kind),
            None if self.log_only => self.span.map(|_| PullKind::LogOnly),
            None => self.span.map(|s| s.kind),
        }
    }

    /// Lag of the engine computer's recording, s: nothing where it stands alone, `None` where the two clocks do not
    /// agree.
    pub fn lag(&self) -> Option<f64> {
        if self.log_only { Some(0.0) } else { self.alignment.usable_lag() }
    }

    /// Its recordings on the dyno's clock.
    pub fn beside<'a>(&self, dyno: &'a Recording, ecu: Option<&'a Recording>) -> Beside<'a> {
        Beside { dyno, ecu: ecu.zip(self.lag()) }
    }
}

/// A pull that cannot be measured at all.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("{log}: {problem}")]
pub struct MeasureError {
    /// Name of the log.
    pub log: String,
    /// What is missing and what to do.
    pub problem: PowerError,
}
