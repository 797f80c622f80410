//! The analysis against the simulator's truth: coverage of intervals, bias of gains, lag errors, faults found
//! and false alarms.
//!
//! Three studies, from many cheap days to few whole ones: statistics on true curves with scatter added
//! ([`coverage`], [`closer`]), whole days through recordings and alignment ([`whole`]), planted faults ([`faults`]),
//! other claims ([`detections`]).

pub mod closer;
pub mod coverage;
pub mod detections;
pub mod faults;
pub mod fitted;
pub mod found;
pub mod hardware;
pub mod never_clear;
mod report;
pub mod silent;
pub mod whole;

pub use report::{claim_rows, fault_rows, markdown, to_json};

use crate::scenarios::{Loaded, built_in};
use jamjar_core::analysis::{Measured, PullInput, SetInput, Settings, Vehicle, measure_sets};
use jamjar_core::limits::Limit;
use jamjar_formats::{Mapping, Rule, read_log};
use jamjar_sim::{SensorSpec, SimDay};
use std::sync::Arc;

/// Everything that was measured.
#[derive(Debug, Clone)]
pub struct Validation {
    /// Days of the statistical study.
    pub days: usize,
    /// Coverage for each design.
    pub coverage: Vec<coverage::Coverage>,
    /// Whole days.
    pub whole: whole::Whole,
    /// Planted faults.
    pub faults: Vec<found::Found>,
    /// Other claims.
    pub claims: Vec<detections::Claim>,
}

/// Most whole days in one run: each takes most of a second.
const MOST_WHOLE_DAYS: usize = 80;
/// Most days for each other claim.
const MOST_CLAIM_DAYS: usize = 2000;
/// Most recordings in which a crossing is hidden.
const MOST_HIDDEN: usize = 10_000;
/// Seeds for each planted fault.
const FAULT_SEEDS: usize = 20;

/// Runs all studies. `days` is the size of the statistical one; the others are scaled down from it.
///
/// # Errors
/// A sentence when a built-in scenario is broken.
pub fn run(days: usize) -> Result<Validation, String> {
    let seeds = FAULT_SEEDS.min(days.max(1));
    let mut claims = detections::study(days.div_ceil(5).min(MOST_CLAIM_DAYS))?;
    claims.extend(closer::study(days)?);
    claims.extend(silent::study(seeds)?);
    claims.extend(fitted::study(days.min(MOST_CLAIM_DAYS)));
    claims.extend(never_clear::study((days * 5).min(MOST_HIDDEN))?);
    Ok(Validation {
        days,
        coverage: coverage::study(days)?,
        whole: whole::study(days.div_ceil(4).min(MOST_WHOLE_DAYS))?,
        faults: faults::study(seeds)?,
        claims,
    })
}

/// A share with its standard error.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Share {
    /// The share.
    pub value: f64,
    /// Its standard error, clustered where days give several answers.
    pub se: f64,
}

impl Share {
    /// Mean of one value for each cluster; each is the share within that cluster.
    pub fn clustered(clusters: &[f64]) -> Self {
        let n = clusters.len() as f64;
        let value = clusters.iter().sum::<f64>() / n;
        let var = clusters.iter().map(|c| (c - value).powi(2)).sum::<f64>() / (n - 1.0).max(1.0);
        Self { value, se: (var / n).sqrt() }
    }
}

/// Instruments without noise, steps, drift or losses, at two hundred samples a second: the same day as it truly was.
fn without_noise(s: &mut jamjar_sim::Scenario) {
    for r in [Some(&mut s.dyno), s.ecu.as_mut()].into_iter().flatten() {
        (r.rate_hz, r.lost) = (200.0, 0.0);
        let exact = SensorSpec { noise: Some(0.0), step: Some(1e-4), ..SensorSpec::default() };
        r.sensor = r.channels.iter().map(|c| (c.clone(), exact.clone())).collect();
    }
}

/// A built-in scenario as the analysis sees it.
pub(crate) struct Subject {
    pub(crate) loaded: Loaded,
    pub(crate) vehicle: Vehicle,
    pub(crate) limits: Vec<Limit>,
    pub(crate) mapping: Mapping,
}

impl Subject {
    pub(crate) fn new(name: &str) -> Result<Self, String> {
        let loaded = built_in(name)?;
        let vehicle =
            serde_json::from_value(crate::simulate::vehicle_json(&loaded)).map_err(|e| e.to_string())?;
        let limits = serde_json::from_value(loaded.scenario.limits.clone()).map_err(|e| e.to_string())?;
        let mut mapping = Mapping::default();
        if let Some(columns) = crate::simulate::channels_json(&loaded)["ecu"].as_object() {
            for (channel, c) in columns {
                mapping.rules.push(Rule {
                    channel: channel.parse().map_err(|e: jamjar_core::channel::BadChannel| e.to_string())?,
                    column: c["column"].as_str().unwrap_or_default().to_owned(),
                    unit: Some(jamjar_core::units::Unit::AfrGasoline),
                });
            }
        }
        Ok(Self { loaded, vehicle, limits, mapping })
    }

    /// A simulated day through the reader and the whole measurement.
    pub(crate) fn measure(&self, day: &SimDay) -> Result<(Vec<SetInput>, Vec<Vec<Measured>>), String> {
        let mut sets = Vec::new();
        for (order, s) in day.sets.iter().enumerate() {
            let mut set = SetInput {
                order: order as f64,
                id: s.spec.id.clone(),
                day: day.spec.date.clone(),
                factors: serde_json::from_value(crate::simulate::factors(s)).map_err(|e| e.to_string())?,
                ..SetInput::default()
            };
            for (i, p) in s.pulls.iter().enumerate() {
                let dyno = read_log(p.dyno.bytes.as_slice(), &p.dyno.name, &Mapping::default())
                    .map_err(|e| e.to_string())?
                    .log;
                let ecu = match &p.ecu {
                    Some(e) => Some(
                        read_log(e.bytes.as_slice(), &e.name, &self.mapping).map_err(|e| e.to_string())?.log,
                    ),
                    None => None,
                };
                let per_rev = self.vehicle.engine.injections_per_rev();
                let (dyno, ecu) = (dyno.with_duty(per_rev), ecu.map(|e| Arc::new(e.with_duty(per_rev))));
                set.pulls.push(PullInput {
                    id: format!("p{}", i + 1),
                    dyno,
                    ecu,
                    air: Some(p.air),
                    ..PullInput::default()
                });
            }
            sets.push(set);
        }
        let measured = measure_sets(&sets, &self.vehicle, &Settings::default(), &self.limits)
            .map_err(|e| e.to_string())?;
        Ok((sets, measured))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_share_of_clusters_knows_its_error() {
        let s = Share::clustered(&[1.0, 0.5, 1.0, 0.5]);
        assert!((s.value - 0.75).abs() < 1e-12 && (s.se - 0.144).abs() < 1e-3, "{s:?}");
        assert_eq!(Share::clustered(&[1.0]), Share { value: 1.0, se: 0.0 });
    }
}
