//! Cached measurements of pulls, with the figures that are listed and searched without opening them.

use crate::error::StoreError;
use crate::schema::pull_summary;
use crate::spark::Spark;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::air::AirState;
use jamjar_core::analysis::Measured;
use jamjar_core::find::extremes;
use jamjar_core::findings::Finding;
use std::collections::BTreeMap;
use std::sync::Arc;

/// The cached measurement of a pull: recomputed when algorithm or settings change, never the only copy of
/// anything.
#[derive(Debug, Clone, PartialEq)]
pub struct Summary {
    /// Version of the algorithm.
    pub algorithm: u32,
    /// Hash of the settings that made it.
    pub settings: String,
    /// The measurement, shared by all who look at it.
    pub measured: Arc<Measured>,
}

/// Characters that the column of flags holds.
const FLAGS_LENGTH: usize = 400;

/// Most channels of no known kind whose ends are kept for searching.
const OWN: usize = 100;

/// A summary ready to be stored: encoded before any transaction begins.
#[derive(Debug, Clone)]
pub struct PackedSummary {
    algorithm: i32,
    settings: String,
    peak_power: Option<(f64, Option<f64>)>,
    peak_torque_nm: Option<f64>,
    ended_by: Option<String>,
    alignment: String,
    worst: Option<String>,
    measured: Vec<u8>,
    air: Option<AirState>,
    used: Option<f64>,
    flags: String,
    spark: Option<Vec<u8>>,
    reached: Vec<u8>,
    own: Option<String>,
}

impl Summary {
    /// Encodes it.
    ///
    /// # Errors
    /// [`StoreError::Other`] when it cannot be written.
    pub fn pack(&self) -> Result<PackedSummary, StoreError> {
        let m = &self.measured;
        let curve = m.grid.curve();
        let figures = curve.figures(None);
        let [typed_power, typed_torque] = m.printed.as_ref().map_or([None, None], |p| p.peaks);
        let word = |v: serde_json::Value| v.as_str().map(str::to_owned);
        Ok(PackedSummary {
            algorithm: self.algorithm as i32,
            settings: self.settings.clone(),
            peak_power: figures
                .peak_power
                .or(typed_power)
                .map(|p| (p.value, Some(p.rpm).filter(|r| r.is_finite()))),
            peak_torque_nm: figures.peak_torque.or(typed_torque).map(|p| p.value),
            ended_by: m.span.and_then(|s| serde_json::to_value(s.ended_by).ok()).and_then(word),
            alignment: serde_json::to_value(m.alignment.status).ok().and_then(word).unwrap_or_default(),
            worst: m
                .limits
                .iter()
                .map(|l| l.verdict)
                .min()
                .and_then(|v| serde_json::to_value(v).ok())
                .and_then(word),
            measured: jamjar_packed::pack(m).map_err(|e| StoreError::Other(e.to_string()))?,
            air: m.air,
            used: m.limits.iter().filter_map(|l| l.share_used).reduce(f64::max),
            flags: flag_words(m),
            spark: Spark::of(&curve).map(|s| s.to_bytes().to_vec()),
            reached: extremes(&m.channels).iter().flat_map(|v| v.to_le_bytes()).collect(),
            own: own_ends(m),
        })
    }
}

macro_rules! summary_values {
    ($s:expr) => {
        (
            pull_summary::algorithm.eq($s.algorithm),
            pull_summary::settings.eq(&$s.settings),
            pull_summary::peak_power_kw.eq($s.peak_power.map(|p| p.0)),
            pull_summary::peak_power_rpm.eq($s.peak_power.and_then(|p| p.1)),
            pull_summary::peak_torque_nm.eq($s.peak_torque_nm),
            pull_summary::ended_by.eq(&$s.ended_by),
            pull_summary::alignment.eq(&$s.alignment),
            pull_summary::worst_limit.eq(&$s.worst),
            pull_summary::measured.eq(&$s.measured),
            (
                pull_summary::air_temperature_c.eq($s.air.map(|a| a.temperature_c)),
                pull_summary::air_humidity.eq($s.air.map(|a| a.humidity)),
                pull_summary::air_pressure_hpa.eq($s.air.map(|a| a.pressure_hpa)),
                pull_summary::limit_used.eq($s.used),
                pull_summary::flags.eq(&$s.flags),
                pull_summary::spark.eq(&$s.spark),
                pull_summary::reached.eq(&$s.reached),
                pull_summary::own.eq(&$s.own),
            ),
        )
    };
}

/// Inserts the summary of a pull within the caller's transaction.
pub(crate) async fn insert_summary(
    c: &mut AsyncMysqlConnection,
    pull_id: i64,
    s: &PackedSummary,
) -> Result<(), StoreError> {
    let row = (pull_summary::pull_id.eq(pull_id), summary_values!(s));
    diesel::insert_into(pull_summary::table).values(row).execute(c).await?;
    Ok(())
}

/// Replaces the summaries of pulls within the caller's transaction.
pub(crate) async fn put_summaries(
    c: &mut AsyncMysqlConnection,
    all: &[(i64, PackedSummary)],
) -> Result<(), StoreError> {
    for (pull_id, s) in all {
        diesel::update(pull_summary::table.find(pull_id)).set(summary_values!(s)).execute(c).await?;
    }
    Ok(())
}

/// The least and the most of every channel of no known kind, by name: those that a vehicle computes are among them.
fn own_ends(m: &Measured) -> Option<String> {
    let own = m.channels.iter().filter(|c| c.channel.kind().is_none());
    let ends: BTreeMap<&str, [f32; 2]> =
        own.take(OWN).map(|c| (c.channel.as_str(), [c.min as f32, c.max as f32])).collect();
    if ends.is_empty() { None } else { serde_json::to_string(&ends).ok() }
}

/// Kinds of the flags, with commas; those beyond the column's length are left to the measurement itself.
fn flag_words(m: &Measured) -> String {
    let mut kinds: Vec<&str> = m.flags.iter().map(Finding::kind).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let mut out = String::new();
    for k in kinds {
        if out.len() + k.len() < FLAGS_LENGTH {
            out += if out.is_empty() { "" } else { "," };
            out += k;
        }
    }
    out
}
