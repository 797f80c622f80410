//! What a person chose of the dropped files.

use crate::error::WorkflowError;
use chrono::NaiveTime;
use jamjar_core::air::AirState;
use jamjar_core::printed::Print;
use jamjar_store::Configuration;

/// What a chosen pull is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum MadeOf {
    /// A dyno recording, with the engine computer's log or without.
    #[default]
    Recordings,
    /// The engine computer's log alone.
    LogAlone,
    /// A run of a finished table, or typed peaks.
    Print,
}

/// A pull chosen for commit.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct ChosenPull {
    pub made_of: MadeOf,
    /// The waiting file it stands on; the engine computer's where that is alone.
    pub dyno: i64,
    pub ecu: Option<i64>,
    /// Which pull of the recording, or which run of the table, from 0.
    pub number: Option<usize>,
    /// Time of day it began, when known.
    pub started_at: Option<NaiveTime>,
    /// Air measured for it; the day's nearest reading when absent.
    pub air: Option<AirState>,
    /// Reason to leave it out of figures from the start.
    pub excluded: Option<String>,
}

/// A set chosen for commit with its configuration.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct ChosenSet {
    pub config: Configuration,
    /// What its prints say of themselves.
    pub print: Print,
    /// The stored set its pulls go to; one of their own where there is none.
    pub into: Option<i64>,
    /// It is the set that runs now.
    pub runs: bool,
    pub pulls: Vec<ChosenPull>,
}

/// Refuses a choice that cannot be stored.
pub(super) fn check(sets: &[ChosenSet]) -> Result<(), WorkflowError> {
    if sets.iter().all(|s| s.pulls.is_empty()) {
        return Err(WorkflowError::Bad("no pull is chosen: tick at least one".into()));
    }
    for s in sets.iter().filter(|s| !s.pulls.is_empty()) {
        for (name, v) in [("map", &s.config.map), ("fuel", &s.config.fuel)] {
            if v.trim().is_empty() {
                return Err(WorkflowError::Bad(format!(
                    "a set has no {name}: say which {name} was in the vehicle, or “unknown”"
                )));
            }
        }
        for (name, v, most) in [
            ("map", &s.config.map, 120),
            ("fuel", &s.config.fuel, 120),
            ("build", &s.config.build, 120),
            ("boost", &s.config.boost, 60),
            ("gear", &s.config.gear, 20),
            ("note", &s.config.note, 10_000),
        ] {
            if v.chars().count() > most {
                return Err(WorkflowError::Bad(format!("the {name} is longer than {most} characters")));
            }
        }
    }
    Ok(())
}
